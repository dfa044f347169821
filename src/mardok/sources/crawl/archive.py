"""The WARC file a crawl is kept in (ISO 28500, WARC 1.1).

In:  answers, one by one.
Out: a file that any WARC reader reads, and that gives its answers back to a crawl that goes on.

Every record is a gzip member of its own, and all that belongs to one fetch is handed to the system in one write; what a
crash may leave behind is cut off at the next start. Each fetch is a request and a response record, a page that was rendered
has a conversion record that refers to its response, and an address that gave no answer has a metadata record. Two fields
of our own, which readers pass over, tell what was fetched and how far from the start: ``Mardok-Kind``, ``Mardok-Depth``.
The answer to the probe of an address that cannot exist is a metadata record, too: it is no page of the site.
"""

from __future__ import annotations

import hashlib
import io
import mmap
import tempfile
import zlib
from collections.abc import Iterator, Mapping, Sequence
from http import HTTPStatus
from pathlib import Path
from urllib.parse import urlsplit

from fastwarc.warc import ArchiveIterator, WarcRecord, WarcRecordType
from filelock import FileLock, Timeout
from warcio.recordloader import ArcWarcRecord
from warcio.statusandheaders import StatusAndHeaders
from warcio.warcwriter import WARCWriter

from mardok.errors import SourceError
from mardok.sources.crawl.fetched import Fetched, Task
from mardok.sources.raw import CrawlEnding

SCOPE_FIELD = "mardok-scope"
END_FIELD = "mardok-end"
_FIELDS = "application/warc-fields"
_ANSWER = "application/http; msgtype=response"
_PIECE = 1 << 16
_PHRASES = {status.value: status.phrase for status in HTTPStatus}


def _lock_file(path: Path) -> Path:
    """A file that only one process at a time may hold; apart from the crawl, beside which it would be litter."""
    name = hashlib.sha256(str(path.resolve()).encode("utf-8", "surrogatepass")).hexdigest()
    return Path(tempfile.gettempdir()) / f"mardok-{name[:16]}.lock"


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
        try:
            self._file = path.open("a+b")
        except OSError as error:
            raise SourceError(f"{path}: cannot be written: {error.strerror}") from error
        self._lock = FileLock(_lock_file(path))
        try:
            self._lock.acquire(timeout=0)
        except Timeout as error:
            self._file.close()
            raise SourceError(f"{path}: another crawl is writing to it; wait for it, or name another file") from error
        try:
            self._file.truncate(_whole_bytes(path))
            if path.stat().st_size:
                self._check_scope(info[SCOPE_FIELD])
            else:
                self._write(_fields_record("warcinfo", "", info))
        except SourceError:
            self._close()
            raise

    def _check_scope(self, scope: str) -> None:
        result = ""
        with self.path.open("rb") as file:
            for record in ArchiveIterator(file, record_types=WarcRecordType.warcinfo, parse_http=False):
                result = _fields_of(record).get(SCOPE_FIELD, "")
                break
        if result != scope:
            holds = f"another crawl ({result})" if result else "something else"
            raise SourceError(f"{self.path}: holds {holds}; name another file, or remove it to begin again")

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
        phrase = _PHRASES.get(fetched.status, "Unknown")
        status = StatusAndHeaders(f"{fetched.status} {phrase}", list(fetched.headers), protocol="HTTP/1.1")
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
                    payload=io.BytesIO(status.to_bytes() + fetched.body),
                    warc_content_type=_ANSWER,
                    warc_headers_dict=own,
                )
            )
            return
        response = writer.create_warc_record(
            task.url, "response", payload=io.BytesIO(fetched.body), http_headers=status, warc_headers_dict=own
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

    def end(self, how: CrawlEnding) -> None:
        """Note how the crawl ended, and close the file."""
        if self.ended() != how:
            self._write(_fields_record("metadata", "", {END_FIELD: str(how)}))
        self._close()

    def _close(self) -> None:
        self._file.close()
        self._lock.release()

    def _write(self, *records: ArcWarcRecord) -> None:
        buffer = io.BytesIO()
        writer = WARCWriter(buffer, gzip=True, warc_version="1.1")
        for record in records:
            writer.write_record(record)
        self._file.write(buffer.getvalue())
        self._file.flush()


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
    first, *lines = head.decode("utf-8", "replace").split("\r\n")
    pairs = (line.partition(":") for line in lines)
    headers = tuple((name.strip(), value.strip()) for name, _, value in pairs)
    return Fetched(task, int(first.split(" ")[1]), headers, body, truncated=record.headers.get("WARC-Truncated") or "")


def _with_rendered(fetched: Fetched, html: bytes) -> Fetched:
    return Fetched(
        fetched.task, fetched.status, fetched.headers, fetched.body, truncated=fetched.truncated,
        rendered=html.decode("utf-8", "replace"),
    )  # fmt: skip


def _whole_bytes(path: Path) -> int:
    """Bytes of the file up to the end of the last fetch that is whole; a request that lacks its response is not."""
    if not path.stat().st_size:
        return 0
    at = end = 0
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
        if content[:2] != b"\x1f\x8b":
            raise SourceError(f"{path}: is not a WARC file that mardok crawl wrote; name another file")
        while at < len(content):
            member, begun, position = zlib.decompressobj(31), b"", at
            try:
                while not member.eof and position < len(content):
                    piece = member.decompress(content[position : position + _PIECE])
                    begun = begun or piece[:256]
                    position += _PIECE
            except zlib.error:
                break
            if not member.eof:
                break
            at = min(position, len(content)) - len(member.unused_data)
            if b"WARC-Type: request" not in begun:
                end = at
    return end
