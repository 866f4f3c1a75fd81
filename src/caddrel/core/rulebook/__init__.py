"""Rulebooks: the model, reading it with every diagnostic at once, writing it canonically."""
