"""Chronoxis condenses long recordings into time-lapses, hyperlapses and fast-forward passages."""

__version__ = "1.0.0"
"""Of the program and of `chronoxis.api`, by semantic versioning: https://semver.org."""
