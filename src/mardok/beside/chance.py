"""Whether what two parts of sites show differs by more than the choice of these parts.

In:  a measure on the pages of one or two sites, and the section of each page.
Out: an interval of 95%, or whether a difference is more than chance.

Where only a part of a site was read, chance chose the part; pages of one section are made alike, so sections are drawn
again, not pages. The interval holds the middle 95% of what sites give that are put together from sections drawn with
replacement (B. Efron, "Bootstrap methods: another look at the jackknife", Annals of Statistics 7, 1979). Of a median it is
the interval of the share of pages below it, read off at the values of the pages (R. S. Woodruff, "Confidence intervals for
medians and other position measures", Journal of the American Statistical Association 47, 1952). A difference is more than
chance if, of all ways to deal the sections of both sites out again, at most one in twenty gives as large a one (R. A.
Fisher, The Design of Experiments, 1935); medians are compared by the share of pages above the median of all.
"""

from __future__ import annotations

import math
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from mardok.beside.measures import Figures, Observed, quantile
from mardok.vocabulary import Chance

LEVEL = 0.05
DRAWS = 2_000
SEED = 1
_EPSILON = 1e-12


def interval(it: Observed, section: NDArray[np.int64]) -> tuple[float, float]:
    """An interval of 95% for a measure of which only a part was read; NaN of fewer than two sections.

    Parameters
    ----------
    section : ndarray of int64, shape (n_pages,)
        Section of each page.
    """
    if it.is_median:
        return _median_interval(it, section)
    part, whole = sums_by_section(it.part, it.whole, section)
    drawn = drawn_ratios(part, whole)
    if not len(drawn):
        return float("nan"), float("nan")
    return quantile(drawn, LEVEL / 2), quantile(drawn, 1 - LEVEL / 2)


def _median_interval(it: Observed, section: NDArray[np.int64]) -> tuple[float, float]:
    measured = it.whole > 0
    values = it.part[measured]
    if not len(values):
        return float("nan"), float("nan")
    is_below = (it.part <= it.value).astype(np.float64) * measured
    part, whole = sums_by_section(is_below, it.whole, section)
    drawn = drawn_ratios(part, whole)
    if not len(drawn):
        return float("nan"), float("nan")
    moved = drawn - part.sum() / whole.sum()
    shares = 0.5 - quantile(moved, 1 - LEVEL / 2), 0.5 - quantile(moved, LEVEL / 2)
    low, high = (quantile(values, min(max(share, 0.0), 1.0)) for share in shares)
    return low, high


def sums_by_section(part: Figures, whole: Figures, section: NDArray[np.int64]) -> tuple[Figures, Figures]:
    """The sums of each section that has a page which is asked about.

    Parameters
    ----------
    part, whole : ndarray of float64, shape (n_pages,)
        What is counted on each page, and what it is a share of.
    section : ndarray of int64, shape (n_pages,)
        Section of each page.
    """
    parts = np.bincount(section, weights=np.where(whole > 0, part, 0.0)).astype(np.float64)
    wholes = np.bincount(section, weights=whole).astype(np.float64)
    kept = wholes > 0
    return parts[kept], wholes[kept]


def drawn_ratios(part: Figures, whole: Figures) -> Figures:
    """Ratios of sites put together from sections drawn with replacement; none from fewer than two sections.

    Parameters
    ----------
    part, whole : ndarray of float64, shape (n_sections,)
        Sums of each section.
    """
    n = len(part)
    if n < 2:
        return np.zeros(0)
    times = np.random.default_rng(SEED).multinomial(n, np.full(n, 1 / n), size=DRAWS)
    return np.asarray((times @ part) / (times @ whole))


def chance(ours: Observed, our_section: NDArray[np.int64], theirs: Observed, their_section: NDArray[np.int64]) -> Chance:
    """Whether the difference of a measure between two sites, of which parts were read, is more than chance.

    Parameters
    ----------
    ours, theirs : Observed
        The measure on either site.
    our_section, their_section : ndarray of int64, shape (n_pages,)
        Section of each page.
    """
    parts = _above(ours, theirs) if ours.is_median else (ours.part, theirs.part)
    a = sums_by_section(parts[0], ours.whole, our_section)
    b = sums_by_section(parts[1], theirs.whole, their_section)
    n_ours, n_theirs = len(a[0]), len(b[0])
    if math.comb(n_ours + n_theirs, n_ours) * LEVEL < 2:
        return Chance.TOO_FEW
    part, whole = np.concatenate([a[0], b[0]]), np.concatenate([a[1], b[1]])
    is_ours = np.zeros((1, len(part)), bool)
    is_ours[0, :n_ours] = True
    observed = abs(_differences(part, whole, is_ours)[0])
    dealt = np.abs(_differences(part, whole, deals(len(part), n_ours)))
    as_large = int((dealt >= observed - _EPSILON).sum())
    is_all = math.comb(len(part), n_ours) <= DRAWS
    share = as_large / len(dealt) if is_all else (as_large + 1) / (len(dealt) + 1)
    return Chance.MORE if share <= LEVEL else Chance.WITHIN


def is_outside(it: Observed, section: NDArray[np.int64], value: float) -> Chance:
    """Whether the value of a site that was read whole lies outside of the interval of one of which a part was.

    Parameters
    ----------
    section : ndarray of int64, shape (n_pages,)
        Section of each page.
    value : float
        The measure on the site that was read whole.
    """
    low, high = interval(it, section)
    if math.isnan(low) or math.isnan(value):
        return Chance.TOO_FEW
    return Chance.WITHIN if low - _EPSILON <= value <= high + _EPSILON else Chance.MORE


def _above(ours: Observed, theirs: Observed) -> tuple[Figures, Figures]:
    """Whether each page is above the median of both sites together."""
    middle = quantile(np.concatenate([ours.part[ours.whole > 0], theirs.part[theirs.whole > 0]]), 0.5)
    return (ours.part > middle).astype(np.float64), (theirs.part > middle).astype(np.float64)


def deals(n: int, n_ours: int) -> NDArray[np.bool_]:
    """Ways to deal sections out to two sites: all of them where they are few, else some at random.

    Parameters
    ----------
    n, n_ours : int
        Sections of both sites, and of ours.
    """
    if math.comb(n, n_ours) <= DRAWS:
        result = np.zeros((math.comb(n, n_ours), n), bool)
        for row, chosen in enumerate(combinations(range(n), n_ours)):
            result[row, list(chosen)] = True
        return result
    order = np.random.default_rng(SEED).random((DRAWS, n)).argsort(axis=1)
    return np.asarray(order < n_ours)


def _differences(part: Figures, whole: Figures, is_ours: NDArray[np.bool_]) -> Figures:
    """The difference of the measure for each way to deal out."""
    theirs = ~is_ours
    return np.asarray((theirs @ part) / (theirs @ whole) - (is_ours @ part) / (is_ours @ whole))
