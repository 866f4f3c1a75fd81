"""The Kelpline demo: an invented ferry line, its rulebook, and thirty days of its sign-ins.

Not here: anything that a service without the demo needs.
"""
