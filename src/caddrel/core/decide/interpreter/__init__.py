"""The reference evaluator, and the only one that makes traces."""
