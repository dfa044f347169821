"""What a page tells crawlers: robots directives, canonical address, redirects, alternates.

In:  HTTP headers and the attributes of meta and link elements.
Out: directives and absolute addresses.

Sources: robots meta elements and ``X-Robots-Tag`` as search engines document them, canonical RFC 6596, ``Link`` header
RFC 8288, redirects RFC 9110 section 15.4, refresh in the HTML standard.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence

from mardok.sources.body import header_bytes
from mardok.sources.raw import RawPage
from mardok.urls import normal_url, resolved_url

_LINK_VALUE = re.compile(r"<([^<>]*)>((?:\s*+;\s*+[\w*-]++\s*+=\s*+(?:\"[^\"]*\"|[^\s;,\"]++))*+)")
_PARAMETER = re.compile(r";\s*+([\w*-]++)\s*+=\s*+(?:\"([^\"]*)\"|([^\s;,\"]++))")
_AGENT = re.compile(r"\s*([\w-]+)\s*:(?!\s*\d)")
_NOT_AGENTS = frozenset(["unavailable_after", "max-snippet", "max-image-preview", "max-video-preview"])
_LONGEST_NAME = 100
_ROBOT_NAMES = re.compile(r"robots|[\w-]*bot(?:-[\w-]+)?|slurp", re.IGNORECASE)
_REFRESH = re.compile(
    r"""\s*+0*+(?:\.\d*+)?\s*+[;,]\s*+(?:url\s*+=\s*+)?(?:"([^"]+).*|'([^']+).*|([^"'].*))""", re.IGNORECASE | re.DOTALL
)
_WITH_SCHEME = re.compile(r"https?:", re.IGNORECASE)
_REDIRECTS = frozenset([301, 302, 303, 307, 308])


def robots_directives(page: RawPage, metas: Iterable[Mapping[str, str]]) -> tuple[tuple[str, str], ...]:
    """Directives in lower case, each with the robot it is for, ``""`` for all; headers first.

    A header may name a robot before its directives (``googlebot: noindex``), a meta element names it as its own name.
    """
    result = []
    for name, value in page.headers:
        if name == "x-robots-tag":
            agent = ""
            for part in value.split(","):
                named = _AGENT.match(part)
                if named and named[1].lower() not in _NOT_AGENTS:
                    agent, part = named[1].lower(), part[named.end() :]
                result.append((agent, part.strip().lower()))
    for meta in metas:
        name = meta.get("name", "").strip().lower()
        if len(name) <= _LONGEST_NAME and _ROBOT_NAMES.fullmatch(name):
            agent = "" if name == "robots" else name
            result += [(agent, part.strip().lower()) for part in meta.get("content", "").split(",")]
    return tuple((agent, directive) for agent, directive in result if directive)


def is_told(directives: Iterable[tuple[str, str]], directive: str, agents: Sequence[str]) -> bool:
    """Whether all robots, or one of `agents`, are told a directive such as ``noindex`` (``none`` means it too).

    Parameters
    ----------
    directives : iterable of (agent, directive)
        As :func:`robots_directives` gives them.
    directive : str
        In lower case.
    agents : sequence of str
        Robots whose directives count, in lower case.
    """
    return any(text_words in (directive, "none") and (not agent or agent in agents) for agent, text_words in directives)


def canonical_addresses(page: RawPage, link_elements: Iterable[Mapping[str, str]], base: str) -> list[str]:
    """Absolute canonical addresses, those of elements before those of headers; ``""`` where one is no address.

    Parameters
    ----------
    link_elements : iterable of mapping
        Attributes of the ``link`` elements of the head.
    base : str
        Address that relative ones are resolved against.
    """
    result = [
        resolved_url(element["href"], base) or ""
        for element in link_elements
        if "canonical" in element.get("rel", "").lower().split() and element.get("href", "").strip()
    ]
    result += [
        normal_url(target, page.url) or ""
        for target, parameters in _link_header(page)
        if "canonical" in parameters.get("rel", "").lower().split()
    ]
    return result


def has_relative_canonical(link_elements: Iterable[Mapping[str, str]]) -> bool:
    """Whether the first canonical address of the elements is written without scheme and host."""
    for element in link_elements:
        if "canonical" in element.get("rel", "").lower().split() and element.get("href", "").strip():
            return not _WITH_SCHEME.match(element["href"].strip())
    return False


def language_alternates(page: RawPage, link_elements: Iterable[Mapping[str, str]], base: str) -> tuple[tuple[str, str], ...]:
    """hreflang in lower case with its absolute address, from elements and ``Link`` headers.

    Parameters
    ----------
    link_elements : iterable of mapping
        Attributes of the ``link`` elements of the head.
    base : str
        Address that relative ones are resolved against.
    """
    result = [
        (element.get("hreflang", ""), resolved_url(element.get("href", ""), base))
        for element in link_elements
        if "alternate" in element.get("rel", "").lower().split()
    ]
    result += [
        (parameters.get("hreflang", ""), normal_url(target, page.url))
        for target, parameters in _link_header(page)
        if "alternate" in parameters.get("rel", "").lower().split()
    ]
    return tuple((hreflang.strip().lower(), url) for hreflang, url in result if hreflang.strip() and url)


def redirect_target(page: RawPage, metas: Iterable[Mapping[str, str]], base: str) -> str:
    """Absolute target of an HTTP redirect, or of a refresh without delay; ``""`` if the page does not redirect.

    Parameters
    ----------
    metas : iterable of mapping
        Attributes of the ``meta`` elements.
    base : str
        Address that relative ones are resolved against.
    """
    location = page.header("location")
    if location and (page.status is None or page.status in _REDIRECTS):
        return normal_url(location, page.url) or ""
    refreshes = [meta.get("content", "") for meta in metas if meta.get("http-equiv", "").strip().lower() == "refresh"]
    for refresh in [page.header("refresh"), *refreshes]:
        match = _REFRESH.fullmatch(refresh)
        if match:
            target = normal_url(match[match.lastindex or 0], base) or ""
            return "" if target == page.url else target  # a page that reloads itself stays
    return ""


def _link_header(page: RawPage) -> list[tuple[str, dict[str, str]]]:
    links = []
    for name, value in page.headers:
        if name == "link":
            for target, parameters in _LINK_VALUE.findall(value):
                readable = header_bytes(parameters).decode("utf-8", "replace")
                pairs = {key.lower(): quoted or plain for key, quoted, plain in _PARAMETER.findall(readable)}
                links.append((target, pairs))
    return links
