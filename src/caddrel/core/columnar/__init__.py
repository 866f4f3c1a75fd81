"""The way of a log through the engine: groups of facts, completion by columns, equivalence, evaluation.

Not here: deciding one attempt (`decide.compiled`).
"""
