"""What a sitemap lists.

In:  the decoded body of a sitemap: XML or plain text (sitemaps.org protocol 0.9), plain or gzip.
Out: the addresses in it, and whether they are sitemaps again.

XML of sitemaps is often broken, and may be built to blow up a reader of XML; an HTML parser knows no entities that grow
and takes what is there.
"""

from __future__ import annotations

import logging
import re
from dataclasses import dataclass

from selectolax.lexbor import LexborHTMLParser

from mardok.sources.body import BodyError, decoded
from mardok.urls import normal_url

log = logging.getLogger(__name__)

MOST_BYTES = 52_428_800
"""Largest sitemap that the protocol allows, uncompressed."""
MOST_ADDRESSES = 50_000
"""Most addresses of one sitemap that the protocol allows."""
_CDATA = re.compile(r"<!\[CDATA\[(.*?)\]\]>", re.DOTALL)


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
    tree = LexborHTMLParser(_CDATA.sub(r"\1", text))
    result = {}
    for kind, selector in (("pages", "url > loc"), ("sitemaps", "sitemap > loc")):
        addresses = (normal_url(node.text(), url) for node in tree.css(selector)[:MOST_ADDRESSES])
        result[kind] = tuple(dict.fromkeys(filter(None, addresses)))
    return Sitemap(**result)


def _plain_list(text: str, url: str) -> Sitemap | None:
    lines = [line.strip() for line in text.splitlines()[:MOST_ADDRESSES] if line.strip()]
    if not lines or not all(line.startswith(("http://", "https://")) for line in lines):
        return None
    return Sitemap(tuple(dict.fromkeys(filter(None, (normal_url(line, url) for line in lines)))), ())
