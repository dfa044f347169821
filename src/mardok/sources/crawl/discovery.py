"""What a fetched page leads to.

In:  one answer.
Out: the addresses it links to, names as canonical or alternate, frames or redirects to; its images; and the few facts that
     the summary of a crawl is made of.
"""

from __future__ import annotations

import re
import zlib
from dataclasses import dataclass
from itertools import islice

from selectolax.lexbor import LexborHTMLParser
from w3lib.encoding import html_to_unicode

from mardok.settings import Extract
from mardok.sources.body import BodyError, decoded
from mardok.sources.crawl.fetched import Fetched
from mardok.sources.limits import within_limits
from mardok.urls import normal_url

HTML_TYPES = ("text/html", "application/xhtml+xml")
_LEADING = "a[href], area[href], iframe[src], frame[src], link[href], base[href], meta[content], img[src]"
_FOLLOWED_RELS = frozenset(["canonical", "alternate", "next", "prev", "amphtml"])
_REFRESH = re.compile(r"\s*+[\d.]*+\s*+[;,]\s*+(?:url\s*+=\s*+)?[\"']?([^\"']+)", re.IGNORECASE)
_FEEDS = ("application/rss+xml", "application/atom+xml", "application/json", "text/xml", "application/xml")
_EMPTY_WORDS = 20


@dataclass(frozen=True)
class Leads:
    """What a page leads to."""

    links: tuple[str, ...] = ()
    images: tuple[str, ...] = ()
    is_noindex: bool = False
    is_empty: bool = False
    """Whether it shows hardly a word and has scripts."""
    digest: int = 0
    """Checksum of the text of the page; pages that say the same have the same."""


def is_html(fetched: Fetched) -> bool:
    """Whether the answer says it is HTML, or says nothing and looks like it."""
    kind = fetched.header("content-type").partition(";")[0].strip().lower()
    return kind in HTML_TYPES or (not kind and fetched.body.lstrip()[:1] == b"<")


def plain_body(fetched: Fetched, limit: int) -> bytes:
    """The body without its content coding; empty if it cannot be decoded within `limit` bytes."""
    try:
        return decoded(fetched.body, fetched.header("content-encoding"), limit)
    except BodyError:
        return b""


def leads_of(fetched: Fetched, limit: int, limits: Extract) -> Leads:
    """What an HTML answer leads to; nothing for others.

    Parameters
    ----------
    limit : int
        Most bytes that the body may unfold to.
    limits : Extract
        What is read of a page at the most, by an audit too.
    """
    if not is_html(fetched):
        return Leads()
    if fetched.rendered:
        text = fetched.rendered
    else:
        _, text = html_to_unicode(fetched.header("content-type") or None, plain_body(fetched, limit))
    tree = LexborHTMLParser(within_limits(text, limits)[0])
    base, is_noindex = fetched.task.url, "noindex" in fetched.header("x-robots-tag").lower()
    links: dict[str, None] = {}
    images: dict[str, None] = {}
    for node in tree.css(_LEADING):
        tag, attributes = node.tag, node.attributes
        target = attributes.get("href") or attributes.get("src") or ""
        if tag == "base":
            base = normal_url(target, fetched.task.url) or base
        elif tag == "meta":
            content = attributes.get("content") or ""
            if (attributes.get("name") or "").lower() == "robots":
                is_noindex = is_noindex or "noindex" in content.lower() or "none" in content.lower()
            elif (attributes.get("http-equiv") or "").lower() == "refresh" and (result := _REFRESH.match(content)):
                links[normal_url(result[1], base) or ""] = None
        elif tag == "img":
            if len(images) <= limits.max_images:
                images[normal_url(target, base) or ""] = None
        elif len(links) <= limits.max_links and (tag != "link" or _is_followed(attributes)):
            links[normal_url(target, base) or ""] = None
    has_script = tree.css_first("script") is not None
    tree.strip_tags(["script", "style", "noscript"])
    words = (tree.body.text(separator=" ") if tree.body else "").split()
    return Leads(
        tuple(islice(filter(None, links), limits.max_links)),
        tuple(islice(filter(None, images), limits.max_images)),
        is_noindex,
        is_empty=len(words) < _EMPTY_WORDS and has_script,
        digest=zlib.crc32(" ".join(words).encode("utf-8", "replace")),
    )


def _is_followed(attributes: dict[str, str | None]) -> bool:
    rel = set((attributes.get("rel") or "").lower().split())
    return bool(rel & _FOLLOWED_RELS) and (attributes.get("type") or "").lower() not in _FEEDS
