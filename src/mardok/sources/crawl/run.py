"""Collecting a site, from the outside.

In:  start addresses, a file to keep the crawl in, settings.
Out: the file, and a :class:`CrawlSummary`.
"""

from __future__ import annotations

import base64
import json
import logging
import os
import re
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from importlib.util import find_spec
from os import PathLike
from pathlib import Path
from typing import Any

from mardok.errors import SourceError
from mardok.settings import Settings
from mardok.sources.raw import CrawlEnding
from mardok.urls import normal_url
from mardok.vocabulary import CrawlEnd, SkipReason

log = logging.getLogger(__name__)
_HEADER = re.compile(r"([A-Za-z0-9-]+):\s+(.+)")
_SOON_EMPTY = 0.5
"""Share of pages without words or without leave to be indexed, from which the summary gives a hint."""


@dataclass(frozen=True)
class CrawlSummary:
    """How a crawl went; counts are of the whole file, earlier runs included."""

    path: Path
    """The WARC file."""
    ending: CrawlEnding
    """How it ended, and by what."""
    n_fetched: int
    """Requests made, for whatever kind of file, repeated ones too."""
    n_before: int
    """Those of them that earlier runs made."""
    n_pages: int
    """Addresses asked for as pages."""
    n_html: int
    """Those that answered 200 with HTML."""
    n_noindex: int
    n_empty: int
    """HTML pages that show hardly a word before their scripts run."""
    statuses: Mapping[int, int]
    """Answers to pages by HTTP status."""
    images: Mapping[int, int]
    """Answers to images by HTTP status; 0 is none."""
    skipped: Mapping[str, int]
    """Addresses not fetched or not read, by reason; ``robots.txt`` are those the site refuses."""
    failures: Mapping[str, int]
    """Addresses without an answer, by reason."""

    @property
    def hints(self) -> tuple[str, ...]:
        """What a person should know before believing the crawl to be the site."""
        result = []
        end, value = self.ending
        if end == CrawlEnd.LIMIT:
            setting = value
            result.append(f"the crawl reached {setting}: raise it (--set {setting}=...) and run the same command again")
        if end == CrawlEnd.STOPPED:
            result.append(f"the server was left in peace after {value}; run the command again later")
        refused = self.skipped.get(SkipReason.ROBOTS, 0)
        if refused and refused >= self.n_html:
            result.append(f"robots.txt closes most of the site: {refused} addresses were refused, {self.n_html} pages read")
        if self.n_html and self.n_noindex > _SOON_EMPTY * self.n_html:
            result.append(f"{self.n_noindex} of {self.n_html} pages are noindex: is this a staging site?")
        if self.n_html and self.n_empty > _SOON_EMPTY * self.n_html:
            result.append(f"{self.n_empty} of {self.n_html} pages are empty without scripts: crawl with --render")
        if not self.n_html:
            result.append("no page answered with HTML: look at the address and at what failed")
        return tuple(result)


def crawl(
    *starts: str,
    out: str | PathLike[str],
    listed: Sequence[str] = (),
    settings: Settings | None = None,
    credentials: str | None = None,
    progress: Callable[[str, int], None] | None = None,
) -> CrawlSummary:
    """Collect the pages of a site into a WARC file.

    The same call goes on with a crawl that was broken off, and fetches nothing again. It works in a process of its own,
    so that it may be called from a notebook, and more than once.

    Parameters
    ----------
    *starts : str
        Start addresses; their hosts, with and without ``www.``, are the site.
    out : path
        WARC file to write or go on with; its name ends in ``.warc.gz``.
    listed : sequence of str
        Further addresses to fetch. Without start addresses they alone say what the site is.
    settings : Settings, optional
        The section ``crawl`` is used.
    credentials : str, optional
        A file, or ``env:NAME`` for a variable of the environment, with either ``user:password`` or headers, one
        ``Name: value`` a line. They are sent to the origins of the start addresses alone and are not kept.
    progress : callable
        Called with what is going on and the number of addresses done.

    Raises
    ------
    SourceError
        If an address or file cannot be used, or scrapy is not installed.
    """
    settings = settings or Settings()
    path = Path(out)
    if not path.name.lower().endswith(".warc.gz"):
        raise SourceError(f"{path}: the name of a crawl ends in .warc.gz")
    if find_spec("scrapy") is None:
        raise SourceError("crawling needs scrapy: pip install 'mardok[crawl]'")
    if settings.crawl.render and find_spec("playwright") is None:
        raise SourceError("crawl.render needs playwright: pip install 'mardok[render]', and a Chromium on the system")
    if settings.crawl.render:
        from mardok.sources.crawl.render import chromium_program  # needs playwright

        chromium_program()
    job = {
        "starts": [_address(start) for start in starts],
        "listed": [_address(text) for text in listed],
        "out": str(path.absolute()),
        "settings": settings.crawl.model_dump(mode="json"),
        "limits": settings.extract.model_dump(mode="json"),
        "parent": os.getpid(),
        "headers": read_credentials(credentials) if credentials else {},
    }
    if not job["starts"] and not job["listed"]:
        raise SourceError("nothing to crawl: name a start address or a list of addresses")
    message = _worked(job, progress)
    counts = {
        name: {int(key): n for key, n in message[name].items() if n} for name in ("statuses", "images")
    } | {name: {key: n for key, n in message[name].items() if n} for name in ("skipped", "failures")}  # fmt: skip
    plain = {name: message[name] for name in ("n_fetched", "n_before", "n_pages", "n_html", "n_noindex", "n_empty")}
    return CrawlSummary(path, CrawlEnding.read(message["how"]), **plain, **counts)


def _address(text: str) -> str:
    url = normal_url(text)
    if url is None:
        raise SourceError(f"{text!r}: expected an http(s) address such as https://www.host.example/")
    if "@" in text.split("//", 1)[-1].split("/", 1)[0]:
        raise SourceError(f"{url}: put user and password into a file and name it with --credentials")
    return url


def read_credentials(source: str) -> dict[str, str]:
    """Credentials as headers, from a file or ``env:NAME``.

    Raises
    ------
    SourceError
        If there are none; the message never says what was read.
    """
    if source.startswith("env:"):
        text = os.environ.get(source[4:], "")
    else:
        try:
            text = Path(source).read_text("utf-8-sig")
        except (OSError, UnicodeDecodeError) as error:
            raise SourceError(f"{source}: cannot be read as a file of credentials") from error
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    result = [_HEADER.fullmatch(line) for line in lines]
    if lines and all(result):
        return {match[1].title(): match[2] for match in result if match}
    if len(lines) == 1 and ":" in lines[0]:
        return {"Authorization": "Basic " + base64.b64encode(lines[0].encode()).decode("ascii")}
    raise SourceError(f"{source}: expected one line user:password, or headers as Name: value, one a line")


def _worked(job: Mapping[str, Any], progress: Callable[[str, int], None] | None) -> dict[str, Any]:
    """Run the worker to its end; what it told last."""
    begun, ended = time.monotonic(), None
    with tempfile.TemporaryFile() as complaints:
        command = [sys.executable, "-m", "mardok.sources.crawl.worker"]
        # In a session of its own: an interrupt reaches us alone, and closing the pipe ends the worker.
        worker = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=complaints, start_new_session=True, text=True
        )
        assert worker.stdin is not None
        assert worker.stdout is not None
        try:
            worker.stdin.write(json.dumps(job) + "\n")
            worker.stdin.flush()
            for line in worker.stdout:
                message = json.loads(line)
                if "error" in message:
                    raise SourceError(message["error"])
                if "warning" in message:
                    log.warning("%s", message["warning"])
                ended = message.get("ended", ended)
                if "done" in message and progress:
                    pace = message["done"] / max(time.monotonic() - begun, 1e-9)
                    stage = f"crawling ({message['queued']:,} queued, {pace:.1f} a second, {message['errors']:,} errors)"
                    progress(stage, message["done"])
        finally:
            worker.stdin.close()
            if ended is None:
                worker.kill()
            worker.wait()
            worker.stdout.close()
        if ended is None:
            complaints.seek(0)
            last = complaints.read().decode("utf-8", "replace").strip().splitlines()[-1:]
            raise SourceError(f"{job['out']}: the crawl broke off ({''.join(last) or 'killed'}); run the command again")
    return dict(ended)
