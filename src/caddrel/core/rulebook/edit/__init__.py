"""Changing a rulebook's text: one object, as text or as values; what is not changed keeps its lines.

Not here: drafts (`service.rulebooks.drafts`).
"""
