"""Declared endpoints, the server that they are served by, and how much of what is asked for at once.

Not here: the endpoints themselves (`views`).
"""
