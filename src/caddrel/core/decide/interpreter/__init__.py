"""The reference evaluator, and the only one that makes traces.

Not here: combining what policies say (`decide.combine`).
"""
