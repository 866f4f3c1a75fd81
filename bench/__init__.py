"""Benchmarks: ratios within one run, against a stated yardstick."""
