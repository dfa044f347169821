"""Things as bytes, for another process of this program or for a later one.

In:  anything that can be pickled, arrays that lie in files among it.
Out: bytes, in which such an array is told by where it lies; what they were made of.
"""

from __future__ import annotations

import io
import pickle
from collections.abc import Mapping, Sequence
from dataclasses import is_dataclass
from enum import Enum
from pathlib import Path
from types import MappingProxyType
from typing import Any

import numpy as np

from mardok.mapped import ArrayPlace, FoundArrays, place_of

_HANDED_BYTES = 1 << 16
"""From how many bytes on an array is told by its place."""
_PLAIN = {"complex", "frozenset", "range", "set", "slice"}
_OF_ARRAYS = {"_reconstruct", "_frombuffer", "scalar"}
"""Functions by which numpy says how its things are made again."""


def dumped(thing: Any) -> tuple[bytes, dict[Path, None]]:
    """Something as bytes, and the files that are told of in these, in their order."""
    file = io.BytesIO()
    pickler = _Pickler(file, pickle.HIGHEST_PROTOCOL)
    pickler.told = {}
    pickler.dump(thing)
    return file.getvalue(), pickler.told


def loaded(raw: bytes, *, are_own: bool) -> Any:
    """What was dumped by another process that runs now.

    Parameters
    ----------
    are_own : bool
        Whether the files of its arrays are seen to by this process from now on.
    """
    return _load(_Unpickler(io.BytesIO(raw)), are_own=are_own, moved={})


def loaded_from_disk(raw: bytes, moved: Mapping[str, str]) -> Any:
    """What was dumped by an earlier process; the files of its arrays are seen to by this one from now on.

    Parameters
    ----------
    moved : mapping of str to str
        Where files lie that lay elsewhere.

    Raises
    ------
    pickle.UnpicklingError
        If it asks for anything but what holds data: what stands on a disk may have been written by anybody.
    """
    return _load(_OfData(io.BytesIO(raw)), are_own=True, moved=moved)


def _load(unpickler: _Unpickler, *, are_own: bool, moved: Mapping[str, str]) -> Any:
    unpickler.found, unpickler.moved = FoundArrays(are_own), moved
    return unpickler.load()


class _Pickler(pickle.Pickler):
    told: dict[Path, None]

    def persistent_id(self, thing: Any) -> ArrayPlace | None:
        if not isinstance(thing, np.ndarray) or thing.nbytes < _HANDED_BYTES:
            return None
        place = place_of(thing)
        if place is not None:
            self.told[Path(place.path)] = None
        return place


class _Unpickler(pickle.Unpickler):
    found: FoundArrays
    moved: Mapping[str, str] = MappingProxyType({})

    def persistent_load(self, place: ArrayPlace) -> Any:
        return self.found.at(place._replace(path=self.moved.get(place.path, place.path)))


class _OfData(_Unpickler):
    """Loads what holds data, and arrays from files that were told beside it; nothing else."""

    def find_class(self, module: str, name: str) -> Any:
        package = module.partition(".")[0]
        if (package in ("mardok", "numpy") and "." not in name) or (module == "builtins" and name in _PLAIN):
            result = super().find_class(module, name)
            if package == "builtins" or _holds_data(result) or (package == "numpy" and name in _OF_ARRAYS):
                return result
        raise pickle.UnpicklingError(f"{module}.{name} is not asked for here")

    def persistent_load(self, place: ArrayPlace) -> Any:
        if place.path not in self.moved:
            raise pickle.UnpicklingError(f"{place.path} is not asked for here")
        return super().persistent_load(place)


def _holds_data(thing: Any) -> bool:
    kinds = (tuple, Sequence, Enum, np.ndarray, np.generic, np.dtype)
    return isinstance(thing, type) and (is_dataclass(thing) or issubclass(thing, kinds))
