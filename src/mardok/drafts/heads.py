"""The head of a draft: title and description by themselves and beside their neighbours, headings, series.

In:  a draft, titles, descriptions and series of the site.
Out: troubles by the checks of an audit, pages that say the same, and the series that the title falls into.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from mardok.compare.topics import Stemmer
from mardok.drafts.draft import Draft
from mardok.drafts.known import KnownSite
from mardok.drafts.promised import own_title
from mardok.findings.body_checks import check_bodies
from mardok.findings.head_checks import description_troubles, title_troubles
from mardok.findings.page_check import Check
from mardok.sentences import Text, page_name, sentence
from mardok.text.words import folded_line, words
from mardok.vocabulary import CheckId, GroupKind, PageKind

_MOST_WITHOUT_NAME = 0.5
"""Share of the site's titles with its name from which a title without it is told."""
_SLOT = "..."


@dataclass(frozen=True)
class HeadTrouble:
    """What is wrong with the head or the headings of a draft."""

    check: CheckId | None
    """The check that tells it; None for the name of the site."""
    value: str
    detail: str
    text: Text
    """In a sentence."""


@dataclass(frozen=True)
class SeriesFit:
    """The series that a draft's title falls into."""

    pattern: str
    slot: str
    """What the title fills the pattern's slot with."""
    pages: int
    """Pages of the series."""
    same_slot: str
    """Address of a page of the series with the same in its slot; ``""`` if there is none."""


@dataclass(frozen=True)
class Heads:
    """The head of a draft."""

    troubles: tuple[HeadTrouble, ...]
    outline: tuple[tuple[int, str], ...]
    """Level and text of each heading."""
    series: SeriesFit | None


def find_heads(known: KnownSite, draft: Draft) -> Heads:
    """What is to be said of title, description and headings."""
    troubles = [_told(check) for check in _checks(known, draft)]
    troubles += _neighbours(known, draft)
    if draft.file.is_page and not draft.site_name:
        name, share = _usual_name(known, draft.language)
        if name and share >= _MOST_WITHOUT_NAME:
            text = sentence("draft.head.without-name", name=name, share=share)
            troubles.append(HeadTrouble(None, draft.page.title, "", text))
    outline = tuple((level, text) for level, text in draft.blocks if level)
    return Heads(tuple(troubles), outline, _series(known, draft))


def _checks(known: KnownSite, draft: Draft) -> Iterator[Check]:
    settings, page = known.audit.meta.settings, draft.page
    stemmer = Stemmer(settings.rivals.generic_words)
    stemmer.learn({draft.language: [page.title, page.description]})
    empty = {" ".join(words(text)) for text in settings.checks.empty_titles}
    own = draft.own_title if page.title else ""
    yield from title_troubles(0, draft.file.has_head, page.title, own, PageKind.ARTICLE, empty, stemmer, settings.checks)
    yield from description_troubles(
        0, draft.file.has_head, page.description, draft.language, known.languages, stemmer, settings.checks
    )
    if not draft.is_planned:
        yield from check_bodies(draft.site, [0], [draft.language], settings.checks)


def _told(check: Check) -> HeadTrouble:
    trouble = sentence(f"check.{check.check}.trouble")
    parts = [str(part) for part in (check.value, check.detail) if part]
    text = sentence("draft.head.trouble", trouble=trouble, parts=": " + ", ".join(parts) if parts else "")
    return HeadTrouble(check.check, check.value, check.detail, text)


def _neighbours(known: KnownSite, draft: Draft) -> Iterator[HeadTrouble]:
    """Pages of the site that say the same in title, description or H1."""
    for name, text, check in (
        ("title", draft.page.title, CheckId.TITLE_DUPLICATE),
        ("description", draft.page.description, CheckId.DESCRIPTION_DUPLICATE),
        ("h1", draft.page.h1, CheckId.H1_DUPLICATE),
    ):
        if not text:
            continue
        wanted = rf"(?i)^\s*{re.escape(text.strip())}\s*$".replace(r"\ ", r"\s+")
        rows = known.tables.matching("pages", name, [wanted])
        cells = ("url", name, "language", "indexable", "variant_of")
        same = [
            page["url"]
            for row, page in zip(rows.tolist(), known.pages(rows, cells), strict=True)
            if page["indexable"] and not page["variant_of"] and row not in draft.own_rows
            and page["language"] == draft.language and folded_line(page[name]) == folded_line(text)
        ]  # fmt: skip
        if same:
            told = sentence(f"draft.head.same-{name}", page=page_name(same[0]), n=len(same))
            yield HeadTrouble(check, text, same[0], told)


def _usual_name(known: KnownSite, language: str) -> tuple[str, float]:
    """The site's name in titles of a language, and the share of its pages that have one."""
    columns = (known.tables.column("pages", name) for name in ("site_name", "indexable", "language"))
    rows = [
        name
        for name, indexable, own in zip(*(column.tolist() for column in columns), strict=True)
        if indexable and own == language
    ]
    named = [name for name in rows if name]
    return (max(set(named), key=lambda name: (named.count(name), name)), len(named) / len(rows)) if named else ("", 0.0)


def _series(known: KnownSite, draft: Draft) -> SeriesFit | None:
    """The largest series whose pattern the title follows; pages of it that are copies of each other are counted, too."""
    title = words(draft.own_title)
    patterns = set(known.tables.where("groups", "kind", GroupKind.SERIES)["phrase"])
    fits = []
    for pattern, slot in ((pattern, _slot(title, pattern)) for pattern in sorted(patterns)):
        if slot:
            slots = _slots(known, draft, pattern)
            same = next((url for url, other in slots.items() if other == slot), "")
            fits.append(SeriesFit(pattern, slot, len(slots), same))
    return max(fits, key=lambda one: one.pages, default=None)


def _slots(known: KnownSite, draft: Draft, pattern: str) -> dict[str, str]:
    """What the titles of pages fill the slot of a pattern with, by address; the draft's own page left out."""
    wanted = [rf"(?i){re.escape(word)}" for word in pattern.replace(_SLOT, " ").split()]
    rows = known.tables.matching("pages", "title", wanted)
    cells = ("url", "title", "site_name", "indexable", "variant_of")
    result = {}
    for row, page in zip(rows.tolist(), known.pages(rows, cells), strict=True):
        slot = _slot(words(own_title(page)), pattern)
        if slot and page["indexable"] and not page["variant_of"] and row not in draft.own_rows:
            result[page["url"]] = slot
    return result


def _slot(title: list[str], pattern: str) -> str:
    """What a title fills the slot of a pattern with; ``""`` if it does not follow it."""
    head, _, tail = pattern.partition(_SLOT)
    before, after = head.split(), tail.split()
    n = len(title) - len(before) - len(after)
    if n < 1 or title[: len(before)] != before or title[len(title) - len(after) :] != after:
        return ""
    return " ".join(title[len(before) : len(before) + n])
