"""The command line: a thin shell over the library, one module a command.

In:  the command line.
Out: the answer, and an exit status; what is interrupted or goes wrong ends in one line, never in a traceback.
"""

from __future__ import annotations

import atexit
import gc
import os
import signal
import sys
import threading
from contextlib import suppress
from typing import Any, NoReturn

from mardok.memory import search_rarely_for_cycles

_INTERRUPTED = 130
"""Status of a program that an interrupt ended, as shells give it."""
_SHOW_CURSOR = b"\r\x1b[K\x1b[?25h"


def main() -> None:
    """Run the program."""
    # Nothing here multiplies dense matrices, and threads that wait for one take turns with the work.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    atexit.register(gc.freeze)  # what is left goes with the process: nobody needs to look through it
    is_main = threading.current_thread() is threading.main_thread()
    before = signal.signal(signal.SIGINT, _leave) if is_main else None
    try:
        search_rarely_for_cycles()  # loading makes a hundred thousand objects that stay
        from mardok.cli.app import run  # only here: an interrupt may come while it is loaded

        run()
    finally:
        if is_main:
            signal.signal(signal.SIGINT, before)


def _leave(*_: Any) -> NoReturn:
    """End at once.

    An exception would not do: where it is raised in a callback it is swallowed, and libraries turn it into something else.
    """
    signal.signal(signal.SIGINT, signal.SIG_DFL)  # whoever presses again will not wait for what is put in order now
    more = ""
    with suppress(BaseException):
        if "mardok.kept" in sys.modules:
            more = sys.modules["mardok.kept"].told_to_whoever_interrupts()
        if "mardok.processes" in sys.modules:
            sys.modules["mardok.processes"].end_all()
        if "mardok.folder" in sys.modules:
            sys.modules["mardok.folder"].remove_unfinished()
        if os.isatty(2):
            os.write(2, _SHOW_CURSOR)
    with suppress(OSError):
        told = f"mardok: interrupted; what stood in the output before is still there{more}\n"
        os.write(2, told.encode("utf-8", "surrogateescape"))
    os._exit(_INTERRUPTED)
