"""What everything works with: stores, clock, caches, limits; knows nobody above.

Not here: what comes of a request: the rooms above.
"""
