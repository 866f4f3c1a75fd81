"""What must never happen, proven: guarantees, rules that do nothing, and rulebooks compared by what they mean.

Not here: which attempts are looked at one by one (`cases`, `replay`).
"""
