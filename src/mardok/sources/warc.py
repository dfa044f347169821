"""Pages from WARC files (ISO 28500).

In:  a ``.warc`` or ``.warc.gz`` file, whole or damaged.
Out: a raw page for each HTML response and each redirect or error; the rest is counted.

Three traps of reading archives, met and measured: a record cut short ends without an error, so its length is compared
with the one it declares; a damaged gzip member ends the iteration, so reading starts again at the next member; and
automatic decoding gives up on one false ``Content-Encoding``, so each body is decoded on its own.
"""

from __future__ import annotations

import mmap
import re
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import BinaryIO

from fastwarc.warc import ArchiveIterator, WarcRecord, WarcRecordType

from mardok.errors import SourceError
from mardok.sources.body import BodyError, decoded, header_text, without_chunks
from mardok.sources.raw import CrawlEnding, OpenIntake, RawPage, Unread
from mardok.sources.sitemaps import sitemap_of
from mardok.urls import normal_url
from mardok.vocabulary import CheckId

_STATUS_LINE = re.compile(rb"HTTP/\d(?:\.\d)? +(\d{3})")
_RECORD_START = re.compile(rb"WARC/\d\.\d\r?\n")
_GZIP_START = re.compile(rb"\x1f\x8b\x08")
_DAY = re.compile(r"[12]\d{3}-[01]\d-[0-3]\d", re.ASCII)
_FOLDED = re.compile(rb"\r?\n[ \t]+")
_PIECE = 1 << 16
_WITH_ADDRESS = frozenset(["link", "location", "refresh"])
_HTML_TYPES = ("text/html", "application/xhtml+xml")


@dataclass(frozen=True, slots=True)
class Stretch:
    """Part of a WARC file that can be read alone."""

    start: int = 0
    """Byte at which its first record begins."""
    end: int | None = None
    """Byte at which the first record behind it begins; None where it goes on to the end of the file."""
    asked_by_head: str = ""
    """Address that was asked for by HEAD last before it."""


WHOLE = Stretch()


def stretches_of(path: Path, most: int) -> list[Stretch]:
    """A WARC file cut before answers, so that its parts read one after the other are the file.

    The records are gone through one by one, since a page may hold what looks like the begin of one. Behind the first damage
    the file is not cut: where reading starts again is known only to who reads.

    Parameters
    ----------
    most : int
        Answers in a part.

    Raises
    ------
    SourceError
        If the file does not begin as a WARC file does.
    """
    cuts = [WHOLE]
    n_answers, asked_by_head = 0, ""
    with _opened(path) as (file, _):
        try:
            for record in ArchiveIterator(file, parse_http=False):
                if record.record_type == WarcRecordType.request:
                    is_head = record.reader.read(5) == b"HEAD "
                    asked_by_head = _address_of(record) if is_head else asked_by_head
                elif record.record_type == WarcRecordType.response and _is_page(record):
                    if n_answers == most:
                        cuts.append(Stretch(record.stream_pos, None, asked_by_head))
                        n_answers = 0
                    n_answers += 1
        except (OSError, ValueError):
            pass  # who reads the last part meets it again, and tells
    ends = [*(cut.start for cut in cuts[1:]), None]
    return [replace(cut, end=end) for cut, end in zip(cuts, ends, strict=True)]


@contextmanager
def _opened(path: Path) -> Iterator[tuple[BinaryIO, mmap.mmap]]:
    """A WARC file and its bytes.

    Raises
    ------
    SourceError
        If the file does not begin as a WARC file does.
    """
    with path.open("rb") as file:
        if not file.read(1):
            raise SourceError(f"{path}: the file is empty; expected a WARC file")
        with mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
            if _next_record(content, 0) != 0:
                raise SourceError(f"{path}: does not begin like a WARC file (plain, or gzip record by record)")
            file.seek(0)
            yield file, content


def _address_of(record: WarcRecord) -> str:
    return (record.headers.get("WARC-Target-URI") or "").strip("<>")


def _is_page(record: WarcRecord) -> bool:
    """Whether a record is an answer for a page: of a probe nothing goes on to the next record, but none begins with it."""
    return record.headers.get("Mardok-Kind") != "probe"


def read_warc(path: Path, intake: OpenIntake, max_body_bytes: int, stretch: Stretch = WHOLE) -> Iterator[RawPage]:
    """Pages of a WARC file in its order; what cannot be read goes to `intake`.

    Parameters
    ----------
    intake : OpenIntake
        Takes what is no page, and what cannot be read.
    max_body_bytes : int
        Bytes of a decoded body beyond which it is not read.
    stretch : Stretch
        The part that is read.

    Raises
    ------
    SourceError
        If the file does not begin as a WARC file does.
    """
    with _opened(path) as (file, content):
        last: RawPage | None = None
        for record in _records(file, content, str(path), intake, max_body_bytes, stretch):
            if record.kind == "probe":
                answer = _raw_page(str(path), record, OpenIntake(), max_body_bytes)
                intake.probes += [answer] if answer is not None and answer.body is not None else []
                continue
            if record.kind == "conversion":
                if last is not None and last.url == normal_url(record.target) and record.is_whole:
                    last = replace(last, rendered=record.block)
                continue
            if last is not None:
                yield last
            last = _raw_page(str(path), record, intake, max_body_bytes)
        if last is not None:
            yield last


@dataclass(frozen=True, slots=True)
class _Record:
    """One record of a page."""

    place: str
    target: str
    kind: str
    """``conversion``, or of a response what was asked for, where the crawler tells: ``page``, ``robots``, ``probe`` ..."""
    block: bytes
    is_whole: bool
    is_truncated: bool
    """Whether the crawler says that it has not got the whole body (WARC-Truncated)."""


def _records(
    file: BinaryIO, content: mmap.mmap, source: str, intake: OpenIntake, max_body_bytes: int, stretch: Stretch
) -> Iterator[_Record]:
    """Each response and conversion record; starts again behind damage."""
    start: int | None = stretch.start
    end = stretch.end if stretch.end is not None else len(content) + 1
    in_damage, asked_by_head = False, stretch.asked_by_head
    while start is not None and start < end:
        file.seek(start)
        last, is_whole = start, True
        try:
            for record in ArchiveIterator(file, parse_http=False):
                if record.stream_pos >= end:
                    return
                last, in_damage = record.stream_pos, False
                place = f"byte {last}"
                url, kind = _address_of(record), record.headers.get("Mardok-Kind")
                if record.record_type == WarcRecordType.request:
                    asked_by_head = url if record.reader.read(5) == b"HEAD " else asked_by_head
                    continue
                is_probe = kind == "probe" and "http" in (record.headers.get("Content-Type") or "")
                if record.record_type == WarcRecordType.metadata and not is_probe:
                    _note_metadata(url, record.reader.read(_PIECE), intake)
                    continue
                if record.record_type not in (WarcRecordType.response, WarcRecordType.conversion) and not is_probe:
                    continue
                if day := _DAY.match(record.headers.get("WARC-Date") or ""):
                    intake.came(day[0])
                declared = record.headers.get("Content-Length")
                length = int(declared or 0)
                if length > 2 * max_body_bytes:
                    intake.unread.append(Unread(source, place, url, f"record of {length} bytes is too large"))
                    continue
                block = record.reader.read()
                is_whole = declared is not None and len(block) >= length
                kind = kind or ("image" if url == asked_by_head else "")
                if record.record_type == WarcRecordType.conversion:
                    kind = "conversion"
                yield _Record(place, url, kind, block, is_whole, "WARC-Truncated" in record.headers)
            if is_whole and _goes_on_after(content, last):
                intake.unread.append(Unread(source, f"behind byte {last}", "", "the file breaks off inside a record"))
            return
        except (OSError, ValueError) as error:
            if not in_damage:  # one row for a damaged stretch, however many records it holds
                intake.unread.append(Unread(source, f"behind byte {last}", "", f"damaged record: {error}"))
            in_damage = True
            start = _next_record(content, last + 1)


def _note_metadata(url: str, block: bytes, intake: OpenIntake) -> None:
    """What the crawler says of an address, or of the whole crawl."""
    lines = (line.partition(":") for line in block.decode("utf-8", "replace").splitlines())
    fields = {name.strip().lower(): value.strip() for name, _, value in lines}
    if "fetch-failure" in fields and normal_url(url):
        intake.failed[normal_url(url) or url] = fields["fetch-failure"]
    if "mardok-end" in fields:
        intake.ended = CrawlEnding.read(fields["mardok-end"])


def _goes_on_after(content: mmap.mmap, start: int) -> bool:
    """Whether anything stands behind the record at `start`: the reader takes a record cut in its header for the end."""
    if content[:2] == b"\x1f\x8b":
        member, at = zlib.decompressobj(31), start
        try:
            while not member.eof and at < len(content):
                member.decompress(content[at : at + _PIECE])
                at += _PIECE
        except zlib.error:
            return True
        return not member.eof or bool(member.unused_data) or at < len(content)
    head_end = content.find(b"\r\n\r\n", start) + 4
    length = re.search(rb"(?i)\ncontent-length:\s*(\d+)", content[start:head_end])
    return head_end < 4 or length is None or bool(content[head_end + int(length[1]) :].strip())


def _next_record(content: mmap.mmap, start: int) -> int | None:
    """Where the next record begins, at `start` or behind it."""
    is_gzip = content[:2] == b"\x1f\x8b"
    for result in (_GZIP_START if is_gzip else _RECORD_START).finditer(content, start):
        if not is_gzip or _unpacks_to_record(content[result.start() : result.start() + 1024]):
            return result.start()
    return None


def _unpacks_to_record(piece: bytes) -> bool:
    try:
        return zlib.decompressobj(31).decompress(piece, 16).startswith(b"WARC/")
    except zlib.error:
        return False


def _raw_page(source: str, record: _Record, intake: OpenIntake, max_body_bytes: int) -> RawPage | None:
    """The page in one response record; None if it is another file or has no usable address."""
    url, place = normal_url(record.target), record.place
    if url is None:
        if not record.target.startswith(("dns:", "metadata:")):
            intake.unread.append(Unread(source, place, record.target, "not an http(s) address"))
        return None
    if not record.is_whole:
        intake.unread.append(Unread(source, place, url, "record is cut short"))
        return None
    head, _, body = record.block.partition(b"\r\n\r\n")
    status_line = _STATUS_LINE.match(head)
    if status_line is None:
        intake.unread.append(Unread(source, place, url, "no HTTP status line"))
        return None
    status, headers = int(status_line[1]), _headers(head)
    page = RawPage(url, source, status, headers)
    if record.kind == "part":
        intake.broken_parts.update({url: status} if status >= 400 else {})
        return None
    if record.kind == "image":
        intake.images[url] = status
        return None
    content_type = page.header("content-type").partition(";")[0].strip().lower()
    try:
        body, ends = without_chunks(body) if "chunked" in page.header("transfer-encoding").lower() else (body, True)
        if not ends:
            intake.unread.append(Unread(source, place, url, "chunked body breaks off; the part before it is used"))
        body = decoded(body, page.header("content-encoding"), max_body_bytes)
    except BodyError as error:
        intake.unread.append(Unread(source, place, url, str(error)))
        return RawPage(url, source, status, headers, trouble=str(error))
    is_html = content_type in _HTML_TYPES or (not content_type and body.lstrip()[:1] == b"<")
    if record.is_truncated and (is_html or record.kind == "sitemap"):
        intake.unread.append(Unread(source, place, url, "the answer broke off; the part before it is used"))
    if _is_for_crawlers(url, record.kind, status, body, is_html, intake):
        return None
    if is_html:
        return RawPage(url, source, status, headers, body)
    if status >= 300:
        return page
    intake.skipped[content_type or "unknown"] += 1
    intake.other_files.add(url)
    return None


def _is_for_crawlers(url: str, kind: str, status: int, body: bytes, is_html: bool, intake: OpenIntake) -> bool:
    """Whether the answer is robots.txt or a sitemap, or stands where one should; what it says is noted."""
    if kind == "robots" or (url.endswith("/robots.txt") and url.count("/") == 3):
        if status == 200 and is_html and not body.lstrip()[:10].lower().startswith(b"user-agent"):
            intake.html_instead[url] = CheckId.ROBOTS_HTML
        elif status == 200:
            intake.robots[url.removesuffix("/robots.txt")] = body.decode("utf-8-sig", "replace")
        return True
    is_likely = "sitemap" in url.lower() or b"<urlset" in body[:1000] or b"<sitemapindex" in body[:1000]
    if kind == "sitemap" or (is_likely and not is_html and status == 200):
        result = sitemap_of(body, url) if status == 200 else None
        if result is not None:
            intake.sitemaps[url] = result.pages
        elif status == 200 and is_html:
            intake.html_instead[url] = CheckId.SITEMAP_HTML
        return kind == "sitemap" or result is not None
    return False


def _headers(head: bytes) -> tuple[tuple[str, str], ...]:
    lines = _FOLDED.sub(b" ", head).splitlines()[1:]
    pairs = ((line.partition(b":")) for line in lines)
    named = ((name.decode("utf-8", "replace").strip().lower(), value.strip()) for name, colon, value in pairs if colon)
    # Of an address the bytes count, whatever they are.
    return tuple(
        (name, header_text(value) if name in _WITH_ADDRESS else value.decode("utf-8", "replace")) for name, value in named
    )
