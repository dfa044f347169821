"""Work that is shared out: among processes of this machine, or the workers of a cluster.

In:  work that needs nothing but what it is given, and pieces of it.
Out: what came of each piece, in the order of the pieces.

What is large is not sent: a process that is forked finds it in memory, a worker of a cluster in the working folder, where it
lies in files (:mod:`mardok.mapped`); what came of a piece is found there, too.
"""

from __future__ import annotations

import logging
import os
from collections.abc import Callable, Generator, Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass
from functools import partial
from itertools import compress
from pathlib import Path
from typing import Any, NamedTuple, Protocol, TypeVar

from mardok.done_tasks import DoneTasks, done_tasks
from mardok.handing import dumped, loaded
from mardok.mapped import made_for_another, room_of_arrays
from mardok.processes import LOST, Lost, begin, can_begin, workers
from mardok.progress import Progress, Staged, tell_nobody

log = logging.getLogger(__name__)
_Piece = TypeVar("_Piece")
_Result = TypeVar("_Result")
_FEWEST_KEPT = 8
"""Pieces of work from which on what comes of each is kept: fewer are done again in seconds."""


class Sharer(Protocol):
    """Who shares work out."""

    def results(self, work: Callable[[_Piece], bytes], pieces: Sequence[_Piece]) -> Iterator[bytes | Lost]:
        """What :class:`_Handed` work gives for each piece, in their order."""


_sharers: list[tuple[Sharer, Staged]] = []
if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_sharers.clear)


def shared_out(work: Callable[[_Piece], _Result], pieces: Sequence[_Piece]) -> Iterator[_Result]:
    """What comes of each piece of work, in their order.

    Parameters
    ----------
    work : callable
        Reads what it is given and changes nothing of it; it, the pieces and what comes of them can be pickled.

    Examples
    --------
    >>> list(shared_out(abs, [-1, 2]))
    [1, 2]
    """
    done, room = done_tasks() if len(pieces) >= _FEWEST_KEPT else None, room_of_arrays()
    if len(pieces) < 2 or not (_sharers or done):
        yield from map(work, pieces)
        return
    sharer, progress = _sharers[-1] if _sharers else (None, None)
    keys = done.keys(work, pieces) if done is not None else [""] * len(pieces)
    calls = [_Call(*each) for each in zip(keys, pieces, strict=True)]
    is_left = [done is None or not done.stands(key) for key in keys]
    left = list(compress(calls, is_left))
    handed = _Handed(work, room, done)
    counting = progress.counting(len(pieces), len(left)) if progress is not None else None
    with closing(_results(sharer, handed, left)) as results:
        for call, is_asked in zip(calls, is_left, strict=True):
            if is_asked:
                raw = next(results)
                if isinstance(raw, Lost):
                    log.warning(LOST)
                    raw = handed(call)  # done here, it says why
                yield loaded(raw, are_own=True)
                if counting is not None:
                    counting.one_more()
            else:
                assert done is not None
                assert room is not None
                found = done.taken(call.key, room)
                yield loaded(handed(call), are_own=True) if found is None else found


def _results(sharer: Sharer | None, handed: _Handed, calls: Sequence[_Call]) -> Generator[bytes | Lost, None, None]:
    """What came of calls, in their order."""
    if sharer is None:
        yield from map(handed, calls)
    elif calls:
        yield from sharer.results(handed, calls)


def done_elsewhere(work: Callable[[_Piece], _Result], pieces: Sequence[_Piece]) -> list[_Result]:
    """The same, of work that leaves much behind in memory: where there can be another process, it goes with that.

    A single piece is not worth one: what it leaves behind serves the next.
    """
    if _sharers or len(pieces) < 2:
        return list(shared_out(work, pieces))
    return begin(lambda: list(shared_out(work, pieces)), 2)()


def begun(work: Callable[[], _Result]) -> Callable[[], _Result] | None:
    """Begin work beside what follows, where work is shared out among processes of this machine.

    Parameters
    ----------
    work : callable
        See :func:`mardok.processes.begin`.

    Returns
    -------
    callable or None
        Gives the result; to be called once. None elsewhere: then the work is to be done here.
    """
    if not _sharers or not isinstance(_sharers[-1][0], _Forked):
        return None
    asked = begin(partial(_Handed(lambda _: work(), room_of_arrays()), _Call("", None)), 2)
    return lambda: loaded(asked(), are_own=True)


@contextmanager
def shared_by(sharer: Sharer | None, progress: Progress = tell_nobody) -> Iterator[None]:
    """Share work out so meanwhile; with None all of it is done here.

    Parameters
    ----------
    progress : callable
        Is told of the parts of its stage as they are done.
    """
    if sharer is None:
        yield
        return
    own = sharer, progress if isinstance(progress, Staged) else Staged(progress)
    _sharers.append(own)
    try:
        yield
    finally:
        if own in _sharers:  # a process that was forked meanwhile has none
            _sharers.remove(own)


def forked(jobs: int) -> Sharer | None:
    """Processes that are forked from the one at hand; None where there is only that, as elsewhere than on Linux."""
    return _Forked(jobs) if jobs > 1 and can_begin() else None


def beside(work: Callable[[], _Result], jobs: int) -> Callable[[], _Result]:
    """Begin work beside what follows, as :func:`mardok.processes.begin` does; it is shared out among all but one."""

    def shared() -> _Result:
        with shared_by(forked(jobs - 1)):
            return work()

    return begin(shared, jobs) if jobs > 1 else work


@dataclass(frozen=True)
class _Forked:
    jobs: int

    def results(self, work: Callable[[_Piece], bytes], pieces: Sequence[_Piece]) -> Iterator[bytes | Lost]:
        with workers(work, min(self.jobs, len(pieces))) as several:
            yield from (result for _, result in several.results(pieces))


@dataclass(frozen=True)
class Called:
    """A piece of work for another machine."""

    number: int
    work: bytes
    piece: bytes

    def __call__(self) -> bytes:
        """Do it; what came of it as :func:`loaded` asks for it."""
        result: bytes = loaded(self.work, are_own=False)(loaded(self.piece, are_own=False))
        return result


@dataclass(frozen=True)
class Distributed:
    """Others who do tasks.

    Parameters
    ----------
    results_of : callable
        See :meth:`mardok.tasks.runners.Runner.results`.
    """

    results_of: Callable[[Sequence[Called]], Iterator[tuple[Called, Any]]]

    def results(self, work: Callable[[_Piece], bytes], pieces: Sequence[_Piece]) -> Iterator[bytes | Lost]:
        """See :class:`Sharer`."""
        told, _ = dumped(work)
        calls = [Called(number, told, dumped(piece)[0]) for number, piece in enumerate(pieces)]
        came: dict[int, bytes | Lost] = {}
        n_told = 0
        for call, result in self.results_of(calls):
            came[call.number] = result
            while n_told in came:
                yield came.pop(n_told)
                n_told += 1


class _Call(NamedTuple):
    """A piece of work."""

    key: str
    """What comes of it is kept by this name; ``""`` if it is not."""
    piece: Any


@dataclass(frozen=True)
class _Handed:
    """Work whose result is told by where it lies, and kept where that is asked for."""

    work: Callable[[Any], Any]
    room: Path | None
    done: DoneTasks | None = None

    def __call__(self, call: _Call) -> bytes:
        if self.room is None:
            return dumped(self.work(call.piece))[0]
        with made_for_another(self.room) as made:
            raw, told = dumped(self.work(call.piece))
            if self.done is not None:
                self.done.keep(call.key, raw, told)
            made.difference_update(told)
        return raw
