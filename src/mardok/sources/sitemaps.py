"""What a sitemap lists.

In:  the decoded body of a sitemap: XML or plain text (sitemaps.org protocol 0.9), plain or gzip.
Out: the addresses in it, and whether they are sitemaps again.

XML of sitemaps is often broken, and may be built to blow up a reader of XML. So it is not parsed: the elements that hold
addresses are looked for, each in the time that its length takes.
"""

from __future__ import annotations

import logging
import re
from dataclasses import dataclass
from html import unescape

from mardok.sources.body import BodyError, decoded
from mardok.urls import normal_url

log = logging.getLogger(__name__)

MOST_BYTES = 52_428_800
"""Largest sitemap that the protocol allows, uncompressed."""
MOST_ADDRESSES = 50_000
"""Most addresses of one sitemap that the protocol allows."""
_TAG = re.compile(r"<(/?)(url|sitemap|loc)(?:\s[^<>]*)?>", re.IGNORECASE)
_CDATA = "<![CDATA["
_LONGEST = 10_000
"""Characters of an address, with the blanks around it, that are read."""


@dataclass(frozen=True)
class Sitemap:
    """The contents of one sitemap."""

    pages: tuple[str, ...]
    """Addresses of pages, in their one form."""
    sitemaps: tuple[str, ...]
    """Addresses of further sitemaps."""


def sitemap_of(body: bytes, url: str) -> Sitemap | None:
    """Read a sitemap; None if it is none.

    Parameters
    ----------
    body : bytes
        Without content coding; a file that is gzip itself is unpacked, up to :data:`MOST_BYTES`.
    url : str
        Its own address, which relative ones are resolved against.
    """
    if body[:2] == b"\x1f\x8b":
        try:
            body = decoded(body, "gzip", MOST_BYTES)
        except BodyError as error:
            log.info("a sitemap cannot be unpacked, so what it lists is not known: %s", error)
            return None
    text = body[:MOST_BYTES].decode("utf-8-sig", "replace")
    head = text[:4096].lower()
    if "<urlset" not in head and "<sitemapindex" not in head:
        return _plain_list(text, url) if "<" not in head else None
    result: dict[str, dict[str, None]] = {"url": {}, "sitemap": {}}
    inside, n_read = "", 0
    for tag in _TAG.finditer(text):
        name, is_end = tag[2].lower(), bool(tag[1])
        if name != "loc":
            inside = "" if is_end else name
        elif inside and not is_end and n_read < MOST_ADDRESSES:
            n_read += 1
            address = normal_url(_text_at(text, tag.end()), url)
            if address is not None:
                result[inside][address] = None
    return Sitemap(tuple(result["url"]), tuple(result["sitemap"]))


def _text_at(text: str, start: int) -> str:
    """The text of an element from its beginning on."""
    piece = text[start : start + _LONGEST].lstrip()
    if piece.startswith(_CDATA):
        return piece[len(_CDATA) :].partition("]]>")[0]
    return unescape(piece.partition("<")[0])


def _plain_list(text: str, url: str) -> Sitemap | None:
    lines = [line.strip() for line in text.splitlines()[:MOST_ADDRESSES] if line.strip()]
    if not lines or not all(line.startswith(("http://", "https://")) for line in lines):
        return None
    return Sitemap(tuple(dict.fromkeys(filter(None, (normal_url(line, url) for line in lines)))), ())
