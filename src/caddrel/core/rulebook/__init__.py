"""Rulebooks: the model, reading it with every diagnostic at once, writing it canonically.

Not here: deciding under one (`decide`), and what is doubtful about one (`lint`).
"""
