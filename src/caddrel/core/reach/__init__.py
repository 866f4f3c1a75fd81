"""Who must always be able to get in: whether they still can, whatever else fails."""
