"""Which proposals to carry out when there are only so many hours.

In:  the rows of a plan, and hours.
Out: the set of proposals that is worth most and fits.

What keeps pages from being found comes first. Of the rest the set with the greatest sum of expected clicks times the weight
of the confidence is found exactly, by dynamic programming over quarters of an hour (R. Bellman, 1957); among sets with the
same clicks, the one with more link weight. Work without evidence of a gain fills what is left, in the order of the plan.
"""

from __future__ import annotations

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.settings import Plan
from mardok.vocabulary import Band, Confidence, GainUnit

_QUARTERS = 4
_LEAST_WEIGHT = 1e-6
"""What all of a site's link weight counts beside one click."""


def best_set(plan: pd.DataFrame, hours: float, settings: Plan) -> list[str]:
    """Ids of the proposals to carry out, in the order of the plan.

    Parameters
    ----------
    plan : DataFrame
        Rows of a plan that may be carried out, best first.
    hours : float
        Hours that they may take together.
    settings : Plan
        Weights of the confidences.

    Examples
    --------
    >>> rows = pd.DataFrame(
    ...     [("a", 2, 9.0, 3.0), ("b", 2, 5.0, 1.5), ("c", 2, 5.0, 1.5)],
    ...     columns=["proposal", "band", "gain", "effort_hours"],
    ... ).assign(gain_unit="clicks/month", confidence="high")
    >>> best_set(rows, 3, Plan())
    ['b', 'c']
    """
    weight = {
        Confidence.LOW: settings.confidence_low,
        Confidence.MEDIUM: settings.confidence_medium,
        Confidence.HIGH: settings.confidence_high,
    }
    room = int(hours * _QUARTERS)
    cost = np.ceil(plan["effort_hours"].to_numpy() * _QUARTERS).astype(np.int64)
    is_first = (plan["band"] == Band.BROKEN).to_numpy()
    in_clicks = (plan["gain_unit"] == GainUnit.CLICKS).to_numpy()
    worth = plan["gain"].to_numpy() * plan["confidence"].map(weight).to_numpy(float)
    worth = np.where(in_clicks, worth, worth * _LEAST_WEIGHT)
    chosen = np.zeros(len(plan), bool)
    room -= _fill(chosen, np.flatnonzero(is_first), cost, room)
    gaining = np.flatnonzero(~is_first & (worth > 0) & (cost <= room))
    best = _most_worth(worth[gaining].astype(np.float64), cost[gaining], room)
    chosen[gaining[best]] = True
    room -= int(cost[gaining[best]].sum())
    _fill(chosen, np.flatnonzero(~is_first & (worth <= 0)), cost, room)
    return [str(proposal) for proposal in plan["proposal"][chosen]]


def _fill(chosen: NDArray[np.bool_], asked: NDArray[np.int64], cost: NDArray[np.int64], room: int) -> int:
    """Choose what fits, in order; how much room that takes."""
    used = 0
    for at in asked.tolist():
        if used + cost[at] <= room:
            chosen[at] = True
            used += int(cost[at])
    return used


def _most_worth(worth: NDArray[np.float64], cost: NDArray[np.int64], room: int) -> NDArray[np.int64]:
    """Which things are worth most together and fit into a room; costs are whole numbers."""
    best = np.zeros(room + 1)
    is_taken = np.zeros((len(worth), room + 1), bool)
    for at, (value, size) in enumerate(zip(worth.tolist(), cost.tolist(), strict=True)):
        with_it = np.full(room + 1, -np.inf)
        with_it[size:] = best[: room + 1 - size] + value
        is_taken[at] = with_it > best
        best = np.maximum(best, with_it)
    chosen, left = np.zeros(len(worth), bool), room
    for at in range(len(worth) - 1, -1, -1):
        if is_taken[at, left]:
            chosen[at] = True
            left -= int(cost[at])
    return np.flatnonzero(chosen)
