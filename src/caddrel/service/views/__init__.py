"""The endpoints, one file a noun; each view decodes, calls one use case and encodes."""
