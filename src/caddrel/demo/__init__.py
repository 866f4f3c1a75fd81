"""The Kelpline demo: an invented ferry line, its rulebook, and thirty days of its sign-ins."""
