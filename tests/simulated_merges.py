"""Sites whose clicks are known: pairs of rival pages, the search data that they leave, and what a merge truly brings.

Each pair shares one to three queries, of which one page leads for some weeks, then the other. Searches scatter more than
counts do, and follow a season and a drift. How often both pages are shown at once differs from pair to pair. What the one
page reaches that takes the place of two is drawn from a law.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from small_sites import demand_of

from mardok.compare.demand import Demand

WEEKS = 60
FIRST = np.datetime64("2030-01-07")
Random = np.random.Generator
Law = Callable[[Random, "Pair"], float]
"""Clicks a month that a merged pair has by a law."""


@dataclass(frozen=True)
class Pair:
    """What is true of two rival pages, a month."""

    clicks: float
    """Clicks of both pages on the queries that they share."""
    today: float
    """Clicks that one page would have that stood in each search where the better of the two stands."""
    best: float
    """Clicks that it would have where one of them stands while it leads."""
    at_risk: float
    """Clicks of queries that only the page that goes is found for."""
    searches: float


@dataclass(frozen=True)
class SimulatedSite:
    """The search data of a site, and what is true of its pairs: pages 2 n and 2 n + 1 are one."""

    demand: Demand
    pairs: list[Pair]


def of_model(random: Random, pair: Pair) -> float:
    """The law of the model: somewhere between the two ends, and what is lost of the clicks at risk goes with it."""
    reach = random.uniform()
    return pair.today + reach * (pair.best - pair.today) + pair.at_risk * (1 - 0.5 * (1 - reach))


def of_winners(random: Random, pair: Pair) -> float:
    """One page gathers what spoke for two: it mostly stands where one of them led, sometimes higher up."""
    return (pair.best * random.uniform(0.9, 1.2)) + pair.at_risk * random.uniform(0.7, 1.0)


def of_setbacks(random: Random, pair: Pair) -> float:
    """Most merges change little, and one in four goes wrong."""
    factor = random.uniform(0.6, 0.9) if random.uniform() < 0.25 else random.uniform(0.95, 1.1)
    return pair.today * factor + pair.at_risk * random.uniform(0.3, 1.0)


LAWS: dict[str, Law] = {"the model's": of_model, "winners": of_winners, "setbacks": of_setbacks}


def rate(position: NDArray[np.float64]) -> NDArray[np.float64]:
    """The true click-through rate of the simulated searchers."""
    return 0.3 * position**-1.05


def simulated_site(random: Random, n_pairs: int = 30) -> SimulatedSite:
    """A site of pairs, each with queries of its own."""
    rows: list[tuple[int, int, np.datetime64, float, float, float]] = []
    pairs, queries = [], 0
    weeks = np.arange(WEEKS)
    for number in range(n_pairs):
        one, other = 2 * number, 2 * number + 1
        sums = np.zeros(5)
        taste = random.lognormal(0, 0.2)
        overlap = random.uniform()
        for _ in range(int(random.integers(1, 4))):
            place, gap, turn = random.uniform(2, 12), random.uniform(1, 15), int(random.integers(2, 9))
            demand = random.lognormal(4.2, 0.8)
            season = 1 + 0.3 * np.sin(2 * np.pi * weeks / 52) + random.normal(0, 0.1) * weeks / WEEKS
            searches = random.negative_binomial(np.maximum(demand * season, 1) / 0.5, 1 / 1.5)
            leads = (weeks // turn) % 2 == int(random.integers(2))
            lead = random.binomial(searches, 0.9)
            behind = random.binomial(searches, random.uniform(0.2, 0.6))
            at_lead = np.maximum(place + random.normal(0, 0.5, WEEKS), 1)
            at_behind = at_lead + np.maximum(gap + random.normal(0, 1, WEEKS), 0.1)
            union = np.maximum(lead, behind) + overlap * np.minimum(lead, behind)
            clicks = [
                random.binomial(n, np.minimum(taste * rate(at), 1)) for n, at in ((lead, at_lead), (behind, at_behind))
            ]
            for page, is_ahead in ((one, leads), (other, ~leads)):
                for week in range(WEEKS):
                    first = bool(is_ahead[week])
                    n, at, got = (lead, at_lead, clicks[0]) if first else (behind, at_behind, clicks[1])
                    if n[week]:
                        rows.append((page, queries, FIRST + 7 * week, float(got[week]), float(n[week]), float(at[week])))
            shown = np.minimum(lead, union)
            today = taste * (shown * rate(at_lead) + (union - shown) * rate(at_behind))
            best = max(
                float((lead * rate(at_lead))[own].sum() / max(lead[own].sum(), 1)) if own.any() else 0.0
                for own in (leads, ~leads)
            )
            expected = taste * (lead * rate(at_lead) + behind * rate(at_behind))
            sums += [expected.sum(), today.sum(), max(taste * best * union.sum(), today.sum()), 0.0, union.sum()]
            queries += 1
        if random.uniform() < 0.5:  # a query of its own
            n = random.poisson(random.lognormal(3, 0.7), WEEKS)
            at = np.maximum(random.uniform(3, 15) + random.normal(0, 0.5, WEEKS), 1)
            got = random.binomial(n, np.minimum(taste * rate(at), 1))
            rows += [
                (other, queries, FIRST + 7 * week, float(got[week]), float(n[week]), float(at[week]))
                for week in range(WEEKS)
                if n[week]
            ]
            sums[3] += float((taste * n * rate(at)).sum())
            queries += 1
        months = WEEKS * 7 / 30.44
        pairs.append(Pair(*(sums / months).tolist()))
    return SimulatedSite(demand_of(rows, months=WEEKS * 7 / 30.44), pairs)
