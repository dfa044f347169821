"""How a long piece of work tells where it is.

In:  stages as they begin, parts of them as they are done.
Out: lines with how many parts are done, and how long the rest of the stage may take.
"""

from __future__ import annotations

import time
from collections.abc import Callable

_MINUTE_S = 60
Progress = Callable[[str, int], None]
"""Told of each step of the work: its name, and how many pages are done (0 where they are not counted)."""


def tell_nobody(stage: str, done: int) -> None:
    """Take no notice of the progress."""


class Counting:
    """Parts done and left of one stage.

    Parameters
    ----------
    stage : str
        Its name.
    n_parts : int
        All of its parts.
    n_left : int
        Those that are not done yet.
    progress : callable
        Told after each part.
    """

    def __init__(self, stage: str, n_parts: int, n_left: int, progress: Progress) -> None:
        self._stage, self._n_parts, self._n_left, self._progress = stage, n_parts, n_left, progress
        self._n_begun, self._begun = n_left, time.monotonic()
        if n_left:
            self._tell()

    def one_more(self) -> None:
        """Count a part that is done."""
        self._n_left -= 1
        self._tell()

    def _tell(self) -> None:
        done = self._n_parts - self._n_left
        self._progress(f"{self._stage}, {done} of {self._n_parts} parts{self._rest()}", 0)

    def _rest(self) -> str:
        done_here = self._n_begun - self._n_left
        if not done_here or not self._n_left:
            return ""
        seconds = (time.monotonic() - self._begun) / done_here * self._n_left
        return f", {seconds / _MINUTE_S:.0f} min left" if seconds >= _MINUTE_S else f", {seconds:.0f} s left"


class Staged:
    """A progress that knows the stage at hand.

    Parameters
    ----------
    progress : callable
        Is told of each.
    """

    def __init__(self, progress: Progress) -> None:
        self._progress, self._stage = progress, ""

    def __call__(self, stage: str, done: int) -> None:
        """See :data:`Progress`."""
        self._stage = stage
        self._progress(stage, done)

    def counting(self, n_parts: int, n_left: int) -> Counting:
        """Count parts of the stage at hand."""
        return Counting(self._stage, n_parts, n_left, self._progress)
