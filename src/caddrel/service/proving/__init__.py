"""What is proven of rulebooks, in a process of its own with a time limit.

Not here: how it is proven (`core/prove`).
"""
