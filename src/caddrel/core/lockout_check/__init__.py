"""Whether those who must always get in still can."""
