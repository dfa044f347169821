"""More than one processor at a time.

In:  work that needs nothing of what comes after it.
Out: what came of it, once it is asked for.
"""

from __future__ import annotations

import atexit
import ctypes
import logging
import multiprocessing
import os
import pickle
import signal
import socket
import struct
import sys
import threading
import warnings
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from multiprocessing.connection import Connection, wait
from multiprocessing.process import BaseProcess
from typing import Any, Generic, TypeVar

from mardok.memory import give_back_memory, no_search_for_cycles

log = logging.getLogger(__name__)

_Piece = TypeVar("_Piece")
_Result = TypeVar("_Result")
_PR_SET_PDEATHSIG = 1
"""From ``linux/prctl.h``."""
_END_S = 0.5
_ENOUGH_AHEAD = 2
"""Pieces for each process that are taken before what came of the first is asked for."""


_LOOK_S = 1.0
_SIZE = struct.Struct("<Q")
LOST = "a second process ended before its work was done (for want of memory?); the work is done again"
_is_worker = False
_forking = threading.Lock()
"""A process that is forked between the begin of another and the closing of its end here would keep that open."""


def _new_lock() -> None:
    global _forking
    _forking = threading.Lock()


if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_new_lock)


def can_fork() -> bool:
    """Whether processes can be forked: these need no import of their own and work from any script."""
    return "fork" in multiprocessing.get_all_start_methods() and not multiprocessing.current_process().daemon


def can_begin() -> bool:
    """Whether a process can be forked in the middle of things: only on Linux do the system's own libraries stand that."""
    return sys.platform == "linux" and can_fork()


def is_worker() -> bool:
    """Whether this process may end over its work without harm, as one of :class:`Workers` may."""
    return _is_worker


@contextmanager
def as_worker(*, may_end: bool) -> Iterator[None]:
    """Whether this process may end over its work without harm meanwhile."""
    global _is_worker
    before, _is_worker = _is_worker, may_end
    try:
        yield
    finally:
        _is_worker = before


def end_with_parent(parent: int) -> None:
    """Let the system end this process when its parent ends, whatever it is doing then, where the system can (Linux).

    Parameters
    ----------
    parent : int
        Number of the process that began this one; if that is gone already, this one ends here.
    """
    if sys.platform == "linux":
        prctl = getattr(ctypes.CDLL(None), "prctl", None)
        if prctl is not None:
            prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(1)


_begun: set[BaseProcess] = set()
"""What :func:`begin` has begun, and nobody has asked for yet."""


@atexit.register
def _end_begun() -> None:
    """End what nobody will ask for any more: Python would wait for it."""
    for process in _begun:
        process.kill()


def end_all() -> None:
    """End every process that was begun here."""
    ending = multiprocessing.active_children()
    for process in ending:
        process.kill()
    for process in ending:
        process.join(_END_S)


@dataclass(frozen=True)
class Lost:
    """What came of a piece of work whose process ended over it."""

    signal: int
    """Signal that ended it; 0 if it ended by itself."""


class _Channel:
    """One end of a connection between two processes.

    What comes is read in one call: a thread that reads piece by piece waits after each for its turn beside other threads,
    and as long does the process that sends.
    """

    def __init__(self, end: socket.socket) -> None:
        self._end = end

    def fileno(self) -> int:
        """What the system knows it by."""
        return self._end.fileno()

    def send(self, thing: Any) -> None:
        """Send something that can be pickled."""
        raw = pickle.dumps(thing, pickle.HIGHEST_PROTOCOL)
        size = _SIZE.pack(len(raw))
        # Together: who waits at the other end is woken once.
        n_sent = self._end.sendmsg([size, raw])
        if n_sent < len(size) + len(raw):
            self._end.sendall(size[n_sent:])
            self._end.sendall(memoryview(raw)[max(0, n_sent - len(size)) :])

    def received(self) -> Any:
        """What was sent next; raise EOFError where nothing comes any more."""
        (size,) = _SIZE.unpack(self._read(_SIZE.size))
        return pickle.loads(self._read(size))

    def close(self) -> None:
        """Let the other end know that nothing comes any more."""
        self._end.close()

    def _read(self, size: int) -> bytearray:
        raw = bytearray(size)
        rest = memoryview(raw)
        while len(rest):
            n = self._end.recv_into(rest, len(rest), socket.MSG_WAITALL)
            if n == 0:
                raise EOFError
            rest = rest[n:]
        return raw


class Workers(Generic[_Piece, _Result]):
    """Processes that do the same work, each on one piece at a time.

    No two processes share a lock or a queue, so that the end of one is no matter of the others: each has a pipe of its own
    and a thread here that waits at it.

    Parameters
    ----------
    work : callable
        From a piece to its result; both can be pickled.
    n : int
        Number of processes.
    """

    def __init__(self, work: Callable[[_Piece], _Result], n: int) -> None:
        self._work = work
        self._waiting: deque[_Task[_Piece, _Result]] = deque()
        self._changed = threading.Condition()
        self._is_closed = False
        self._processes: dict[int, BaseProcess] = {}
        pipes = [self._begin(number) for number in range(n)]  # all are forked before the first thread is there
        self._threads = [
            threading.Thread(target=self._attend, args=(number, pipe), daemon=True) for number, pipe in enumerate(pipes)
        ]
        for thread in self._threads:
            thread.start()

    def results(self, pieces: Iterable[_Piece]) -> Iterator[tuple[_Piece, _Result | Lost]]:
        """What came of each piece, in their order; pieces are taken as results are asked for."""
        ahead: deque[_Task[_Piece, _Result]] = deque()
        for piece in pieces:
            task: _Task[_Piece, _Result] = _Task(piece)
            ahead.append(task)
            with self._changed:
                self._waiting.append(task)
                self._changed.notify()
            if len(ahead) > _ENOUGH_AHEAD * len(self._threads):
                yield self._ended(ahead.popleft())
        while ahead:
            yield self._ended(ahead.popleft())

    def _ended(self, task: _Task[_Piece, _Result]) -> tuple[_Piece, _Result | Lost]:
        task.is_done.wait()
        if task.error is not None:
            raise task.error
        assert task.result is not None
        return task.piece, task.result

    def close(self) -> None:
        """End all processes, whatever they are doing."""
        with self._changed:
            self._is_closed = True
            self._changed.notify_all()
        for process in list(self._processes.values()):
            process.kill()
        for process in list(self._processes.values()):
            process.join()
        for thread in self._threads:
            thread.join(_END_S)

    def _begin(self, number: int) -> _Channel:
        with _forking:
            ours, theirs = map(_Channel, socket.socketpair())
            process = multiprocessing.get_context("fork").Process(
                target=_serve, args=(self._work, theirs, ours, os.getpid()), daemon=True
            )
            try:
                with warnings.catch_warnings():
                    # From Python 3.12 on it is told that a fork beside threads may hang: those here hold no lock that is
                    # needed.
                    warnings.simplefilter("ignore", DeprecationWarning)
                    process.start()
            except OSError:
                ours.close()
                raise
            finally:
                theirs.close()
            self._processes[number] = process
            return ours

    def _attend(self, number: int, pipe: _Channel) -> None:
        """Hand pieces to one process; begin another where it ends."""
        while (task := self._next_task()) is not None:
            try:
                pipe.send(task.piece)
                self._wait(number, pipe)
                is_whole, came = pipe.received()
                task.result, task.error = (came, None) if is_whole else (None, came)
            except (EOFError, OSError):
                task.result = self._lost(number, pipe)
            except Exception as error:  # noqa: BLE001 - what cannot be pickled is told to whoever asks
                task.error = error
            task.is_done.set()
            if isinstance(task.result, Lost) and not self._is_closed:
                try:
                    pipe = self._begin(number)
                except OSError as error:  # there are no more processes to be had: none of what waits is done
                    while (task := self._next_task()) is not None:
                        task.error = error
                        task.is_done.set()
        pipe.close()

    def _next_task(self) -> _Task[_Piece, _Result] | None:
        """What is to be done next, as soon as there is something; None when all is over."""
        with self._changed:
            while not self._waiting and not self._is_closed:
                self._changed.wait()
            return None if self._is_closed else self._waiting.popleft()

    def _wait(self, number: int, pipe: _Channel) -> None:
        """Wait for an answer; raise EOFError where the process has ended without one."""
        process, answer = self._processes[number], pipe.fileno()
        while answer not in (ready := wait([answer, process.sentinel], _LOOK_S)):
            # Another process may hold the end of the pipe that should tell; so it is asked for, too.
            if ready or process.exitcode is not None:
                raise EOFError

    def _lost(self, number: int, pipe: _Channel) -> Lost:
        pipe.close()
        process = self._processes[number]
        process.join()
        return Lost(max(0, -(process.exitcode or 0)))


class _Task(Generic[_Piece, _Result]):
    """A piece of work, and what came of it."""

    def __init__(self, piece: _Piece) -> None:
        self.piece = piece
        self.result: _Result | Lost | None = None
        self.error: Exception | None = None
        self.is_done = threading.Event()


def _serve(work: Callable[[_Piece], _Result], pipe: _Channel, others: _Channel, parent: int) -> None:
    """Do the work on one piece after the other, until the pipe closes."""
    global _is_worker
    _is_worker = True
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the terminal sends it to all; who began the work ends it
    end_with_parent(parent)
    others.close()
    while True:
        try:
            piece = pipe.received()
        except (EOFError, OSError):
            os._exit(0)
        try:
            result: tuple[bool, _Result | Exception] = True, work(piece)
        except Exception as error:  # noqa: BLE001 - it is raised where the result is asked for
            result = False, error
        pipe.send(result)


@contextmanager
def workers(work: Callable[[_Piece], _Result], n: int) -> Iterator[Workers[_Piece, _Result]]:
    """Processes for a while; see :class:`Workers`."""
    result = Workers(work, n)
    try:
        yield result
    finally:
        result.close()


def is_running(process: int) -> bool:
    """Whether a process of this number may be running; where that cannot be asked it may."""
    if sys.platform == "win32":  # there to ask is to end it
        return True
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True


def begin(work: Callable[[], _Result], jobs: int) -> Callable[[], _Result]:
    """Begin work beside what follows, in a process of its own, if there are two to use.

    Parameters
    ----------
    work : callable
        Reads what there is now and changes nothing; its result can be pickled.
    jobs : int
        Processes that may be used. With 1 the work is done when it is asked for; so it is where :func:`can_begin` says no.

    Returns
    -------
    callable
        Gives the result, or raises what the work raises; to be called once.
    """
    if jobs == 1 or not can_begin():
        return work
    context = multiprocessing.get_context("fork")
    with _forking:
        receiver, sender = context.Pipe(duplex=False)
        # Not called a daemon, which may begin no process of its own; what it is called one for is seen to at the end.
        process = context.Process(target=_send, args=(work, sender, os.getpid()))
        process.start()
        _begun.add(process)
        sender.close()

    def result() -> _Result:
        try:
            results: _Result = receiver.recv()
        except (EOFError, OSError):  # it failed, or was killed for want of memory: done here, it says why
            log.warning(LOST)
            results = work()
        process.join()
        _begun.discard(process)
        return results

    return result


def _send(work: Callable[[], _Result], sender: Connection, parent: int) -> None:
    """Do the work and send what came of it, or nothing."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    end_with_parent(parent)
    # A search for cycles would write to every object, and so copy the memory that both processes share.
    with no_search_for_cycles():
        try:
            result = work()
            give_back_memory()
            sender.send(result)
        except BaseException:  # noqa: BLE001 - whoever asks does the work again, and meets it there
            return
