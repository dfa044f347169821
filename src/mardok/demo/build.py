"""Builds the files of the made-up site: ``python -m mardok.demo.build [FOLDER]``.

In:  the authored texts.
Out: ``site.warc.gz`` (WARC 1.1) and ``search.csv``, byte for byte the same each time.
"""

from __future__ import annotations

import csv
import hashlib
import io
import sys
import uuid
from http import HTTPStatus
from pathlib import Path

from warcio.statusandheaders import StatusAndHeaders
from warcio.warcwriter import WARCWriter

from mardok.demo.search import search_rows
from mardok.demo.site import Response, responses

SITE_FILE = "site.warc.gz"
SEARCH_FILE = "search.csv"
_CRAWLED = "2026-11-02T09:00:00Z"


def build(folder: Path) -> None:
    """Write both files into a folder."""
    (folder / SITE_FILE).write_bytes(site_warc())
    with (folder / SEARCH_FILE).open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["date", "query", "page", "clicks", "impressions", "position"])
        writer.writerows(search_rows())


def site_warc() -> bytes:
    """The crawl as a gzipped WARC file."""
    buffer = io.BytesIO()
    writer = WARCWriter(buffer, gzip=True, warc_version="WARC/1.1")
    for response in responses():
        writer.write_record(_record(writer, response))
    return buffer.getvalue()


def _record(writer: WARCWriter, response: Response) -> object:
    body = response.body.encode("utf-8")
    headers = [("Content-Type", response.content_type), ("Content-Length", str(len(body)))]
    if response.location:
        headers.append(("Location", response.location))
    status = f"{response.status} {HTTPStatus(response.status).phrase}"
    name = uuid.UUID(bytes=hashlib.sha256(response.url.encode()).digest()[:16])
    return writer.create_warc_record(
        response.url,
        "response",
        payload=io.BytesIO(body),
        http_headers=StatusAndHeaders(status, headers, protocol="HTTP/1.1"),
        warc_headers_dict={"WARC-Date": _CRAWLED, "WARC-Record-ID": f"<urn:uuid:{name}>"},
    )


if __name__ == "__main__":
    build(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent)
