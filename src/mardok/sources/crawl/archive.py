"""The WARC file a crawl is kept in (ISO 28500, WARC 1.1).

In:  answers, one by one.
Out: a file that any WARC reader reads, and that gives its answers back to a crawl that goes on.

Every record is a gzip member of its own, and all that belongs to one fetch is handed to the system in one write; the piece
of a fetch that a crash may leave behind is cut off at the next start, and a file that is damaged otherwise is set aside as
it is and written anew with what is whole in it. Headers are kept in the bytes they were sent in. Each fetch is a request
and a response record, a page that was rendered has a conversion record that refers to its response, and an address that
gave no answer has a metadata record. Two fields of our own, which readers pass over, tell what was fetched and how far
from the start: ``Mardok-Kind``, ``Mardok-Depth``. The answer to the probe of an address that cannot exist is a metadata
record, too: it is no page of the site.
"""

from __future__ import annotations

import io
import mmap
import os
import re
import shutil
import zlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from http import HTTPStatus
from pathlib import Path
from urllib.parse import urlsplit

from fastwarc.warc import ArchiveIterator, WarcRecord, WarcRecordType
from filelock import FileLock, Timeout
from warcio.recordloader import ArcWarcRecord
from warcio.statusandheaders import StatusAndHeaders
from warcio.warcwriter import WARCWriter

from mardok.errors import SourceError
from mardok.locks import lock_file
from mardok.sources.body import header_bytes, header_text
from mardok.sources.crawl.fetched import Fetched, Task
from mardok.sources.raw import CrawlEnding

SCOPE_FIELD = "mardok-scope"
END_FIELD = "mardok-end"
_FIELDS = "application/warc-fields"
_ANSWER = "application/http; msgtype=response"
_PIECE = 1 << 16
_GZIP_START = re.compile(rb"\x1f\x8b\x08")
_BREAKS = re.compile(rb"[\r\n\0]")
_PHRASES = {status.value: status.phrase for status in HTTPStatus}


class Archive:
    """A WARC file that is being written, alone, from its end."""

    def __init__(self, path: Path, info: Mapping[str, str]) -> None:
        """Open or create the file.

        Parameters
        ----------
        info : mapping of str to str
            Fields of the warcinfo record of a new file. Under :data:`SCOPE_FIELD` an older file must say the same.

        Raises
        ------
        SourceError
            If the file cannot be written, is none of ours, belongs to another crawl, or to one that is running.
        """
        self.path = path
        self.mended = ""
        """What was done to an older file that was not whole, for a person to read."""
        self._lock = FileLock(lock_file(path))
        try:
            self._lock.acquire(timeout=0)
        except Timeout as error:
            raise SourceError(f"{path}: another crawl is writing to it; wait for it, or name another file") from error
        try:
            is_new = not path.exists() or not path.stat().st_size
            if not is_new:
                self._check_scope(info[SCOPE_FIELD])
                self._mend()
            self._file = path.open("ab")
            if is_new:
                self._write(_fields_record("warcinfo", "", info))
        except OSError as error:
            self._lock.release()
            raise SourceError(f"{path}: cannot be written: {error.strerror}") from error
        except SourceError:
            self._lock.release()
            raise

    def _check_scope(self, scope: str) -> None:
        """See whose file it is, before a byte of it is changed."""
        fields: dict[str, str] = {}
        with self.path.open("rb") as file:
            if file.read(2) != b"\x1f\x8b":
                raise SourceError(f"{self.path}: is not a WARC file that mardok crawl wrote; name another file")
            file.seek(0)
            try:
                for record in ArchiveIterator(file, parse_http=False):
                    fields = _fields_of(record) if record.record_type == WarcRecordType.warcinfo else {}
                    break
            except (OSError, ValueError):  # damaged from its first record on: nobody can say whose it is
                fields = {}
        result = fields.get(SCOPE_FIELD, "")
        if result != scope:
            holds = f"another crawl ({result})" if result else "something else"
            raise SourceError(f"{self.path}: holds {holds}; name another file, or remove it to begin again")

    def _mend(self) -> None:
        """Cut off what a crash left at the end; set a file aside that is damaged, and go on with what is whole in it."""
        found = _survey(self.path)
        if not found.n_damaged:
            if found.end < self.path.stat().st_size:
                os.truncate(self.path, found.end)
                self.mended = f"{self.path}: the answer at its end was not whole; it was cut off and is asked for again"
            return
        aside = _free_name(self.path)
        fresh = self.path.with_name(f"{self.path.name}.mending")
        try:
            with self.path.open("rb") as old, fresh.open("wb") as new:
                for begin, end in found.whole:
                    old.seek(begin)
                    new.write(old.read(end - begin))
                new.flush()
                os.fsync(new.fileno())
            try:
                os.link(self.path, aside)
            except OSError:  # not every file system has links
                shutil.copy2(self.path, aside)
            fresh.replace(self.path)
        finally:
            fresh.unlink(missing_ok=True)
        self.mended = (
            f"{self.path}: was damaged in {found.n_damaged} {'place' if found.n_damaged == 1 else 'places'}; "
            f"the old file is kept as {aside.name}, and what is missing is asked for again"
        )

    def answers(self) -> Iterator[Fetched]:
        """The answers in the file, in their order."""
        last: Fetched | None = None
        with self.path.open("rb") as file:
            for record in ArchiveIterator(file, parse_http=False):
                if record.record_type == WarcRecordType.conversion and last is not None:
                    last = _with_rendered(last, record.reader.read())
                elif "Mardok-Kind" in record.headers and record.record_type in (
                    WarcRecordType.response,
                    WarcRecordType.metadata,
                ):
                    if last is not None:
                        yield last
                    last = _fetched_of(record)
        if last is not None:
            yield last

    def ended(self) -> CrawlEnding:
        """How the crawl in the file ended last; unknown if it never did."""
        result = CrawlEnding()
        with self.path.open("rb") as file:
            for record in ArchiveIterator(file, record_types=WarcRecordType.metadata, parse_http=False):
                fields = _fields_of(record)
                if END_FIELD in fields:
                    result = CrawlEnding.read(fields[END_FIELD])
        return result

    def add(self, fetched: Fetched, request_headers: Sequence[tuple[str, str]]) -> None:
        """Append one fetch."""
        task = fetched.task
        own = {"Mardok-Kind": task.kind, "Mardok-Depth": str(task.depth)}
        if fetched.failure:
            self._write(_fields_record("metadata", task.url, {"fetch-failure": fetched.failure}, own))
            return
        parts = urlsplit(task.url)
        target = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
        method = "HEAD" if task.kind == "image" else "GET"
        request = StatusAndHeaders(f"{method} {target} HTTP/1.1", list(request_headers), is_http_request=True)
        head = _head(fetched)
        if fetched.truncated:
            own["WARC-Truncated"] = fetched.truncated
        if fetched.ip_address:
            own["WARC-IP-Address"] = fetched.ip_address
        writer = _writer()
        if task.kind == "probe":  # no page of the site: other readers are to pass it over
            self._write(
                writer.create_warc_record(
                    task.url,
                    "metadata",
                    payload=io.BytesIO(head.headers_buff + fetched.body),
                    warc_content_type=_ANSWER,
                    warc_headers_dict=own,
                )
            )
            return
        response = writer.create_warc_record(
            task.url, "response", payload=io.BytesIO(fetched.body), http_headers=head, warc_headers_dict=own
        )
        response_id = response.rec_headers.get_header("WARC-Record-ID")
        records = [
            writer.create_warc_record(
                task.url, "request", http_headers=request, warc_headers_dict={"WARC-Concurrent-To": response_id}
            ),
            response,
        ]
        if fetched.rendered:
            records.append(
                writer.create_warc_record(
                    task.url,
                    "conversion",
                    payload=io.BytesIO(fetched.rendered.encode("utf-8", "replace")),
                    warc_content_type="text/html; charset=utf-8",
                    warc_headers_dict={"WARC-Refers-To": response_id},
                )
            )
        self._write(*records)

    def close(self) -> None:
        """Let go of the file."""
        try:
            self._file.close()
        finally:
            self._lock.release()

    def end(self, how: CrawlEnding) -> None:
        """Note how the crawl ended, and close the file."""
        if self.ended() != how:
            self._write(_fields_record("metadata", "", {END_FIELD: str(how)}))
        self.close()

    def _write(self, *records: ArcWarcRecord) -> None:
        buffer = io.BytesIO()
        writer = WARCWriter(buffer, gzip=True, warc_version="1.1")
        for record in records:
            writer.write_record(record)
        self._file.write(buffer.getvalue())
        self._file.flush()


class _Head:
    """The head of an answer in the bytes it was sent in; what warcio builds itself is ASCII."""

    def __init__(self, head: bytes) -> None:
        self.headers_buff = head

    def compute_headers_buffer(self, _: object) -> None:
        """Nothing to compute."""


def _head(fetched: Fetched) -> _Head:
    lines = [f"HTTP/1.1 {fetched.status} {_PHRASES.get(fetched.status, 'Unknown')}".encode()]
    # A break inside of a value would end it (RFC 9110, section 5.5).
    lines += [_BREAKS.sub(b" ", header_bytes(name) + b": " + header_bytes(value)) for name, value in fetched.headers]
    return _Head(b"\r\n".join([*lines, b"", b""]))


def _writer() -> WARCWriter:
    return WARCWriter(io.BytesIO(), gzip=True, warc_version="1.1")


def _fields_record(
    kind: str, url: str, fields: Mapping[str, str], headers: Mapping[str, str] | None = None
) -> ArcWarcRecord:
    text = "".join(f"{name}: {' '.join(value.split())}\r\n" for name, value in fields.items())
    return _writer().create_warc_record(
        url or None,
        kind,
        payload=io.BytesIO(text.encode()),
        warc_content_type=_FIELDS,
        warc_headers_dict=dict(headers or {}),
    )


def _fields_of(record: WarcRecord) -> dict[str, str]:
    lines = record.reader.read().decode("utf-8", "replace").splitlines()
    return {name.strip(): value.strip() for name, _, value in (line.partition(":") for line in lines)}


def _fetched_of(record: WarcRecord) -> Fetched:
    kind, depth = record.headers["Mardok-Kind"], int(record.headers.get("Mardok-Depth") or 0)
    task = Task((record.headers.get("WARC-Target-URI") or "").strip("<>"), kind, depth)
    if record.record_type == WarcRecordType.metadata and record.headers.get("Content-Type") != _ANSWER:
        return Fetched(task, failure=_fields_of(record).get("fetch-failure", ""))
    head, _, body = record.reader.read().partition(b"\r\n\r\n")
    first, *lines = header_text(head).split("\r\n")
    pairs = (line.partition(":") for line in lines)
    headers = tuple((name.strip(), value.strip()) for name, _, value in pairs)
    return Fetched(task, int(first.split(" ")[1]), headers, body, truncated=record.headers.get("WARC-Truncated") or "")


def _with_rendered(fetched: Fetched, html: bytes) -> Fetched:
    return Fetched(
        fetched.task, fetched.status, fetched.headers, fetched.body, truncated=fetched.truncated,
        rendered=html.decode("utf-8", "replace"),
    )  # fmt: skip


@dataclass(frozen=True)
class _Survey:
    """What is whole in a file of a crawl."""

    whole: list[tuple[int, int]]
    """Where each fetch, or other piece of the file, that is whole begins and ends, in bytes."""
    n_damaged: int
    """Places that are damaged, beside an end that is merely missing."""

    @property
    def end(self) -> int:
        """End of the last piece that is whole."""
        return self.whole[-1][1] if self.whole else 0


def _survey(path: Path) -> _Survey:
    """See what is whole: a request that lacks its response is not, and behind damage the next record is looked for."""
    whole: list[tuple[int, int]] = []
    begin = at = n_damaged = 0
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
        while at < len(content):
            end, record = _member(content, at)
            if end is None:
                following = _next_member(content, at + 1)
                if following is None:
                    # The end of a file that was being written breaks off; anything else there is damage.
                    n_damaged += not _breaks_off(content, at)
                    break
                n_damaged += 1
                begin = at = following
                continue
            at = end
            if b"WARC-Type: request" not in record:
                whole.append((begin, end))
                begin = end
    return _Survey(whole, n_damaged)


def _member(content: mmap.mmap, start: int) -> tuple[int | None, bytes]:
    """Where the gzip member at `start` ends, None if it is not whole; and how its record begins."""
    member, begun, at = zlib.decompressobj(31), b"", start
    try:
        while not member.eof and at < len(content):
            piece = member.decompress(content[at : at + _PIECE])
            begun = begun or piece[:256]
            at += _PIECE
    except zlib.error:
        return None, b""
    if not member.eof or not begun.startswith(b"WARC/"):
        return None, b""
    return min(at, len(content)) - len(member.unused_data), begun


def _breaks_off(content: mmap.mmap, start: int) -> bool:
    """Whether what stands at `start` is sound as far as it goes."""
    member, at = zlib.decompressobj(31), start
    try:
        while at < len(content):
            member.decompress(content[at : at + _PIECE])
            at += _PIECE
    except zlib.error:
        return False
    return not member.eof


def _next_member(content: mmap.mmap, start: int) -> int | None:
    """Where the next record that is whole begins."""
    found = (match.start() for match in _GZIP_START.finditer(content, start))
    return next((at for at in found if _member(content, at)[0] is not None), None)


def _free_name(path: Path) -> Path:
    """A name beside a file that nothing has yet."""
    number = 1
    while (result := path.with_name(f"{path.name}.damaged-{number}")).exists():
        number += 1
    return result
