"""The command line: a thin shell over the library, one module a command."""

from mardok.cli.app import main

__all__ = ["main"]
