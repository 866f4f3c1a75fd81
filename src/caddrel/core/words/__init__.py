"""Conditions, policies and decisions as plain English: data in, text out."""
