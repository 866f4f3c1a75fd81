"""Conditions and requirement formulas: one syntax tree, its parser, checker and printer.

Not here: what a condition comes to (`decide`).
"""
