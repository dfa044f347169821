"""Memory that is free but still held.

The GNU C library keeps what was freed in small pieces; after a stage that makes and drops millions of strings this is
as much as what is still in use.
"""

from __future__ import annotations

import ctypes
import gc
import sys
from collections.abc import Iterator
from contextlib import contextmanager

_NEW_OBJECTS, _SEARCHES = 400_000, 10
"""New objects before the youngest are searched, and searches of a generation before the next older one is."""


def search_rarely_for_cycles() -> None:
    """Look for garbage in cycles less often from now on."""
    gc.set_threshold(_NEW_OBJECTS, _SEARCHES, _SEARCHES)


@contextmanager
def rare_search_for_cycles() -> Iterator[None]:
    """Look for garbage in cycles less often meanwhile: an audit makes millions of records that stay, and hardly a cycle."""
    before = gc.get_threshold()
    search_rarely_for_cycles()
    try:
        yield
    finally:
        gc.set_threshold(*before)


@contextmanager
def no_search_for_cycles() -> Iterator[None]:
    """Do not look for garbage in cycles meanwhile.

    Where hundreds of thousands of records are made that stay and are in no cycle, looking takes a tenth of the time.
    """
    was_enabled = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_enabled:
            gc.enable()


@contextmanager
def arrow_beside_python() -> Iterator[None]:
    """Let Arrow take memory from the C library meanwhile: what its own allocator has free cannot be given back."""
    import pyarrow as pa

    before = pa.default_memory_pool()
    pa.set_memory_pool(pa.system_memory_pool())
    try:
        yield
    finally:
        pa.set_memory_pool(before)


def give_back_memory() -> None:
    """Give free memory back to the system, where there is a way to."""
    if "pyarrow" in sys.modules:
        sys.modules["pyarrow"].default_memory_pool().release_unused()
    if sys.platform == "linux":
        trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
        if trim is not None:
            trim(0)
