"""Drafts as files: HTML, Markdown, plain text, .docx.

In:  a file.
Out: a :class:`DraftFile`: the draft as HTML, whatever it was written in, and what the file says of its address.
"""

from __future__ import annotations

import re
import tomllib
import zipfile
import zlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from html import escape
from io import BytesIO
from pathlib import Path
from typing import Any

from mardok.errors import SourceError

_KINDS = {
    ".html": "html", ".htm": "html", ".xhtml": "html", ".md": "markdown", ".markdown": "markdown", ".txt": "text",
    ".text": "text", ".docx": "docx",
}  # fmt: skip
_FRONT_MATTER = re.compile(r"\A(---|\+\+\+)[ \t]*\r?\n(.*?)^\1[ \t]*(?:\r?\n|\Z)", re.DOTALL | re.MULTILINE)
_FIELD = re.compile(r"^([A-Za-z_]+)[ \t]*:[ \t]*(.*?)[ \t]*$", re.MULTILINE)
_ADDRESS_FIELDS = ("url", "permalink", "canonical")
_LONGEST_TITLE = 120
"""Characters of a first line of plain text that may be its title."""
_MOST_UNPACKED = 20
"""Times its size that a .docx may have when it is unpacked."""
_DAMAGE = (
    zipfile.BadZipFile, zlib.error, AttributeError, LookupError, OSError, RuntimeError, SyntaxError, TypeError, ValueError,
)  # fmt: skip
"""What the library of .docx raises on files that are none, or damaged."""
_HEADING = re.compile(r"Heading ([1-6])")


@dataclass(frozen=True)
class DraftFile:
    """A draft as it is read."""

    name: str
    html: bytes
    address: str
    """Where it is to stand, as the file says; ``""`` if it does not."""
    has_head: bool
    """Whether it says title and description: else a template makes them."""
    is_page: bool = False
    """Whether it is the whole page, as it will be published, with what the template puts around it."""


def read_draft(path: Path, most_bytes: int) -> DraftFile:
    """A draft from its file.

    Parameters
    ----------
    most_bytes : int
        Bytes beyond which a file is no draft of a page.

    Raises
    ------
    SourceError
        If it cannot be read, is empty, too large, or of no kind that is read.
    """
    kind = _KINDS.get(path.suffix.lower(), "")
    if not kind:
        raise SourceError(f"{path}: is no draft that can be read; give HTML, Markdown, .txt or .docx")
    try:
        size = path.stat().st_size
        body = path.read_bytes() if path.is_file() and size <= most_bytes else b""
    except OSError as error:
        raise SourceError(f"{path}: cannot be read: {error.strerror or error}") from error
    if not path.is_file():
        raise SourceError(f"{path}: is no file; name drafts one by one")
    if size > most_bytes:
        raise SourceError(
            f"{path}: has {size / 1_000_000:,.0f} MB, more than any page; the limit is crawl.max_page_mb "
            f"({most_bytes / 1_000_000:,.0f})"
        )
    if not body.strip():
        raise SourceError(f"{path}: is empty")
    if kind != "docx" and b"\0" in body:
        raise SourceError(f"{path}: is no text; give HTML, Markdown, .txt or .docx")
    if kind == "html":
        return DraftFile(path.name, body, "", has_head=True, is_page=True)
    if kind == "docx":
        return DraftFile(path.name, _of_docx(path, body), "", has_head=False)
    text = _decoded(body)
    return _of_markdown(path, text) if kind == "markdown" else DraftFile(path.name, _of_text(text), "", has_head=False)


def _decoded(body: bytes) -> str:
    try:
        return body.decode("utf-8-sig")
    except UnicodeDecodeError:
        return body.decode("cp1252", "replace")


def planned_draft(title: str, phrases: Sequence[str]) -> DraftFile:
    """A page that is planned only, with its title, if it has one yet, and no text."""
    body = f"<h1>{escape(title)}</h1>" if title else ""
    return DraftFile(title or ", ".join(phrases), _document({"title": title}, body), "", has_head=False)


def _document(fields: Mapping[str, str], body: str) -> bytes:
    language, described = fields.get("lang") or fields.get("language", ""), fields.get("description", "")
    spoken = f' lang="{escape(language)}"' if language else ""
    description = f'<meta name=description content="{escape(described)}">' if described else ""
    head = f"<head><title>{escape(fields.get('title', ''))}</title>{description}"
    return f"<!doctype html><html{spoken}>{head}<body><main>{body}</main>".encode("utf-8", "replace")


def _of_markdown(path: Path, text: str) -> DraftFile:
    from markdown_it import MarkdownIt  # only here: most drafts, and all other commands, need no Markdown

    begin = _FRONT_MATTER.match(text)
    fields = _front_matter(path, begin[1], begin[2]) if begin is not None else {}
    body = MarkdownIt("commonmark").enable("table").render(text[begin.end() :] if begin is not None else text)
    if fields.get("title") and not re.search(r"<h1[\s>]", body):
        body = f"<h1>{escape(fields['title'])}</h1>{body}"  # as templates do
    address = next((fields[name] for name in _ADDRESS_FIELDS if fields.get(name)), "")
    return DraftFile(path.name, _document(fields, body), address, has_head="description" in fields and "title" in fields)


def _front_matter(path: Path, fence: str, text: str) -> dict[str, str]:
    """Plain values of the fields above a text."""
    if fence == "---":
        return {name.lower(): value.strip("\"'") for name, value in _FIELD.findall(text)}
    try:
        values: dict[str, Any] = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise SourceError(f"{path}: what stands between +++ cannot be read as TOML: {error}") from error
    return {name.lower(): value for name, value in values.items() if isinstance(value, str)}


def _of_text(text: str) -> bytes:
    parts = [part for part in re.split(r"\r?\n[ \t]*\r?\n", text.strip()) if part.strip()]
    first = " ".join(parts[0].split())
    is_title = len(parts) > 1 and len(first) <= _LONGEST_TITLE and first[-1] not in ".:;,"
    body = f"<h1>{escape(first)}</h1>" if is_title else ""
    body += "".join(f"<p>{escape(part)}</p>" for part in (parts[1:] if is_title else parts))
    return _document({"title": first} if is_title else {}, body)


def _of_docx(path: Path, body: bytes) -> bytes:
    import docx  # only here: its library takes longer to import than some commands to run
    from docx.opc.exceptions import PackageNotFoundError

    try:
        with zipfile.ZipFile(BytesIO(body)) as archive:
            unpacked = sum(part.file_size for part in archive.infolist())
        if unpacked > _MOST_UNPACKED * max(len(body), 1_000_000):
            raise SourceError(f"{path}: unpacks to {unpacked / 1_000_000:,.0f} MB, more than any page")
        document = docx.Document(BytesIO(body))
        parts = list(_docx_parts(document))
        title = document.core_properties.title or ""
    except (*_DAMAGE, PackageNotFoundError) as error:
        raise SourceError(f"{path}: cannot be read as .docx ({' '.join(str(error).split())[:200]})") from error
    return _document({"title": title}, "".join(parts))


def _docx_parts(document: Any) -> Iterator[str]:
    """The paragraphs and tables of a document as HTML, in their order."""
    from docx.table import Table

    for part in document.iter_inner_content():
        if isinstance(part, Table):
            rows = ("".join(f"<td>{escape(cell.text)}</td>" for cell in row.cells) for row in part.rows)
            yield f"<table>{''.join(f'<tr>{row}</tr>' for row in rows)}</table>"
            continue
        style = part.style.name if part.style is not None else ""
        heading = _HEADING.fullmatch(style)
        tag = "h1" if style == "Title" else f"h{heading[1]}" if heading is not None else "p"
        tag = "li" if style.startswith("List") else tag
        yield f"<{tag}>{''.join(_docx_runs(part))}</{tag}>"


def _docx_runs(paragraph: Any) -> Iterator[str]:
    for piece in paragraph.iter_inner_content():
        address = getattr(piece, "url", "") or ""
        yield f'<a href="{escape(address)}">{escape(piece.text)}</a>' if address else escape(piece.text)
