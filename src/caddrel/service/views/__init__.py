"""The endpoints, one file a noun; each view decodes, calls one use case and encodes.

Not here: what comes of a request: the rooms below.
"""
