"""Request and response types, shared by service and client; nothing else.

Not here: reading and checking what they hold (`core`).
"""
