"""Reading rulebooks: the model, or every problem at its place.

Not here: conditions and formulas in it (`language`).
"""
