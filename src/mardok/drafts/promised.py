"""Who on the site promises what a draft promises, and who is found for it.

In:  a draft, titles, headings and search data of the pages.
Out: pages that promise the same, pages that search shows for it, and whether a page and the draft promise different things.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import unquote

import numpy as np
import pandas as pd

from mardok.beside.phrase import TopicPhrase
from mardok.beside.searched import Searched, ShownPage, searched
from mardok.compare.titles import letters_of, split_title
from mardok.drafts.draft import Draft
from mardok.drafts.known import KnownSite
from mardok.findings.promise import Promise, promise_different_things
from mardok.text.number_words import NUMBER_WORDS
from mardok.text.stems import plain_words
from mardok.text.words import words
from mardok.urls import split_url
from mardok.vocabulary import PageKind

_CELLS = (
    "url", "title", "site_name", "h1", "target_phrase", "language", "kind", "indexable", "variant_of", "clicks", "inlinks",
)  # fmt: skip
_OPENING_WORDS = 60


@dataclass(frozen=True)
class SamePromise:
    """A page that promises what the draft promises."""

    row: int
    url: str
    phrase: str
    """The draft's phrase."""
    is_named: bool
    """Whether a person named it for the phrase."""
    clicks: float
    """A month."""


@dataclass(frozen=True)
class Promised:
    """How a site stands for what a draft promises."""

    same: tuple[SamePromise, ...]
    """Pages that promise it, the one named for it first, then those with most clicks and links."""
    shown: Mapping[str, Searched]
    """What search shows for each phrase; none without search data, or where it shows nothing."""


def find_promised(known: KnownSite, draft: Draft) -> Promised:
    """Who promises what a draft promises, in its language, and who is found for it; its own page left out."""
    same: dict[int, SamePromise] = {}
    shown = {}
    named = _named(known)
    for phrase in draft.phrases:
        for one in _promising(known, draft, phrase, named):
            same.setdefault(one.row, one)
        search = searched(known.audit, phrase, known.languages)
        if search is not None and search.shown:
            shown[phrase.text] = search
    order = sorted(same.values(), key=lambda one: (not one.is_named, -one.clicks, one.url))
    return Promised(tuple(order), shown)


def _named(known: KnownSite) -> list[tuple[TopicPhrase, int]]:
    """Phrases with the page that a person named for each."""
    targets = [(str(one["phrase"]), str(one["url"])) for one in known.audit.meta.totals["targets"] or ()]
    rows = ((phrase, known.tables.find("pages", "url", url)) for phrase, url in targets if words(phrase))
    return [(TopicPhrase(phrase), row) for phrase, row in rows if row >= 0]


def own_title(page: Mapping[str, Any]) -> str:
    """A page's part of its title.

    Parameters
    ----------
    page : mapping
        With ``title`` and ``site_name``.
    """
    name = page["site_name"]
    return split_title(page["title"], [letters_of(name)] if name else [])[0]


def _promising(
    known: KnownSite, draft: Draft, phrase: TopicPhrase, named: Sequence[tuple[TopicPhrase, int]]
) -> Iterable[SamePromise]:
    patterns = phrase.patterns([draft.language])
    found = [known.tables.matching("pages", name, patterns) for name in ("title", "h1", "target_phrase")]
    its_named = {row for other, row in named if phrase.says_no_more(other.text, draft.language)}
    rows = np.unique(np.concatenate([*found, np.array(sorted(its_named), np.int64)])).astype(np.int64)
    for row, page in zip(rows.tolist(), known.pages(rows, _CELLS), strict=True):
        is_other = page["indexable"] and not page["variant_of"] and row not in draft.own_rows
        if not is_other or page["language"] != draft.language or page["kind"] == PageKind.UTILITY:
            continue
        says_it = any(
            phrase.says_no_more(text, draft.language) for text in (own_title(page), page["h1"], page["target_phrase"])
        )
        if says_it or row in its_named:
            yield SamePromise(row, page["url"], phrase.text, row in its_named, float(page["clicks"] or 0.0))


def best_shown(known: KnownSite, search: Searched, draft: Draft, least: float, last_position: float) -> ShownPage | None:
    """The page in the draft's language, not its own, that search shows first for queries that say a phrase and no more.

    Parameters
    ----------
    search : Searched
        What search shows for the phrase.
    least : float
        Impressions a month from which being shown means something.
    last_position : float
        Mean position beyond which it does not.
    """
    pages = known.pages(np.array([one.row for one in search.shown], np.int64), ("language",))
    shown = (
        one for one, page in zip(search.shown, pages, strict=True)
        if one.row not in draft.own_rows and page["language"] == draft.language
        and one.exact_impressions >= least and one.position_now <= last_position
    )  # fmt: skip
    return min(shown, key=lambda one: (one.position_now, one.url), default=None)


def promises_differ(known: KnownSite, draft: Draft, row: int) -> bool:
    """Whether a page and the draft promise different things, as :mod:`mardok.findings.promise` tells it.

    Parameters
    ----------
    row : int
        A page that has text in common with the draft.
    """
    generic = frozenset(known.audit.meta.settings.rivals.generic_words)
    blocks = known.tables.of_page("blocks", row)
    main = [
        (int(level), str(text))
        for level, text, is_main in zip(blocks["level"], blocks["text"], blocks["main"], strict=True)
        if is_main
    ]
    page = known.pages(np.array([row], np.int64), (*_CELLS, "text_hash"))[0]
    theirs = _promise(own_title(page), page, main, generic)
    own_page: dict[str, Any] = {
        "h1": draft.page.h1, "language": draft.language, "url": draft.url, "kind": page["kind"],
        "text_hash": draft.site.text_hashes[0],
    }  # fmt: skip
    return promise_different_things(_promise(draft.own_title, own_page, draft.blocks, generic), theirs)


def _promise(title: str, page: Mapping[str, Any], main: Sequence[tuple[int, str]], generic: frozenset[str]) -> Promise:
    running = [word for level, text in main if not level for word in words(text)]
    heads = {word for level, text in main if level for word in words(text)}
    shown = title or page["h1"]
    return Promise(
        shown,
        tuple(words(shown)),
        frozenset(running),
        (plain_words(page["language"]) | generic) - NUMBER_WORDS,
        page["language"],
        page["h1"] if page["h1"] != shown else "",
        frozenset(heads).difference(running),
        tuple(words(re.sub(r"[-_.+/]+", " ", unquote(split_url(page["url"]).path)))) if page["url"] else (),
        1,
        frozenset(running[:_OPENING_WORDS]),
        page["kind"] == PageKind.PRODUCT,
        page["text_hash"],
    )


def shown_queries(promised: Promised, draft: Draft, most: int) -> pd.DataFrame:
    """Pages that search shows for what the draft promises: ``phrase``, ``url``, ``position``, ``clicks``, ``impressions``.

    Parameters
    ----------
    most : int
        Most rows.
    """
    rows = [
        (phrase, one.url, one.position_now, one.clicks_now, one.impressions_now)
        for phrase, search in promised.shown.items()
        for one in search.shown
        if one.row not in draft.own_rows and one.impressions_now > 0
    ]
    table = pd.DataFrame(rows, columns=["phrase", "url", "position", "clicks", "impressions"])
    return table.sort_values(["impressions", "url"], ascending=[False, True], ignore_index=True).head(most)
