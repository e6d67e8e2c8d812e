"""Benchmarks: each prints its figures beside a floor that is measured in the same run."""
