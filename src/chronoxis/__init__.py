"""Chronoxis condenses long recordings into time-lapses, hyperlapses and fast-forward passages."""

__version__ = "0.1.0"
