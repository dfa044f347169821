"""Which reader a source needs.

In:  what the user names: a file, a folder; and the address a folder of HTML stands for.
Out: its raw pages. Several sources make one site, in the order they are named.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from mardok.errors import SourceError
from mardok.meta import is_audit_folder, read_origin
from mardok.settings import Sources
from mardok.sources.html_folder import read_html_folder
from mardok.sources.raw import OpenIntake, RawPage
from mardok.sources.table import SUFFIXES, read_page_table
from mardok.sources.warc import read_warc


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
        elif path.is_dir() or path.name.lower().endswith((".warc", ".warc.gz", *SUFFIXES)):
            paths.append(path)
        else:
            raise SourceError(f"{source}: expected .warc, .warc.gz, {', '.join(SUFFIXES)} or a folder of HTML")
    return paths, base


def _remembered(folder: Path, paths: list[Path]) -> list[Path]:
    for path in paths:
        if not path.exists():
            raise SourceError(f"{folder}: was made from {path}, which is no longer there; put it back or name a source")
    return paths


def raw_pages(paths: Sequence[Path], base: str | None, intake: OpenIntake, settings: Sources) -> Iterator[RawPage]:
    """Raw pages of all sources, one source after the other.

    Parameters
    ----------
    base : str or None
        Address that a folder of HTML stands for.
    intake : OpenIntake
        Takes what is no page, and what cannot be read.
    """
    limit = int(settings.max_body_mb * 1e6)
    for path in paths:
        if path.is_dir():
            yield from read_html_folder(path, base, intake, limit)
        elif path.suffix.lower() in SUFFIXES:
            yield from read_page_table(path, intake)
        else:
            yield from read_warc(path, intake, limit)
