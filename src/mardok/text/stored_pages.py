"""The pages of a large site as columns.

In:  one text a page for each of its fields, as they are kept.
Out: pages of which each field is made when it is asked for, and the row of each address.

A page as an object with its texts takes some 800 bytes; what lies in columns lies in files, where there is a working folder.
"""

from __future__ import annotations

import json
import os
from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import fields
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
import xxhash

from mardok.extract.page import Page, Signs
from mardok.large import OnDemand, Texts, laid_down

MANY_PAGES = 100_000
"""Pages of a site from which on memory runs out sooner than time."""
TEXT_FIELDS = tuple(one.name for one in fields(Page) if one.type == "str")
"""Fields of a page that are texts; the others are told as JSON."""
TOLD_FIELDS = tuple(one.name for one in fields(Page) if one.type != "str" and one.name not in ("blocks", "images"))
_MOST_READ, _PAGES_AT_ONCE = 1 << 10, 1 << 9


def told(value: Any) -> str:
    """The value of a field as JSON."""
    return json.dumps(value, ensure_ascii=True, separators=(",", ":"))


def value_of(text: str) -> Any:
    """The value again, whose lists are the tuples that they were."""
    return frozen(json.loads(text))


def frozen(value: Any) -> Any:
    """Lists as tuples."""
    return tuple(map(frozen, value)) if isinstance(value, list) else value


def signs_of(text: str) -> Signs:
    """The signs of a page that are told as JSON."""
    return Signs(*value_of(text))


def held_texts(texts: Iterable[str], n_pages: int) -> Sequence[str]:
    """A text for each page, which is needed for long."""
    return Texts.of(texts) if n_pages >= MANY_PAGES else list(texts)


class StoredPages(OnDemand[Page]):
    """Pages as columns.

    Parameters
    ----------
    columns : mapping of str to Texts
        One text a page for each of :data:`TEXT_FIELDS` and :data:`TOLD_FIELDS`.
    sources : mapping of str to str
        The names of the sources, by what they are called there.
    """

    def __init__(self, columns: Mapping[str, Texts], sources: Mapping[str, str]) -> None:
        n_pages = len(columns["url"])

        def page(row: int) -> Page:
            return _StoredPage(_Stretch(columns, sources, row, row + 1), 0)

        def pages() -> Iterator[Page]:
            for first in range(0, n_pages, _PAGES_AT_ONCE):
                its = _Stretch(columns, sources, first, min(first + _PAGES_AT_ONCE, n_pages))
                yield from (_StoredPage(its, at) for at in range(its.last - first))

        super().__init__(n_pages, page, pages)
        self.columns, self.sources = columns, sources

    def in_languages(self, languages: Sequence[str]) -> StoredPages:
        """The same pages in these languages."""
        return StoredPages({**self.columns, "language": Texts.of(languages)}, self.sources)

    @cached_property
    def row_of(self) -> RowOfAddress:
        """Row of each address."""
        return RowOfAddress(self.columns["url"])


class _Stretch:
    """Pages that follow one another: a field that is asked of one is made for all of them."""

    __slots__ = ("_columns", "_made", "_sources", "first", "last")

    def __init__(self, columns: Mapping[str, Texts], sources: Mapping[str, str], first: int, last: int) -> None:
        self._columns, self._sources, self.first, self.last = columns, sources, first, last
        self._made: dict[str, list[Any]] = {}

    def values(self, name: str) -> list[Any]:
        """A field of each page."""
        known = self._made.get(name)
        if known is None:
            texts, first, last = self._columns[name], self.first, self.last
            known = [texts[first]] if last == first + 1 else texts[first:last].tolist()
            if name == "source":
                known = [self._sources.get(text, text) for text in known]
            elif name in _READ:
                known = list(map(_READ[name], known))
            self._made[name] = known
        return known


_READ: Mapping[str, Callable[[str], Any]] = {
    name: lru_cache(_MOST_READ)(signs_of if name == "signs" else value_of) for name in TOLD_FIELDS
}


class _StoredPage(Page):
    """A page whose fields are looked up."""

    __slots__ = ("at", "stretch")
    stretch: _Stretch
    at: int
    """Its number there."""

    def __init__(self, stretch: _Stretch, at: int) -> None:
        object.__setattr__(self, "stretch", stretch)
        object.__setattr__(self, "at", at)

    def __reduce__(self) -> tuple[Any, ...]:
        return Page, tuple(getattr(self, one.name) for one in fields(Page))


def _looked_up(name: str) -> property:
    if name in ("blocks", "images"):  # they stand in columns of their own
        return property(lambda _: ())
    return property(lambda page: page.stretch.values(name)[page.at])


for _name in (one.name for one in fields(Page)):
    setattr(_StoredPage, _name, _looked_up(_name))


class RowOfAddress(Mapping[str, int]):
    """The row of each of some addresses, found by a hash whose seed nobody can know before.

    Examples
    --------
    >>> row_of = RowOfAddress(Texts.of(["https://host.example/", "https://host.example/bows"]))
    >>> row_of["https://host.example/bows"], row_of.get("https://host.example/cases", -1)
    (1, -1)
    """

    def __init__(self, urls: Texts) -> None:
        self._urls, self._seed = urls, int.from_bytes(os.urandom(8), "little")
        hashes = np.fromiter((self._hash(urls.bytes_of(row)) for row in range(len(urls))), np.uint64, len(urls))
        order = np.argsort(hashes)
        self._rows, self._hashes = laid_down(order.astype(np.int32)), laid_down(hashes[order])

    def _hash(self, raw: bytes) -> int:
        return xxhash.xxh3_64_intdigest(raw, self._seed)

    def __getitem__(self, url: str) -> int:
        row = self._row(url)
        if row < 0:
            raise KeyError(url)
        return row

    def get(self, url: str, default: Any = None) -> Any:
        """Row of an address, or something else if there is no such."""
        row = self._row(url)
        return row if row >= 0 else default

    def __contains__(self, url: object) -> bool:
        return isinstance(url, str) and self._row(url) >= 0

    def _row(self, url: str) -> int:
        raw, hashes = url.encode("utf-8", "surrogatepass"), self._hashes.data
        hashed = self._hash(raw)
        for at in range(bisect_left(hashes, hashed), len(hashes)):
            if hashes[at] != hashed:
                break
            row = int(self._rows[at])
            if self._urls.bytes_of(row) == raw:
                return row
        return -1

    def __iter__(self) -> Iterator[str]:
        return iter(self._urls)

    def __len__(self) -> int:
        return len(self._urls)
