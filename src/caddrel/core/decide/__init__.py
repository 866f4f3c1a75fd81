"""Deciding attempts: the interpreter, how policies combine, and traces."""
