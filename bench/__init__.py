"""Benchmarks against the underlying library, both measured in one run."""
