"""What an address is, and when two are variants of one.

In:  addresses as they stand in HTTP headers, HTML and tables.
Out: addresses in the one form used everywhere (scheme and host in lower case, no default port, no fragment, a path,
     escapes in upper case; RFC 3986, section 6.2.2), and keys that are equal for addresses which may be variants.

Nothing else is changed: two writings that differ otherwise are two pages, perhaps variants.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from fnmatch import fnmatchcase
from functools import lru_cache
from typing import TYPE_CHECKING
from urllib.parse import SplitResult, urljoin, urlsplit, urlunsplit

from mardok.compiled import compiled

if TYPE_CHECKING:
    from mardok.settings import Variants

_LONGEST = 1 << 13
"""Characters of an address; servers need not take more than 8,000 octets (RFC 9110, section 4.1)."""
_LONGEST_KEPT = 512
"""Characters of an address, with the one it is resolved against, that are remembered."""
_DEFAULT_PORT = {"http": 80, "https": 443}
_ESCAPE = re.compile(r"%[0-9a-fA-F]{2}")
_STRIPPED = "".join(map(chr, range(0x21)))
_REMOVED = re.compile(r"[\t\r\n]")
_UNSAFE = re.compile(r"[^\x21\x23-\x3b\x3d\x3f-\x5b\x5d\x5f\x61-\x7a\x7e]")
_SLASHES = re.compile(r"^(https?:)?/{3,}", re.IGNORECASE)
_PLAIN_PATH = re.compile(r"/[A-Za-z0-9/_~.\-]*(?:\?[A-Za-z0-9_=&.~\-]+)?")
_PLAIN_NAME = re.compile(r"[A-Za-z0-9_~\-][A-Za-z0-9_~.\-]*")
_PLAIN_RELATIVE = re.compile(
    rf"(?P<up>(?:\.\./)*+)(?:{_PLAIN_NAME.pattern}/)*+(?:{_PLAIN_NAME.pattern})?+(?:\?[A-Za-z0-9_=&.~\-]+)?"
)
_PLAIN_ABSOLUTE = re.compile(rf"https?://[a-z0-9.\-]+{_PLAIN_PATH.pattern}")
"""Addresses that stand in the one form already, but for dots that begin a name of the path."""
_PLAIN_PARTS = re.compile(r"(https?)://([a-z0-9.\-]+)(/[A-Za-z0-9/_~.\-]*)(?:\?([A-Za-z0-9_=&.~\-]+))?")
_PLAIN_ORIGIN = re.compile(r"https?://([a-z0-9.\-]+)/")
_SLASHES_OF_ORIGIN = 2
"""As in ``https://host.example``."""
_PAGINATION_PATH = re.compile(r"/(?:page|seite)[/-]?\d+/?$", re.IGNORECASE)


@compiled("addresses")
def resolved_url(href: str, base: str) -> str | None:
    """An address as :func:`normal_url` gives it, for the many addresses of one page; `base` is in the one form itself.

    What a page's address has to do with the answer is cut down to its origin or its folder, so that the menus of a site
    are resolved once and not once a page; plain paths, which most are, need no resolving at all.

    Examples
    --------
    >>> resolved_url("/b?c=1", "https://host.example/x/y"), resolved_url("b.html", "https://host.example/x/y?z")
    ('https://host.example/b?c=1', 'https://host.example/x/b.html')
    """
    if "#" in href:
        before = href.partition("#")[0]
        if before[-1:] in _STRIPPED and before:  # a blank that does not end the address is one of its signs
            return normal_url(href, base)
        href = before
        if not href:
            return base
    if href[:1] == "/" and href[1:2] not in ("/", "\\"):
        origin = _origin(base)
        if _PLAIN_PATH.fullmatch(href) and "/." not in href:
            return origin + href
        return normal_url(href, origin + "/")
    if href[:7] == "http://" or href[:8] == "https://":
        return href if _is_in_one_form(href) else normal_url(href)
    path = base.partition("?")[0]
    relative = _PLAIN_RELATIVE.fullmatch(href) if href[:1] not in ("", "?") else None
    if relative is None:
        return normal_url(href, base)
    folder, n_up = path.rpartition("/")[0], relative.end("up")
    if not n_up:
        return f"{folder}/{href}"
    n_up = min(n_up // len("../"), folder.count("/") - _SLASHES_OF_ORIGIN)
    return f"{folder.rsplit('/', n_up)[0]}/{href[relative.end('up') :]}"


def split_url(url: str) -> SplitResult:
    """Parts of an address; kept, since many stages ask for the parts of each page's address."""
    return _kept_parts(url) if len(url) <= _LONGEST_KEPT else urlsplit(url)


@lru_cache(maxsize=1 << 17)
def _kept_parts(url: str) -> SplitResult:
    plain = _PLAIN_PARTS.fullmatch(url)  # as most are; the library takes three times as long
    return SplitResult(plain[1], plain[2], plain[3], plain[4] or "", "") if plain is not None else urlsplit(url)


@lru_cache(maxsize=1 << 12)
def _origin(url: str) -> str:
    return "/".join(url.split("/", 3)[:3])


def normal_url(text: str, base: str = "") -> str | None:
    """The address in its one form, resolved against `base`; None if it is no http(s) address, or one no server takes.

    Characters that may not stand in an address are percent-encoded as UTF-8, and hosts outside ASCII with IDNA, as
    browsers send them.

    Examples
    --------
    >>> normal_url("HTTP://Example.COM:80/a%c3%a4?q=1#top"), normal_url("../b", "https://host.example/x/y/")
    ('http://example.com/a%C3%A4?q=1', 'https://host.example/x/b')
    >>> normal_url("mailto:a@host.example") is None
    True
    """
    if len(text) + len(base) <= _LONGEST_KEPT:
        return _kept_url(text, base)
    result = _normal_url(text, base) if len(text) <= _LONGEST else None
    return result if result is not None and len(result) <= _LONGEST else None


@lru_cache(maxsize=1 << 16)
def _kept_url(text: str, base: str) -> str | None:
    return _normal_url(text, base)


def _is_in_one_form(text: str) -> bool:
    """Whether it is seen at once that an address is as :func:`normal_url` would give it, as most are."""
    return len(text) <= _LONGEST_KEPT and _PLAIN_ABSOLUTE.fullmatch(text) is not None and "/." not in text


def _normal_url(text: str, base: str) -> str | None:
    if _is_in_one_form(text):
        return text
    text = _REMOVED.sub("", text.strip(_STRIPPED))
    if "\\" in text:  # to browsers a slash, but in the query
        end = next((at for at, character in enumerate(text) if character in "?#"), len(text))
        text = text[:end].replace("\\", "/") + text[end:]
    text = _SLASHES.sub(r"\1//", text)
    try:
        parts = urlsplit(_joined(base, text) if base else text)
        scheme, port, host = parts.scheme.lower(), parts.port, parts.hostname
    except ValueError:
        return None
    if scheme not in _DEFAULT_PORT or not host:
        return None
    if not host.isascii():
        try:
            host = host.encode("idna").decode("ascii")
        except UnicodeError:
            return None
    if not re.fullmatch(r"[a-z0-9._~:\-]+", host):
        return None
    netloc = f"[{host}]" if ":" in host else host
    if port is not None and port != _DEFAULT_PORT[scheme]:
        netloc += f":{port}"
    return urlunsplit((scheme, netloc, _without_dots(_escaped(parts.path)) or "/", _escaped(parts.query), ""))


def _joined(base: str, text: str) -> str:
    """The address that `text` means on the page `base`; its path keeps the dots and empty segments ``urljoin`` takes out."""
    if not text or text[0] in "?#" or text.startswith("//") or urlsplit(text).scheme:
        return urljoin(base, text)
    parts = urlsplit(base)
    folder = "" if text[0] == "/" else parts.path.rpartition("/")[0] + "/"
    return f"{parts.scheme}://{parts.netloc}{folder}{text}"


def _without_dots(path: str) -> str:
    """A path without its segments ``.`` and ``..``, escaped or not (URL standard of the WHATWG, section 4.4)."""
    if "/." not in path and "%2E" not in path:
        return path
    kept: list[str] = []
    segments = path.split("/")[1:]
    for number, segment in enumerate(segments, start=1):
        dots = segment.replace("%2E", ".")
        if dots == "..":
            del kept[-1:]
        elif dots != ".":
            kept.append(segment)
            continue
        if number == len(segments):
            kept.append("")
    return "/" + "/".join(kept)


def _escaped(text: str) -> str:
    text = _UNSAFE.sub(lambda match: "".join(f"%{byte:02X}" for byte in _sent(match[0])), text)
    return _ESCAPE.sub(lambda match: match[0].upper(), text) if "%" in text else text


def _sent(character: str) -> bytes:
    """A character in the bytes that a browser sends: of a header that is not UTF-8, those that stood in it."""
    if "\udc80" <= character <= "\udcff":
        return character.encode("utf-8", "surrogateescape")
    return character.encode("utf-8", "replace")


def bare_host(url: str) -> str:
    """The host without a leading ``www.``: the name of the site an address belongs to."""
    # Of a large site more addresses are asked for than are remembered.
    plain = _PLAIN_ORIGIN.match(url)
    return (plain[1] if plain is not None else split_url(url).netloc).removeprefix("www.")


def is_home(url: str, settings: Variants) -> bool:
    """Whether the address is the root of its host, or the index file there."""
    parts = split_url(url)
    return not parts.query and parts.path[1:].casefold() in ("", *settings.index_files)


def is_pagination(url: str, settings: Variants) -> bool:
    """Whether the address turns the pages of a listing."""
    parts = split_url(url)
    names = {name.casefold() for name, _ in _parameters(parts)}
    return not names.isdisjoint(settings.pagination_parameters) or bool(_PAGINATION_PATH.search(parts.path))


def matches(url: str, patterns: Sequence[str]) -> bool:
    """Whether the address, or its path and query, fits one of the patterns (``*`` stands for anything)."""
    if not patterns:
        return False
    parts = split_url(url)
    path = parts.path + (f"?{parts.query}" if parts.query else "")
    return any(fnmatchcase(url, pattern) or fnmatchcase(path, pattern) for pattern in patterns)


def is_path(text: str) -> bool:
    """Whether a text is the path of an address, without scheme and host.

    Examples
    --------
    >>> is_path("/hire/?size=4"), is_path("//host.example/hire/"), is_path("hire/")
    (True, False, False)
    """
    return text.startswith("/") and not text.startswith("//")


def is_under(url: str, pattern: str) -> bool:
    """Whether an address lies under the beginning of a path or address, or fits a pattern with ``*``.

    Examples
    --------
    >>> is_under("https://host.example/blog/a", "/blog/"), is_under("https://host.example/blog/a", "*/a")
    (True, True)
    """
    path = split_url(url).path
    if "*" in pattern:
        return fnmatchcase(path, pattern) or fnmatchcase(url, pattern)
    return (url if "://" in pattern else path).startswith(pattern)


class AddressMark(StrEnum):
    """What of an address is not in the plain form."""

    SCHEME = "scheme"
    HOST = "host"
    INDEX_FILE = "index file"
    SLASH = "slash"
    CASE = "case"


PRINT_MARK = "print"
"""Stands among the parameters for a print folder."""


@dataclass(frozen=True, slots=True)
class VariantForm:
    """An address taken apart into what its variants have in common and what tells it from them."""

    key: str
    """Equal for all addresses that differ only in scheme, ``www.``, case, slash, index file, print or parameters."""
    parameters: tuple[tuple[str, str], ...]
    """Parameters that are not known to leave the page as it is, in sorted order: they may well select another page."""
    reachable: tuple[str, ...]
    """Names of the parameters and print markers that leave the page as it is but must go on working."""
    marks: tuple[AddressMark, ...]
    """What else is not in the plain form."""

    @property
    def identity(self) -> tuple[str, tuple[tuple[str, str], ...]]:
        """Equal for addresses that are written variants unless their texts say otherwise."""
        return self.key, self.parameters


def variant_form(url: str, settings: Variants) -> VariantForm:
    """Take an address apart for comparison with its variants.

    The marks are about the address alone: ``http`` for scheme, a bare host, an index file, no trailing slash, capitals
    in the path. Which of two writings the site prefers is for :mod:`mardok.findings.keeper` to say.

    Examples
    --------
    >>> from mardok.settings import Variants
    >>> form = variant_form("http://host.example/Hire/index.html?sort=price&id=5", Variants())
    >>> form.key, form.parameters, form.reachable, [mark.value for mark in form.marks]
    ('host.example/hire', (('id', '5'),), ('sort',), ['scheme', 'host', 'index file', 'case'])
    """
    parts = split_url(url)
    marks, reachable = [], []
    if parts.scheme == "http":
        marks.append(AddressMark.SCHEME)
    if not parts.netloc.startswith("www."):
        marks.append(AddressMark.HOST)
    path, _, in_path = parts.path.partition(";")  # such as ";jsessionid=5" (RFC 3986, section 3.3)
    segments = path.split("/")
    if segments[-1].casefold() in settings.index_files:
        marks.append(AddressMark.INDEX_FILE)
        segments[-1] = ""
    elif segments[-1]:
        marks.append(AddressMark.SLASH)
    kept = [segment for segment in segments if segment]
    plain = [segment for segment in kept if segment.casefold() not in settings.print_paths]
    if len(plain) < len(kept):
        reachable.append(PRINT_MARK)
    if any(segment != segment.casefold() for segment in plain):
        marks.append(AddressMark.CASE)
    others = []
    for name, value in [*_parameters(parts), *_pairs(in_path)]:
        if any(fnmatchcase(name.casefold(), known) for known in settings.reachable_parameters):
            reachable.append(name.casefold())
        else:
            others.append((name, value))
    key = "/".join([parts.netloc.removeprefix("www."), *(segment.casefold() for segment in plain)])
    return VariantForm(key, tuple(sorted(others)), tuple(sorted(set(reachable))), _same_marks(tuple(marks)))


@lru_cache
def _same_marks(marks: tuple[AddressMark, ...]) -> tuple[AddressMark, ...]:
    """Marks that most addresses of a site have in common, kept once."""
    return marks


def _parameters(parts: SplitResult) -> list[tuple[str, str]]:
    if not parts.query:
        return []
    return _pairs(parts.query)


def _pairs(text: str) -> list[tuple[str, str]]:
    pairs = (pair.partition("=") for pair in re.split(r"[&;]", text) if pair)
    return [(name, value) for name, _, value in pairs]
