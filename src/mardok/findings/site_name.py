"""Whether the site's name is itself a phrase that the site wants to rank for.

In:  the site's names, what pages promise, what searchers ask for.
Out: for each name that carries a wanted phrase: the phrase, the pages whose titles repeat it, what search shows for it.

Every title then promises the phrase, and pages compete for it that are about something else.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np

from mardok.compare.contention import Shown, Turns, turns
from mardok.compare.demand import Demand
from mardok.compare.movement import Movement, movement
from mardok.compare.topics import PagePromises, Stemmer
from mardok.findings.facts import SiteFacts
from mardok.text.site import Site
from mardok.text.stems import joined
from mardok.text.words import words

_LEAST_STEMS = 2


@dataclass(frozen=True)
class NamePhrase:
    """A wanted phrase in a name of the site."""

    name: str
    phrase: str
    rows: tuple[int, ...]
    """Pages whose titles carry the name, the home page left out."""
    home: int
    """Row of the home page; -1 if it was not read."""
    promised_by: int
    """A page whose target phrase it is; -1 if there is none."""
    queries: tuple[str, ...]
    """Queries that ask for it, the site's name apart."""
    impressions: float
    """Impressions a month of these."""
    shown: tuple[int, ...]
    """Pages with a real part in them, the most impressions first."""
    turns: Turns | None
    movement: Movement
    """Clicks on them, now and before."""


def name_phrases(
    site: Site, facts: SiteFacts, promises: PagePromises, compared: Collection[int], shown: Shown | None
) -> list[NamePhrase]:
    """Wanted phrases in the names of the site, the longest of each name.

    Parameters
    ----------
    compared : collection of int
        Indexable pages that are no variants.
    """
    titles, home, result = facts.titles, facts.home, []
    for name in titles.all_names:
        rows = tuple(row for row in sorted(compared) if name in titles.site[row] and row != home)
        languages = Counter(site.pages[row].language for row in rows)
        if not rows:
            continue
        language = min(languages, key=lambda code: (-languages[code], code))
        phrase = _wanted(_Name(name, language, rows), facts, promises, shown)
        if phrase is not None:
            result.append(phrase)
    return result


@dataclass(frozen=True)
class _Name:
    """A name of the site, and the pages whose titles carry it."""

    name: str
    language: str
    rows: tuple[int, ...]


def _wanted(named: _Name, facts: SiteFacts, promises: PagePromises, shown: Shown | None) -> NamePhrase | None:
    name, rows, home, demand, stemmer = named.name, named.rows, facts.home, facts.demand, promises.stemmer
    apart = facts.titles.distinctive[name]
    name_words = words(name)
    promised = {promises.topics[row].stems: row for row in (*reversed(rows), *([home] if home >= 0 else []))}
    for size in range(len(name_words), _LEAST_STEMS - 1, -1):
        for first in range(len(name_words) - size + 1):
            run = name_words[first : first + size]
            stems = stemmer.telling(" ".join(run), named.language)
            if any(word.isdecimal() for word in run):  # a version or a year is nothing that a site wants to be found for
                continue
            if len(stems) < _LEAST_STEMS or set(run) & set(apart):  # who says these words means the site
                continue
            codes = _asking(stems, run, named.language, stemmer, demand) if demand is not None else []
            phrase = _phrase(named, joined(run), promised.get(stems, -1), codes, facts, shown)
            if phrase.impressions >= facts.settings.rivals.minimum_impressions or phrase.promised_by >= 0:
                return phrase
    return None


def _asking(stems: frozenset[str], run: Sequence[str], language: str, stemmer: Stemmer, demand: Demand) -> list[int]:
    """Codes of the queries that say just these stems."""
    begins = tuple(word[:3] for word in run)
    near = [
        code
        for code, query in enumerate(demand.queries)
        if not demand.is_brand[code] and any(begin in query for begin in begins)
    ]
    stemmer.learn({language: {demand.queries[code] for code in near}})
    return [code for code in near if stemmer.telling(demand.queries[code], language) == stems]


def _phrase(
    named: _Name, phrase: str, promised_by: int, codes: Sequence[int], facts: SiteFacts, shown: Shown | None
) -> NamePhrase:
    name, rows, home, demand, settings = named.name, named.rows, facts.home, facts.demand, facts.settings
    if demand is None or shown is None or not codes:
        return NamePhrase(name, phrase, rows, home, promised_by, (), 0.0, (), None, Movement(0.0, float("nan")))
    at = np.flatnonzero(np.isin(shown.query, codes))
    real = at[shown.is_real[at] & (shown.impressions[at] >= settings.rivals.minimum_impressions)]
    by_page = {row: float(shown.impressions[real][shown.row[real] == row].sum()) for row in set(shown.row[real].tolist())}
    pages = tuple(sorted(by_page, key=lambda row: (-by_page[row], row)))
    asked = np.flatnonzero(np.isin(demand.rows.query, codes))
    return NamePhrase(
        name, phrase, rows, home, promised_by,
        tuple(demand.queries[code] for code in codes), float(shown.impressions[at].sum()), pages,
        # Pages that take turns with the home page one after the other have each but a small part over all of the time.
        turns(demand.of(shown.row[at].tolist()), codes, settings.rivals, settings.search.minimum_share),
        movement(demand, asked),
    )  # fmt: skip
