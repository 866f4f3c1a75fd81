"""The stand-in sign-in page that people meet: a process of its own, a client of the service like any other.

Not here: deciding: it asks the service, as any door does.
"""
