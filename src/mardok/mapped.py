"""Files that large arrays lie in: the system holds in memory what is at hand of them.

In:  numbers, one piece after the other or as many as there will be; arrays that lie in such files.
Out: arrays; where another process finds what an array lies in.

Mostly such a file has no name: whatever happens, nothing of it is left. Where work is shared with other machines it has one,
in a folder that goes with the audit, and by it an array is handed over without being copied. What lies there is made once
and only read afterwards.
"""

from __future__ import annotations

import mmap
import os
import shutil
import tempfile
import uuid
import weakref
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import DTypeLike, NDArray

from mardok.errors import FolderError

GOES_ON = "; what is done stays there, and the same command goes on from it"
_FOLDER = "arrays"
_LEAST_BYTES = 1 << 20
"""From how many bytes on an array lies in a file: each takes a few pages of memory of its own."""


@dataclass(frozen=True)
class _Room:
    """A folder for the files."""

    folder: Path
    are_named: bool
    made: set[Path] | None = None
    """What this process has made there for another, which sees to it from then on; None of what it sees to itself."""
    is_for_others: bool = True
    """Whether other machines read what lies there: on this one what is written is seen at once."""


_rooms: list[_Room] = []
_names: weakref.WeakKeyDictionary[mmap.mmap, Path] = weakref.WeakKeyDictionary()


@contextmanager
def large_arrays_in(work: Path | None, *, are_shared: bool = False) -> Iterator[None]:
    """Lay large arrays into files of a working folder meanwhile; in memory, if it is None.

    Parameters
    ----------
    are_shared : bool
        Whether processes that were not forked from this one read them, too.

    Raises
    ------
    FolderError
        If the folder cannot be written.
    """
    if work is None:
        yield
        return
    # Resolved: another process may stand in another folder.
    room = _Room(work.resolve() / _FOLDER, are_named=are_shared, is_for_others=are_shared)
    shutil.rmtree(room.folder, ignore_errors=True)  # what an audit left that was killed
    try:
        room.folder.mkdir(parents=True)
    except OSError as error:
        raise FolderError(f"{work}: cannot be written: {error.strerror or error}") from error
    _rooms.append(room)
    try:
        yield
    finally:
        _rooms.remove(room)
        shutil.rmtree(room.folder, ignore_errors=True)


def room_of_arrays() -> Path | None:
    """The folder that large arrays lie in at the moment."""
    return _rooms[-1].folder if _rooms else None


@contextmanager
def made_for_another(folder: Path) -> Iterator[set[Path]]:
    """Lay large arrays into a folder of another process meanwhile.

    Yields
    ------
    set of Path
        The files, to be taken out of it as they are handed over; the others go at the end.
    """
    room = _Room(folder, are_named=True, made=set(), is_for_others=not _rooms or _rooms[-1].is_for_others)
    assert room.made is not None
    _rooms.append(room)
    try:
        yield room.made
    finally:
        _rooms.remove(room)
        for path in room.made:
            path.unlink(missing_ok=True)


def lies_in_file(n_bytes: int) -> bool:
    """Whether an array of so many bytes lies in a file."""
    return bool(_rooms) and n_bytes >= _LEAST_BYTES


class ArrayFile:
    """A file for an array, in the folder at hand.

    Raises
    ------
    FolderError
        If the disk does not take it; so do the methods.
    """

    def __init__(self) -> None:
        self._room = _rooms[-1]
        self._path = self._room.folder / uuid.uuid4().hex if self._room.are_named else None
        self._n_bytes = 0
        with self._told():
            # Without a buffer: what is left in one would be tried again when nobody can be told any more.
            self._file: Any = (
                self._path.open("x+b", buffering=0)
                if self._path is not None
                else tempfile.TemporaryFile(dir=self._room.folder, buffering=0)  # noqa: SIM115 open while it grows
            )
        if self._path is not None and self._room.made is not None:
            self._room.made.add(self._path)

    def reserve(self, n_bytes: int) -> None:
        """Take room for so many bytes: a disk that is full when a mapped array is written to would end the process."""
        self._n_bytes = n_bytes
        with self._told():
            if hasattr(os, "posix_fallocate"):
                os.posix_fallocate(self._file.fileno(), 0, n_bytes)
            else:
                self._file.truncate(n_bytes)

    def write(self, piece: NDArray[Any]) -> None:
        """Write what comes next."""
        self._n_bytes += piece.nbytes
        with self._told():
            left = piece.view(np.uint8).data
            while len(left):
                left = left[self._file.write(left) :]

    def array(self, dtype: DTypeLike, *, is_filled: bool) -> NDArray[Any]:
        """The array, which is the last that is asked of the file; one that is filled is only read from now on."""
        with self._told():
            access = mmap.ACCESS_READ if is_filled else mmap.ACCESS_WRITE
            mapping = mmap.mmap(self._file.fileno(), 0, access=access)
            self._file.close()
        if self._path is not None:
            _name(mapping, self._path, is_own=self._room.made is None)
        return np.frombuffer(mapping, dtype)

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except OSError as error:
            if hasattr(self, "_file"):
                self._file.close()
            if self._path is not None:
                self._path.unlink(missing_ok=True)
            reason = f"has no room for {self._n_bytes / 1e9:.1f} GB more: {error.strerror or error}"
            raise FolderError(f"{self._room.folder.parent}: {reason}{GOES_ON}") from error


def _name(mapping: mmap.mmap, path: Path, *, is_own: bool) -> None:
    _names[mapping] = path
    if is_own:
        weakref.finalize(mapping, _remove, path, os.getpid())


def _remove(path: Path, process: int) -> None:
    """Remove a file that nobody needs any more; a process that was forked meanwhile leaves it."""
    if os.getpid() == process:
        path.unlink(missing_ok=True)


class ArrayPlace(NamedTuple):
    """Where an array lies."""

    path: str
    first: int
    """Bytes before it."""
    dtype: str
    shape: tuple[int, ...]


def base_of(array: NDArray[Any]) -> mmap.mmap | None:
    """What an array lies in, if that is a file."""
    base: Any = array
    while isinstance(base, (np.ndarray, memoryview)):
        base = base.base if isinstance(base, np.ndarray) else base.obj
    return base if isinstance(base, mmap.mmap) else None


def place_of(array: NDArray[Any]) -> ArrayPlace | None:
    """Where another process finds an array; None of one that it does not find."""
    base = base_of(array)
    path = _names.get(base) if base is not None else None
    if base is None or path is None or not array.flags.c_contiguous or not array.size:
        return None
    whole = np.frombuffer(base, np.uint8)
    if whole.flags.writeable and (not _rooms or _rooms[-1].is_for_others):
        base.flush()  # another machine sees what stands in the file
    first = array.__array_interface__["data"][0] - whole.__array_interface__["data"][0]
    return ArrayPlace(str(path), first, array.dtype.str, array.shape)


@dataclass
class FoundArrays:
    """Arrays that other processes have laid down.

    Parameters
    ----------
    are_own : bool
        Whether their files are seen to by this process from now on.
    """

    are_own: bool
    _mapped: dict[str, NDArray[np.uint8]] = field(default_factory=dict)

    def at(self, place: ArrayPlace) -> NDArray[Any]:
        """The array at a place.

        Raises
        ------
        OSError
            If there is none.
        """
        whole = self._mapped.get(place.path)
        if whole is None:
            whole = self._mapped[place.path] = self._opened(Path(place.path))
        n_bytes = int(np.prod(place.shape)) * np.dtype(place.dtype).itemsize
        return whole[place.first : place.first + n_bytes].view(place.dtype).reshape(place.shape)

    def _opened(self, path: Path) -> NDArray[np.uint8]:
        with path.open("rb") as file:
            mapping = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
        if not self.are_own or _rooms[-1].are_named:
            _name(mapping, path, is_own=self.are_own and path not in _names.values())
        else:
            path.unlink()  # processes that are forked find it without a name
        return np.frombuffer(mapping, np.uint8)
