"""Live decisions: asked by a door, decided, recorded together, answered."""
