"""Whether clicks were lost, or only fell as chance and the whole site's movement have it.

In:  clicks of something, and of the rest of the site, step by step in two spans a year apart.
Out: the clicks now and before, and how likely so great a loss is by chance; and which of many losses are none.

Each step is set beside its like a year before. The site's own movement, told by all other clicks, is taken off where the
site fell. The mean of the differences is tested by Student's t with the spread of these differences, but never with less
than that of counts (the variance of a count is its mean). Days are put together to weeks, since neighbouring days move
together. Many losses are tested at once, so that the whole family is held to one level (S. Holm, 1979).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from mardok.compare.demand import Demand
from mardok.settings import Rivals
from mardok.vocabulary import StepUnit

_DAYS_TOGETHER = 7
_STEADY_CLICKS = 50.0
"""Clicks of a site that does not move, which its own are joined with: a few clicks tell of no movement."""


@dataclass(frozen=True)
class Movement:
    """Clicks of something, now and before."""

    clicks: float
    """Clicks a month, in the later span where two are compared."""
    clicks_before: float
    """The same in the span before; NaN where none are compared."""
    chance: float = 1.0
    """Probability of so great a loss by chance; 1 where the spans are not a year apart, since seasons are no loss."""
    is_lost: bool = False
    """Whether it is a loss beyond chance, among all that were looked at."""


def movement(demand: Demand, asked: NDArray[np.int64]) -> Movement:
    """How the clicks of some rows of search data moved.

    Parameters
    ----------
    asked : ndarray of int64, shape (n,)
        Places of the rows in ``demand.rows``.
    """
    spans, clicks = demand.spans, demand.rows.clicks
    if spans is None:
        return Movement(float(clicks[asked].sum()) / demand.months, float("nan"))
    now, before = (by_step[asked] for by_step in demand.steps)
    here = clicks[asked]
    sums = float(here[now >= 0].sum()), float(here[before >= 0].sum())
    chance = 1.0
    if spans.is_year_apart:
        rest = [total - own for total, own in zip(demand.span_clicks, sums, strict=True)]
        share = min((rest[0] + _STEADY_CLICKS) / (rest[1] + _STEADY_CLICKS), 1.0)
        later, earlier = (
            np.bincount(step[step >= 0], weights=here[step >= 0], minlength=spans.steps).astype(np.float64)
            for step in (now, before)
        )
        together = _DAYS_TOGETHER if spans.grid.unit == StepUnit.DAY else 1
        chance = chance_of_loss(later, earlier, share, together=together)
    return Movement(sums[0] / spans.months, sums[1] / spans.months, chance)


def chance_of_loss(now: NDArray[np.float64], before: NDArray[np.float64], share: float, *, together: int = 1) -> float:
    """Probability that clicks fall so far by chance.

    Parameters
    ----------
    now, before : ndarray of float64, shape (n_steps,)
        Clicks of each step, and of its like before.
    share : float
        What the site as a whole has of its clicks before; at most 1.
    together : int
        Steps that are put together.

    Examples
    --------
    >>> flat, fallen = np.full(52, 20.0), np.full(52, 15.0)
    >>> chance_of_loss(flat, flat, 1.0), chance_of_loss(fallen, flat, 1.0) < 0.001, chance_of_loss(fallen, flat, 0.75)
    (0.5, True, 0.5)
    """
    from scipy.special import stdtr  # only here: it takes longer to import than some commands to run

    n = len(now) // together
    if n < 2:
        return 1.0
    a, b = (values[len(values) - n * together :].reshape(n, together).sum(axis=1) for values in (now, before))
    differences = a - share * b
    spread = max(n * float(differences.var(ddof=1)), float(a.sum() + share**2 * b.sum()))
    return float(stdtr(n - 1, float(differences.sum()) / spread**0.5)) if spread else 1.0


def losses(movements: Sequence[Movement], rules: Rivals) -> list[Movement]:
    """The same movements, those that are a loss marked: large enough to matter, and beyond chance among all of them.

    Parameters
    ----------
    movements : sequence of Movement
        All that are looked at, of one site.
    rules : Rivals
        Least clicks and least share that count as lost, and the probability of claiming any loss wrongly.
    """
    is_real = beyond_chance(np.array([one.chance for one in movements], np.float64), rules.chance)
    return [replace(one, is_lost=bool(real) and _is_large(one, rules)) for one, real in zip(movements, is_real, strict=True)]


def _is_large(one: Movement, rules: Rivals) -> bool:
    return one.clicks_before - one.clicks >= max(rules.lost_clicks, rules.lost_share * one.clicks_before)


def beyond_chance(chances: NDArray[np.float64], level: float) -> NDArray[np.bool_]:
    """Which of several findings hold at one level for all of them together (S. Holm, 1979).

    Parameters
    ----------
    chances : ndarray of float64, shape (n,)
        Probability of each by chance.
    level : float
        Probability that any of them is claimed wrongly, at most.

    Examples
    --------
    >>> beyond_chance(np.array([0.04, 0.01]), 0.05).tolist(), beyond_chance(np.array([0.04, 0.03]), 0.05).tolist()
    ([True, True], [False, False])
    """
    order = np.argsort(chances, kind="stable")
    limits = level / np.arange(len(chances), 0, -1)
    fails = chances[order] > limits
    n_held = int(np.argmax(fails)) if fails.any() else len(chances)
    result = np.zeros(len(chances), bool)
    result[order[:n_held]] = True
    return result
