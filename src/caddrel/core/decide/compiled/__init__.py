"""The compiled evaluator: the same decisions as the interpreter, from generated code, without traces.

Not here: deciding those alike once (`columnar`).
"""
