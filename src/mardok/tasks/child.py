"""A process beside this one that does work and may end over it without harm.

In:  work that can be pickled, one piece at a time.
Out: what came of it, or that the process ended.

What makes parts of a large site leaves much memory behind, and may end its process. A worker of a cluster has many threads,
which may not be forked, and its end costs all that it holds. So each piece is done by a plain process of its own.
"""

from __future__ import annotations

import os
import pickle
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from io import BufferedReader
from typing import Any, cast

from mardok.processes import Lost, as_worker, end_with_parent

_own = threading.local()
_COMMAND = "import sys; from mardok.tasks.child import serve; serve(int(sys.argv[1]))"


class Child:
    """A process that does one piece of work after the other; another one is begun in the place of one that ended."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None

    def do(self, work: Callable[[], Any], *, alone: bool = True) -> Any | Lost:
        """Do work; what came of it.

        Parameters
        ----------
        alone : bool
            Whether it does all of it itself; else it begins others for what may end them.

        Raises
        ------
        Exception
            Whatever the work raises.
        """
        if self._process is None or self._process.poll() is not None:
            self.close()
            self._process = self._begun()
        process = self._process
        assert process.stdin is not None
        assert process.stdout is not None
        try:
            pickle.dump((work, alone), process.stdin)
            process.stdin.flush()
            is_whole, came = pickle.load(process.stdout)
        except (EOFError, OSError, pickle.UnpicklingError):
            self.close()
            return Lost(max(0, -process.returncode))
        if not is_whole:
            raise came
        return came

    @staticmethod
    def _begun() -> subprocess.Popen[bytes]:
        # What can be imported here can be there; -P keeps out what only happens to lie in the folder at hand.
        paths = {**os.environ, "PYTHONPATH": os.pathsep.join(filter(None, sys.path))}
        command = [sys.executable, "-P", "-c", _COMMAND, str(os.getpid())]
        return subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, env=paths)

    def close(self) -> None:
        """End the process, whatever it is doing."""
        if self._process is None:
            return
        self._process.kill()
        self._process.wait()
        for pipe in (self._process.stdin, self._process.stdout):
            assert pipe is not None
            with suppress(OSError):
                pipe.close()
        self._process = None


def done_in_child(work: Callable[[], Any], *, alone: bool) -> Any | Lost:
    """Do work in a child of this thread, which stays for what comes next; see :meth:`Child.do`."""
    child: Child | None = getattr(_own, "child", None)
    if child is None:
        child = _own.child = Child()
    return child.do(work, alone=alone)


def serve(parent: int) -> None:
    """Do what comes on standard input until it closes; what is printed meanwhile goes to standard error.

    Parameters
    ----------
    parent : int
        Number of the process that began this one; when that is gone, this one ends.
    """
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the terminal sends it to all; who began this process ends it
    end_with_parent(parent)
    came, goes = cast(BufferedReader, sys.stdin.buffer), sys.stdout.buffer
    sys.stdout = sys.stderr
    while came.peek(1):
        try:
            work, alone = pickle.load(came)
            with as_worker(may_end=alone):
                result: tuple[bool, Any] = True, work()
        except Exception as error:  # noqa: BLE001 - it is raised where the result is asked for
            result = False, error
        pickle.dump(result, goes)
        goes.flush()
