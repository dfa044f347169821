"""The process that fetches: scrapy around the state of a crawl.

In:  on standard input one line of JSON: what to crawl and where to keep it. When standard input closes, it leaves at once.
Out: on standard output lines of JSON: how far it is, and at the end what the summary is made of, or an error.

Scrapy has a reactor that starts once in a process. In a process of its own a crawl can be run from a notebook, twice, and
be killed without harm. Of scrapy the downloader is used, with its slots, pace, limits and cookies; which address comes next
is for :mod:`mardok.sources.crawl.state` to say.
"""

from __future__ import annotations

import dataclasses
import http.cookies
import ipaddress
import json
import os
import socket
import sys
import threading
import time
from collections.abc import AsyncIterator
from email.utils import parsedate_to_datetime
from importlib.metadata import version
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn
from urllib.parse import urlsplit

from scrapy import Request, Spider, signals
from scrapy.crawler import Crawler, CrawlerProcess
from scrapy.exceptions import (
    CannotResolveHostError,
    DownloadCancelledError,
    DownloadConnectionRefusedError,
    DownloadTimeoutError,
    StopDownload,
)
from scrapy.http import Headers, Response
from scrapy.resolver import CachingThreadedResolver
from scrapy.utils.defer import maybe_deferred_to_future
from twisted.internet.defer import Deferred
from twisted.internet.error import DNSLookupError
from twisted.internet.threads import deferToThread
from twisted.python.failure import Failure
from twisted.web._newclient import HTTPClientParser

from mardok.errors import MardokError
from mardok.processes import end_with_parent
from mardok.settings import Crawl, Extract
from mardok.sources.body import header_text
from mardok.sources.crawl.archive import SCOPE_FIELD, Archive
from mardok.sources.crawl.certificates import (
    BAD_CERTIFICATES,
    CheckedCertificates,
    causes,
    certificate_trouble,
    may_be_distrust,
)
from mardok.sources.crawl.discovery import HTML_TYPES, is_html
from mardok.sources.crawl.fetched import Fetched, Task
from mardok.sources.crawl.robots import MOST_BYTES, origin_of
from mardok.sources.crawl.scope import Scope, scope_of
from mardok.sources.crawl.state import CrawlState, limit_bytes
from mardok.sources.raw import CrawlEnding
from mardok.vocabulary import CrawlEnd, SkipReason

if TYPE_CHECKING:
    from mardok.sources.crawl.render import Renderer

_SLOT = "site"
_TOLD_EVERY_S = 0.25
_SECRET_HEADERS = frozenset(["authorization", "cookie", "proxy-authorization"])
_MOST_HEAD_BYTES = 1 << 18
_FIRST_WAIT_S = 2.0
"""Seconds to wait after a trouble that may pass, where the server does not say; doubled each time."""
_CALMING = 0.9
"""By how much the pace recovers with each good answer."""


@dataclasses.dataclass(frozen=True)
class Job:
    """What the worker is told."""

    starts: list[str]
    listed: list[str]
    out: str
    settings: Crawl
    limits: Extract
    headers: dict[str, str]
    """Credentials as headers; they go to the origins of the start addresses alone."""

    @property
    def scope(self) -> Scope:
        """Which addresses belong to the crawl."""
        return scope_of(self.starts or self.listed, self.settings)

    @property
    def identity(self) -> str:
        """What makes it the same crawl when it is started again; limits and pace may differ."""
        named = self.settings.model_dump(include={"hosts", "include", "exclude", "drop_parameters"})
        return json.dumps({"starts": self.starts, "listed": len(self.listed), **named}, sort_keys=True)


def tell(what: dict[str, Any]) -> None:
    """One line of JSON to whoever started the worker."""
    os.write(1, json.dumps(what).encode() + b"\n")


class NextAddress:
    """Scrapy's scheduler: it holds nothing, the state of the crawl says what comes next."""

    def __init__(self) -> None:
        self._spider: SiteSpider

    @classmethod
    def from_crawler(cls, _: Crawler) -> NextAddress:
        """Make one."""
        return cls()

    def open(self, spider: SiteSpider) -> None:
        """Take the spider whose state is asked."""
        self._spider = spider

    def close(self, reason: str) -> None:
        """Nothing to let go of."""

    def has_pending_requests(self) -> bool:
        """Whether there is anything to fetch now."""
        return self._spider.state.has_tasks()

    def enqueue_request(self, request: Request) -> bool:
        """Refuse: the state alone decides what is fetched."""
        raise NotImplementedError(request)

    def next_request(self) -> Request | None:
        """The next request."""
        task = self._spider.state.next_task()
        return None if task is None else self._spider.request(task)


class PrivateAddressError(DNSLookupError):
    """A name of the open internet leads to a private network."""


class GuardedResolver(CachingThreadedResolver):
    """Names to addresses; a name must not lead to a private network that the crawl was not started in."""

    home_names: frozenset[str] = frozenset()
    """Names that were private when the crawl was started."""

    def getHostByName(self, name: str, timeout: Any = ()) -> Deferred[str]:
        """Look a name up."""
        result = super().getHostByName(name, timeout)
        result.addCallback(self._checked, name)
        return result

    def _checked(self, address: str, name: str) -> str:
        if is_private(address) and name not in self.home_names:
            raise PrivateAddressError(name)
        return address


def is_private(address: str) -> bool:
    """Whether an IP address is not one of the open internet."""
    return not ipaddress.ip_address(address).is_global


def private_names(scope: Scope) -> frozenset[str]:
    """Hosts named by the user that lead to private addresses now: the crawl is started there on purpose."""
    result = set()
    for host in scope.hosts:
        name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
        for written in (name, f"www.{name}"):
            try:
                if is_private(socket.gethostbyname(written)):
                    result.add(written)
            except OSError:
                continue
    return frozenset(result)


class SiteSpider(Spider):
    """Fetches what the state asks for, at the pace that the server bears."""

    name = "mardok"

    def __init__(self, job: Job, archive: Archive, state: CrawlState, **kwargs: Any) -> None:
        super().__init__(**kwargs)
        self.job, self.archive, self.state = job, archive, state
        self.conduct = job.settings
        self.strain = 1.0
        """How much slower than asked for, because of troubles."""
        self._origins = {origin_of(start) for start in job.starts}
        self._told = 0.0
        self._renderer = self._made_renderer() if job.settings.render else None

    @classmethod
    def from_crawler(cls, crawler: Crawler, *args: Any, **kwargs: Any) -> SiteSpider:
        """Make one, and listen to what the downloader does."""
        spider = super().from_crawler(crawler, *args, **kwargs)
        crawler.signals.connect(spider.headers_received, signals.headers_received)
        crawler.signals.connect(spider.bytes_received, signals.bytes_received)
        crawler.signals.connect(spider.response_downloaded, signals.response_downloaded)
        crawler.signals.connect(spider.leave, signals.spider_closed)
        return spider

    def _made_renderer(self) -> Renderer:
        from mardok.sources.crawl.render import Renderer  # only who renders needs a browser

        return Renderer(self.conduct, self.part)

    async def leave(self) -> None:
        """Close the browser."""
        if self._renderer is not None:
            await self._renderer.close()

    async def part(self, task: Task) -> Fetched | None:
        """Fetch what the scripts of a page ask for, if it may be had."""
        if not self.job.scope.is_host(task.url) or not self.state.robots.allows(task.url):
            return None
        request = self.request(task)
        try:
            response = await self.crawler.engine.download_async(request)
        except Exception:  # noqa: BLE001 - whatever a script fails to get, the page is shown without it
            return None
        fetched = self._fetched(response, task)
        self._learn(fetched, request)
        return fetched

    async def start(self) -> AsyncIterator[Any]:
        """Nothing to begin with: the state knows the start addresses."""
        requests: tuple[Request, ...] = ()
        for request in requests:
            yield request

    def request(self, task: Task) -> Request:
        """The request for a task."""
        is_home = origin_of(task.url) in self._origins
        cookies = http.cookies.SimpleCookie(self.job.headers.get("Cookie", "") if is_home else "")
        headers = {name: value for name, value in self.job.headers.items() if is_home and name != "Cookie"}
        return Request(
            task.url,
            method="HEAD" if task.kind == "image" else "GET",
            headers=headers,
            cookies={name: cookie.value for name, cookie in cookies.items()},
            callback=self.answered,
            errback=self.failed,
            dont_filter=True,
            meta={"task": task, "download_slot": _SLOT, "download_maxsize": limit_bytes(task, self.conduct)},
        )

    def headers_received(self, headers: Headers, request: Request, **_: Any) -> None:
        """Do not read the body of what is no HTML."""
        kind = (headers.get("Content-Type") or b"").decode("latin-1").partition(";")[0].strip().lower()
        if request.meta["task"].kind == "page" and kind and kind not in HTML_TYPES:
            raise StopDownload(fail=False)

    def bytes_received(self, data: bytes, request: Request, **_: Any) -> None:
        """Read no more of a robots.txt than counts."""
        if request.meta["task"].kind == "robots":
            request.meta["n_bytes"] = request.meta.get("n_bytes", 0) + len(data)
            if request.meta["n_bytes"] >= MOST_BYTES:
                raise StopDownload(fail=False)

    def response_downloaded(self, response: Response, request: Request, **_: Any) -> None:
        """Settle the pace before the next request leaves."""
        is_strained = response.status == 429 or response.status >= 500
        self._settle_pace(request, is_strained, (response.headers.get("Retry-After") or b"").decode("latin-1"))

    def _settle_pace(self, request: Request, is_strained: bool, retry_after: str = "") -> None:
        slot = self.crawler.engine.downloader.slots[_SLOT]
        longest, task = self.conduct.longest_wait_s, request.meta["task"]
        if is_strained and (self.conduct.delay_s or retry_after):
            self.strain *= 2
            wanted = retry_after_s(retry_after) if retry_after else _FIRST_WAIT_S * self.strain / 2
            slot.delay = min(wanted, longest)
            slot.lastseen = time.monotonic()
            return
        self.strain = max(1.0, self.strain * _CALMING)
        asked = min(self.state.robots.delay_s(task.url), longest)
        slot.delay = max(self.conduct.delay_s, asked)
        if self.conduct.delay_s:
            latency = request.meta.get("download_latency", 0.0) / self.conduct.concurrency
            slot.delay = max(asked, min(max(self.conduct.delay_s, latency) * self.strain, longest))

    async def answered(self, response: Response) -> None:
        """Keep an answer and learn from it."""
        task: Task = response.meta["task"]
        fetched = self._fetched(response, task)
        if self._renderer is not None and task.kind == "page" and response.status == 200 and is_html(fetched):
            fetched = await self._renderer.rendered(fetched)
            if not fetched.rendered:
                self.state.tally.skipped[SkipReason.NOT_RENDERED] += 1
        self._learn(fetched, response.request)

    def _fetched(self, response: Response, task: Task) -> Fetched:
        pairs = ((name, value) for name, values in response.headers.items() for value in values)
        headers = tuple((header_text(name), header_text(value)) for name, value in pairs)
        if not self.conduct.keep_cookies:
            headers = tuple((name, _without_value(value) if name == "Set-Cookie" else value) for name, value in headers)
        flags = response.flags or []
        truncated = "length" if "download_stopped" in flags else "disconnect" if "dataloss" in flags else ""
        return Fetched(
            task, response.status, headers, response.body, truncated=truncated,
            ip_address=str(response.ip_address or ""),
        )  # fmt: skip

    async def failed(self, failure: Failure) -> None:
        """Note an address that gave no answer."""
        request: Request = failure.request  # type: ignore[attr-defined]
        self._settle_pace(request, is_strained=True)
        task: Task = request.meta["task"]
        reason = _reason(failure, task, self.conduct)
        if may_be_distrust(failure.value):
            parts = urlsplit(request.url)
            asked = deferToThread(certificate_trouble, parts.hostname or "", parts.port or 443, self.conduct.timeout_s)
            reason = await maybe_deferred_to_future(asked) or reason
        self._learn(Fetched(task, failure=reason), request)

    def _learn(self, fetched: Fetched, request: Request | None) -> None:
        try:
            kept = self._keep(fetched, request)
        except OSError as error:
            self._give_up(f"{self.archive.path}: cannot be written: {error.strerror or error}; make room, and run it again")
        try:
            self.state.learn(kept)
        except Exception as error:  # noqa: BLE001 - scrapy would log it and go on without the answer
            self._give_up(f"{fetched.task.url}: {type(error).__name__}: {error}")
        now = time.monotonic()
        if now - self._told >= _TOLD_EVERY_S:
            self._told = now
            tally = self.state.tally
            errors = sum(tally.failures.values()) + sum(n for status, n in tally.statuses.items() if status >= 400)
            tell({"done": tally.n_fetched, "queued": self.state.n_queued, "errors": errors})

    def _keep(self, fetched: Fetched, request: Request | None) -> Fetched:
        """Put an answer into the archive; one that cannot stand there becomes a failure, so that the crawl goes on."""
        try:
            self.archive.add(fetched, _sent(request, self.job.headers))
        except OSError:
            raise
        except Exception as error:  # noqa: BLE001 - one answer never ends a crawl
            fetched = Fetched(fetched.task, failure=f"the answer cannot be kept ({type(error).__name__})")
            self.archive.add(fetched, [])
        return fetched

    def _give_up(self, why: str) -> NoReturn:
        """End the process, which only something that no other answer can be free of does."""
        tell({"error": why})
        os._exit(1)


class LongHeadError(ValueError):
    """An answer whose headers do not end."""


def bound_heads() -> None:
    """Let no answer have more bytes of headers than any server needs: twisted bounds each line, and not their number."""
    read = HTTPClientParser.dataReceived

    def read_counted(parser: Any, data: bytes) -> None:
        if parser.line_mode:
            parser.n_read = getattr(parser, "n_read", 0) + len(data)
            if parser.n_read > _MOST_HEAD_BYTES:
                raise LongHeadError
        read(parser, data)  # type: ignore[no-untyped-call]

    HTTPClientParser.dataReceived = read_counted  # type: ignore[method-assign]


def retry_after_s(value: str) -> float:
    """Seconds that a ``Retry-After`` header asks for (RFC 9110, section 10.2.3)."""
    try:
        return max(0.0, float(value))
    except ValueError:
        pass
    try:
        return max(0.0, parsedate_to_datetime(value).timestamp() - time.time())
    except (TypeError, ValueError):
        return _FIRST_WAIT_S


def _reason(failure: Failure, task: Task, settings: Crawl) -> str:
    error = failure.value
    if isinstance(error, DownloadTimeoutError):
        return f"took longer than {settings.timeout_s:g} s (crawl.timeout_s)"
    if isinstance(error, DownloadCancelledError):
        most = limit_bytes(task, settings) / 1e6
        return f"larger than {most:.4g} MB ({'the most of a sitemap' if task.kind == 'sitemap' else 'crawl.max_page_mb'})"
    if isinstance(error, (CannotResolveHostError, DNSLookupError)):
        return "leads to a private address" if isinstance(error, PrivateAddressError) else "host not found"
    if isinstance(error, DownloadConnectionRefusedError):
        return "connection refused"
    if any(isinstance(cause, ValueError) for cause in causes(error)):
        return "the answer is not valid HTTP"
    return "connection failed"


def _without_value(cookie: str) -> str:
    """A ``Set-Cookie`` header without the value, which may be a key to what the credentials open."""
    name, _, rest = cookie.partition("=")
    return f"{name}=;{rest.partition(';')[2]}"


def _sent(request: Request | None, credentials: dict[str, str]) -> list[tuple[str, str]]:
    """Headers of a request as they are kept: without credentials and cookies."""
    if request is None:
        return []
    secret = _SECRET_HEADERS | {name.lower() for name in credentials}
    host = request.url.split("/")[2].rpartition("@")[2]
    named = [
        (name.decode("latin-1"), value.decode("latin-1"))
        for name, values in request.headers.items()
        for value in values
        if name.decode("latin-1").lower() not in secret
    ]
    return [("Host", host), *named]


def scrapy_settings(job: Job) -> dict[str, Any]:
    """Scrapy as a downloader only."""
    conduct = job.settings
    agent = f"Mardok/{version('mardok')} (content audit{'; ' + conduct.contact if conduct.contact else ''})"
    return {
        "LOG_ENABLED": False,
        "LOG_INSTALL_ROOT_HANDLER": False,
        "TELNETCONSOLE_ENABLED": False,
        "EXTENSIONS_BASE": {},
        "SPIDER_MIDDLEWARES_BASE": {},
        "ITEM_PIPELINES_BASE": {},
        "DOWNLOADER_MIDDLEWARES_BASE": {
            "scrapy.downloadermiddlewares.defaultheaders.DefaultHeadersMiddleware": 400,
            "scrapy.downloadermiddlewares.cookies.CookiesMiddleware": 700,
            "scrapy.downloadermiddlewares.httpproxy.HttpProxyMiddleware": 750,
        },
        "DEFAULT_REQUEST_HEADERS": {
            "User-Agent": agent,
            "Accept": "text/html,application/xhtml+xml;q=0.9,*/*;q=0.5",
            "Accept-Encoding": "gzip, deflate, br",
        },
        "SCHEDULER": NextAddress,
        "TWISTED_DNS_RESOLVER": GuardedResolver,
        "CONCURRENT_REQUESTS": conduct.concurrency,
        "CONCURRENT_REQUESTS_PER_DOMAIN": conduct.concurrency,
        "DOWNLOAD_DELAY": conduct.delay_s,
        "DOWNLOAD_DELAY_JITTER": 0.0,
        "DOWNLOAD_TIMEOUT": conduct.timeout_s,
        "DOWNLOAD_WARNSIZE": 0,
        "DOWNLOAD_FAIL_ON_DATALOSS": False,
        "DNS_TIMEOUT": conduct.timeout_s,
        "DOWNLOAD_VERIFY_CERTIFICATES": True,
        **(_with_exceptions(conduct.allow_bad_certificates) if conduct.allow_bad_certificates else {}),
    }


def _with_exceptions(hosts: tuple[str, ...]) -> dict[str, Any]:
    return {"DOWNLOADER_CLIENTCONTEXTFACTORY": CheckedCertificates, BAD_CERTIFICATES: hosts}


def run(job: Job) -> None:
    """Crawl, and tell how it went."""
    scope = job.scope
    archive = Archive(
        Path(job.out),
        {
            "software": f"Mardok/{version('mardok')}",
            "format": "WARC File Format 1.1",
            "robots": "obeyed (RFC 9309)",
            SCOPE_FIELD: job.identity,
        },
    )
    if archive.mended:
        tell({"warning": archive.mended})
    state = CrawlState(job.starts, job.listed, scope, job.limits)
    for fetched in archive.answers():
        state.learn(fetched)
    n_before = state.tally.n_fetched
    if archive.ended().end == CrawlEnd.STOPPED:
        state.go_on()
    bound_heads()
    GuardedResolver.home_names = private_names(scope)
    process = CrawlerProcess(scrapy_settings(job))
    process.crawl(SiteSpider, job=job, archive=archive, state=state)
    process.start(install_signal_handlers=False)
    tally = state.tally
    closed = next(iter(state.robots.closed.items()), None)
    if closed and not tally.stopped:
        tally.stopped = f"{closed[0]}/robots.txt could not be had ({closed[1]})"
    if tally.stopped:
        ending = CrawlEnding(CrawlEnd.STOPPED, tally.stopped)
    elif tally.hit_limit:
        ending = CrawlEnding(CrawlEnd.LIMIT, tally.hit_limit)
    else:
        ending = CrawlEnding(CrawlEnd.COMPLETE)
    archive.end(ending)
    tell(
        {
            "ended": {
                **vars(tally),
                "how": str(ending),
                "n_before": n_before,
                "hosts": sorted(scope.hosts),
                "left": state.n_queued,
            }
        }
    )


def main() -> None:
    """Read the job, watch the one who gave it, crawl."""
    raw = json.loads(sys.stdin.readline())
    end_with_parent(raw["parent"])
    conduct, limits = Crawl.model_validate(raw["settings"]), Extract.model_validate(raw["limits"])
    job = Job(raw["starts"], raw["listed"], raw["out"], conduct, limits, raw["headers"])
    threading.Thread(target=_leave_with_parent, daemon=True).start()
    try:
        run(job)
    except MardokError as error:
        tell({"error": str(error)})
        sys.exit(2)


def _leave_with_parent() -> None:
    sys.stdin.read()
    os._exit(3)


if __name__ == "__main__":
    main()
