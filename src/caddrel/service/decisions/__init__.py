"""Live decisions: asked by a door, decided, recorded together, answered.

Not here: deciding, which is computed (`core.decide`), and looking back (`signins`).
"""
