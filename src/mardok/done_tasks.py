"""What came of tasks, in a working folder: what was broken off does not do them again.

In:  a task as a function and what it is given; what came of it.
Out: the same again, for a task that does the same with the same.

A task is known by a digest of the program, of its function and of all that it is given, arrays by what stands in them. What
came of it is one file, beside it the files of its arrays, under another name than those by which they are used. These stand
until what they are parts of is kept as a whole. Of each file a digest is told, so that one that is damaged is made again.
"""

from __future__ import annotations

import io
import json
import logging
import os
import pickle
import shutil
import uuid
import weakref
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import xxhash
from numpy.typing import NDArray

from mardok.errors import FolderError
from mardok.handing import loaded_from_disk
from mardok.mapped import GOES_ON, base_of

log = logging.getLogger(__name__)
_TOLD_BYTES = 1 << 12
"""From how many bytes on an array is told by its digest."""
_LONGEST_REASON = 200
BESIDE = ".new-"
"""Stands in the names of files that are not whole yet."""
_keeping: list[DoneTasks] = []
_digests: weakref.WeakKeyDictionary[Any, dict[tuple[int, int], str]] = weakref.WeakKeyDictionary()
"""Digests of arrays that are only read, by the mapping that they lie in, where they begin there and their bytes."""


@dataclass(frozen=True)
class DoneTasks:
    """The tasks of one part of an audit.

    Parameters
    ----------
    folder : Path
        Where what came of them stands.
    program : str
        A digest of the program.
    """

    folder: Path
    program: str

    def keys(self, work: Callable[[Any], Any], pieces: Sequence[Any]) -> list[str]:
        """A name for what comes of each piece of work."""
        of_work = f"{self.program} {_digest_of(work)}"
        return [xxhash.xxh3_128_hexdigest(f"{of_work} {_digest_of(piece)}".encode()) for piece in pieces]

    def stands(self, key: str) -> bool:
        """Whether what came of a task stands whole; what is damaged is told, and then is no more."""
        place = self.folder / key
        if not place.is_file():
            return False
        try:
            told, raw = _read(place)
            for number, digest in enumerate([told["digest"], *told["files"].values()]):
                if (digest_of_file(_file(place, number)) if number else xxhash.xxh3_128_hexdigest(raw)) != digest:
                    raise ValueError(f"{_file(place, number).name} is not what was written")
        except Exception as error:  # noqa: BLE001 whatever is damaged, and in whatever way, is made again
            self._tell_damage(place, error)
            return False
        return True

    def taken(self, key: str, room: Path) -> Any | None:
        """What came of a task that stands, its arrays in another folder; None where it cannot be read."""
        place = self.folder / key
        try:
            told, raw = _read(place)
            moved = {path: str(room / uuid.uuid4().hex) for path in told["files"]}
            for number, path in enumerate(moved.values(), start=1):
                put_beside(_file(place, number), Path(path))
            return loaded_from_disk(raw, moved)
        except Exception as error:  # noqa: BLE001 see above
            self._tell_damage(place, error)
            return None

    def keep(self, key: str, raw: bytes, files: Mapping[Path, None]) -> None:
        """Keep what came of a task.

        Parameters
        ----------
        raw : bytes
            It.
        files : mapping of Path
            The files that are told of in it, as keys.

        Raises
        ------
        FolderError
            If the disk does not take it.
        """
        place = self.folder / key
        told = {
            "digest": xxhash.xxh3_128_hexdigest(raw),
            "files": {str(path): digest_of_file(path) for path in files},
        }
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            for number, path in enumerate(files, start=1):
                put_beside(path, _file(place, number))
            with put_there(place) as beside:
                beside.write_bytes(json.dumps(told).encode() + b"\n" + raw)
        except OSError as error:
            reason = error.strerror or error
            raise FolderError(f"{self.folder.parents[1]}: cannot be written: {reason}{GOES_ON}") from error

    def _tell_damage(self, place: Path, error: Exception) -> None:
        reason = " ".join(str(error).split())[:_LONGEST_REASON]
        log.warning("%s: a task is done again: %s", self.folder, reason)
        place.unlink(missing_ok=True)


def _read(place: Path) -> tuple[dict[str, Any], bytes]:
    line, _, raw = place.read_bytes().partition(b"\n")
    return json.loads(line), raw


def _file(place: Path, number: int) -> Path:
    return place.with_name(f"{place.name}.{number}") if number else place


def done_tasks() -> DoneTasks | None:
    """The part of an audit that is being made, where what comes of its tasks is kept."""
    return _keeping[-1] if _keeping else None


@contextmanager
def tasks_kept_in(folder: Path, program: str, *, are_kept_on: bool) -> Iterator[None]:
    """Keep what comes of tasks in a folder until this has come to its end; if it does not, it stays.

    Parameters
    ----------
    program : str
        A digest of the program.
    are_kept_on : bool
        Whether it stays even then.
    """
    _keeping.append(DoneTasks(folder, program))
    try:
        yield
    finally:
        _keeping.pop()
    if not are_kept_on:
        shutil.rmtree(folder, ignore_errors=True)


@contextmanager
def put_there(place: Path) -> Iterator[Path]:
    """A file beside its place that is put there when it is written."""
    beside = place.with_name(f"{place.name}{BESIDE}{uuid.uuid4().hex}")
    try:
        yield beside
        beside.replace(place)
    finally:
        beside.unlink(missing_ok=True)


def put_beside(path: Path, place: Path) -> None:
    """Give a file a second name, or what is as good where the storage knows no such thing: a copy."""
    with put_there(place) as beside:
        try:
            os.link(path, beside)
        except OSError:
            shutil.copyfile(path, beside)


def digest_of_file(path: Path) -> str:
    """A digest of what stands in a file."""
    hasher = xxhash.xxh3_128()
    with path.open("rb") as file:
        while piece := file.read(1 << 20):
            hasher.update(piece)
    return hasher.hexdigest()


def _digest_of(thing: Any) -> str:
    """A digest of something that can be pickled, the same in each process."""
    file = io.BytesIO()
    pickler = _OfContent(file, pickle.HIGHEST_PROTOCOL)
    pickler.fast = True  # what is the same object twice is told as what is equal
    pickler.dump(thing)
    return xxhash.xxh3_128_hexdigest(file.getbuffer())


class _OfContent(pickle.Pickler):
    def persistent_id(self, thing: Any) -> Any:
        if isinstance(thing, np.ndarray) and not thing.dtype.hasobject:
            # As it is pickled it would tell who may write to it.
            told = thing.tobytes() if thing.nbytes < _TOLD_BYTES else _digest_of_array(thing)
            return thing.dtype.str, thing.shape, told
        if type(thing) in (set, frozenset):  # each process has its members in another order
            return type(thing).__name__, sorted(map(_digest_of, thing))
        return None


def _digest_of_array(array: NDArray[Any]) -> str:
    base = base_of(array)
    if base is None or array.flags.writeable or not array.flags.c_contiguous:
        return xxhash.xxh3_128_hexdigest(np.ascontiguousarray(array).reshape(-1).view(np.uint8).data)
    known = _digests.setdefault(base, {})
    place = array.__array_interface__["data"][0], array.nbytes
    if place not in known:
        known[place] = xxhash.xxh3_128_hexdigest(array.reshape(-1).view(np.uint8).data)
    return known[place]
