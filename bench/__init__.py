"""Benchmarks: each prints a table of ratios against a peer measured in the same run."""
