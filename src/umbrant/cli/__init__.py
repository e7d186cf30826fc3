"""The command line, one module for each command."""

from umbrant.cli.app import main

__all__ = ["main"]
