"""The audit folder: read, write, replace atomically.

In:  the typed tables of an audit, its ``audit.json``, and further files as text.
Out: a folder that is complete or absent; an earlier one survives any failure.

CSV files are UTF-8 with LF, in the row order and decimals that :mod:`mardok.tables` declares, so that the same input
gives the same bytes; :mod:`mardok.cells` makes their cells safe. Parquet is as is.
"""

from __future__ import annotations

import ctypes
import glob
import logging
import os
import shutil
import sys
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO

import numpy as np

from mardok.cells import csv_rows
from mardok.errors import FolderError
from mardok.locks import BusyError, sole_right
from mardok.memory import give_back_memory, rare_search_for_cycles
from mardok.meta import META_FILE, is_audit_folder
from mardok.tables import PAGES, SMALL_GAIN_DECIMALS, TABLES, Column, Table
from mardok.vocabulary import GainUnit

if TYPE_CHECKING:
    import pandas as pd
    import pyarrow as pa

log = logging.getLogger(__name__)
_SET_ASIDE = "-old"
_HERE, _EXCHANGE = -100, 2
"""``AT_FDCWD`` and ``RENAME_EXCHANGE`` (``linux/fs.h``)."""
_unfinished: set[Path] = set()
_PAGES_AT_ONCE, _ROWS_AT_ONCE = 1 << 10, 1 << 16
_ANSWERED_DECIMALS = 6
_LOOKED_AT = 1 << 10
"""Values of a column that tell whether they recur."""


def check_replaceable(folder: Path) -> None:
    """Raise FolderError if `folder` exists and is neither empty nor an audit folder: it may be somebody's work."""
    if folder.exists() and not folder.is_dir():
        raise FolderError(f"{folder}: is a file; name a folder for the audit")
    if folder.is_dir() and any(folder.iterdir()) and not is_audit_folder(folder):
        raise FolderError(f"{folder}: is not empty and not an audit folder; name another folder, or empty this one")


def write_folder(
    folder: Path,
    tables: Mapping[str, pd.DataFrame],
    meta: str,
    texts: Mapping[str, Callable[[], str]],
    keep: Callable[[Path], None] | None = None,
    filed: Mapping[str, Path | bytes] | None = None,
) -> None:
    """Write an audit folder beside its place, then put it there.

    Parameters
    ----------
    folder : Path
        The place. An audit folder that stands there is replaced, anything else is not.
    tables : mapping of str to DataFrame
        Tables by name, as :data:`mardok.tables.TABLES` declares them.
    meta : str
        The contents of ``audit.json``.
    texts : mapping of str to callable
        Further files, name to what gives the contents; asked for when the tables are written.
    keep : callable, optional
        Writes what the next audit need not make again.
    filed : mapping of str to Path or bytes, optional
        Files of tables that :func:`write_table` has written, by their names in the folder: where each lies, or what stands
        in it.

    Raises
    ------
    FolderError
        If the folder is not ours to replace or the disk does not take it.
    """
    check_replaceable(folder)
    with rare_search_for_cycles(), _replacing(folder) as sibling:
        (sibling / "data").mkdir()
        for name, written in (filed or {}).items():
            if isinstance(written, Path):
                shutil.copyfile(written, sibling / name)
            else:
                (sibling / name).write_bytes(written)
        for name in tables:
            stored, listed = files_of(TABLES[name])
            if stored not in (filed or {}):
                with ExitStack() as opened:
                    files = [opened.enter_context((sibling / one).open("wb")) for one in (stored, listed) if one]
                    write_table(TABLES[name], [tables[name]], *files)
                give_back_memory()
        for name, contents in texts.items():
            (sibling / name).write_text(contents(), "utf-8", newline="\n")
        if keep is not None:
            keep(sibling)
        (sibling / META_FILE).write_text(meta, "utf-8", newline="\n")


def write_files(
    folder: Path,
    files: Mapping[str, bytes],
    *,
    marker: str,
    inside: Mapping[str, Callable[[Path], object]] | None = None,
) -> None:
    """Write a folder of files beside its place, then put it there.

    Parameters
    ----------
    files : mapping of str to bytes
        Contents by name; a name may lead into a folder below.
    marker : str
        One of the names: a folder that stands there is replaced only if it is empty or has this file.
    inside : mapping of str to callable, optional
        Folders below, name to what writes one at a path.

    Raises
    ------
    FolderError
        If the folder is not ours to replace or the disk does not take it.
    """
    is_other = folder.is_dir() and any(folder.iterdir()) and not (folder / marker).is_file()
    if is_other or (folder.exists() and not folder.is_dir()):
        raise FolderError(f"{folder}: holds something else (no {marker}); name another folder, or empty this one")
    with _replacing(folder) as sibling:
        for name, contents in files.items():
            (sibling / name).parent.mkdir(parents=True, exist_ok=True)
            (sibling / name).write_bytes(contents)
        for name, write in (inside or {}).items():
            write(sibling / name)


@contextmanager
def claimed(folder: Path) -> Iterator[None]:
    """Hold a folder that is going to be written, with whatever earlier runs left behind put in order.

    Raises
    ------
    FolderError
        If another run is writing it, or nobody can.
    """
    try:
        with sole_right(folder):
            _put_in_order(folder)
            yield
    except BusyError as error:
        raise FolderError(f"{folder}: another run is writing it; wait for it, or name another folder") from error


def goes_if_interrupted(folder: Path) -> None:
    """Note a folder that goes if this process is told to end before it is used."""
    _unfinished.add(folder)


def remove_unfinished() -> None:
    """Remove what this process has begun to write and not put in its place, since it ends now."""
    for sibling in tuple(_unfinished):
        shutil.rmtree(sibling, ignore_errors=True)


@contextmanager
def _replacing(folder: Path) -> Iterator[Path]:
    """A new folder beside the place, which is put there when all is written; else it goes, and what stood there stays.

    Raises
    ------
    FolderError
        If the disk does not take it, or another run is writing there.
    """
    place = _place(folder)
    with claimed(folder):
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            sibling = Path(tempfile.mkdtemp(prefix=_sibling_prefix(place), dir=place.parent))
        except OSError as error:
            raise FolderError(f"{folder}: cannot be written: {error.strerror}") from error
        _unfinished.add(sibling)
        try:
            sibling.chmod(0o777 & ~_umask())
            yield sibling
            _to_disk(sibling)
            _put(sibling, place)
        except OSError as error:
            raise FolderError(f"{folder}: cannot be written: {error.strerror or error}") from error
        finally:
            shutil.rmtree(sibling, ignore_errors=True)
            _unfinished.discard(sibling)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _place(folder: Path) -> Path:
    """Where a folder really stands: of a link the folder is replaced, not the link."""
    return folder.resolve() if folder.is_symlink() else folder.absolute()


def _sibling_prefix(place: Path) -> str:
    return f".{place.name}.mardok-"


def _put_in_order(folder: Path) -> None:
    """Put back a folder that a run set aside and did not live to replace, and remove what dead runs left."""
    place = _place(folder)
    for other in sorted(place.parent.glob(f"{glob.escape(_sibling_prefix(place))}*")):
        if other.name.endswith(_SET_ASIDE) and not place.exists():
            other.rename(place)
            log.warning("%s: stands again as it was; a run that was to replace it broke off", folder)
        else:
            shutil.rmtree(other, ignore_errors=True)


def _to_disk(folder: Path) -> None:
    """See to it that all that stands in a folder is on the disk before the folder is put anywhere."""
    for path in (*folder.rglob("*"), folder):
        _sync(path)


def _sync(path: Path) -> None:
    try:
        descriptor = os.open(path, os.O_RDONLY)
    except OSError:
        if path.is_dir():  # not every system opens folders
            return
        raise
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def _put(new: Path, place: Path) -> None:
    """Put `new` in its place; at each moment there is either the old one or the new one, wherever the system can do that."""
    if not place.exists():
        new.rename(place)
    elif not _exchanged(new, place):
        old = new.with_name(new.name + _SET_ASIDE)
        place.rename(old)
        try:
            new.rename(place)
        except OSError:
            old.rename(place)
            raise
        shutil.rmtree(old, ignore_errors=True)
    _sync(place.parent)


def _exchanged(one: Path, other: Path) -> bool:
    """Exchange two folders in one step; False where the system or the disk cannot."""
    rename = getattr(ctypes.CDLL(None, use_errno=True), "renameat2", None) if sys.platform == "linux" else None
    return rename is not None and not rename(_HERE, os.fsencode(one), _HERE, os.fsencode(other), _EXCHANGE)


def rows_at_once(table: Table) -> int:
    """Rows of a Parquet file that are read together: a question about one page reads no more than it must."""
    return _PAGES_AT_ONCE if table.name == PAGES.name else _ROWS_AT_ONCE


def files_of(table: Table) -> tuple[str, str]:
    """Names of the files of a table in an audit folder: Parquet and CSV, ``""`` without that."""
    return f"data/{table.name}.parquet", f"{table.name}.csv" if table.csv else ""


def write_table(table: Table, parts: Iterable[pd.DataFrame], file: BinaryIO, listed: BinaryIO | None = None) -> None:
    """Write a table as Parquet, and as CSV.

    Parameters
    ----------
    parts : iterable of DataFrame
        The rows in order, some at a time; one part without rows, if there are none at all.
    file, listed : binary file
        Where Parquet and CSV go.

    Raises
    ------
    ValueError
        If they are not as the table declares them.
    """
    import pyarrow as pa
    import pyarrow.parquet as pq

    n_rows = rows_at_once(table)
    with ExitStack() as closing:
        writer, before = None, None
        for frame in parts:
            table.check(frame)
            if before is not None:
                if frame.empty:
                    continue
                table.check_order(before, frame)
            if listed is not None:
                listed.writelines(_csv_parts(table, frame, with_head=before is None))
            before = frame.iloc[-1:]
            # Threads cost more than the few columns that each would take.
            stored = pa.Table.from_pandas(frame, preserve_index=False, nthreads=1)
            for first in range(0, max(len(frame), 1), n_rows):
                part = _with_own_names(stored.slice(first, n_rows), has_all=len(frame) <= n_rows)
                if writer is None:
                    # Of what hardly recurs a dictionary is dear, and larger than it is.
                    recurring = [name for name in part.schema.names if _recurs(part.column(name))]
                    writer = closing.enter_context(pq.ParquetWriter(file, part.schema, use_dictionary=recurring or False))
                writer.write_table(part, row_group_size=n_rows)


def _recurs(column: pa.ChunkedArray) -> bool:
    """Whether the values of a column recur, as far as the first of them tell; hashes, places and addresses hardly do."""
    import pyarrow as pa

    if column.type == pa.int64():
        return False
    first = column.slice(0, _LOOKED_AT)
    return column.type != pa.large_string() or 2 * len(set(first.to_pylist())) <= len(first)


def _with_own_names(part: pa.Table, *, has_all: bool) -> pa.Table:
    """Rows of a table with the names that occur among them: Arrow would write all of the table with each group of rows.

    Parameters
    ----------
    has_all : bool
        Whether they are all rows of a frame of a table, whose names all occur.
    """
    import pyarrow as pa

    names_of = pa.dictionary(pa.int32(), pa.large_string())
    for at, column in enumerate(part.schema):
        if pa.types.is_dictionary(column.type):
            cells = part.column(at).combine_chunks()
            if has_all:
                codes, names = cells.indices.cast(pa.int32()), cells.dictionary.cast(pa.large_string())
                named = pa.DictionaryArray.from_arrays(codes, names)
            else:
                named = cells.cast(column.type.value_type).dictionary_encode().cast(names_of)
            part = part.set_column(at, column.with_type(names_of), named)
    return part


def csv_bytes(table: Table, frame: pd.DataFrame) -> bytes:
    """A table as the bytes of its CSV file, with the columns that stand there.

    Parameters
    ----------
    table : Table
        The declaration of the table.
    frame : DataFrame
        Its rows.
    """
    return b"".join(_csv_parts(table, frame))


def _csv_parts(table: Table, frame: pd.DataFrame, *, with_head: bool = True) -> Iterator[bytes]:
    """The bytes of a table's CSV file, some rows at a time."""
    columns = [column for column in table.columns if column.csv]
    if with_head:
        yield csv_rows([[column.name] for column in columns], [None] * len(columns))
    for first in range(0, len(frame), _ROWS_AT_ONCE):
        some = frame.iloc[first : first + _ROWS_AT_ONCE]
        units = some["gain_unit"].tolist() if "gain_unit" in some.columns else None
        yield csv_rows([_values(some[column.name]) for column in columns], [_decimals(column, units) for column in columns])


def write_rows(path: Path, frame: pd.DataFrame) -> None:
    """Write an answer as CSV: text that a spreadsheet would run is neutralised, shares and figures have 6 decimals.

    Raises
    ------
    FolderError
        If the disk does not take it.
    """
    is_figure = [frame[name].dtype.kind == "f" for name in frame.columns]
    columns = [
        _values(frame[name]) if is_number else list(map(str, frame[name]))
        for name, is_number in zip(frame.columns, is_figure, strict=True)
    ]
    with _whole_file(path) as file:
        file.write(csv_rows([[str(name)] for name in frame.columns], [None] * len(columns)))
        file.write(csv_rows(columns, [_ANSWERED_DECIMALS] * len(columns)))


def write_text(path: Path, text: str) -> None:
    """Write an answer as text; what stood there before stays until all of it is written.

    Raises
    ------
    FolderError
        If the disk does not take it.
    """
    with _whole_file(path) as file:
        file.write(text.encode("utf-8", "replace"))


@contextmanager
def _whole_file(path: Path) -> Iterator[BinaryIO]:
    """A file beside another that takes its place when all is written."""
    beside = path.with_name(f".{path.name}.mardok-new")
    try:
        with beside.open("wb") as file:
            yield file
        beside.replace(path)
    except OSError as error:
        beside.unlink(missing_ok=True)
        raise FolderError(f"{path}: cannot be written: {error.strerror or error}") from error


def _values(column: pd.Series) -> list[Any]:
    """The cells of a column, None where one is missing."""
    if column.dtype != "Int64":
        return column.to_numpy().tolist()  # a column of text gives its cells one by one ten times slower
    cells = column.to_numpy("int64", na_value=0).tolist()
    for row in np.flatnonzero(column.isna().to_numpy()).tolist():
        cells[row] = None
    return cells


def _decimals(column: Column, units: list[str] | None) -> int | list[int] | None:
    if units is None or not column.name.startswith("gain_") or column.decimals is None:
        return column.decimals
    return [SMALL_GAIN_DECIMALS if unit == GainUnit.LINK_WEIGHT else column.decimals for unit in units]
