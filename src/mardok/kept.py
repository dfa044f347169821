"""What an audit keeps beside its answers, so that a later one need not make it again.

In:  audit folders; a part by its name, what it depends on, and what makes it.
Out: the part, from the folder if it was made of the same things there, else made anew.

A part is a few tables of columns, each a Parquet file, and a JSON file beside them: it says what the part depends on
(settings, other inputs, version of the program) and of each file its rows and its digest. A part is used only where all of
that is the same. It is written beside its place, the JSON file last: what is broken off leaves no part.

Parts lie in the audit folder, or in a working folder, where they stand as soon as they are made, and before that what came
of the tasks that they are made of (:mod:`mardok.done_tasks`): what was broken off goes on from there.
"""

from __future__ import annotations

import io
import json
import logging
import os
import re
import shutil
import sys
import tempfile
import weakref
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from functools import cache, partial
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeAlias, TypeVar

import numpy as np
import xxhash
from numpy.typing import NDArray

from mardok.done_tasks import BESIDE, digest_of_file, put_beside, put_there, tasks_kept_in
from mardok.errors import FolderError
from mardok.folder import files_of, goes_if_interrupted, write_table
from mardok.large import Growing, GrowingTexts, Texts
from mardok.locks import BusyError, sole_right
from mardok.mapped import GOES_ON, room_of_arrays
from mardok.memory import give_back_memory
from mardok.meta import FORMAT
from mardok.processes import is_running
from mardok.sharing import begun
from mardok.store import FileStore

if TYPE_CHECKING:
    import pandas as pd
    import pyarrow as pa

    from mardok.tables import Table

log = logging.getLogger(__name__)
KEPT_FOLDER = "kept"
_TOLD = ".json"
_ROOM = "mardok-kept-"
_MARK, _PARTS, _TASKS, _TABLES = "mardok-work.json", "parts", "tasks", "tables"
_NAME = re.compile(r"\w+", re.ASCII)
_worked_in: list[Path] = []
"""Working folders that this process holds."""
_LONGEST_REASON, _ROWS_AT_ONCE = 200, 1 << 16
_KINDS_OF_NUMBERS = "biuf"
"""Kinds of numpy's types."""
_MANY_ROWS = 1 << 18
"""Rows of a table from which on to write it takes longer than to begin another process."""
_LIBRARIES = ("fastwarc", "py3langid", "pyarrow", "selectolax", "w3lib")
"""What else decides what is read of a page."""

Columns: TypeAlias = Mapping[str, NDArray[Any] | Sequence[str]]
"""A table: numbers as arrays, texts as sequences."""
Tables: TypeAlias = Mapping[str, Columns]
_Value = TypeVar("_Value")


class KeptParts:
    """Parts of earlier audits, and of the one at hand.

    Parameters
    ----------
    folders : sequence of path
        Audit folders whose parts are looked at, the first one that has a part counts.
    work : Path, optional
        A working folder of :func:`working_folder`: parts are looked for there first, and kept there and nowhere else.
    """

    def __init__(self, folders: Sequence[Path] = (), work: Path | None = None) -> None:
        self._audits = tuple(folders)
        self._earlier = [_Earlier(folder / KEPT_FOLDER) for folder in folders]
        self._made: dict[str, dict[str, Any]] = {}
        """What is told of each part of the audit at hand."""
        self._files: dict[str, Path] = {}
        """Where the files of these parts lie."""
        self._keys: dict[str, str] = {}
        self._writing: dict[str, _Writing] = {}
        """Parts that another process is writing."""
        self._stays = work is not None
        # Made here, and not by a process that is forked: its folder would go when that has ended.
        own = _new_room(work or Path(tempfile.gettempdir()))
        self.filed = FiledTables(own)
        """The large tables of the audit at hand."""
        self._room = work / _PARTS if work is not None else own
        if work is not None:
            self._earlier.insert(0, _Earlier(work / _PARTS))

    @classmethod
    def carried(cls, folder: Path) -> KeptParts:
        """The parts of an audit folder, for an audit that is made of it."""
        result = cls([folder])
        for name, stated in result._earlier[0].told.items():
            result._take(result._earlier[0], name, stated)
        return result

    def part(
        self,
        name: str,
        depends: Mapping[str, Any],
        make: Callable[[], _Value],
        tables_of: Callable[[_Value], Tables],
        value_of: Callable[[Tables], _Value],
    ) -> _Value:
        """A part, from where it is kept or made anew.

        Parameters
        ----------
        name : str
            What it and its files are called.
        depends : mapping of str to JSON
            All that it depends on beside the program: settings by name, digests of what it is made of.
        make : callable
            Makes it.
        tables_of, value_of : callable
            Its tables, and the part they are of.
        """
        found = self.found(name, depends, value_of)
        if found is not None:
            return found
        self._give_back()
        with self.tasks_of(name):
            value = make()
            self._give_back()
            self.keep(name, depends, tables_of(value))
        return value

    @contextmanager
    def tasks_of(self, name: str, *, are_kept_on: bool = False) -> Iterator[None]:
        """Keep what comes of the tasks of a part in the working folder, if there is one, until this has come to its end.

        Parameters
        ----------
        are_kept_on : bool
            Whether what comes of them is needed to go on from later parts, too: until the audit has come to its end.
        """
        if not self._stays or self._room is None or room_of_arrays() is None:
            yield
            return
        # Resolved: another process may stand in another folder.
        folder = self._room.parent.resolve() / _TASKS / name
        with tasks_kept_in(folder, program_digest(), are_kept_on=are_kept_on):
            yield

    def _give_back(self) -> None:
        """Give free memory back, where the site is so large that there is a working folder."""
        if self._stays:
            give_back_memory()

    def found(self, name: str, depends: Mapping[str, Any], value_of: Callable[[Tables], _Value | None]) -> _Value | None:
        """A part, if it is kept; see :meth:`part`. `value_of` gives None where it lacks something that is kept elsewhere."""
        key = self._keys[name] = _key(depends)
        # What was made beside for somebody who asks for it now lies here.
        here = [_Earlier(self._room)] if name in self._made and self._room is not None and not self._stays else []
        for earlier in [*here, *self._earlier]:
            if not earlier.has(name, key):
                continue
            try:
                result = value_of(earlier.tables(name))
            except Exception as error:  # noqa: BLE001 whatever is damaged, and in whatever way, is made again
                reason = " ".join(str(error).split())[:_LONGEST_REASON]
                log.warning("%s: %s is made again: %s", earlier.folder, name, reason)
                continue
            if result is not None:
                self._take(earlier, name, earlier.told[name])
                return result
        return None

    def has(self, name: str, depends: Mapping[str, Any]) -> bool:
        """Whether a part is kept; whether it is damaged shows only when it is read."""
        return any(earlier.has(name, _key(depends)) for earlier in self._earlier)

    def keep(self, name: str, depends: Mapping[str, Any], tables: Tables) -> None:
        """Keep a part that was made."""
        self._keys[name] = _key(depends)
        if self._room is None:
            return
        write = partial(_written, self._room, name, depends, tables)
        is_large = any(len(values) >= _MANY_ROWS for columns in tables.values() for values in columns.values())
        # What stays in a working folder stands there before anything follows.
        writing = begun(write) if is_large and not self._stays else None
        if writing is not None:
            self._writing[name] = _Writing(os.getpid(), writing)
        else:
            self._note_written(name, write())

    def settle(self) -> None:
        """Note what was written beside; other processes may then have it, and audit folders."""
        for name, one in list(self._writing.items()):
            if one.process == os.getpid():  # else whoever forked this process notes it
                del self._writing[name]
                self._note_written(name, one.written())

    def _note_written(self, name: str, stated: dict[str, Any] | OSError) -> None:
        if not isinstance(stated, OSError):
            self.note(name, stated)
            return
        reason = stated.strerror or str(stated)
        if self._stays and self._room is not None:
            raise FolderError(f"{self._room.parent}: cannot be written: {reason}{GOES_ON}") from stated
        # a part that cannot be kept is made again by the next audit
        log.warning("%s is not kept for the next audit: %s", name, reason)

    def note(self, name: str, stated: dict[str, Any]) -> None:
        """Note a part that another process has written into :attr:`room`."""
        assert self._room is not None
        self._made[name] = stated
        self._files |= {file: self._room / file for file in _files_of(name, stated)}
        if self._stays:
            self._earlier[0].told[name] = stated

    @property
    def are_in_working_folder(self) -> bool:
        """Whether they stand in a working folder, as those of large sites do."""
        return self._stays

    @property
    def room(self) -> Path | None:
        """Where parts of the audit at hand are written."""
        return self._room

    def forget(self, names: str, beside: Collection[str]) -> None:
        """Remove parts of a working folder whose names begin so, but for some: an earlier audit was cut into more."""
        if self._room is not None and self._stays:
            for path in self._room.glob(f"{names}*{_TOLD}"):
                if path.stem not in beside:
                    told = _read_told(path)
                    for file in (path, *(self._room / file for file in _files_of(path.stem, told or {"tables": {}}))):
                        file.unlink(missing_ok=True)

    def file(self, table: Table, depends: Mapping[str, Any] | None, make: Callable[[], Iterable[pd.DataFrame]]) -> None:
        """Write a table, or take its files from an earlier audit that made it of the same things.

        Parameters
        ----------
        depends : mapping of str to JSON, or None
            All that it depends on, as :meth:`part` asks for it; None where that is not known.
        make : callable
            Gives its rows, as :func:`mardok.folder.write_table` asks for them.
        """
        if depends is None:
            self.filed.file(table, make)
            return
        name, names = f"table_{table.name}", [name for name in files_of(table) if name]
        standing = [self._room.parent / _TABLES] if self._stays and self._room is not None else []

        def taken(tables: Tables) -> bool | None:
            # They may be those of an audit whose folder is gone.
            digests = list(map(str, tables["files"]["digest"]))
            return any(self.filed.take(names, digests, folder) for folder in (*standing, *self._audits)) or None

        if self.found(name, depends, taken) is None:
            self._give_back()
            with self.tasks_of(name):
                self.filed.file(table, make)
                for folder in standing:
                    self.filed.put_into(folder, names)
                self.keep(name, depends, {"files": {"digest": [self.filed.digest(name) for name in names]}})

    @property
    def made(self) -> MadeParts:
        """All that was made or taken up so far, but for what is still written beside."""
        return MadeParts(dict(self._made), dict(self._files), dict(self.filed.files), dict(self._keys))

    def take(self, made: MadeParts) -> None:
        """Take over what a process forked from this one has made."""
        self._made |= made.told
        self._files |= made.files
        if self._stays:
            self._earlier[0].told |= made.told
        self.filed.files |= made.filed
        self._keys |= made.keys

    def key_of(self, name: str) -> str:
        """The key of a part that was asked for, on which others may depend; ``""`` of none."""
        return self._keys.get(name, "")

    def put_together(self, name: str, parts: Sequence[str]) -> None:
        """Give a name to several parts as one, on which others may depend."""
        self._keys[name] = digest_of([self._keys[part] for part in parts])

    def _take(self, earlier: _Earlier, name: str, stated: dict[str, Any]) -> None:
        files = {file: earlier.folder / file for file in _files_of(name, stated)}
        if self._stays and self._room is not None and earlier.folder != self._room:
            for file, path in files.items():
                shutil.copyfile(path, self._room / file)
            self.note(name, stated)
            return
        self._made[name] = stated
        self._files |= files

    def write(self, folder: Path) -> None:
        """Put the parts of the audit at hand into an audit folder; those of a working folder stay there.

        Raises
        ------
        OSError
            If the disk does not take them.
        """
        if not self._made or self._stays:
            return
        place = folder / KEPT_FOLDER
        place.mkdir()
        for name, stated in self._made.items():
            files = _files_of(name, stated)
            if not all(self._files[file].is_file() for file in files):
                continue  # the folder that it was taken from is gone: the next audit makes it again
            for file in files:
                shutil.copyfile(self._files[file], place / file)


@contextmanager
def claimed_working_folder(folder: Path) -> Iterator[Path]:
    """Hold a working folder, made if there is none.

    Raises
    ------
    FolderError
        If something else stands there, another audit works there, or it cannot be written.
    """
    if folder.exists() and not folder.is_dir():
        raise FolderError(f"{folder}: is a file; name a folder to work in")
    try:
        with sole_right(folder):
            try:
                if folder.is_dir() and any(folder.iterdir()) and not (folder / _MARK).is_file():
                    raise FolderError(
                        f"{folder}: is not empty and no working folder; name another folder, or empty this one"
                    )
                (folder / _PARTS).mkdir(parents=True, exist_ok=True)
                (folder / _MARK).write_text(json.dumps({"format": FORMAT}) + "\n", "utf-8")
                for left in (folder / _PARTS).glob(f"*{BESIDE}*"):
                    left.unlink(missing_ok=True)
            except OSError as error:
                raise FolderError(f"{folder}: cannot be written: {error.strerror or error}") from error
            _worked_in.append(folder)
            try:
                yield folder
            finally:
                _worked_in.remove(folder)
            shutil.rmtree(folder / _TASKS, ignore_errors=True)  # of parts that are not asked for any more
    except BusyError as error:
        raise FolderError(f"{folder}: another audit works there; wait for it, or name another folder") from error


def told_to_whoever_interrupts() -> str:
    """Where what was interrupted goes on from; ``""`` where there is no working folder."""
    return "".join(f"; what is done stands in {folder}: the same command goes on from there" for folder in _worked_in)


class _Writing(NamedTuple):
    """A part that is written beside what follows."""

    process: int
    """Number of the process that has begun it."""
    written: Callable[[], dict[str, Any] | OSError]
    """Gives what is told of it, or why it cannot be kept."""


def _written(room: Path, name: str, depends: Mapping[str, Any], tables: Tables) -> dict[str, Any] | OSError:
    try:
        return write_part(room, name, depends, tables)
    except OSError as error:
        return error


def write_part(room: Path, name: str, depends: Mapping[str, Any], tables: Tables) -> dict[str, Any]:
    """Write a part; gives what is told of it.

    Raises
    ------
    OSError
        If the disk does not take it.
    """
    told = room / f"{name}{_TOLD}"
    told.unlink(missing_ok=True)
    stated: dict[str, dict[str, Any]] = {}
    for table, columns in tables.items():
        with put_there(room / _file_name(name, table)) as beside:
            n_rows = _write(beside, columns)
            stated[table] = {"rows": n_rows, "digest": digest_of_file(beside)}
    result = {"key": _key(depends), "depends": {**depends, "program": program_digest()}, "tables": stated}
    with put_there(told) as beside:
        beside.write_text(json.dumps(result, indent=1, sort_keys=True) + "\n", "utf-8", newline="\n")
    return result


class MadeParts(NamedTuple):
    """What one process has made of an audit, for another."""

    told: Mapping[str, dict[str, Any]]
    """What is told of each part."""
    files: Mapping[str, Path]
    """Where the files of these lie."""
    filed: Mapping[str, Path | bytes]
    """The files of tables, as :attr:`FiledTables.files` has them."""
    keys: Mapping[str, str]
    """The keys of the parts that were asked for."""


def _key(depends: Mapping[str, Any]) -> str:
    return digest_of({**depends, "program": program_digest()})


class _Earlier:
    """The parts in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        found = {path.stem: _read_told(path) for path in sorted(folder.glob(f"*{_TOLD}"))}
        self.told: dict[str, dict[str, Any]] = {name: told for name, told in found.items() if told is not None}

    def has(self, name: str, key: str) -> bool:
        """Whether there is a part of this key."""
        return self.told.get(name, {}).get("key") == key

    def tables(self, name: str) -> Tables:
        """The tables of a part.

        Raises
        ------
        ValueError
            If a file is not what was written; whatever a file that is none raises.
        """
        result = {}
        for table, told in self.told[name]["tables"].items():
            file = self.folder / _file_name(name, table)
            if digest_of_file(file) != told["digest"]:
                raise ValueError(f"{file.name} is not what was written")
            result[table] = _read(file)
        return result


def _files_of(name: str, stated: Mapping[str, Any]) -> list[str]:
    """Names of the files of a part."""
    return [*(_file_name(name, table) for table in stated["tables"]), f"{name}{_TOLD}"]


class FiledTables:
    """Tables of an audit that are written as soon as they are made, since they are large.

    Parameters
    ----------
    room : Path or None
        A folder for them, which goes when nobody needs them any more; what has no place there is held in memory, as it
        would stand in the file.
    """

    def __init__(self, room: Path | None) -> None:
        self._room = room
        if room is not None:
            weakref.finalize(self, _remove, room, os.getpid())
        self.files: dict[str, Path | bytes] = {}
        """The files by their names in an audit folder: where each lies, or what stands in it."""

    def file(self, table: Table, make: Callable[[], Iterable[pd.DataFrame]]) -> None:
        """Write a table.

        Parameters
        ----------
        make : callable
            Gives its rows, as :func:`mardok.folder.write_table` asks for them.
        """
        names = [name for name in files_of(table) if name]
        if self._room is not None:
            places = [self._room / Path(name).name for name in names]
            try:
                with ExitStack() as opened:
                    write_table(table, make(), *(opened.enter_context(place.open("wb")) for place in places))
                self.files |= dict(zip(names, places, strict=True))
                return
            except OSError as error:
                for place in places:
                    place.unlink(missing_ok=True)
                log.warning("%s: has no room for %s: %s", self._room, table.name, error.strerror or error)
        held = [io.BytesIO() for _ in names]
        write_table(table, make(), *held)
        self.files |= {name: its.getvalue() for name, its in zip(names, held, strict=True)}

    def take(self, names: Sequence[str], digests: Sequence[str], folder: Path) -> bool:
        """Take files from a folder; whether it has all of them.

        Parameters
        ----------
        names, digests : sequence of str
            The files by their names in an audit folder, and what was written.
        """
        if self._room is None:
            return False
        try:
            taken = {name: Path(shutil.copyfile(folder / name, self._room / Path(name).name)) for name in names}
        except OSError:  # it has no such file, or there is no room for it: it is made, and what is wrong is told then
            return False
        is_whole = list(map(digest_of_file, taken.values())) == list(digests)
        self.files |= taken if is_whole else {}
        return is_whole

    def put_into(self, folder: Path, names: Sequence[str]) -> None:
        """Let files stand in another folder, too, by their names in an audit folder.

        Raises
        ------
        FolderError
            If the disk does not take them.
        """
        for name in names:
            its, place = self.files[name], folder / name
            try:
                place.parent.mkdir(parents=True, exist_ok=True)
                if isinstance(its, Path):
                    put_beside(its, place)
            except OSError as error:
                raise FolderError(f"{folder.parent}: cannot be written: {error.strerror or error}{GOES_ON}") from error

    def digest(self, name: str) -> str:
        """The digest of a file."""
        its = self.files[name]
        return digest_of_file(its) if isinstance(its, Path) else xxhash.xxh3_128_hexdigest(its)

    @property
    def store(self) -> FileStore:
        """What has been written."""
        stored = {Path(name).stem: its for name, its in self.files.items() if name.endswith(".parquet")}
        return FileStore(self._room or Path(), stored, self)


def _new_room(parent: Path) -> Path | None:
    """A folder that goes with this process, None if there is no place; what killed ones left behind goes now."""
    for other in parent.glob(f"{_ROOM}*"):
        process = other.name.removeprefix(_ROOM).partition("-")[0]
        if process.isdecimal() and not is_running(int(process)):
            shutil.rmtree(other, ignore_errors=True)
    try:
        # Resolved: "a:b/x.parquet" would be taken for an address.
        result = Path(tempfile.mkdtemp(prefix=f"{_ROOM}{os.getpid()}-", dir=parent)).resolve()
    except OSError as error:
        log.warning("nothing is kept for the next audit: %s", error.strerror or error)
        return None
    goes_if_interrupted(result)
    return result


def _remove(room: Path, process: int) -> None:
    """Remove what was not put into an audit folder; a process that was forked meanwhile leaves it."""
    if os.getpid() == process:
        shutil.rmtree(room, ignore_errors=True)


def _read_told(path: Path) -> dict[str, Any] | None:
    """What is told of a part; None where that is damaged."""
    try:
        raw: dict[str, Any] = json.loads(path.read_text("utf-8"))
        return raw if all(map(_NAME.fullmatch, raw["tables"].keys())) else None  # they become names of files
    except (OSError, ValueError, RecursionError, KeyError, TypeError, AttributeError):
        return None


def digest_of(*things: Any) -> str:
    """A digest of arrays, texts and whatever JSON can say.

    Examples
    --------
    >>> digest_of({"a": 1, "b": [2]}) == digest_of({"b": [2], "a": 1}), digest_of("a", "b") == digest_of("ab")
    (True, False)
    """
    hasher = xxhash.xxh3_128()
    for thing in things:
        if isinstance(thing, str):
            raw = thing.encode("utf-8", "surrogatepass")
            hasher.update(b'%d"' % len(raw) + raw)
        elif isinstance(thing, Texts):
            hasher.update(f"{len(thing)} texts".encode() + thing.digests(0).tobytes())
        elif isinstance(thing, np.ndarray):
            told = np.ascontiguousarray(thing)
            hasher.update(f"{told.dtype}{told.shape}".encode())
            hasher.update(told.reshape(-1).view(np.uint8).data)
        else:
            text = json.dumps(thing, sort_keys=True, ensure_ascii=True)
            hasher.update(f"{len(text)}:{text}".encode())
    return hasher.hexdigest()


def digest_of_frame(frame: pd.DataFrame) -> str:
    """A digest of a data frame: its columns with their names, dtypes and cells."""
    import pyarrow as pa

    stored = pa.Table.from_pandas(frame, preserve_index=False, nthreads=1)
    told = io.BytesIO()
    with pa.ipc.new_stream(told, stored.schema) as stream:
        stream.write_table(stored)
    return xxhash.xxh3_128_hexdigest(told.getbuffer())


@cache
def program_digest() -> str:
    """A digest of the program and of what decides beside it what is read: another program may make other parts."""
    hasher = xxhash.xxh3_128(f"{FORMAT} {sys.version_info[:3]} {sys.byteorder}".encode())
    for library in _LIBRARIES:
        try:
            hasher.update(f"{library} {version(library)}".encode())
        except PackageNotFoundError:
            hasher.update(library.encode())
    own = Path(__file__).parent
    for path in sorted(own.rglob("*")):
        if path.suffix in (".py", ".toml", ".so", ".pyd"):
            hasher.update(str(path.relative_to(own)).encode("utf-8", "surrogateescape"))
            hasher.update(path.read_bytes())
    return hasher.hexdigest()


def digest_of_sources(paths: Sequence[Path]) -> list[list[Any]]:
    """What tells that files, and folders with all that is in them, are as they were: names, sizes, times of change."""
    result: list[list[Any]] = []
    for path in paths:
        files = sorted(path.rglob("*")) if path.is_dir() else [path]
        told = []
        for file in files:
            name = file.relative_to(path).as_posix()
            try:
                state = file.stat()
                told.append([name, state.st_size, state.st_mtime_ns])
            except OSError as error:  # as a link that leads nowhere
                told.append([name, str(error.errno)])
        result.append([str(path.resolve()), digest_of(told)])
    return result


def _file_name(part: str, table: str) -> str:
    return f"{part}-{table}.parquet"


def _write(path: Path, columns: Columns) -> int:
    """Write a table; its rows. Texts are stored as bytes: a page may hold what is no valid UTF-8."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    arrays = {
        name: _numbers_in_arrow(values)
        if isinstance(values, np.ndarray) and values.dtype.kind in _KINDS_OF_NUMBERS
        else (values if isinstance(values, Texts) else Texts.of(values)).as_bytes()
        for name, values in columns.items()
    }
    table = pa.table(arrays)
    # Hashes of words recur, and are nothing that a compressor sees through.
    recurring = [name for name, values in columns.items() if getattr(values, "dtype", None) == np.uint64]
    pq.write_table(
        table,
        path.resolve(),
        compression="zstd",
        compression_level=1,
        use_dictionary=recurring or False,
        write_statistics=False,
    )
    return int(table.num_rows)


def _numbers_in_arrow(values: NDArray[Any]) -> pa.Array:
    """Numbers as Arrow has them; its own way from numpy loads pandas first, which who makes parts needs for nothing else."""
    import pyarrow as pa

    # Arrow has a bit for what is true.
    stored = np.packbits(values, bitorder="little") if values.dtype == np.bool_ else np.ascontiguousarray(values)
    return pa.Array.from_buffers(pa.from_numpy_dtype(values.dtype), len(values), [None, pa.py_buffer(stored)])


def _read(path: Path) -> Columns:
    import pyarrow as pa
    import pyarrow.parquet as pq

    with pq.ParquetFile(path.resolve()) as file:
        schema = file.schema_arrow
        columns: dict[str, Growing | GrowingTexts] = {
            field.name: GrowingTexts() if pa.types.is_large_binary(field.type) else Growing(field.type.to_pandas_dtype())
            for field in schema
        }
        for part in file.iter_batches(_ROWS_AT_ONCE, use_threads=False):
            for name, column in zip(schema.names, part.columns, strict=True):
                growing = columns[name]
                if isinstance(growing, GrowingTexts):
                    growing.add(Texts.stored(column))
                else:
                    growing.add(column.to_numpy(zero_copy_only=False))
    return {name: growing.finished() for name, growing in columns.items()}
