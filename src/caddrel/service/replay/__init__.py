"""The log decided again: stored records under any rulebook, and what would come out otherwise.

Not here: deciding many at once, and counting what comes of it (`core.columnar`, `core.replay`).
"""
