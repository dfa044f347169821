"""Builds the files of the made-up site: ``python -m mardok.demo.build [FOLDER]``.

In:  the authored texts.
Out: ``site.warc.gz`` (WARC 1.1) and ``search.csv``, and the same of later, byte for byte the same each time.
"""

from __future__ import annotations

import csv
import datetime
import hashlib
import io
import sys
import uuid
from collections.abc import Iterable
from http import HTTPStatus
from pathlib import Path

from warcio.statusandheaders import StatusAndHeaders
from warcio.warcwriter import WARCWriter

from mardok.demo import later, troubles
from mardok.demo.search import later_rows, search_rows
from mardok.demo.site import Response, responses

SITE_FILE = "site.warc.gz"
SEARCH_FILE = "search.csv"
DEPLOYED_FILE, LATER_FILE = "deployed.warc.gz", "later.warc.gz"
LATER_SEARCH_FILE = "later-search.csv"
DRAFTS = ("drafts/tuning-a-violin.md", "drafts/violin-hire-for-weddings.md", "drafts/violin-teacher.html")
"""Pages that nobody has published yet, written by hand."""
_CRAWLED = datetime.date(2026, 11, 2)


def build(folder: Path) -> None:
    """Write all files into a folder."""
    for name, answers, day in (
        (SITE_FILE, responses(), _CRAWLED),
        (DEPLOYED_FILE, later.later_responses(is_spring=False), later.DEPLOYED),
        (LATER_FILE, later.later_responses(is_spring=True), later.CRAWLED_LATER),
    ):
        (folder / name).write_bytes(site_warc(answers, day))
    gains = {troubles.url(path): places for path, places in later.GAINS.items()}
    merged = {troubles.url(path): troubles.url(kept) for path, kept in later.MERGED.items()}
    for name, rows in (
        (SEARCH_FILE, search_rows()),
        (LATER_SEARCH_FILE, later_rows(gains, merged, later.CHANGED)),
    ):
        with (folder / name).open("w", encoding="utf-8", newline="") as file:
            writer = csv.writer(file, lineterminator="\n")
            writer.writerow(["date", "query", "page", "clicks", "impressions", "position"])
            writer.writerows(rows)


def site_warc(answers: Iterable[Response], day: datetime.date) -> bytes:
    """A crawl as a gzipped WARC file."""
    buffer = io.BytesIO()
    writer = WARCWriter(buffer, gzip=True, warc_version="WARC/1.1")
    for response in answers:
        writer.write_record(_record(writer, response, day))
    return buffer.getvalue()


def _record(writer: WARCWriter, response: Response, day: datetime.date) -> object:
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
        warc_headers_dict={"WARC-Date": f"{day}T09:00:00Z", "WARC-Record-ID": f"<urn:uuid:{name}>"},
    )


if __name__ == "__main__":
    build(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent)
