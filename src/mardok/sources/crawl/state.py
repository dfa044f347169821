"""What a crawl knows, and what it does next.

In:  the answers of the server, one by one, live or read back from an archive.
Out: the next address to fetch.

The state is a function of the answers alone. So a crawl that was killed goes on where it stood: the archive's answers are
told to a new state in their order, and what is then left to fetch is what an undisturbed crawl would have had left.
"""

from __future__ import annotations

import hashlib
from collections import Counter, defaultdict, deque
from collections.abc import Sequence
from dataclasses import dataclass, field
from urllib.parse import urlsplit

from mardok.settings import Crawl, Extract
from mardok.sources.crawl.discovery import Leads, is_html, leads_of, plain_body
from mardok.sources.crawl.fetched import Fetched, Task
from mardok.sources.crawl.robots import Robots, origin_of
from mardok.sources.crawl.scope import Scope, home_addresses
from mardok.sources.sitemaps import MOST_BYTES, sitemap_of
from mardok.urls import normal_url
from mardok.vocabulary import SkipReason

_MOST_SITEMAPS = 1000
_PROBE_DIGITS = 16
_MOST_HOSTS = 10_000
"""Other hosts that are counted one by one."""


@dataclass
class Tally:
    """What the summary of a crawl is made of."""

    statuses: Counter[int] = field(default_factory=Counter)
    """Answers to pages by HTTP status."""
    skipped: Counter[str] = field(default_factory=Counter)
    """Addresses that were not fetched, or not read, by reason."""
    images: Counter[int] = field(default_factory=Counter)
    """Answers to images by HTTP status; 0 is none."""
    failures: Counter[str] = field(default_factory=Counter)
    """Addresses without an answer, by reason."""
    n_fetched: int = 0
    """Answers and failures of every kind, repeated ones too."""
    n_pages: int = 0
    """Addresses fetched as pages."""
    n_html: int = 0
    n_noindex: int = 0
    n_empty: int = 0
    """Pages that show hardly a word without their scripts."""
    hit_limit: str = ""
    """Setting whose limit kept addresses from being fetched."""
    stopped: str = ""
    """Why the crawl was given up."""


class CrawlState:
    """All that is known in the middle of a crawl."""

    def __init__(self, starts: Sequence[str], listed: Sequence[str], scope: Scope, limits: Extract) -> None:
        self.tally = Tally()
        self.robots = Robots()
        self._scope, self._settings, self._limits = scope, scope.settings, limits
        self._queue: deque[Task] = deque()
        self._first: deque[Task] = deque()
        self._waiting: dict[str, list[Task]] = defaultdict(list)
        """Tasks that wait for the robots.txt of their origin."""
        self._seen: set[str] = set()
        self._done: set[str] = set()
        self._attempts: Counter[str] = Counter()
        self._under_way: set[str] = set()
        self._given_up: dict[str, Fetched] = {}
        """Last answers of addresses whose trouble did not pass."""
        self._redirected: set[str] = set()
        self._other_hosts: set[str] = set()
        self._failures_in_a_row = 0
        self._n_sitemaps = 0
        self._repeats: dict[tuple[str, ...], _Repeats] = defaultdict(_Repeats)
        for url in [*starts, *(home for start in starts for home in home_addresses(start)), *listed]:
            self._add(url, "page", 0, is_asked=True)

    @property
    def n_queued(self) -> int:
        """Addresses that are known and not fetched."""
        return len(self._queue) + len(self._first) + sum(map(len, self._waiting.values()))

    def has_tasks(self) -> bool:
        """Whether there is anything to fetch now."""
        return bool(self._queue or self._first) and not self.tally.stopped

    def next_task(self) -> Task | None:
        """The next address to fetch; None if there is none now."""
        while self.has_tasks():
            task = self._first.popleft() if self._first else self._queue.popleft()
            if task.url in self._done:
                continue
            if task.kind == "robots":
                return task
            if not self.robots.is_known(task.url):
                self._ask_robots(task)
            elif self._may_fetch(task):
                if task.kind == "page" and not self._attempts[task.url]:
                    self._under_way.add(task.url)
                return task
        return None

    def go_on(self) -> None:
        """Ask again what could not be had from a server that was left in peace."""
        self.tally.stopped, self._failures_in_a_row = "", 0
        for url, fetched in self._given_up.items():
            if fetched.failure:
                self.tally.failures[fetched.failure] -= 1
            elif fetched.task.kind == "page":
                self.tally.statuses[fetched.status] -= 1
            self._attempts[url] = 0
            self.tally.n_pages -= fetched.task.kind == "page"
            self._done.discard(url)
            if fetched.task.kind != "robots":  # these are asked for by the addresses that wait for them
                self._queue.append(fetched.task)
        self._given_up.clear()
        self.robots.forget_closed()

    def _ask_robots(self, task: Task) -> None:
        origin = origin_of(task.url)
        self._done.discard(f"{origin}/robots.txt")
        self._waiting[origin].append(task)
        if len(self._waiting[origin]) == 1:
            self._first.append(Task(self.robots.address_to_ask(origin), "robots", 0))

    def _may_fetch(self, task: Task) -> bool:
        reason = ""
        if not self.robots.allows(task.url):
            reason = SkipReason.ROBOTS_FAILED if origin_of(task.url) in self.robots.closed else SkipReason.ROBOTS
        elif task.kind == "page" and self._says_nothing_new(task.url):
            reason = SkipReason.NOTHING_NEW
        elif task.kind == "page" and self.tally.n_pages + len(self._under_way) >= self._settings.max_pages:
            reason = self.tally.hit_limit = "crawl.max_pages"
        if reason:
            self._done.add(task.url)
            self.tally.skipped[reason] += task.kind != "probe"
            return False
        return True

    def learn(self, fetched: Fetched) -> bool:
        """Take in an answer; whether the address is to be asked again."""
        task, tally = fetched.task, self.tally
        if task.kind in ("part", "probe"):
            tally.n_fetched += 1
            self._seen.add(task.url)
            self._done.add(task.url)
            return False
        self._seen.add(task.url)
        self._under_way.discard(task.url)
        tally.n_fetched += 1
        tally.n_pages += task.kind == "page" and not self._attempts[task.url]
        self._count_failure(fetched)
        self._attempts[task.url] += 1
        if _is_passing(fetched) and self._attempts[task.url] <= self._settings.retries and not tally.stopped:
            self._done.discard(task.url)
            (self._first if task.kind == "robots" else self._queue).append(task)
            return True
        self._done.add(task.url)
        if _is_passing(fetched) or fetched.failure:
            self._given_up[task.url] = fetched
        else:
            self._given_up.pop(task.url, None)
        if fetched.failure:
            tally.failures[fetched.failure] += 1
        try:
            self._take_in(fetched)
        except Exception:  # noqa: BLE001 - whatever one answer holds, the crawl goes on, and alike when it is resumed
            tally.skipped[SkipReason.NOT_UNDERSTOOD] += 1
            if task.kind == "robots":
                origin = self.robots.origin_asked_by(task.url)
                self.robots.close(origin, "what it says cannot be read")
                self._release(origin)
        return False

    def _take_in(self, fetched: Fetched) -> None:
        kind = fetched.task.kind
        if kind == "robots":
            self._learn_robots(fetched)
        elif kind == "sitemap":
            self._learn_sitemap(fetched)
        elif kind == "image":
            self.tally.images[fetched.status] += 1
        elif not fetched.failure:
            self._learn_page(fetched)

    def _count_failure(self, fetched: Fetched) -> None:
        self._failures_in_a_row = self._failures_in_a_row + 1 if _is_passing(fetched) or fetched.failure else 0
        if self._failures_in_a_row >= self._settings.stop_after_failures and not self.tally.stopped:
            self.tally.stopped = f"{self._failures_in_a_row} failures in a row"

    def _learn_robots(self, fetched: Fetched) -> None:
        origin, target = self.robots.learn(fetched)
        if target and self._scope.is_host(target) and target not in self._done:
            self._first.append(Task(target, "robots", 0))
            return
        if target:  # led away from the site, or in a circle: as good as no file
            origin = self.robots.origin_asked_by(target)
            self.robots.settle(origin)
        if self._settings.sitemaps:
            for url in self.robots.sitemaps(origin) or [f"{origin}/sitemap.xml"]:
                self._add(url, "sitemap", 0)
        self._release(origin)

    def _release(self, origin: str) -> None:
        """Let go of what waited for the robots.txt of an origin."""
        self._queue.extendleft(reversed(self._waiting.pop(origin, [])))

    def _learn_sitemap(self, fetched: Fetched) -> None:
        target = _redirect_target(fetched)
        result = sitemap_of(plain_body(fetched, MOST_BYTES), fetched.task.url) if fetched.status == 200 else None
        if target:
            self._add(target, "sitemap", fetched.task.depth)
        elif result is not None:
            for url in result.sitemaps:
                self._add(url, "sitemap", fetched.task.depth)
            for url in result.pages:
                self._add(url, "page", 1)

    def _learn_page(self, fetched: Fetched) -> None:
        task, tally = fetched.task, self.tally
        tally.statuses[fetched.status] += 1
        target = _redirect_target(fetched)
        if target:
            self._redirected.add(task.url)
            if fetched.header("set-cookie") and target in self._redirected and self._attempts[target] == 1:
                # A page that wants a cookie first: it was set on the way, so the page may be had now.
                self._done.discard(target)
                self._queue.append(Task(target, "page", task.depth))
            else:
                self._add(target, "page", task.depth + 1)
            return
        if not is_html(fetched):
            if fetched.status == 200:
                kind = fetched.header("content-type").partition(";")[0].strip().lower()
                tally.skipped[f"not HTML: {kind or 'unknown'}"] += 1
            return
        leads = leads_of(fetched, int(self._settings.max_page_mb * 1e6), self._limits)
        if fetched.status == 200:
            tally.n_html += 1
            tally.n_noindex += leads.is_noindex
            tally.n_empty += leads.is_empty and not fetched.rendered
            self._note_repeats(task.url, leads)
            self._probe(origin_of(task.url))
        for url in leads.links:
            self._add(url, "page", task.depth + 1)
        if self._settings.images:
            for url in leads.images:
                self._add(url, "image", task.depth + 1)

    def _probe(self, origin: str) -> None:
        """Ask once, at the end, for an address of an origin that cannot exist."""
        url = f"{origin}/no-such-page-{hashlib.sha256(origin.encode()).hexdigest()[:_PROBE_DIGITS]}"
        if url not in self._seen and not self._scope.reason_outside(url):
            self._seen.add(url)
            self._queue.append(Task(url, "probe", 0))

    def _says_nothing_new(self, url: str) -> bool:
        repeats = self._repeats.get(_pattern(url)) if "?" in url else None
        return repeats is not None and repeats.n >= self._settings.repeats

    def _note_repeats(self, url: str, leads: Leads) -> None:
        if "?" in url:
            repeats = self._repeats[_pattern(url)]
            repeats.n = repeats.n + 1 if leads.digest in repeats.digests else 0
            repeats.digests.add(leads.digest)

    def _add(self, address: str, kind: str, depth: int, *, is_asked: bool = False) -> None:
        """Put an address in the queue, once; patterns do not keep out what the user asked for by name."""
        url = self._scope.address(address)
        if url is None or url in self._seen:
            return
        if not self._scope.is_host(url):
            if len(self._other_hosts) < _MOST_HOSTS and origin_of(url) not in self._other_hosts:
                self._other_hosts.add(origin_of(url))
                self.tally.skipped[SkipReason.OTHER_HOSTS] += 1
            return
        self._seen.add(url)
        reason = "" if is_asked else self._scope.reason_outside(url)
        if not reason and depth > self._settings.max_depth:
            reason = self.tally.hit_limit = "crawl.max_depth"
        if kind == "sitemap":
            self._n_sitemaps += 1
            if self._n_sitemaps > _MOST_SITEMAPS:
                reason = f"more than {_MOST_SITEMAPS} sitemaps"
        if reason:
            self.tally.skipped[reason] += 1
        else:
            self._queue.append(Task(url, kind, depth))


@dataclass
class _Repeats:
    """How pages of one path with changing parameters repeat each other."""

    n: int = 0
    """Pages in a row that said nothing new."""
    digests: set[int] = field(default_factory=set)


def _pattern(url: str) -> tuple[str, ...]:
    """The path of an address and the names of its parameters."""
    parts = urlsplit(url)
    return (parts.netloc, parts.path, *sorted({pair.partition("=")[0] for pair in parts.query.split("&")}))


def _is_passing(fetched: Fetched) -> bool:
    """Whether the answer is a trouble that may pass."""
    return fetched.status == 429 or fetched.status >= 500


def _redirect_target(fetched: Fetched) -> str:
    if 300 <= fetched.status < 400:
        return normal_url(fetched.header("location"), fetched.task.url) or ""
    return ""


def limit_bytes(task: Task, settings: Crawl) -> int:
    """Most bytes of a body that are read."""
    return MOST_BYTES if task.kind == "sitemap" else int(settings.max_page_mb * 1e6)
