"""Which reader a source needs.

In:  what the user names: a file, a folder; and the address a folder of HTML stands for.
Out: its raw pages. Several sources make one site, in the order they are named.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from mardok.errors import SourceError
from mardok.meta import is_audit_folder, read_origin
from mardok.settings import Sources
from mardok.sources.html_folder import HtmlFile, html_files, read_html_files
from mardok.sources.raw import OpenIntake, RawPage
from mardok.sources.warc import WHOLE, Stretch, read_warc

_OF_TABLES = (".csv", ".jsonl", ".parquet", ".xlsx")


def resolved_sources(sources: Sequence[str], base: str | None) -> tuple[list[Path], str | None]:
    """Files and folders of pages behind the named sources; an audit folder stands for what it was made from.

    Raises
    ------
    SourceError
        If a source does not exist or is not of a kind that can be read. Nothing has been read by then.
    """
    paths: list[Path] = []
    for source in sources:
        path = Path(source)
        if source.lower().startswith(("http://", "https://")):
            raise SourceError(f"{source}: is not a file; collect it first (mardok crawl), then name the WARC file")
        if not path.exists():
            raise SourceError(f"{source}: there is no such file or folder")
        if path.is_dir() and is_audit_folder(path):
            origin = read_origin(path)
            base = base or origin.base
            paths += _remembered(path, [Path(source.path) for source in origin.sources])
        elif path.is_dir() or path.name.lower().endswith((".warc", ".warc.gz", *_OF_TABLES)):
            paths.append(path)
        else:
            raise SourceError(f"{source}: expected .warc, .warc.gz, {', '.join(_OF_TABLES)} or a folder of HTML")
    return paths, base


def _remembered(folder: Path, paths: list[Path]) -> list[Path]:
    for path in paths:
        if not path.exists():
            raise SourceError(f"{folder}: was made from {path}, which is no longer there; put it back or name a source")
    return paths


@dataclass(frozen=True, slots=True)
class Slice:
    """Part of a source that can be read alone; read one after the other the slices of a source are the source."""

    path: Path
    stretch: Stretch = WHOLE
    """Of a WARC file."""
    files: tuple[HtmlFile, ...] | None = None
    """Of a folder."""
    first: int = 0
    """Pages of it that are passed over."""
    end: int | None = None
    """Number of its first page that is not read any more; None where it is read to its end."""


def slices_of(
    paths: Sequence[Path], base: str | None, intake: OpenIntake, most: int, cut: Callable[[Path], list[Stretch]]
) -> list[Slice]:
    """All sources, cut into parts; a table is one part.

    Parameters
    ----------
    base : str or None
        Address that a folder of HTML stands for.
    intake : OpenIntake
        Takes what in a folder is no page.
    most : int
        Pages in a part.
    cut : callable
        Cuts a WARC file, as :func:`mardok.sources.warc.stretches_of` does.

    Raises
    ------
    SourceError
        If a source cannot be used at all.
    """
    result: list[Slice] = []
    for path in paths:
        if path.is_dir():
            files = html_files(path, base, intake)
            result += [Slice(path, files=tuple(files[at : at + most])) for at in range(0, len(files), most)]
        elif path.suffix.lower() in _OF_TABLES:
            result.append(Slice(path))
        else:
            result += [Slice(path, stretch) for stretch in cut(path)]
    return result


def pages_of_slice(part: Slice, intake: OpenIntake, settings: Sources) -> Iterator[RawPage]:
    """Raw pages of a part of a source.

    Parameters
    ----------
    intake : OpenIntake
        Takes what is no page, and what cannot be read.
    """
    limit = int(settings.max_body_mb * 1e6)
    if part.files is not None:
        pages = read_html_files(part.path, part.files, intake, limit)
    elif part.path.suffix.lower() in _OF_TABLES:
        from mardok.sources.table import read_page_table  # only here: each process that makes parts would load pandas for it

        pages = read_page_table(part.path, intake)
    else:
        pages = read_warc(part.path, intake, limit, part.stretch)
    return islice(pages, part.first, part.end)


def raw_pages(paths: Sequence[Path], base: str | None, intake: OpenIntake, settings: Sources) -> Iterator[RawPage]:
    """Raw pages of all sources, one source after the other.

    Parameters
    ----------
    base : str or None
        Address that a folder of HTML stands for.
    intake : OpenIntake
        Takes what is no page, and what cannot be read.
    """
    for path in paths:
        files = tuple(html_files(path, base, intake)) if path.is_dir() else None
        yield from pages_of_slice(Slice(path, files=files), intake, settings)
