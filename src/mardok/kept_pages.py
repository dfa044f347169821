"""What was read of the pages of a site, as tables that are kept.

In:  pages in columns, and what else was met in the sources.
Out: tables of columns, and the same again from these.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import fields, replace
from functools import lru_cache
from typing import Any, cast

import numpy as np
from numpy.typing import DTypeLike, NDArray

from mardok.extract.page import Context, Page
from mardok.kept import Tables
from mardok.large import Growing, GrowingTexts, Texts, United, gathered
from mardok.sources.raw import CrawlEnding, Intake, OpenIntake, RawPage, Unread
from mardok.text import stored_pages
from mardok.text.columns import Blocks, Columns, Images, Links, links_of, pages_of, reordered
from mardok.text.stored_pages import TEXT_FIELDS, TOLD_FIELDS, StoredPages, frozen, signs_of, told, value_of
from mardok.vocabulary import CheckId, NotComputed

_MOST_READ = 1 << 10


def tables_of_reading(columns: Columns, intake: Intake, names: Mapping[str, str]) -> Tables:
    """All that was read, as tables.

    Parameters
    ----------
    names : mapping of str to str
        What the sources are called there, by their names.
    """
    intake = _with_sources(intake, names)
    pages, blocks, links, images = columns.pages, columns.blocks, columns.links, columns.images
    n_links = np.diff(links.first).astype(np.int32)
    return {
        "pages": {
            **{name: [getattr(page, name) for page in pages] for name in TEXT_FIELDS},
            "source": [names.get(page.source, page.source) for page in pages],
            **{name: _all_told(getattr(page, name) for page in pages) for name in TOLD_FIELDS},
            "n_blocks": np.diff(blocks.first),
            "n_images": np.diff(np.searchsorted(images.page, np.arange(len(pages) + 1))),
        },
        "texts": {"text": blocks.texts},
        "contexts": {"context": [told(context) for context in blocks.contexts]},
        "blocks": {
            "text": blocks.text,
            "context": blocks.context,
            "joint": blocks.joint,
            "n_letters": blocks.n_letters,
            "n_linked_letters": blocks.n_linked_letters,
            "n_links": n_links,
        },
        "places": {"block": blocks.at},
        "links": {"url": links.url, "anchor": links.anchor, "rel": links.rel, "start": links.start, "end": links.end},
        "urls": {"url": links.urls},
        "anchors": {"anchor": links.anchors},
        "rels": {"rel": links.rels},
        "images": {"url": images.url, "alt": images.alt, "has_alt": images.has_alt},
        "image_urls": {"url": images.urls},
        "image_alts": {"alt": images.alts},
        "intake": {"field": list(_intake_texts(intake)), "value": list(_intake_texts(intake).values())},
    }


_TABLES = (
    "pages", "texts", "contexts", "blocks", "places", "links", "urls", "anchors", "rels", "images", "image_urls",
    "image_alts", "intake",
)  # fmt: skip


def whole(tables: Tables) -> Tables:
    """The tables of what was read in a part.

    Raises
    ------
    KeyError
        If one is missing.
    """
    return {name: tables[name] for name in _TABLES}


def reading_of_parts(parts: Iterable[Tables], names: Mapping[str, str]) -> tuple[Columns, Intake]:
    """All that was read in several parts, from their tables; of several pages with one address the last counts.

    One part after the other is asked for, and what is taken from it lies where large arrays do.

    Parameters
    ----------
    names : mapping of str to str
        The names of the sources, by what they are called there.
    """
    pages: dict[str, GrowingTexts] = {name: GrowingTexts() for name in (*TEXT_FIELDS, *TOLD_FIELDS)}
    met, columns = OpenIntake(), _GrowingColumns()
    for tables in parts:
        for name, growing in pages.items():
            growing.add(cast(Texts, tables["pages"][name]))
        met.add(_intake_of(dict(zip(tables["intake"]["field"], tables["intake"]["value"], strict=True))))
        columns.add(tables)
    read = {name: growing.finished() for name, growing in pages.items()}
    last = {url: number for number, url in enumerate(read["url"])}
    order = np.array([last[url] for url in sorted(last)], np.int64)
    del last
    ordered = {name: texts.selected(order) for name, texts in read.items()}
    are_many = len(order) >= stored_pages.MANY_PAGES
    return Columns(
        StoredPages(ordered, names) if are_many else tuple(_pages(ordered, names)), *columns.finished(order)
    ), _with_sources(met.closed(), names)


def _all_told(values: Iterable[Any]) -> list[str]:
    """One field of all pages as JSON: most pages say the same there."""
    telling = lru_cache(_MOST_READ)(told)
    return [telling(value) for value in values]


def _pages(columns: Mapping[str, Texts], source_names: Mapping[str, str]) -> Iterator[Page]:
    plain = [columns[name] for name in TEXT_FIELDS]
    others = [map(lru_cache(_MOST_READ)(signs_of if name == "signs" else value_of), columns[name]) for name in TOLD_FIELDS]
    names = (*TEXT_FIELDS, *TOLD_FIELDS)
    sources = dict(source_names)
    for values in zip(*plain, *others, strict=True):
        page = dict(zip(names, values, strict=True))
        # What is said twice is kept once.
        page["source"] = sources.setdefault(page["source"], page["source"])
        for name, other in (("canonical_url", "url"), ("h1_given", "title")):
            page[name] = page[other] if page[name] == page[other] else page[name]
        yield Page(**page, blocks=(), images=())


_NUMBERS: Mapping[str, Mapping[str, DTypeLike]] = {
    "pages": {"n_blocks": np.int64, "n_images": np.int64},
    "blocks": {"joint": np.int8, "n_letters": np.int32, "n_linked_letters": np.int32, "n_links": np.int32},
    "links": {"start": np.int32, "end": np.int32},
    "images": {"has_alt": np.bool_},
}
_NAMED = {
    ("blocks", "text"): ("texts", "text"), ("blocks", "context"): ("contexts", "context"),
    ("links", "url"): ("urls", "url"), ("links", "anchor"): ("anchors", "anchor"), ("links", "rel"): ("rels", "rel"),
    ("images", "url"): ("image_urls", "url"), ("images", "alt"): ("image_alts", "alt"),
}  # fmt: skip
"""Columns of numbers, and those of the texts that they are numbers of."""


class _GrowingColumns:
    """Blocks, links and images of several parts."""

    def __init__(self) -> None:
        self._n_blocks = 0
        self._places = Growing(np.int32)
        self._numbers = {
            (table, name): Growing(dtype) for table, columns in _NUMBERS.items() for name, dtype in columns.items()
        }
        self._codes = {column: Growing(np.int32) for column in _NAMED}
        self._names = {column: United() for column in _NAMED}

    def add(self, tables: Tables) -> None:
        """Add those of a part."""
        self._places.add(np.asarray(tables["places"]["block"]) + np.int32(self._n_blocks))
        self._n_blocks += len(tables["blocks"]["text"])
        for (table, name), growing in self._numbers.items():
            growing.add(np.asarray(tables[table][name]))
        for (table, name), (names_in, names) in _NAMED.items():
            begin = self._names[table, name].add(cast(Texts, tables[names_in][names]))
            self._codes[table, name].add(np.asarray(tables[table][name]) + np.int32(begin))

    def finished(self, order: NDArray[np.int64]) -> tuple[Blocks, Links, Images]:
        """All of them, with the pages in this order."""
        texts, text = self._named("blocks", "text")
        contexts, context = self._named("blocks", "context")
        first, at = reordered(self._array("pages", "n_blocks"), order)
        blocks = Blocks(
            texts,
            text,
            tuple(Context(*value_of(one)) for one in contexts),
            context,
            self._array("blocks", "joint"),
            self._array("blocks", "n_letters"),
            self._array("blocks", "n_linked_letters"),
            first,
            gathered(self._places.finished(), at),
        )
        (urls, url), (anchors, anchor), (rels, rel) = (self._named("links", name) for name in ("url", "anchor", "rel"))
        links = links_of(
            blocks,
            self._array("blocks", "n_links"),
            url=url,
            anchor=anchor,
            rel=rel,
            start=self._array("links", "start"),
            end=self._array("links", "end"),
            urls=urls,
            anchors=anchors,
            rels=rels,
        )
        first, at = reordered(self._array("pages", "n_images"), order)
        (urls, url), (alts, alt) = (self._named("images", name) for name in ("url", "alt"))
        has_alt = gathered(self._array("images", "has_alt"), at)
        return blocks, links, Images(pages_of(first), gathered(url, at), gathered(alt, at), has_alt, urls, alts)

    def _array(self, table: str, name: str) -> NDArray[Any]:
        return self._numbers[table, name].finished()

    def _named(self, table: str, name: str) -> tuple[Texts, NDArray[np.int32]]:
        """The different texts behind a column of numbers, and the numbers among these."""
        names, numbers = self._names[table, name].finished()
        return names, gathered(numbers, self._codes[table, name].finished())


def _with_sources(intake: Intake, names: Mapping[str, str]) -> Intake:
    """The same with other names of the sources."""
    unread = tuple(Unread(names.get(one.source, one.source), one.place, one.url, one.reason) for one in intake.unread)
    return replace(intake, unread=unread)


def _intake_texts(intake: Intake) -> dict[str, str]:
    values: dict[str, Any] = {one.name: getattr(intake, one.name) for one in fields(Intake)}
    values["unread"] = [[one.source, one.place, one.url, one.reason] for one in intake.unread]
    values["other_files"] = sorted(intake.other_files)
    values["probes"] = [_probe_fields(one) for one in intake.probes]
    values["ended"] = str(intake.ended)
    return {name: told(value) for name, value in values.items()}


def _probe_fields(probe: RawPage) -> dict[str, Any]:
    values = {one.name: getattr(probe, one.name) for one in fields(RawPage)}
    return {name: base64.b64encode(value).decode() if isinstance(value, bytes) else value for name, value in values.items()}


def _probe(values: Mapping[str, Any]) -> RawPage:
    as_bytes = {name: base64.b64decode(values[name]) for name in ("body", "rendered") if values[name] is not None}
    return RawPage(**{**values, "headers": frozen(values["headers"]), **as_bytes})


def _intake_of(texts: Mapping[str, str]) -> Intake:
    values: dict[str, Any] = {name: json.loads(text) for name, text in texts.items()}
    return Intake(
        **{
            **values,
            "unread": tuple(Unread(*one) for one in values["unread"]),
            "sitemaps": {url: tuple(pages) for url, pages in values["sitemaps"].items()},
            "html_instead": {url: CheckId(check) for url, check in values["html_instead"].items()},
            "other_files": frozenset(values["other_files"]),
            "probes": tuple(map(_probe, values["probes"])),
            "ended": CrawlEnding.read(values["ended"]),
            "missing": {NotComputed(what): reason for what, reason in values["missing"].items()},
        }
    )
