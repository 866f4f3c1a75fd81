"""Remedies: the smallest changes of facts that would have led to a better outcome, and who can make them.

Not here: wording them (`words.remedies`).
"""
