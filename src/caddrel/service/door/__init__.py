"""Live decisions: asked by doors, recorded before they are answered."""
