"""Why: traces, rehearsals, remedies, what has changed since.

Not here: live decisions (`decisions`).
"""
