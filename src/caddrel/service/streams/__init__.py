"""What goes on between sign-ins: sessions decided again when something changes, and what others are told of it.

Not here: what a sign-in makes of its session (`decisions`).
"""
