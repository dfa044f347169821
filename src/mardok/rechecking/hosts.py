"""Hosts that stand for others, such as a staging host for the site.

In:  what a person writes, ``OLD=NEW``.
Out: the address on the old host for each address on the new one.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from urllib.parse import urlunsplit

from mardok.errors import RecheckError
from mardok.urls import normal_url, split_url


@dataclass(frozen=True)
class Hosts:
    """Old hosts by new ones, each with the scheme where one is named."""

    old_of: Mapping[str, str] = field(default_factory=dict)

    @classmethod
    def read(cls, pairs: Iterable[str]) -> Hosts:
        """The hosts from texts such as ``www.host.example=staging.host.example``.

        Raises
        ------
        RecheckError
            If one is no pair of hosts.

        Examples
        --------
        >>> Hosts.read(["www.host.example=http://127.0.0.1:8000"]).old("http://127.0.0.1:8000/hire/")
        'https://www.host.example/hire/'
        """
        result = {}
        for pair in pairs:
            old, _, new = (part.strip() for part in pair.partition("="))
            if not all(_is_host(host) for host in (old, new)):
                raise RecheckError(f"--host {pair!r}: expected OLD=NEW, for example www.host.example=staging.host.example")
            result[new.lower().rstrip("/")] = old.lower().rstrip("/")
        return cls(result)

    def old(self, url: str) -> str:
        """The address on the old host; the same if its host stands for no other."""
        return _renamed(url, self.old_of)

    def new(self, url: str) -> str:
        """The address on the new host; the same if no other stands for its host."""
        return _renamed(url, {old: new for new, old in self.old_of.items()})


def _renamed(url: str, name_of: Mapping[str, str]) -> str:
    if not name_of or not url:
        return url
    parts = split_url(url)
    host = next((name for name in (f"{parts.scheme}://{parts.netloc}", parts.netloc) if name in name_of), "")
    if not host:
        return url
    # Without a scheme a host that is known with one answers over https, as sites do.
    scheme, _, netloc = name_of[host].rpartition("://")
    scheme = scheme or ("https" if "://" in host else parts.scheme)
    return normal_url(urlunsplit((scheme, netloc, parts.path, parts.query, ""))) or url


def _is_host(text: str) -> bool:
    url = normal_url(text if "://" in text else f"https://{text}")
    return bool(text) and url is not None and split_url(url).path == "/" and not split_url(url).query
