"""Lint: what is allowed in a rulebook and yet doubtful. One file a check, one registry.

Not here: errors, which reading finds (`rulebook.read`).
"""
