"""Pages from a folder of HTML files.

In:  a folder and the address it stands for.
Out: a raw page for each ``.html``, ``.htm`` or ``.xhtml`` file; sub-folders are paths, an index file is its folder.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from urllib.parse import quote

from mardok.errors import SourceError
from mardok.sources.raw import OpenIntake, RawPage, Unread
from mardok.urls import normal_url

_HTML_SUFFIXES = (".html", ".htm", ".xhtml")


def read_html_folder(folder: Path, base: str | None, intake: OpenIntake, max_body_bytes: int) -> Iterator[RawPage]:
    """Pages of a folder, by path; files that are not HTML are counted.

    Parameters
    ----------
    base : str or None
        Address that the folder stands for.
    intake : OpenIntake
        Takes what cannot be read.
    max_body_bytes : int
        Bytes of a file beyond which it is not read.

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
    any_page = False
    files = [path for path in sorted(folder.rglob("*")) if path.is_file()]
    folders = {path.parent.relative_to(folder) for path in files}
    for path in files:
        if path.suffix.lower() not in _HTML_SUFFIXES:
            intake.skipped[path.suffix.lower() or "no suffix"] += 1
            continue
        any_page = True
        relative = path.relative_to(folder).as_posix()
        if path.name.lower() in ("index.html", "index.htm"):
            relative = relative[: -len(path.name)]
        url = _address(base_url, relative)
        plain = path.relative_to(folder).with_suffix("")
        short_url = _address(base_url, plain.as_posix()) if plain not in folders and plain.name != "index" else ""
        try:
            if path.stat().st_size > max_body_bytes:
                raise OSError(f"larger than {max_body_bytes / 1e6:g} MB (setting sources.max_body_mb)")
            yield RawPage(url, str(folder), status=200, body=path.read_bytes(), short_url=short_url)
        except OSError as error:
            reason = error.strerror or str(error)
            intake.unread.append(Unread(str(folder), relative or path.name, url, reason))
            yield RawPage(url, str(folder), trouble=reason)
    if not any_page:
        raise SourceError(f"{folder}: holds no HTML file (.html, .htm, .xhtml), neither do its sub-folders")


def _address(base_url: str, relative: str) -> str:
    path = quote(relative, safe="/:@!$&'()*+,;=~-._", errors="surrogateescape")
    return normal_url(base_url + path) or base_url
