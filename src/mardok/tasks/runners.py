"""Who makes parts: processes of this machine, or the workers of a cluster (:mod:`mardok.tasks.cluster`).

In:  tasks, each of which writes its part into the working folder.
Out: what is told of each part, as they end.
"""

from __future__ import annotations

import queue
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path
from typing import Any, Protocol, TypeVar

from mardok.errors import FolderError
from mardok.processes import Lost
from mardok.tasks.child import Child

TRIES = 3
"""Times that a part may end the process that makes it before it is halved."""
Task = TypeVar("Task", bound=Callable[[], Any])


class Runner(Protocol):
    """Who makes parts."""

    def results(self, tasks: Sequence[Task]) -> Iterator[tuple[Task, Any | Lost]]:
        """What came of each task, as they end; :class:`mardok.processes.Lost` of one that ended its process each time.

        Raises
        ------
        FolderError
            If a file cannot be read or written.
        """


class Processes:
    """Processes of this machine.

    Parameters
    ----------
    jobs : int
        How many work at a time.
    work : Path
        The working folder.
    """

    def __init__(self, jobs: int, work: Path) -> None:
        self._jobs, self._work = jobs, work

    def results(self, tasks: Sequence[Task]) -> Iterator[tuple[Task, Any | Lost]]:
        """See :class:`Runner`."""
        if not tasks:
            return
        children = [Child() for _ in range(min(self._jobs, len(tasks)))]
        idle: queue.SimpleQueue[Child] = queue.SimpleQueue()
        for child in children:
            idle.put(child)

        def made(task: Task) -> Any | Lost:
            child = idle.get()
            try:
                # One that reads alone leaves a second processor without work, which it does not if it is one of many.
                return _tried(child, task, alone=len(children) > 1)
            finally:
                idle.put(child)

        with ThreadPoolExecutor(len(children)) as threads:
            try:
                task_of = {threads.submit(made, task): task for task in tasks}
                for future in as_completed(task_of):
                    yield task_of[future], future.result()
            except OSError as error:
                raise unusable(error, self._work) from error
            finally:
                threads.shutdown(wait=False, cancel_futures=True)
                for child in children:
                    child.close()


def goes_on(work: Path) -> str:
    """What an error ends with after which the audit can go on."""
    return f"; what is done stands in {work}: the same command goes on from there"


def unusable(error: OSError, work: Path) -> FolderError:
    """What is said where a process that makes parts cannot read or write a file."""
    return FolderError(f"{error.filename or work}: cannot be used: {error.strerror or error}{goes_on(work)}")


def _tried(child: Child, task: Callable[[], Any], *, alone: bool) -> Any | Lost:
    result: Any | Lost = Lost(0)
    for n_tried in range(TRIES):
        result = child.do(task, alone=alone and n_tried == 0)
        if not isinstance(result, Lost):
            return result
    return result
