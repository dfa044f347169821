"""More than one processor at a time.

In:  work that needs nothing of what comes after it.
Out: what came of it, once it is asked for.
"""

from __future__ import annotations

import logging
import multiprocessing
import sys
from collections.abc import Callable
from multiprocessing.connection import Connection
from multiprocessing.context import BaseContext
from typing import TypeVar

from mardok.memory import give_back_memory, no_search_for_cycles

log = logging.getLogger(__name__)

_Result = TypeVar("_Result")


def process_context() -> BaseContext:
    """How processes are begun: forked ones need no import of their own and work from any script; else as is usual."""
    return multiprocessing.get_context("fork" if "fork" in multiprocessing.get_all_start_methods() else None)


def begin(work: Callable[[], _Result], jobs: int) -> Callable[[], _Result]:
    """Begin work beside what follows, in a process of its own, if there are two to use.

    Parameters
    ----------
    work : callable
        Reads what there is now and changes nothing; its result can be pickled.
    jobs : int
        Processes that may be used. With 1 the work is done when it is asked for; so it is where a process that is forked in
        the middle of things may hang in the system's own libraries: elsewhere than on Linux.

    Returns
    -------
    callable
        Gives the result, or raises what the work raises; to be called once.
    """
    if jobs == 1 or sys.platform != "linux":
        return work
    context = multiprocessing.get_context("fork")
    receiver, sender = context.Pipe(duplex=False)
    process = context.Process(target=_send, args=(work, sender), daemon=True)
    process.start()
    sender.close()

    def result() -> _Result:
        try:
            results: _Result = receiver.recv()
        except (EOFError, OSError):  # it failed, or was killed for want of memory: done here, it says why
            log.warning("a second process ended before its work was done (for want of memory?); the work is done again")
            results = work()
        process.join()
        return results

    return result


def _send(work: Callable[[], _Result], sender: Connection) -> None:
    """Do the work and send what came of it, or nothing."""
    # A search for cycles would write to every object, and so copy the memory that both processes share.
    with no_search_for_cycles():
        try:
            result = work()
            give_back_memory()
            sender.send(result)
        except BaseException:  # noqa: BLE001 - whoever asks does the work again, and meets it there
            return
