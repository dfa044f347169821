"""Which addresses belong to a crawl.

In:  start addresses and the settings ``crawl``.
Out: addresses in the one form they are fetched under, and why others are not fetched.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable
from dataclasses import dataclass
from fnmatch import fnmatchcase
from urllib.parse import urlsplit, urlunsplit

from mardok.settings import Crawl
from mardok.urls import bare_host, matches, normal_url

_LONGEST_ADDRESS = 2000
_MOST_SEGMENTS = 24
_MOST_EQUAL_SEGMENTS = 3


@dataclass(frozen=True)
class Scope:
    """What is fetched and what is not."""

    hosts: frozenset[str]
    """Hosts with their ports, without ``www.``."""
    settings: Crawl

    def address(self, text: str, base: str = "") -> str | None:
        """The address in its one form without dropped parameters; None if it is no http(s) address."""
        url = normal_url(text, base)
        if url is None or "?" not in url or not self.settings.drop_parameters:
            return url
        parts = urlsplit(url)
        kept = [
            pair
            for pair in parts.query.split("&")
            if not any(fnmatchcase(pair.partition("=")[0], dropped) for dropped in self.settings.drop_parameters)
        ]
        return urlunsplit(parts._replace(query="&".join(kept)))

    def is_host(self, url: str) -> bool:
        """Whether the address is at a host of the site."""
        return bare_host(url) in self.hosts

    def reason_outside(self, url: str) -> str:
        """Why an address is not fetched; ``""`` if it is."""
        if not self.is_host(url):
            return "another host"
        if self.settings.include and not matches(url, self.settings.include):
            return "not in crawl.include"
        if matches(url, self.settings.exclude):
            return "in crawl.exclude"
        return "looks endless" if _looks_endless(url) else ""


def scope_of(starts: Iterable[str], settings: Crawl) -> Scope:
    """The scope of a crawl from its start addresses."""
    named = (normal_url(host if "//" in host else f"https://{host}") for host in settings.hosts)
    return Scope(frozenset(bare_host(url) for url in [*starts, *filter(None, named)]), settings)


def _looks_endless(url: str) -> bool:
    """Whether a relative link that leads deeper and deeper, or a loop of a broken script, has made the address."""
    segments = urlsplit(url).path.strip("/").split("/")
    return (
        len(url) > _LONGEST_ADDRESS
        or len(segments) > _MOST_SEGMENTS
        or max(map(segments.count, set(segments))) > _MOST_EQUAL_SEGMENTS
    )


def home_addresses(start: str) -> list[str]:
    """The home page of a start address under http and https, with and without ``www.``.

    An address with a port of its own has no counterpart under the other scheme, a bare number none with ``www.``.

    Examples
    --------
    >>> home_addresses("https://www.host.example/a/")[:2]
    ['https://www.host.example/', 'https://host.example/']
    >>> home_addresses("http://127.0.0.1:8000/a/")
    ['http://127.0.0.1:8000/']
    """
    parts = urlsplit(start)
    schemes = [parts.scheme] if parts.port else [parts.scheme, "http" if parts.scheme == "https" else "https"]
    bare = bare_host(start)
    hosts = [parts.netloc] if is_number(parts.hostname or "") else [parts.netloc, *({bare, f"www.{bare}"} - {parts.netloc})]
    return [f"{scheme}://{host}/" for scheme in schemes for host in hosts]


def is_number(host: str) -> bool:
    """Whether a host is written as an IP address."""
    try:
        ipaddress.ip_address(host)
    except ValueError:
        return False
    return True
