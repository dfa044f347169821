"""How much of a change is more than what untouched pages show.

In:  clicks of units before and after a change, and which of them were touched.
Out: the effect with an interval of 80%.

The effect of a set of units is the logarithm of (after + 1/2) / (before + 1/2), both summed over the set, minus that of all
untouched units: season and the site's own movement fall out. How far chance and the pages' own drift carry such a figure is
seen by giving the same treatment to sets of untouched units, each drawn for one of the touched ones from those with nearly
as many clicks before, and weighted as that is: the tenth and the ninetieth hundredth of what they show are the interval
around nothing. It is a permutation test turned round (P. Good, *Permutation, Parametric and Bootstrap Tests of Hypotheses*,
section 3.3), with a bootstrap of the untouched units; simulated sites of known effect prove how often it holds.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

NEAREST = 19
"""Untouched units that one is drawn from: with 19 the second and the last but one are the ends of 80% for one unit."""
_DRAWS = 1000
_SEED = 20
_CELLS = 1 << 20
"""Figures that are held at once."""

Floats = NDArray[np.float64]


class Effect(NamedTuple):
    """The logarithm of a factor, with an interval of 80%."""

    log: float
    low: float
    high: float

    def amount(self, after: float) -> tuple[float, float, float]:
        """The same as a part of what was counted after the change.

        Examples
        --------
        >>> [round(part, 6) for part in Effect(math.log(2), 0.0, math.log(4)).amount(199.5)]
        [100.0, 0.0, 150.0]
        """
        without = [(after + 0.5) / math.exp(log) - 0.5 for log in (self.log, self.low, self.high)]
        return after - without[0], after - without[1], after - without[2]


def effect_of(before: Floats, after: Floats, touched: NDArray[np.bool_], of: NDArray[np.bool_] | None = None) -> Effect:
    """The effect on some touched units.

    Parameters
    ----------
    before, after : ndarray of float64, shape (n_units,)
        What was counted in two spans of equal length.
    touched : ndarray of bool, shape (n_units,)
        Units that were changed; at least :data:`NEAREST` others are needed.
    of : ndarray of bool, shape (n_units,), optional
        Those of them whose effect is asked for; all if None.
    """
    rows, others = np.flatnonzero(touched if of is None else of), np.flatnonzero(~touched)
    random = np.random.default_rng(_SEED)
    base = _figure(before[others].sum(), after[others].sum())
    told = float(_figure(before[rows].sum(), after[rows].sum()) - base)
    size = np.log(before + 0.5)
    nearest = _nearest(size[others], size[rows])
    ratio = (after[others] + 0.5) / (before[others] + 0.5)
    if len(rows) == 1:
        chance = np.sort(np.log(ratio[nearest[0]]) - base)
        widening = 1.0
    else:
        weight = (before[rows] + 0.5) / (before[rows] + 0.5).sum()
        drawn = _drawn(ratio, nearest, weight, random)
        chance = np.sort(np.log(drawn) - _resampled(before[others], after[others], random))
        widening = math.sqrt(NEAREST / (NEAREST - 1))  # a sample varies less than what it was drawn from
    at = int(0.1 * (len(chance) + 1)) - 1
    middle = float(np.median(chance))
    low, high = (middle + (float(chance[place]) - middle) * widening for place in (at, -1 - at))
    return Effect(told - middle, told - high, told - low)


def _nearest(sizes: Floats, wanted: Floats) -> NDArray[np.int64]:
    """Places of the units that are nearest in size to each wanted size; shape (n_wanted, :data:`NEAREST`)."""
    order = np.argsort(sizes, kind="stable")
    place = np.searchsorted(sizes[order], wanted)
    n_around = min(2 * NEAREST, len(sizes))
    first = np.clip(place - NEAREST, 0, len(sizes) - n_around)
    around = order[first[:, None] + np.arange(n_around)]
    by_distance = np.argsort(np.abs(sizes[around] - wanted[:, None]), axis=1, kind="stable")
    return np.take_along_axis(around, by_distance[:, :NEAREST], axis=1)


def _drawn(ratio: Floats, nearest: NDArray[np.int64], weight: Floats, random: np.random.Generator) -> Floats:
    """What sets show that are drawn from the units nearest to each touched one, weighted as those; shape (n_draws,)."""
    rows = np.arange(len(nearest))
    at_once = max(1, _CELLS // len(rows))
    parts = []
    for first in range(0, _DRAWS, at_once):
        n_draws = min(at_once, _DRAWS - first)
        parts.append(ratio[nearest[rows, random.integers(0, NEAREST, (n_draws, len(rows)))]] @ weight)
    return np.concatenate(parts)


def _resampled(before: Floats, after: Floats, random: np.random.Generator) -> Floats:
    """The figure of all units, drawn anew with replacement; shape (n_draws,)."""
    n = len(before)
    counts = random.multinomial(n, np.full(n, 1 / n), _DRAWS)
    return np.asarray(_figure(counts @ before, counts @ after))


def _figure(before: Floats, after: Floats) -> Floats:
    return np.asarray(np.log((after + 0.5) / (before + 0.5)))
