"""Work that is shared out: among processes of this machine, or the workers of a cluster.

In:  work that needs nothing but what it is given, and pieces of it.
Out: what came of each piece, in the order of the pieces.

What is large is not sent: a process that is forked finds it in memory, a worker of a cluster in the working folder, where it
lies in files (:mod:`mardok.mapped`); what came of a piece is found there, too.
"""

from __future__ import annotations

import io
import logging
import os
import pickle
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any, Protocol, TypeVar

import numpy as np

from mardok.mapped import ArrayPlace, FoundArrays, made_for_another, place_of, room_of_arrays
from mardok.processes import LOST, Lost, begin, can_begin, workers
from mardok.progress import Progress, Staged, tell_nobody

log = logging.getLogger(__name__)
_Piece = TypeVar("_Piece")
_Result = TypeVar("_Result")
_HANDED_BYTES = 1 << 16
"""From how many bytes on an array is told by its place."""


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
    if not _sharers or len(pieces) < 2:
        yield from map(work, pieces)
        return
    sharer, progress = _sharers[-1]
    counting = progress.counting(len(pieces))
    for piece, result in zip(pieces, sharer.results(_Handed(work, room_of_arrays()), pieces), strict=True):
        if isinstance(result, Lost):  # done here, it says why
            log.warning(LOST)
            yield work(piece)
        else:
            yield loaded(result, are_own=True)
        counting.one_more()


def done_elsewhere(work: Callable[[_Piece], _Result], pieces: Sequence[_Piece]) -> list[_Result]:
    """The same, of work that leaves much behind in memory: where there can be another process, it goes with that.

    A single piece is not worth one: what it leaves behind serves the next.
    """
    if _sharers or len(pieces) < 2:
        return list(shared_out(work, pieces))
    return begin(lambda: list(map(work, pieces)), 2)()


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
    asked = begin(partial(_Handed(lambda _: work(), room_of_arrays()), None), 2)
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
        told, _ = _dumped(work)
        calls = [Called(number, told, _dumped(piece)[0]) for number, piece in enumerate(pieces)]
        came: dict[int, bytes | Lost] = {}
        n_told = 0
        for call, result in self.results_of(calls):
            came[call.number] = result
            while n_told in came:
                yield came.pop(n_told)
                n_told += 1


@dataclass(frozen=True)
class _Handed:
    """Work whose result is told by where it lies."""

    work: Callable[[Any], Any]
    room: Path | None

    def __call__(self, piece: Any) -> bytes:
        if self.room is None:
            return _dumped(self.work(piece))[0]
        with made_for_another(self.room) as made:
            raw, told = _dumped(self.work(piece))
            made -= told
        return raw


def _dumped(thing: Any) -> tuple[bytes, set[Path]]:
    """Something as bytes, and the files that are told of in these."""
    file = io.BytesIO()
    pickler = _Pickler(file, pickle.HIGHEST_PROTOCOL)
    pickler.told = set()
    pickler.dump(thing)
    return file.getvalue(), pickler.told


def loaded(raw: bytes, *, are_own: bool) -> Any:
    """What was dumped by another process of this program.

    Parameters
    ----------
    are_own : bool
        Whether the files of its arrays are seen to by this process from now on.
    """
    unpickler = _Unpickler(io.BytesIO(raw))
    unpickler.found = FoundArrays(are_own)
    return unpickler.load()


class _Pickler(pickle.Pickler):
    told: set[Path]

    def persistent_id(self, thing: Any) -> ArrayPlace | None:
        if not isinstance(thing, np.ndarray) or thing.nbytes < _HANDED_BYTES:
            return None
        place = place_of(thing)
        if place is not None:
            self.told.add(Path(place.path))
        return place


class _Unpickler(pickle.Unpickler):
    found: FoundArrays

    def persistent_load(self, place: ArrayPlace) -> Any:
        return self.found.at(place)
