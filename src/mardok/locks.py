"""One run at a time on what is written.

In:  a file or folder that is going to be written.
Out: the sole right to it, for as long as it is held; the system takes it back from a process that ends.
"""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

_held: set[Path] = set()


class BusyError(Exception):
    """Another run holds it."""


@contextmanager
def sole_right(path: Path) -> Iterator[None]:
    """Hold a file or folder; whoever holds it already, in this process, goes on holding it.

    Raises
    ------
    BusyError
        If another process holds it.
    """
    lock = lock_file(path)
    if lock in _held:
        yield
        return
    from filelock import FileLock, Timeout  # only who writes needs it

    try:
        with FileLock(lock, timeout=0):
            _held.add(lock)
            try:
                yield
            finally:
                _held.discard(lock)
    except Timeout as error:
        raise BusyError from error


def lock_file(path: Path) -> Path:
    """A file that only one process at a time may hold; apart from what it stands for, beside which it would be litter."""
    name = hashlib.sha256(str(path.resolve()).encode("utf-8", "surrogatepass")).hexdigest()
    user = os.getuid() if hasattr(os, "getuid") else 0
    return Path(tempfile.gettempdir()) / f"mardok-{user}-{name[:16]}.lock"
