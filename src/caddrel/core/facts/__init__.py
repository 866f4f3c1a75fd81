"""Facts: what can be known about an attempt, the types of it, and how gaps are filled."""
