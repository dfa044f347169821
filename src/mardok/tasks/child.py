"""A process beside this one that does work and may end over it without harm.

In:  work that can be pickled, one piece at a time.
Out: what came of it, or that the process ended.

A worker of a cluster is a process with many threads, which may not be forked, and whose end costs all that it holds. So each
piece is done by a plain process that it begins, and that ends when nothing comes from it any more.
"""

from __future__ import annotations

import atexit
import pickle
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from io import BufferedReader
from typing import Any, cast

from mardok.processes import Lost

_own = threading.local()
_COMMAND = "from mardok.tasks.child import serve; serve()"


def done_in_child(work: Callable[[], Any]) -> Any | Lost:
    """Do work in the child of this thread; what came of it, or :class:`mardok.processes.Lost`.

    Raises
    ------
    Exception
        Whatever the work raises.
    """
    child: _Child | None = getattr(_own, "child", None)
    if child is None or not child.is_running:
        child = _own.child = _Child()
    return child.do(work)


class _Child:
    """A process that does one piece of work after the other."""

    def __init__(self) -> None:
        process = subprocess.Popen([sys.executable, "-c", _COMMAND], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        assert process.stdin is not None
        assert process.stdout is not None
        self._process, self._goes, self._came = process, process.stdin, process.stdout
        atexit.register(self._end)

    @property
    def is_running(self) -> bool:
        return self._process.poll() is None

    def do(self, work: Callable[[], Any]) -> Any | Lost:
        try:
            pickle.dump(work, self._goes)
            self._goes.flush()
            is_whole, came = pickle.load(self._came)
        except (EOFError, OSError, pickle.UnpicklingError):
            self._end()
            return Lost(max(0, -self._process.returncode))
        if not is_whole:
            raise came
        return came

    def _end(self) -> None:
        atexit.unregister(self._end)
        self._process.kill()
        self._process.wait()
        self._came.close()
        with suppress(OSError):
            self._goes.close()


def serve() -> None:
    """Do what comes on standard input until it closes; what is printed meanwhile goes to standard error."""
    came, goes = cast(BufferedReader, sys.stdin.buffer), sys.stdout.buffer
    sys.stdout = sys.stderr
    while True:
        if not came.peek(1):
            return
        try:
            result: tuple[bool, Any] = True, pickle.load(came)()
        except Exception as error:  # noqa: BLE001 - it is raised where the result is asked for
            result = False, error
        pickle.dump(result, goes)
        goes.flush()
