"""The tables of an audit, held in memory or lying in its folder.

In:  data frames, or Parquet files.
Out: whole tables, and the few rows and columns that a question needs, without reading the rest.

A folder is read column by column and in groups of rows: which groups hold the rows of a page is told by the statistics that
Parquet keeps of each.
"""

from __future__ import annotations

import io
from abc import abstractmethod
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from mardok.errors import FolderError
from mardok.meta import way_out

if TYPE_CHECKING:
    import pandas as pd
    import pyarrow as pa
    import pyarrow.parquet as pq

Columns = dict[str, list[Any]]
"""Some rows of a table, by column; None where a cell is missing."""
Wanted = Sequence[str] | Callable[[str], bool]
"""Which cells of a column of text are wanted; see :meth:`TableStore.matching`."""
Choice = Callable[..., NDArray[np.bool_]]
_PAGE = "page"
_GROUPS_AT_ONCE = 16


class TableStore(Mapping[str, "pd.DataFrame"]):
    """Tables by name, as :data:`mardok.tables.TABLES` declares them; what it gives may not be changed."""

    def __contains__(self, table: object) -> bool:
        return any(table == name for name in self)  # no table is read for that

    @abstractmethod
    def column(self, table: str, name: str) -> NDArray[Any]:
        """One column of a table."""

    @abstractmethod
    def cells(self, table: str, name: str) -> Iterator[Any]:
        """The cells of one column, in their order, with only some of them in memory at a time."""

    @abstractmethod
    def parts(self, table: str) -> Iterator[pd.DataFrame]:
        """All of a table, some rows at a time; one part without rows, if there are none."""

    @abstractmethod
    def frame(self, table: str, names: Sequence[str]) -> pd.DataFrame:
        """Some columns of a table, with its dtypes."""

    @abstractmethod
    def row(self, table: str, number: int, names: Sequence[str]) -> dict[str, Any]:
        """Some cells of one row of a table; None where a cell is missing.

        Parameters
        ----------
        table : str
            Name of the table.
        number : int
            Number of the row, from 0.
        names : sequence of str
            Columns.
        """

    @abstractmethod
    def find(self, table: str, name: str, value: str) -> int:
        """Number of the first row whose cell in a column is a value; -1 if there is none.

        Parameters
        ----------
        table, name : str
            Names of the table and of the column, which holds text.
        value : str
            What to find, letter by letter.
        """

    @abstractmethod
    def where(self, table: str, name: str, value: str) -> Columns:
        """The rows whose cell in a column is a value; see :meth:`find`.

        Parameters
        ----------
        table, name : str
            Names of the table and of the column, which holds text.
        value : str
            What to find, letter by letter.
        """

    @abstractmethod
    def numbered(self, table: str, name: str, value: int) -> Columns:
        """The rows whose cell in a column of whole numbers is a value."""

    @abstractmethod
    def of_page(self, table: str, page: int) -> Columns:
        """The rows of a table, ordered by page, that belong to one page."""

    @abstractmethod
    def of_pages(self, table: str, pages: NDArray[np.int64], names: Sequence[str]) -> Columns:
        """Some cells of the rows of a table, ordered by page, that belong to some pages.

        Parameters
        ----------
        table : str
            Name of the table.
        pages : ndarray of int64
            Rows of the pages.
        names : sequence of str
            Columns; that of the page among them.
        """

    @abstractmethod
    def chosen(self, table: str, names: Sequence[str], by: Sequence[str], is_wanted: Choice) -> Columns:
        """Some cells of the rows of a table that are wanted.

        Parameters
        ----------
        table : str
            Name of the table.
        names : sequence of str
            Columns.
        by : sequence of str
            Columns of numbers that decide.
        is_wanted : callable
            Tells of these, some rows at a time, which rows are wanted.
        """

    @abstractmethod
    def rows(self, table: str, numbers: NDArray[np.int64], names: Sequence[str]) -> Columns:
        """Some cells of several rows of a table; see :meth:`row`.

        Parameters
        ----------
        table : str
            Name of the table.
        numbers : ndarray of int64
            Numbers of the rows, from 0.
        names : sequence of str
            Columns.
        """

    @abstractmethod
    def matching(self, table: str, name: str, wanted: Wanted) -> NDArray[np.int64]:
        """Numbers of the rows whose cell in a column of text is wanted.

        Parameters
        ----------
        table, name : str
            Names of the table and of the column.
        wanted : sequence of str, or callable
            Regular expressions in the syntax of RE2 for which a cell is searched, all of which must be found; or what tells
            of a cell whether it is wanted, asked once of equal cells that recur.
        """

    @abstractmethod
    def matching_cells(self, table: str, name: str, wanted: Sequence[str], plain: Sequence[str]) -> dict[int, str]:
        """The cells that are wanted, by the numbers of their rows; see :meth:`matching`, but for what recurs.

        Parameters
        ----------
        table, name : str
            Names of the table and of the column.
        wanted : sequence of str
            Regular expressions, all of which must be found.
        plain : sequence of str
            Those that do for cells in ASCII, where these can be simpler.
        """


class MemoryStore(TableStore):
    """Tables in memory."""

    def __init__(self, frames: Mapping[str, pd.DataFrame]) -> None:
        self._frames = dict(frames)
        self._cells: dict[tuple[str, str], Callable[[slice], list[Any]]] = {}

    def __getitem__(self, table: str) -> pd.DataFrame:
        return self._frames[table]

    def __iter__(self) -> Iterator[str]:
        return iter(self._frames)

    def __len__(self) -> int:
        return len(self._frames)

    def column(self, table: str, name: str) -> NDArray[Any]:
        return np.asarray(self._frames[table][name].to_numpy())

    def cells(self, table: str, name: str) -> Iterator[Any]:
        return iter(self._frames[table][name].to_numpy())

    def parts(self, table: str) -> Iterator[pd.DataFrame]:
        return iter([self._frames[table]])

    def frame(self, table: str, names: Sequence[str]) -> pd.DataFrame:
        return self._frames[table][list(names)]

    def row(self, table: str, number: int, names: Sequence[str]) -> dict[str, Any]:
        return _first(self._slice(table, slice(number, number + 1), names))

    def find(self, table: str, name: str, value: str) -> int:
        at = np.flatnonzero(self._frames[table][name] == value)
        return int(at[0]) if len(at) else -1

    def where(self, table: str, name: str, value: str) -> Columns:
        frame = self._frames[table]
        return _columns(frame[frame[name] == value])

    def numbered(self, table: str, name: str, value: int) -> Columns:
        frame = self._frames[table]
        return _columns(frame[frame[name] == value])

    def of_page(self, table: str, page: int) -> Columns:
        first, end = np.searchsorted(self._frames[table][_PAGE].to_numpy(), [page, page + 1]).tolist()
        return self._slice(table, slice(first, end), self._frames[table].columns)

    def of_pages(self, table: str, pages: NDArray[np.int64], names: Sequence[str]) -> Columns:
        at = np.flatnonzero(np.isin(self._frames[table][_PAGE].to_numpy(), pages))
        return self.rows(table, at, names)

    def chosen(self, table: str, names: Sequence[str], by: Sequence[str], is_wanted: Choice) -> Columns:
        at = np.flatnonzero(is_wanted(*(self.column(table, name) for name in by)))
        return self.rows(table, at, names)

    def rows(self, table: str, numbers: NDArray[np.int64], names: Sequence[str]) -> Columns:
        return _columns(self._frames[table][list(names)].iloc[numbers])

    def matching(self, table: str, name: str, wanted: Wanted) -> NDArray[np.int64]:
        import pyarrow as pa

        column = self._frames[table][name]
        if column.dtype == "category":
            codes = pa.array(column.cat.codes.to_numpy())
            texts = pa.array(column.cat.categories.astype(object), pa.large_string())
            return _matching(pa.chunked_array([pa.DictionaryArray.from_arrays(codes, texts)]), wanted)
        return _matching(pa.chunked_array([pa.array(column.astype(object), pa.large_string())]), wanted)

    def matching_cells(self, table: str, name: str, wanted: Sequence[str], plain: Sequence[str]) -> dict[int, str]:
        is_plain = all(map(str.isascii, self._frames[table][name]))
        at = self.matching(table, name, plain if is_plain else wanted)
        return dict(zip(at.tolist(), self.rows(table, at, [name])[name], strict=True))

    def _slice(self, table: str, rows: slice, names: Iterable[str]) -> Columns:
        result: Columns = {}
        for name in names:
            if (table, name) not in self._cells:
                self._cells[table, name] = _cells(self._frames[table][name])
            result[name] = self._cells[table, name](rows)
        return result


class FileStore(TableStore):
    """Tables in Parquet files, read as they are asked for.

    Parameters
    ----------
    folder : Path
        The folder that is named where a file turns out to be damaged.
    files : mapping of str to Path or bytes
        Tables by name: the path of the file, or what would stand in it.
    owner : object
        Whoever removes the files when nobody needs them any more.
    """

    def __init__(self, folder: Path, files: Mapping[str, Path | bytes], owner: object = None) -> None:
        from mardok.tables import TABLES

        self._folder = folder
        self._places, self._owner = files, owner
        self._declared = {name: TABLES[name] for name in TABLES if name in files}
        self._files: dict[str, pq.ParquetFile] = {}
        self._frames: dict[str, pd.DataFrame] = {}

    def __getitem__(self, table: str) -> pd.DataFrame:
        import pandas as pd

        if table not in self._declared:
            raise KeyError(table)
        if table not in self._frames:
            declared = self._declared[table]
            with _Damage(self._path(table), self._folder):
                stored = pd.read_parquet(self._source(table))
                self._frames[table] = declared.frame({column: stored[column] for column in declared.names})
        return self._frames[table]

    def __iter__(self) -> Iterator[str]:
        return iter(self._declared)

    def __len__(self) -> int:
        return len(self._declared)

    def column(self, table: str, name: str) -> NDArray[Any]:
        with _Damage(self._path(table), self._folder):
            return _array(self._file(table).read([name]).column(0))

    def cells(self, table: str, name: str) -> Iterator[Any]:
        with _Damage(self._path(table), self._folder):
            for _, its in self._parts(table, [name]):
                yield from its.column(0).to_pylist()

    def parts(self, table: str) -> Iterator[pd.DataFrame]:
        declared = self._declared[table]
        with _Damage(self._path(table), self._folder):
            for _, its in self._parts(table, declared.names):
                yield declared.part(its.to_pandas(), declared.names)

    def frame(self, table: str, names: Sequence[str]) -> pd.DataFrame:
        if table in self._frames:
            return self._frames[table][list(names)]
        with _Damage(self._path(table), self._folder):
            stored = self._file(table).read(list(names)).to_pandas()
            return self._declared[table].part(stored, names)

    def row(self, table: str, number: int, names: Sequence[str]) -> dict[str, Any]:
        with _Damage(self._path(table), self._folder):
            file, first = self._file(table), 0
            for group in range(file.num_row_groups):
                n_rows = file.metadata.row_group(group).num_rows
                if number < first + n_rows:
                    return _first(file.read_row_group(group, list(names)).slice(number - first, 1).to_pydict())
                first += n_rows
        raise IndexError(number)

    def find(self, table: str, name: str, value: str) -> int:
        return int(next(iter(self.matching(table, name, value.__eq__)), -1))

    def where(self, table: str, name: str, value: str) -> Columns:
        at = self.matching(table, name, value.__eq__)
        with _Damage(self._path(table), self._folder):
            names = self._declared[table].names
            result: Columns = {column: [] for column in names}
            for first, its in self._groups(table, names, at):
                for row in at[slice(*np.searchsorted(at, [first, first + its.num_rows]))].tolist():
                    for column, values in its.slice(row - first, 1).to_pydict().items():
                        result[column] += values
            return result

    def numbered(self, table: str, name: str, value: int) -> Columns:
        with _Damage(self._path(table), self._folder):
            file = self._file(table)
            result: Columns = {column: [] for column in file.schema_arrow.names}
            for group in range(file.num_row_groups):  # one after the other: links are many
                at = np.flatnonzero(_array(file.read_row_group(group, [name])[name]) == value)
                if len(at):
                    for column, values in file.read_row_group(group).take(at).to_pydict().items():
                        result[column] += values
            return result

    def of_page(self, table: str, page: int) -> Columns:
        with _Damage(self._path(table), self._folder):
            file = self._file(table)
            at = file.schema_arrow.get_field_index(_PAGE)
            statistics = [file.metadata.row_group(group).column(at).statistics for group in range(file.num_row_groups)]
            kept = [group for group, stated in enumerate(statistics) if stated is None or stated.min <= page <= stated.max]
            result = file.read_row_groups(kept)
            first, end = np.searchsorted(_array(result[_PAGE]), [page, page + 1]).tolist()
            columns: Columns = result.slice(first, end - first).to_pydict()
            return columns

    def of_pages(self, table: str, pages: NDArray[np.int64], names: Sequence[str]) -> Columns:
        with _Damage(self._path(table), self._folder):
            file = self._file(table)
            result: Columns = {name: [] for name in names}
            ordered, at_page = np.unique(pages), file.schema_arrow.get_field_index(_PAGE)
            for group in range(file.num_row_groups):
                stated = file.metadata.row_group(group).column(at_page).statistics
                if stated is not None and not np.diff(np.searchsorted(ordered, [stated.min, stated.max + 1]))[0]:
                    continue
                its = file.read_row_group(group, list(names))
                at = np.flatnonzero(np.isin(_array(its[_PAGE]), pages))
                if len(at):
                    for column, values in _lists(its.take(at)).items():
                        result[column] += values
            return result

    def chosen(self, table: str, names: Sequence[str], by: Sequence[str], is_wanted: Choice) -> Columns:
        with _Damage(self._path(table), self._folder):
            file = self._file(table)
            result: Columns = {name: [] for name in names}
            for group in range(file.num_row_groups):
                decisive = file.read_row_group(group, list(by))
                at = np.flatnonzero(is_wanted(*(_array(decisive[name]) for name in by)))
                if len(at):
                    for name, values in _lists(file.read_row_group(group, list(names)).take(at)).items():
                        result[name] += values
            return result

    def rows(self, table: str, numbers: NDArray[np.int64], names: Sequence[str]) -> Columns:
        with _Damage(self._path(table), self._folder):
            order = np.argsort(numbers, kind="stable")
            ordered, back = numbers[order], np.argsort(order, kind="stable")
            result: Columns = {name: [] for name in names}
            for first, its in self._groups(table, names, ordered):
                here = ordered[slice(*np.searchsorted(ordered, [first, first + its.num_rows]))]
                for name, values in _lists(its.take(here - first)).items():
                    result[name] += values
            if len(result[names[0]]) < len(numbers):
                raise IndexError(f"row {ordered[-1]}")
            return {name: [values[at] for at in back.tolist()] for name, values in result.items()}

    def matching(self, table: str, name: str, wanted: Wanted) -> NDArray[np.int64]:
        with _Damage(self._path(table), self._folder):
            found = [np.zeros(0, np.int64)]
            for first, its in self._parts(table, [name]):
                found.append(_matching(its.column(0), wanted) + first)
            return np.concatenate(found)

    def matching_cells(self, table: str, name: str, wanted: Sequence[str], plain: Sequence[str]) -> dict[int, str]:
        import pyarrow.compute as pc

        with _Damage(self._path(table), self._folder):
            result: dict[int, str] = {}
            for first, its in self._parts(table, [name]):
                is_plain = pc.all(pc.string_is_ascii(its.column(0))).as_py()
                at = _matching(its.column(0), plain if is_plain else wanted)
                result |= zip((at + first).tolist(), its.take(at).column(0).to_pylist(), strict=True)
            return result

    def _parts(self, table: str, names: Sequence[str]) -> Iterator[tuple[int, pa.Table]]:
        """Some columns part by part, with the number of the first row of each.

        A part at a time, since the texts of a site fill the memory; not too small a one, since each asks for expressions to
        be understood again.
        """
        file, first = self._file(table), 0
        for group in range(0, file.num_row_groups, _GROUPS_AT_ONCE):
            its = file.read_row_groups(range(group, min(group + _GROUPS_AT_ONCE, file.num_row_groups)), list(names))
            yield first, its
            first += its.num_rows

    def _groups(self, table: str, names: Sequence[str], numbers: NDArray[np.int64]) -> Iterator[tuple[int, pa.Table]]:
        """Groups of rows that hold some rows, given in order, with the number of the first row of each."""
        file, first = self._file(table), 0
        for group in range(file.num_row_groups):
            n_rows = file.metadata.row_group(group).num_rows
            if np.diff(np.searchsorted(numbers, [first, first + n_rows]))[0]:
                yield first, file.read_row_group(group, list(names))
            first += n_rows

    def _path(self, table: str) -> Path:
        place = self._places[table]
        return place if isinstance(place, Path) else self._folder

    def _source(self, table: str) -> Path | io.BytesIO:
        place = self._places[table]
        return place if isinstance(place, Path) else io.BytesIO(place)

    def _file(self, table: str) -> pq.ParquetFile:
        import pyarrow.parquet as pq

        if table not in self._files:
            file = pq.ParquetFile(self._source(table))
            if file.schema_arrow.names != self._declared[table].names:
                raise KeyError(f"columns {file.schema_arrow.names}")
            self._files[table] = file
        return self._files[table]


class FolderStore(FileStore):
    """Tables in an audit folder.

    Raises
    ------
    FolderError
        If a table is missing, and whenever one turns out to be damaged or of another form.
    """

    def __init__(self, folder: Path) -> None:
        from mardok.tables import TABLES

        # Resolved: "a:b/data" would be taken for an address.
        files = {name: (folder / "data" / f"{name}.parquet").resolve() for name in TABLES}
        missing = [path for path in files.values() if not path.is_file()]
        if missing:
            raise FolderError(f"{missing[0]}: is missing; {way_out(folder)}")
        super().__init__(folder, files)


class MadeStore(TableStore):
    """Tables of which some are held in memory: those of an audit that was just made, or that take the place of others.

    Parameters
    ----------
    frames : mapping of str to DataFrame
        Those in memory.
    filed : TableStore
        The others.
    files : mapping of str to Path or bytes
        The files of these as they stand in an audit folder, by name: where each lies, or what stands in it.
    """

    def __init__(
        self, frames: Mapping[str, pd.DataFrame], filed: TableStore, files: Mapping[str, Path | bytes] = MappingProxyType({})
    ) -> None:
        self._frames, self._filed = MemoryStore(frames), filed
        self.files = files

    def _of(self, table: str) -> TableStore:
        return self._frames if table in self._frames else self._filed

    def __getitem__(self, table: str) -> pd.DataFrame:
        return self._of(table)[table]

    def __iter__(self) -> Iterator[str]:
        from mardok.tables import TABLES

        return (name for name in TABLES if name in self._frames or name in self._filed)

    def __len__(self) -> int:
        return sum(1 for _ in self)

    def column(self, table: str, name: str) -> NDArray[Any]:
        return self._of(table).column(table, name)

    def cells(self, table: str, name: str) -> Iterator[Any]:
        return self._of(table).cells(table, name)

    def parts(self, table: str) -> Iterator[pd.DataFrame]:
        return self._of(table).parts(table)

    def frame(self, table: str, names: Sequence[str]) -> pd.DataFrame:
        return self._of(table).frame(table, names)

    def row(self, table: str, number: int, names: Sequence[str]) -> dict[str, Any]:
        return self._of(table).row(table, number, names)

    def find(self, table: str, name: str, value: str) -> int:
        return self._of(table).find(table, name, value)

    def where(self, table: str, name: str, value: str) -> Columns:
        return self._of(table).where(table, name, value)

    def numbered(self, table: str, name: str, value: int) -> Columns:
        return self._of(table).numbered(table, name, value)

    def of_page(self, table: str, page: int) -> Columns:
        return self._of(table).of_page(table, page)

    def of_pages(self, table: str, pages: NDArray[np.int64], names: Sequence[str]) -> Columns:
        return self._of(table).of_pages(table, pages, names)

    def chosen(self, table: str, names: Sequence[str], by: Sequence[str], is_wanted: Choice) -> Columns:
        return self._of(table).chosen(table, names, by, is_wanted)

    def rows(self, table: str, numbers: NDArray[np.int64], names: Sequence[str]) -> Columns:
        return self._of(table).rows(table, numbers, names)

    def matching(self, table: str, name: str, wanted: Wanted) -> NDArray[np.int64]:
        return self._of(table).matching(table, name, wanted)

    def matching_cells(self, table: str, name: str, wanted: Sequence[str], plain: Sequence[str]) -> dict[int, str]:
        return self._of(table).matching_cells(table, name, wanted, plain)


def stored_columns(folder: Path, table: str, names: Sequence[str]) -> Columns:
    """Some columns of a table in an audit folder of whatever form.

    Parameters
    ----------
    folder : Path
        An audit folder, of whatever form.
    table : str
        Name of a table.
    names : sequence of str
        Columns.

    Raises
    ------
    FolderError
        If the table is missing, damaged or without one of the columns.
    """
    import pyarrow.parquet as pq

    path = (folder / "data" / f"{table}.parquet").resolve()
    with _Damage(path, folder):
        result = pq.ParquetFile(path).read(list(names)).to_pydict()
        return {name: result[name] for name in names}


class _Damage:
    """Turns what a damaged table raises into one line with the way out."""

    def __init__(self, path: Path, folder: Path) -> None:
        self._path, self._folder = path, folder

    def __enter__(self) -> None:
        pass

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, _: object) -> None:
        # pyarrow's errors are ValueErrors, OSErrors, KeyErrors or IndexErrors as well.
        if isinstance(error, (OSError, ValueError, KeyError, IndexError, NotImplementedError)):
            raise FolderError(f"{self._path}: cannot be read ({_line(error)}); {way_out(self._folder)}") from error


def _line(error: BaseException) -> str:
    return " ".join(str(error).split())[:200]


def _array(column: pa.ChunkedArray) -> NDArray[Any]:
    """A column as an array. Arrow's own ways to one, its scalars and its filters import pandas; this does not."""
    kind = _NUMBERS.get(str(column.type))
    if str(column.type) == "bool" and not column.null_count:
        return np.concatenate([np.zeros(0, bool), *map(_bits, column.chunks)])
    if kind is None or column.null_count:
        return np.array(column.to_pylist(), object)
    parts = [
        np.frombuffer(chunk.buffers()[1], kind)[chunk.offset : chunk.offset + len(chunk)]
        for chunk in column.chunks
        if len(chunk)
    ]
    return np.concatenate([np.zeros(0, kind), *parts])


def _lists(table: pa.Table) -> Columns:
    """The cells of a table; of text that recurs each name is made once."""
    return {
        name: [cell for chunk in column.chunks for cell in (_named(chunk) if _is_named(chunk) else chunk.to_pylist())]
        for name, column in zip(table.column_names, table.columns, strict=True)
    }


def _is_named(chunk: pa.Array) -> bool:
    return hasattr(chunk, "dictionary") and not chunk.null_count


def _named(chunk: pa.DictionaryArray) -> list[str]:
    codes = chunk.indices.to_numpy()
    used, at = np.unique(codes, return_inverse=True)
    names = chunk.dictionary.take(used).to_pylist()
    return list(map(names.__getitem__, at.tolist()))


def _bits(chunk: pa.BooleanArray) -> NDArray[np.bool_]:
    raw = chunk.buffers()[1]
    bits = np.unpackbits(np.frombuffer(raw if raw is not None else b"", np.uint8), bitorder="little")
    return np.asarray(bits[chunk.offset : chunk.offset + len(chunk)], bool)


_NUMBERS = {"int32": np.int32, "int64": np.int64, "double": np.float64}


def _matching(column: pa.ChunkedArray, wanted: Wanted) -> NDArray[np.int64]:
    """Numbers of the cells that are wanted."""
    import pyarrow as pa

    found = np.ones(len(column), bool)
    first = 0
    for chunk in column.chunks:
        texts = chunk.dictionary if pa.types.is_dictionary(chunk.type) else chunk
        if callable(wanted):
            fits = np.fromiter(map(wanted, texts.to_pylist()), bool, len(texts))
        else:
            import pyarrow.compute as pc  # only here: it takes longer to import than to find a value

            fits = np.ones(len(texts), bool)
            for pattern in wanted:
                fits &= pc.match_substring_regex(texts, pattern).to_numpy(zero_copy_only=False).astype(bool)
        found[first : first + len(chunk)] = fits if texts is chunk else fits[chunk.indices.to_numpy(zero_copy_only=False)]
        first += len(chunk)
    return np.flatnonzero(found)


def matching_texts(texts: Sequence[str], patterns: Sequence[str]) -> list[int]:
    """Numbers of the texts in which all of some regular expressions (RE2) are found.

    Examples
    --------
    >>> matching_texts(["violins for hire", "violin strings"], ["(?i)violin", "hire"])
    [0]
    """
    import pyarrow as pa

    found: list[int] = _matching(pa.chunked_array([pa.array(texts, pa.large_string())]), patterns).tolist()
    return found


def _first(columns: Columns) -> dict[str, Any]:
    return {name: values[0] for name, values in columns.items()}


def _columns(frame: pd.DataFrame) -> Columns:
    every = slice(0, len(frame))
    return {str(name): _cells(frame[name])(every) for name in frame.columns}


def _cells(column: pd.Series) -> Callable[[slice], list[Any]]:
    """What gives the cells of some rows of a column."""
    if column.dtype == "category":
        names, codes = column.cat.categories.to_numpy(object), column.cat.codes.to_numpy()
        return lambda rows: names[codes[rows]].tolist()
    has_all = not column.isna().any()
    values = column.to_numpy() if has_all and column.dtype != "string" else column.astype(object).to_numpy()
    if has_all:
        return lambda rows: values[rows].tolist()
    is_missing = column.isna().to_numpy()
    return lambda rows: [
        None if gone else value for value, gone in zip(values[rows].tolist(), is_missing[rows], strict=True)
    ]
