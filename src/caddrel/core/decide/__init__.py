"""Deciding attempts: the interpreter, how policies combine, and traces.

Not here: wording decisions (`words`), and deciding logs (`columnar`).
"""
