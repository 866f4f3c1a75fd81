"""The sign-in log: into it, out of it, and looked into.

Not here: live decisions, which are recorded as they are made (`decisions`).
"""
