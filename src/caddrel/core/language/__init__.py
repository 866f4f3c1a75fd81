"""Conditions and requirement formulas: one syntax tree, its parser, checker and printer."""
