"""The command line."""

from chronoxis.cli.main import cli, main

__all__ = ["cli", "main"]
