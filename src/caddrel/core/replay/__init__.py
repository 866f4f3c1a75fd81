"""Logged attempts decided again: what would come out otherwise, for whom, and because of which rules.

Not here: deciding many at once (`core.columnar`), and where stored records come from (`service.replay`).
"""
