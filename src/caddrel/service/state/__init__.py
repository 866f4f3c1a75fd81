"""What everything works with: stores, clock, caches, limits; knows nobody above."""
