"""How a long piece of work tells where it is."""

from __future__ import annotations

from collections.abc import Callable

Progress = Callable[[str, int], None]
"""Told of each step of the work: its name, and how many pages are done (0 where they are not counted)."""


def tell_nobody(stage: str, done: int) -> None:
    """Take no notice of the progress."""
