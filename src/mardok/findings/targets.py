"""Whether search shows the page that a person meant for a phrase.

In:  phrases with the pages meant for them, and what search shows.
Out: for each phrase its page, the page shown instead, or that there is no page.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from mardok.compare.contention import Shown
from mardok.compare.demand import Demand
from mardok.compare.destinations import Destination
from mardok.compare.topics import Stemmer
from mardok.text.site import Site


@dataclass(frozen=True)
class Target:
    """A phrase and the page meant for it."""

    phrase: str
    url: str
    row: int
    """Row of the page, where redirects lead; -1 if it was not read."""
    stems: frozenset[str]


def target_pages(
    site: Site, destinations: Sequence[Destination], targets: Mapping[str, str], stemmer: Stemmer
) -> list[Target]:
    """The pages meant for phrases, in the order of the phrases given.

    Parameters
    ----------
    destinations : sequence of Destination
        Where the address of each page leads.
    targets : mapping of str to str
        Phrases with the addresses meant for them.
    """
    result = []
    for phrase, url in targets.items():
        row = site.row_of.get(url, -1)
        end = destinations[row].row if row >= 0 else -1
        language = site.pages[end].language if end >= 0 else ""
        stemmer.learn({language: {phrase}})
        result.append(Target(phrase, url, end, stemmer.telling(phrase, language)))
    return result


def target_rows(
    site: Site, targets: Sequence[Target], shown: Shown | None, demand: Demand | None, stemmer: Stemmer
) -> list[dict[str, Any]]:
    """What became of each phrase.

    Parameters
    ----------
    site : Site
        The pages.
    targets : sequence of Target
        The phrases with the pages meant for them.
    shown : Shown or None
        Pages shown for queries; None without search data, as is `demand`.
    stemmer : Stemmer
        Has learned the words of the phrases.

    Returns
    -------
    list of dict
        ``phrase``, ``url``, ``was_read``; with search data also ``impressions`` and ``clicks`` a month of the queries that
        say the phrase, in any order and form, ``share`` of the page meant for it, and ``shown_instead``: the pages with a
        greater share, the first the greatest.
    """
    asking = _asking(site, targets, demand, stemmer) if demand is not None else {}
    rows = []
    for target in targets:
        stated: dict[str, Any] = {"phrase": target.phrase, "url": target.url, "was_read": target.row >= 0}
        if shown is not None:
            at = np.flatnonzero(np.isin(shown.query, asking.get(target, [])))
            by_page: dict[int, float] = defaultdict(float)
            for row, impressions in zip(shown.row[at].tolist(), shown.impressions[at].tolist(), strict=True):
                by_page[row] += impressions
            total, own = sum(by_page.values()), by_page.get(target.row, 0.0)
            before = sorted((row for row in by_page if by_page[row] > own), key=lambda row: (-by_page[row], row))
            stated |= {
                "impressions": round(total, 1),
                "clicks": round(float(shown.clicks[at].sum()), 1),
                "share": round(own / total, 6) if total else None,
                "shown_instead": [site.pages[row].url for row in before],
            }
        rows.append(stated)
    return rows


def _asking(site: Site, targets: Sequence[Target], demand: Demand, stemmer: Stemmer) -> dict[Target, list[int]]:
    """Codes of the queries that say each phrase."""
    by_stems: dict[tuple[str, frozenset[str]], list[int]] = defaultdict(list)
    for language in sorted({_language(site, target) for target in targets}):
        stemmer.learn({language: set(demand.queries)})
        for code, query in enumerate(demand.queries):
            by_stems[language, stemmer.telling(query, language)].append(code)
    return {target: by_stems.get((_language(site, target), target.stems), []) for target in targets if target.stems}


def _language(site: Site, target: Target) -> str:
    return site.pages[target.row].language if target.row >= 0 else ""
