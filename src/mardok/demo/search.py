"""The made-up search data: fifteen months, week by week.

In:  the queries written beside the articles.
Out: rows of date, query, page, clicks, impressions and position.

Pages that share a query take turns: one leads for some weeks, then the other, and both lose in the weeks of change. In the
last months the phrase in the site's name loses ground. Everything is drawn from one seeded generator.
"""

from __future__ import annotations

import datetime
import math
from collections import defaultdict
from collections.abc import Iterator, Mapping

import numpy as np

from mardok.demo import troubles
from mardok.demo.content import all_articles
from mardok.demo.site import with_listing_queries

WEEKS, LATER_WEEKS = 65, 17
FIRST_DAY = datetime.date(2025, 8, 4)
_SEED = 1994
_RATE_AT_TOP = 0.31
_TOP = 3.0
"""Position of pages that stay on the first page of results while another leads."""
_NEAR, _FAR = (-0.6, 6.0), (-1.5, 12.0)
"""Places by which a page stands before its usual position while it leads, and behind it while it does not."""
_NAMED_QUERIES, _FALL, _LAST_WEEKS = ("violin hire",), 1.5, 13
"""Queries that lose ground, by how many places, and in how many of the last weeks."""
_STRAYS = {
    f"{troubles.BARE}/": ("violin hire", 24.0, 3.6),
    f"{troubles.INSECURE}/": ("violin hire", 18.0, 4.1),
    f"{troubles.HOST}/?utm_source=newsletter&utm_medium=email": ("wyndale violin hire", 9.0, 1.6),
    f"{troubles.HOST}/violin-rental/": ("violin rental", 30.0, 8.9),
    f"{troubles.HOST}/trumpet-hire/": ("trumpet hire", 6.0, 14.2),
}
"""Addresses that search still shows beside the right ones: variants, a redirect, a page that is gone."""

Row = tuple[str, str, str, int, int, float]


def search_rows() -> list[Row]:
    """Rows in order of date, query and page."""
    random = np.random.default_rng(_SEED)
    shown = _shown()
    return sorted(row for query in sorted(shown) for row in _rows_of_query(query, shown[query], random, range(WEEKS)))


def _shown() -> dict[str, list[tuple[str, float, float]]]:
    """For each query the pages that are shown, with impressions a week and mean position."""
    shown: dict[str, list[tuple[str, float, float]]] = defaultdict(list)
    for article in with_listing_queries(all_articles()):
        for query, impressions, position in article.queries:
            shown[query].append((troubles.url(article.path), impressions, position))
    for url, (query, impressions, position) in _STRAYS.items():
        shown[query].append((url, impressions, position))
    return shown


def later_rows(gains: Mapping[str, float], merged: Mapping[str, str], changed: datetime.date) -> list[Row]:
    """Rows of the weeks that follow, in order of date, query and page.

    Parameters
    ----------
    gains : mapping of str to float
        Places that each touched page wins by the change, by its address.
    merged : mapping of str to str
        Pages that are gone from then on, with the page that is shown in their place.
    changed : date
        Day of the change.
    """
    random = np.random.default_rng(_SEED + 1)
    shown = _shown()
    first_after = (changed - FIRST_DAY).days // 7
    rows = [row for query in sorted(shown) for row in _rows_of_query(query, shown[query], random, range(WEEKS, first_after))]
    after = {}
    for query, pages in shown.items():
        kept = [(url, impressions, place) for url, impressions, place in pages if url not in merged]
        after[query] = [(url, impressions, max(1.0, place - gains.get(url, 0.0))) for url, impressions, place in kept]
    weeks = range(first_after, WEEKS + LATER_WEEKS)
    rows += [row for query in sorted(after) for row in _rows_of_query(query, after[query], random, weeks)]
    return sorted(rows)


def _rows_of_query(
    query: str, pages: list[tuple[str, float, float]], random: np.random.Generator, weeks: range
) -> Iterator[Row]:
    if not pages:
        return
    demand = max(impressions for _, impressions, _ in pages)
    strong = [url for url, impressions, _ in pages if impressions == 0 or impressions > 0.4 * demand]
    leader = 0
    for week in weeks:
        day = FIRST_DAY + datetime.timedelta(weeks=week)
        season = 1 + 0.25 * math.cos(2 * math.pi * (day.timetuple().tm_yday - 265) / 365)
        if len(strong) > 1 and random.random() < 0.22:
            leader = int(random.integers(len(strong)))
        fallen = _FALL if query in _NAMED_QUERIES and week >= WEEKS - _LAST_WEEKS else 0.0
        for url, impressions, position in pages:
            competes = len(strong) > 1 and url in strong
            if competes:
                leads = strong[leader] == url
                expected = demand * (0.85 if leads else 0.3)
                ahead, behind = _NEAR if position < _TOP else _FAR
                place = position + (ahead if leads else behind) + 0.1 * position * week / WEEKS
            else:
                expected, place = impressions, position + fallen
            yield from _row(day, query, url, expected * season, place, random)


def _row(
    day: datetime.date, query: str, url: str, expected: float, place: float, random: np.random.Generator
) -> Iterator[Row]:
    impressions = int(random.poisson(expected))
    if impressions:
        position = max(1.0, round(float(random.normal(place, 0.5)), 1))
        rate = _RATE_AT_TOP * position**-1.15
        yield day.isoformat(), query, url, int(random.binomial(impressions, rate)), impressions, position
