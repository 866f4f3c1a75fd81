"""Facts: what can be known about an attempt, the types of it, and how gaps are filled.

Not here: completing them (`inventory.completion`, `columnar.completion`).
"""
