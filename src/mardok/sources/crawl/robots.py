"""What robots.txt asks of a crawler (RFC 9309).

In:  the answers to ``/robots.txt`` of each origin, redirects included.
Out: whether an address may be fetched, how fast, and which sitemaps there are.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from urllib.parse import urlsplit

from protego import Protego

from mardok.sources.body import BodyError, decoded_beginning
from mardok.sources.crawl.fetched import Fetched
from mardok.urls import normal_url

AGENT = "mardok"
"""Name under which robots.txt may speak to us alone."""
MOST_BYTES = 512_000
"""Bytes of robots.txt that count, 500 kibibytes (RFC 9309, section 2.5); what stands behind them does not."""
_MOST_REDIRECTS = 5
_ALLOW_ALL, _ALLOW_NOTHING = "", "User-agent: *\nDisallow: /"


def origin_of(url: str) -> str:
    """Scheme, host and port."""
    parts = urlsplit(url)
    return f"{parts.scheme}://{parts.netloc}"


@dataclass
class Robots:
    """The rules of all origins met so far."""

    _rules: dict[str, Protego] = field(default_factory=dict)
    _asking: dict[str, tuple[str, int]] = field(default_factory=dict)
    """Origin that a robots.txt address is asked for, and after how many redirects."""
    _closed: dict[str, str] = field(default_factory=dict)
    """Why an origin counts as closed for now, though its server answers."""
    _silent: set[str] = field(default_factory=set)
    """Origins whose server gave no answer."""

    def address_to_ask(self, origin: str) -> str:
        """Address of the robots.txt of an origin, which from now on is expected."""
        url = f"{origin}/robots.txt"
        self._asking[url] = (origin, 0)
        return url

    def is_known(self, url: str) -> bool:
        """Whether the rules for an address are known."""
        return origin_of(url) in self._rules

    def learn(self, fetched: Fetched) -> tuple[str, str]:
        """Take in an answer; the origin it settles, and the address it redirects to (one of the two is ``""``)."""
        origin, n_redirects = self._asking.get(fetched.task.url, (origin_of(fetched.task.url), 0))
        target = normal_url(fetched.header("location"), fetched.task.url) if 300 <= fetched.status < 400 else None
        if target and n_redirects < _MOST_REDIRECTS:
            self._asking[target] = (origin, n_redirects + 1)
            return "", target
        if fetched.failure:
            self._rules[origin] = Protego.parse(_ALLOW_NOTHING)
            self._silent.add(origin)
            return origin, ""
        try:
            self.settle(origin, _text(fetched))
        except _ClosedError as error:
            self.close(origin, str(error))
        return origin, ""

    def settle(self, origin: str, text: str = _ALLOW_ALL) -> None:
        """Take a text as the rules of an origin."""
        self._closed.pop(origin, None)
        self._silent.discard(origin)
        self._rules[origin] = Protego.parse(text)

    def close(self, origin: str, why: str) -> None:
        """Allow nothing of an origin for now: its rules cannot be had (RFC 9309, section 2.3.1.4)."""
        self._rules[origin] = Protego.parse(_ALLOW_NOTHING)
        self._closed[origin] = why

    def forget_closed(self) -> None:
        """Ask again for the rules of the origins that are closed for now."""
        for origin in (*self._closed, *self._silent):
            self._rules.pop(origin, None)
        self._closed.clear()
        self._silent.clear()

    @property
    def closed(self) -> Mapping[str, str]:
        """Origins that are closed for now though their servers answer, and why."""
        return self._closed

    def origin_asked_by(self, url: str) -> str:
        """The origin whose robots.txt redirects to an address."""
        return self._asking.get(url, (origin_of(url), 0))[0]

    def allows(self, url: str) -> bool:
        """Whether the address may be fetched."""
        rules = self._rules.get(origin_of(url))
        return rules is None or bool(rules.can_fetch(url, AGENT))

    def delay_s(self, url: str) -> float:
        """Seconds between two requests that the origin asks for; 0 if it does not."""
        rules = self._rules.get(origin_of(url))
        return float((rules and rules.crawl_delay(AGENT)) or 0)

    def sitemaps(self, origin: str) -> list[str]:
        """Sitemaps that the robots.txt of an origin names, in their one form."""
        result = (normal_url(url.strip(), f"{origin}/robots.txt") for url in self._rules[origin].sitemaps)
        return list(dict.fromkeys(filter(None, result)))


class _ClosedError(Exception):
    """The rules cannot be had; the text says why."""


def _text(fetched: Fetched) -> str:
    """The rules in an answer: a server that fails forbids all, one that has no file allows all (section 2.3.1)."""
    if fetched.status >= 500 or fetched.status == 429:
        raise _ClosedError(f"status {fetched.status}")
    if fetched.status != 200:
        return _ALLOW_ALL
    try:
        body = decoded_beginning(fetched.body, fetched.header("content-encoding"), MOST_BYTES)
    except BodyError as error:
        raise _ClosedError(str(error)) from error
    # A line that is cut in its middle might say the contrary of what it says whole.
    whole = body.rpartition(b"\n")[0] if len(body) == MOST_BYTES else body
    return whole.decode("utf-8-sig", "replace").replace("\0", "")
