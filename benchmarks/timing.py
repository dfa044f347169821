"""Seconds that work takes."""

from __future__ import annotations

import time
from collections.abc import Callable

TURNS = 5


def least(work: Callable[[], object], turns: int = TURNS) -> float:
    """Least seconds of several turns."""
    times = []
    for _ in range(turns):
        begun = time.perf_counter()
        work()
        times.append(time.perf_counter() - begun)
    return min(times)
