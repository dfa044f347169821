"""What a document says about itself beside its text: what it is, who publishes it, what it loads.

In:  a parsed document with its meta elements.
Out: :class:`mardok.extract.page.Signs`.

Sources: the Open Graph protocol (``og:type``, ``og:site_name``), schema.org types in JSON-LD 1.1 and in microdata, mixed
content as the W3C Recommendation "Mixed Content" defines it.
"""

from __future__ import annotations

import json
import logging
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence, Set
from itertools import islice
from typing import Any

from selectolax.lexbor import LexborHTMLParser, LexborNode

from mardok.compiled import compiled
from mardok.extract.page import Signs
from mardok.urls import normal_url

log = logging.getLogger(__name__)

FIELD_TAGS = frozenset(["input", "select", "textarea"])
SIGN_TAGS = FIELD_TAGS | {"audio", "h1", "link", "video"}
"""Elements that are looked for only where they are known to stand; not all fields, nor all links, need be."""
FURNITURE_TAGS = frozenset(["header", "nav", "footer", "aside"])
_NO_FIELDS = frozenset(["hidden", "submit", "button", "image", "reset", "search"])
_PUBLISHERS = frozenset(["website", "organization", "localbusiness", "corporation", "store", "newsmediaorganization"])
_LONGEST_DATA = 200_000
"""Characters of structured data that are read of one element."""
_DEEPEST_DATA = 6
_MOST_TYPES = 12
_LOADED = (
    'script[src^="http:"],img[src^="http:"],iframe[src^="http:"],audio[src^="http:"],video[src^="http:"],'
    'source[src^="http:"],embed[src^="http:"],object[data^="http:"],link[rel~="stylesheet"][href^="http:"]'
)
_MOST_FIELDS = 1000
_MOST_LOADED = 20
_SOCIAL = ("og:title", "og:description", "og:image", "twitter:card", "twitter:title", "twitter:image")
_ESCAPED_TWICE = re.compile("&amp;[a-zA-Z#][a-zA-Z0-9]{1,8};")
_BROKEN = ("\u00c3", "\u00e2\u20ac", "\u00c2", "\ufffd")
"""Escaped references, and characters that come of a wrong encoding."""
_MET = {"&amp;": 1, "ld+json": 2, "itemtype=": 4, '"http:': 8, 'src="http:': 16, 'data="http:': 32}
_BROKEN_MET = 64
"""Numbers of what is looked for at a glance."""
_DAY_PROPERTIES = (
    "article:modified_time", "og:updated_time", "last-modified", "dcterms.modified", "article:published_time",
    "dcterms.issued", "dc.date", "date",
)  # fmt: skip
"""Meta elements that state a day, changes before publication."""
_DAY_KEYS = ("dateModified", "datePublished")
_DAY = re.compile(r"\s*((?:19|20)\d\d-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01]))(?!\d)")
_FRAMES = frozenset(["iframe", "frame", "object", "embed"])
_CODE_NAMES = ("code", "kbd", "samp", "tt", "var")
_CODE_TAG = re.compile(rf"<(?:{'|'.join(_CODE_NAMES)})(?:\s[^<>]{{0,1200}})?>([^<]{{1,1200}})".encode())
_TAG_AND_TEXT = re.compile(rb"<(?!html\b)[a-z][a-z0-9]{0,20}\s([^<>]{1,1200})>([^<]{1,1200})")
_LONGEST_TAG = 1300
_APART = re.compile(rb"(?:^|\s)(?:lang\s?=|translate=.?no\b|class=.{0,80}\bnotranslate\b)")
_SIGNS_APART = (b"lang", b"translate")
_LETTERS = re.compile(r"[^\W\d_]{3,40}")
_MOST_SET_APART = 300
_LONGEST_CODE, _MOST_CODE = 300, 100
"""Characters, and texts, that are kept of what is shown as code."""


def signs_of(
    parser: LexborHTMLParser, html: str, url: str, metas: Iterable[Mapping[str, str]], seen: Set[str], names: Set[str]
) -> Signs:
    """Signs of one document; its canonical addresses are told by :mod:`mardok.extract.directives`.

    Parameters
    ----------
    html : str
        The document as the parser writes it, to see at a glance what need not be looked for.
    seen : set of str
        Of :data:`SIGN_TAGS`, at least those that stand in it; H1 with a text, fields in furniture and links to anything but
        an address of http: may be missing.
    names : set of str
        Names of at least all elements in it.
    """
    properties = {meta.get("property", meta.get("name", "")).strip().lower(): meta.get("content", "") for meta in metas}
    met = glance(html)
    types, publishers, days = _structured(parser, met)
    fields = [] if FIELD_TAGS.isdisjoint(seen) else _fields(parser)
    return Signs(
        og_type=" ".join(properties.get("og:type", "").lower().split()),
        site_names=tuple(dict.fromkeys(filter(None, [" ".join(properties.get("og:site_name", "").split()), *publishers]))),
        schema_types=types,
        n_fields=len(fields),
        has_password="password" in fields,
        n_players=len(parser.css("video,audio,embed,object")) if "video" in seen or "audio" in seen else 0,
        social=tuple(name for name in _SOCIAL if properties.get(name, "").strip()),
        shown_code=_shown_code(parser) if _shows_code(html, met) else (),
        n_frames=len(parser.css("iframe[src],frame[src],object[data],embed[src]")) if not names.isdisjoint(_FRAMES) else 0,
        h1_images=_h1_images(parser) if "h1" in seen else 0,
        stated_day=_stated_day(properties, days),
        insecure=_insecure(parser) if url.startswith("https:") and _may_load_openly(met, seen) else (),
    )


def may_show_code(html: str) -> bool:
    """Whether a document holds what would be a broken character, if it did not stand there as an example.

    Examples
    --------
    >>> may_show_code("Write &amp;nbsp; for a space"), may_show_code("Bows &amp; strings")
    (True, False)
    """
    return _shows_code(html, glance(html))


def _shows_code(html: str, met: int) -> bool:
    return bool(met & _BROKEN_MET) or (bool(met & _MET["&amp;"]) and _ESCAPED_TWICE.search(html) is not None)


@compiled("signs")
def glance(html: str) -> int:
    """Which of a few signs stand in a document, so that most documents are looked at once: a sum of their numbers."""
    met = sum(number for sign, number in _MET.items() if sign in html)
    return met + (_BROKEN_MET if not html.isascii() and any(sign in html for sign in _BROKEN) else 0)


def set_apart_words(written: bytes, names: Set[str]) -> tuple[str, ...]:
    """Words that markup sets apart as code, as another language or as not to be translated.

    Parameters
    ----------
    written : bytes
        The document as it came, in UTF-8: what is known of other pages is not in the one that the parser sees.
    names : set of str
        Names of at least all elements in it.

    Examples
    --------
    >>> html = b'<html lang=en><p>Run <code>lutherie --all</code>, <i lang="it">con sordino</i>.'
    >>> set_apart_words(html, {"html", "p", "code", "i"})
    ('lutherie', 'all', 'con', 'sordino')
    """
    texts = iter(texts_apart(written, not names.isdisjoint(_CODE_NAMES), _APART.search))
    words: list[str] = []
    while len(words) < _MOST_SET_APART and (some := list(islice(texts, _MOST_SET_APART))):
        # Together they are decoded and cut into words many times as fast as one by one.
        together = b"\n".join(text if len(text) <= _LONGEST_CODE else _cut(text) for text in some)
        words += letter_words(together.decode("utf-8", "ignore").lower())[: _MOST_SET_APART - len(words)]
    return tuple(dict.fromkeys(words))


@compiled("signs")
def letter_words(text: str) -> list[str]:
    """Runs of three letters or more; of longer ones forty each.

    Examples
    --------
    >>> letter_words("cut_off -h 2nd x11bow")
    ['cut', 'off', 'bow']
    """
    return _LETTERS.findall(text)


@compiled("signs")
def texts_apart(written: bytes, has_code: bool, sets_apart: Callable[[bytes], object]) -> Sequence[bytes]:
    """Texts of elements that show code, then of those whose attributes set them apart, ASCII capitals as small letters.

    Parameters
    ----------
    written : bytes
        A document in UTF-8.
    has_code : bool
        Whether elements that show code stand in it.
    sets_apart : callable
        Looks for what sets a text apart in the attributes of a tag; None if there is none.
    """
    low = written.lower()
    begins = sorted(at for name in _CODE_NAMES for at in _places(low, f"<{name}".encode())) if has_code else []
    texts = [tag[1] for at in begins if (tag := _CODE_TAG.match(low, at)) is not None]
    if low.count(b" lang=") > 1 or b"translate" in low:  # one is that of the page
        signs = sorted(at for sign in _SIGNS_APART for at in _places(low, sign))
        tags = dict.fromkeys(begin for at in signs if (begin := low.rfind(b"<", max(at - _LONGEST_TAG, 0), at)) >= 0)
        met = filter(None, (_TAG_AND_TEXT.match(low, begin) for begin in tags))
        texts += [tag[2] for tag in met if sets_apart(tag[1])]
    return texts


def _cut(text: bytes) -> bytes:
    """The first characters of a text."""
    return text.decode("utf-8", "ignore")[:_LONGEST_CODE].encode()


def _places(written: bytes, sought: bytes) -> Iterator[int]:
    at = written.find(sought)
    while at >= 0:
        yield at
        at = written.find(sought, at + 1)


def _shown_code(parser: LexborHTMLParser) -> tuple[str, ...]:
    """Texts in code and quotations that show escaped or broken characters on purpose."""
    result = (node.text(deep=True) for node in parser.css("code,kbd,samp,tt,var,pre,q,blockquote"))
    kept = (" ".join(text.split())[:_LONGEST_CODE] for text in result if "&" in text or not text.isascii())
    return tuple(dict.fromkeys(kept))[:_MOST_CODE]


def _fields(parser: LexborHTMLParser) -> list[str]:
    """Types of the form fields that stand in the page's own part."""
    result = []
    for node in parser.css("input,select,textarea")[:_MOST_FIELDS]:
        kind = (node.attributes.get("type") or "text").lower() if node.tag == "input" else "text"
        if kind not in _NO_FIELDS and not _is_in_furniture(node):
            result.append(kind)
    return result


def _is_in_furniture(node: LexborNode) -> bool:
    above = node.parent
    while above is not None:
        if above.tag in FURNITURE_TAGS or (above.tag == "form" and (above.attributes.get("role") or "").lower() == "search"):
            return True
        above = above.parent
    return False


def _h1_images(parser: LexborHTMLParser) -> int:
    """How many H1 hold an image and no text."""
    return sum(
        1 for node in parser.css("h1") if not node.text(strip=True) and (node.css_first("img,svg,picture") is not None)
    )


def _may_load_openly(met: int, seen: Set[str]) -> bool:
    """Whether something may be loaded over http: many pages link to such addresses, few load them."""
    is_linked, is_source, is_data = (met & _MET[sign] for sign in ('"http:', 'src="http:', 'data="http:'))
    return bool(is_linked) and (bool(is_source | is_data) or "link" in seen)


def _insecure(parser: LexborHTMLParser) -> tuple[str, ...]:
    """Addresses of what the page loads without encryption."""
    result = (
        node.attributes.get("src") or node.attributes.get("data") or node.attributes.get("href") or ""
        for node in parser.css(_LOADED)
    )
    normal = (normal_url(address) for address in result)
    return tuple(dict.fromkeys(address for address in normal if address))[:_MOST_LOADED]


def _stated_day(properties: Mapping[str, str], days: Mapping[str, str]) -> str:
    """The day that a page states: of its last change, else of its publication."""
    texts = (*(days.get(key, "") for key in _DAY_KEYS), *(properties.get(name, "") for name in _DAY_PROPERTIES))
    return next((found[1] for text in texts if (found := _DAY.match(text))), "")


def _structured(parser: LexborHTMLParser, met: int) -> tuple[tuple[str, ...], list[str], dict[str, str]]:
    """Types that structured data gives the page, in lower case, the names of its publisher, and days it states by key."""
    types: list[str] = []
    publishers: list[str] = []
    days: dict[str, str] = {}
    if met & _MET["ld+json"]:
        for node in parser.css('script[type*="ld+json"]'):
            for item in _items(_parsed(node.text(deep=True)), _DEEPEST_DATA):
                own = [str(name).rpartition("/")[2].lower() for name in _listed(item.get("@type"))]
                types += own
                days |= {key: item[key] for key in _DAY_KEYS if key not in days and isinstance(item.get(key), str)}
                if _PUBLISHERS & set(own) and isinstance(item.get("name"), str):
                    publishers.append(" ".join(item["name"].split()))
    if met & _MET["itemtype="]:
        for node in parser.css("[itemtype]"):
            types += [name.rpartition("/")[2].lower() for name in (node.attributes.get("itemtype") or "").split()]
    return tuple(types[:_MOST_TYPES]), publishers, days


def _parsed(text: str) -> Any:
    if len(text) > _LONGEST_DATA:
        return None
    try:
        return json.loads(text)
    except (ValueError, RecursionError) as error:  # what a site gets wrong here says nothing, and harms nothing
        log.debug("structured data that is no JSON is left out: %s", error)
        return None


def _items(data: Any, depth: int) -> Iterator[Mapping[str, Any]]:
    """Objects that stand for the page itself or for what it belongs to: at the top, in a graph, or its main entity."""
    if depth and isinstance(data, list):
        for item in data:
            yield from _items(item, depth - 1)
    elif depth and isinstance(data, dict):
        yield data
        for key in ("@graph", "mainEntity", "isPartOf", "publisher"):
            yield from _items(data.get(key), depth - 1)


def _listed(value: Any) -> Sequence[Any]:
    return value if isinstance(value, list) else [] if value is None else [value]
