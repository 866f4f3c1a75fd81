"""Conditions, policies and decisions as plain English: data in, text out.

Not here: layout, colours and links: whoever shows them.
"""
