"""Pages from a folder of HTML files.

In:  a folder and the address it stands for.
Out: a raw page for each ``.html``, ``.htm`` or ``.xhtml`` file; sub-folders are paths, an index file is its folder.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from urllib.parse import quote

from mardok.errors import SourceError
from mardok.sources.raw import OpenIntake, RawPage, Unread
from mardok.urls import normal_url

_HTML_SUFFIXES = (".html", ".htm", ".xhtml")
_INDEX_NAMES = ("index.html", "index.htm")


@dataclass(frozen=True, slots=True)
class HtmlFile:
    """A file of HTML in a folder that stands for a site."""

    path: str
    """From the folder on, with ``/``."""
    url: str
    short_url: str
    """The address without the suffix, where no other file has it; else ``""``."""


def html_files(folder: Path, base: str | None, intake: OpenIntake) -> list[HtmlFile]:
    """The files of HTML in a folder, by path; others are counted.

    Parameters
    ----------
    base : str or None
        Address that the folder stands for.
    intake : OpenIntake
        Takes what is no HTML.

    Raises
    ------
    SourceError
        If `base` is missing or no http(s) address, or the folder holds no HTML file.
    """
    if base is None:
        raise SourceError(f"{folder}: to read a folder of HTML, say its address: --base https://host.example/")
    base_url = normal_url(base)
    if base_url is None:
        raise SourceError(f"--base {base!r}: expected an http(s) address such as https://host.example/")
    base_url = base_url if base_url.endswith("/") else base_url + "/"
    files = sorted(_files_below(folder), key=lambda inside: inside.split("/"))
    folders = {inside.rpartition("/")[0] for inside in files}
    result = []
    for inside in files:
        above, _, name = inside.rpartition("/")
        suffix = PurePosixPath(name).suffix
        if suffix.lower() not in _HTML_SUFFIXES:
            intake.skipped[suffix.lower() or "no suffix"] += 1
            continue
        relative = inside[: -len(name)] if name.lower() in _INDEX_NAMES else inside
        plain = inside[: -len(suffix)]
        is_free = plain not in folders and plain != f"{above}/index".lstrip("/")
        result.append(HtmlFile(inside, _address(base_url, relative), _address(base_url, plain) if is_free else ""))
    if not result:
        raise SourceError(f"{folder}: holds no HTML file (.html, .htm, .xhtml), neither do its sub-folders")
    return result


def read_html_files(folder: Path, files: Iterable[HtmlFile], intake: OpenIntake, max_body_bytes: int) -> Iterator[RawPage]:
    """Pages of files in a folder.

    Parameters
    ----------
    intake : OpenIntake
        Takes what cannot be read.
    max_body_bytes : int
        Bytes of a file beyond which it is not read.
    """
    for file in files:
        path = folder / file.path
        try:
            if path.stat().st_size > max_body_bytes:
                raise OSError(f"larger than {max_body_bytes / 1e6:g} MB (setting sources.max_body_mb)")
            yield RawPage(file.url, str(folder), status=200, body=path.read_bytes(), short_url=file.short_url)
        except OSError as error:
            reason = error.strerror or str(error)
            place = file.path[: -len(path.name)] if path.name.lower() in _INDEX_NAMES else file.path
            intake.unread.append(Unread(str(folder), place or path.name, file.url, reason))
            yield RawPage(file.url, str(folder), trouble=reason)


def _files_below(folder: Path) -> Iterator[str]:
    """The files in a folder and those below, from the folder on, with ``/``; what links lead to is no folder below."""
    waiting = [(os.fspath(folder), "")]
    while waiting:
        path, inside = waiting.pop()
        with suppress(OSError), os.scandir(path) as entries:  # what cannot be listed holds nothing
            for entry in entries:
                with suppress(OSError):  # as a link that leads to itself
                    if entry.is_dir(follow_symlinks=False):
                        waiting.append((entry.path, f"{inside}{entry.name}/"))
                    elif entry.is_file():
                        yield inside + entry.name


def _address(base_url: str, relative: str) -> str:
    path = quote(relative, safe="/:@!$&'()*+,;=~-._", errors="surrogateescape")
    return normal_url(base_url + path) or base_url
