"""What a proposal brings, in clicks a month: what is to be expected, and an interval of 80%.

In:  search data of the whole site, for its click-through rate, and of the pages of a proposal.
Out: a :class:`mardok.plan.proposal.Gain`.

When rivals become one page, three things are not known. How often the pages were shown at once: for every query, day,
country and device the searches that showed any of them are at least the greatest of their impressions and at most the sum;
totals of the property, where they are given, narrow that down, to a point where no other page is shown. How high the one
page will stand: somewhere between where the better of the two stands at each moment today, and where one of them usually
stood while it led. And what is left of the queries for which only a page that goes is found. The last two are one
assumption: the reach, 0 for the worse end of both and 1 for the better. Its mean is the setting ``plan.merged_reach``; it
is drawn from a beta distribution whose two parameters add up to 2, which is uniform for a mean of one half.

Clicks at a position come from the site's own click-through rate, a decreasing curve (isotonic regression, R. E. Barlow et
al., 1972) that leans on an assumed curve where the site has few impressions. A query that draws more or fewer clicks than
the curve says does so afterwards, too: its figures are scaled by the clicks it has over those the curve gives its rows.

Who proposes the best of many merges proposes those whose figures happen to be too high. So what a merge brings, as a share
of the clicks that its pages have, is drawn towards the mean of all merges that the site's search data suggests, the more the
less they differ beyond what the model errs by (empirical Bayes; C. N. Morris, Journal of the American Statistical
Association 78, 1983).

Addresses of one page and copies are shown once, whichever of them it is: theirs is the sum, and nothing can be lost.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from mardok.compare.contention import numbered
from mardok.compare.demand import Demand, SearchRows, queries_of_several
from mardok.plan.proposal import Gain
from mardok.text.distinct import first_of_equal
from mardok.vocabulary import GainUnit

CURVE_POSITIONS = 50
ASSUMED_TOP_RATE = 0.25
"""Assumed click-through rate at position 1; at position p the assumed rate is this divided by p."""
ASSUMED_WEIGHT = 200.0
"""Impressions at each position that the assumed curve weighs as much as."""
_SCALE_WEIGHT = 10.0
"""Clicks that count for the curve when a query is scaled to its own clicks."""
_MODEL_ERROR = 0.035
"""Standard deviation by which the model errs about a merge, as a share of the clicks; found by simulation."""
_USUAL_SPREAD, _USUAL_MERGES = 0.08, 5.0
"""Standard deviation of what merges bring, as a share of the clicks, on a site that tells of none; and how many of its own
merges that counts for."""
_LOST = 0.5
"""Share of the clicks at risk that is lost where the reach is 0."""
_TAIL = 0.1
"""Probability on either side of the interval."""
_TAIL_DEVIATIONS = 1.2816
"""Standard deviations of a normal distribution from its mean to either end of such an interval."""
_POINTS = 20
"""Points of equal probability by which a distribution is summed up."""


@dataclass(frozen=True)
class ClickCurve:
    """Clicks per impression by position."""

    rates: NDArray[np.float64]
    """Rate at the positions 1 to :data:`CURVE_POSITIONS`, never increasing."""

    def at(self, position: NDArray[np.float64]) -> NDArray[np.float64]:
        """Rate at any position, between two by straight line, past the end the last."""
        return np.asarray(np.interp(position, np.arange(1, len(self.rates) + 1), self.rates))


def click_curve(rows: SearchRows) -> ClickCurve:
    """The site's click-through rate by position, from its search rows.

    Examples
    --------
    >>> few, day = np.zeros(2, np.int32), np.array(["2030-01-01"] * 2, "datetime64[D]")
    >>> rows = SearchRows(few, few, few, day, np.array([300.0, 40.0]), np.array([1000.0, 1000.0]), np.array([1.0, 5.0]))
    >>> curve = click_curve(rows)
    >>> curve.at(np.array([1.0, 5.0])).round(3).tolist()
    [0.292, 0.042]
    """
    from scipy.optimize import isotonic_regression  # only here: it takes longer to import than some commands to run

    places = np.arange(1, CURVE_POSITIONS + 1)
    bins = np.clip(np.rint(rows.position), 1, CURVE_POSITIONS).astype(np.int64) - 1
    impressions = np.bincount(bins, weights=rows.impressions, minlength=CURVE_POSITIONS)
    clicks = np.bincount(bins, weights=rows.clicks, minlength=CURVE_POSITIONS)
    weights = impressions + ASSUMED_WEIGHT
    rates = (clicks + ASSUMED_WEIGHT * ASSUMED_TOP_RATE / places) / weights
    return ClickCurve(np.asarray(isotonic_regression(rates, weights=weights, increasing=False).x))


def sum_of_gains(gains: Iterable[Gain], unit: GainUnit) -> Gain:
    """The gain of several things that are done: expectations add up, and so do variances.

    Parameters
    ----------
    gains : iterable of Gain
        Of one unit.

    Examples
    --------
    >>> both = sum_of_gains([Gain(5, 1, 9, GainUnit.CLICKS), Gain(4, 1, 7, GainUnit.CLICKS)], GainUnit.CLICKS)
    >>> both.expected, both.low, both.high
    (9.0, 4.0, 14.0)
    """
    gains = list(gains)
    expected = math.fsum(gain.expected for gain in gains)
    below = math.sqrt(math.fsum((gain.expected - gain.low) ** 2 for gain in gains))
    above = math.sqrt(math.fsum((gain.high - gain.expected) ** 2 for gain in gains))
    return Gain(
        expected, expected - below, expected + above, unit, math.fsum(gain.at_risk for gain in gains),
        sum(gain.n_queries for gain in gains), math.fsum(gain.impressions for gain in gains),
    )  # fmt: skip


@dataclass(frozen=True)
class Shrinkage:
    """Towards what the gains of merges are drawn, as shares of the clicks that their pages have."""

    mean: float = 0.0
    weight: float = 1.0
    """Weight of a merge's own figure; 1 draws it nowhere."""

    @staticmethod
    def of(lifts: NDArray[np.float64]) -> Shrinkage:
        """By the merges of a site.

        Parameters
        ----------
        lifts : ndarray of float64, shape (n_merges,)
            What each is expected to bring, as a share of the clicks of its pages.
        """
        n = len(lifts)
        own = float(lifts.var(ddof=1)) if n > 1 else 0.0
        spread = (n * max(own - _MODEL_ERROR**2, 0.0) + _USUAL_MERGES * _USUAL_SPREAD**2) / (n + _USUAL_MERGES)
        return Shrinkage(float(lifts.sum()) / (n + _USUAL_MERGES), spread / (spread + _MODEL_ERROR**2))


@dataclass(frozen=True)
class GainModel:
    """What changes to pages bring, by the search data of their site."""

    demand: Demand
    curve: ClickCurve
    reach: float
    """Mean of the reach (setting ``plan.merged_reach``)."""
    shrinkage: Shrinkage = Shrinkage()
    """By all merges of the site."""

    def shrunken_by(self, merges: Iterable[tuple[int, int]]) -> GainModel:
        """The model with gains drawn towards those of these merges.

        Parameters
        ----------
        merges : iterable of (row, row)
            Pairs of pages that search data shows for the same queries.
        """
        lifts = [lift for pair in merges if (lift := self._lift(pair)) is not None]
        return replace(self, shrinkage=Shrinkage.of(np.array(lifts, np.float64)))

    def _lift(self, pair: tuple[int, int]) -> float | None:
        """What a merge brings on the shared queries, as a share of the clicks there; None without clicks."""
        ends = self._ends(pair)
        if ends is None or not ends.clicks:
            return None
        return float((ends.worst + self.reach * ends.more).mean()) * self.demand.months / ends.clicks

    @cached_property
    def _reaches(self) -> NDArray[np.float64]:
        """Values of the reach with equal probability."""
        from scipy.special import betaincinv  # only here: it takes longer to import than some commands to run

        middles = (np.arange(_POINTS) + 0.5) / _POINTS
        return np.asarray(betaincinv(2 * self.reach, 2 * (1 - self.reach), middles))

    def merged(self, rows: Collection[int], moved: Collection[int]) -> Gain:
        """Gain when pages that are shown beside each other become one.

        Parameters
        ----------
        rows : collection of int
            Pages that become one.
        moved : collection of int
            Those of them that go.

        Returns
        -------
        Gain
            Clicks a month; 0 if no query shows two of the pages and nothing is at risk.
        """
        demand = self.demand
        own = demand.of(rows)
        is_shared = queries_of_several(own)
        at_risk = float(own.clicks[~is_shared & np.isin(own.row, list(moved))].sum()) / demand.months
        if not is_shared.any():
            return self._gain(_Ends(None, np.zeros(1), np.zeros(1), 0.0), at_risk)
        ends = self._ends(rows)
        assert ends is not None  # there are shared queries
        return self._with_queries(self._gain(ends, at_risk), ends.shared)

    def _ends(self, rows: Collection[int]) -> _Ends | None:
        """What a merge brings on the queries that show two of the pages; None if there are none."""
        own = self.demand.of(rows)
        is_shared = queries_of_several(own)
        if not is_shared.any():
            return None
        shared = _Queries(own.select(is_shared), self.curve)
        moments = _Moments.of(shared, self.demand)
        usual = shared.best_rate(np.ones(len(shared.rows), bool))
        best = np.maximum(shared.best_rate(moments.leads), usual)
        # Between the fewest and the most searches that the moments allow.
        part = (np.arange(_POINTS) + 0.5) / _POINTS
        searches = moments.least[None] + part[:, None] * (moments.most - moments.least)[None]
        scale = shared.scale[moments.query]
        today = moments.clicks_of_the_better(searches, self.curve)
        one_day = np.maximum(searches * best[moments.query], today)
        today, one_day = (today * scale).sum(axis=1), (one_day * scale).sum(axis=1)
        clicks = float(shared.clicks.sum())
        months = self.demand.months
        return _Ends(shared, (today - clicks) / months, (one_day - today) / months, clicks)

    def folded(self, rows: Collection[int]) -> Gain:
        """Gain when addresses of one page, or copies, become one: whichever is shown, it is shown once.

        Parameters
        ----------
        rows : collection of int
            Pages that become one.
        """
        own = self.demand.of(rows)
        is_shared = queries_of_several(own)
        if not is_shared.any():
            return Gain(0.0, 0.0, 0.0, GainUnit.CLICKS)
        shared = _Queries(own.select(is_shared), self.curve)
        best = shared.best_rate(np.ones(len(shared.rows), bool))
        reached = np.bincount(shared.number, weights=shared.rows.impressions) * best - shared.stated
        most = float((np.maximum(reached, 0.0) * shared.scale).sum()) / self.demand.months
        return self._with_queries(self._gain(_Ends(None, np.zeros(1), np.full(1, most), 0.0), 0.0), shared)

    def of_names(self, queries: Mapping[int, Collection[int]]) -> Gain:
        """Gain when every page comes as far for the queries that name it as the best of them does for its own.

        Parameters
        ----------
        queries : mapping of int to collection of int
            For each page the numbers of the queries that name what only it promises.
        """
        own = self.demand.of(queries)
        is_named = np.zeros(len(own), bool)
        for row, named in queries.items():
            is_named |= (own.row == row) & np.isin(own.query, list(named))
        return self._gain_at(_Queries(own.select(is_named), self.curve), None)

    def at_position(self, row: int, queries: Collection[int], position: float) -> Gain:
        """Gain when a page comes to a position for queries that it is shown for further down.

        Parameters
        ----------
        row : int
            The page.
        queries : collection of int
            Numbers of the queries.
        position : float
            Where it is to stand.
        """
        own = self.demand.of([row])
        shown = _Queries(own.select(np.isin(own.query, list(queries))), self.curve)
        return self._gain_at(shown, float(self.curve.at(np.array([position]))[0]))

    def _gain_at(self, shown: _Queries, rate: float | None) -> Gain:
        """Gain when all queries draw clicks at one rate, by default the best that any of their pages has."""
        if not len(shown.rows) or not shown.rows.impressions.sum():
            return Gain(0.0, 0.0, 0.0, GainUnit.CLICKS)
        rate = float(shown.best_rate(np.ones(len(shown.rows), bool)).max()) if rate is None else rate
        impressions = np.bincount(shown.number, weights=shown.rows.impressions)
        reached = np.maximum(impressions * rate * shown.scale, shown.clicks)
        most = float((reached - shown.clicks).sum()) / self.demand.months
        return self._with_queries(self._gain(_Ends(None, np.zeros(1), np.full(1, most), 0.0), 0.0), shown)

    def _gain(self, ends: _Ends, at_risk: float) -> Gain:
        """Expectation and interval.

        Parameters
        ----------
        ends : _Ends
            What it brings for a reach of 0 and of 1.
        at_risk : float
            Clicks a month of queries for which only a page that goes is found.
        """
        values = ends.worst[:, None] + ends.more[:, None] * self._reaches[None] - _LOST * at_risk * (1 - self._reaches[None])
        expected = float(values.mean())
        low, high = (float(np.quantile(values, tail)) for tail in (_TAIL, 1 - _TAIL))
        below, above, shift = expected - low, high - expected, 0.0
        if ends.clicks:
            now = ends.clicks / self.demand.months
            mean, weight = self.shrinkage.mean, self.shrinkage.weight
            lift = float((ends.worst + self.reach * ends.more).mean()) / now
            shift = (1 - weight) * (mean - lift) * now
            # The figures rest on counted clicks, and on a model.
            chance = abs(expected) / math.sqrt(ends.clicks)
            error = _TAIL_DEVIATIONS * math.hypot(chance, _MODEL_ERROR * math.sqrt(weight) * now)
            below, above = math.hypot(below, error), math.hypot(above, error)
        expected += shift
        return Gain(expected, expected - below, expected + above, GainUnit.CLICKS, at_risk)

    def _with_queries(self, gain: Gain, shown: _Queries | None) -> Gain:
        if shown is None:
            return gain
        return Gain(
            gain.expected, gain.low, gain.high, gain.unit, gain.at_risk, n_queries=len(shown.clicks),
            impressions=float(shown.rows.impressions.sum()) / self.demand.months,
        )  # fmt: skip


@dataclass(frozen=True)
class _Ends:
    """What a change brings at the two ends of the reach, in clicks a month."""

    shared: _Queries | None
    """The queries that it concerns, where they are wanted."""
    worst: NDArray[np.float64]
    """For a reach of 0; values of equal probability."""
    more: NDArray[np.float64]
    """By how much a reach of 1 is better, value by value."""
    clicks: float
    """Clicks counted, by whose chance all is uncertain; 0 where nothing can be lost."""


class _Queries:
    """Search rows by query."""

    def __init__(self, rows: SearchRows, curve: ClickCurve) -> None:
        self.rows = rows
        self.number = np.unique(rows.query, return_inverse=True)[1].ravel()
        self.by_row = rows.impressions * curve.at(rows.position)
        """Clicks that the curve gives each row."""
        self.clicks = np.bincount(self.number, weights=rows.clicks)

    @cached_property
    def stated(self) -> NDArray[np.float64]:
        """For each query the clicks that the curve gives its rows."""
        return np.bincount(self.number, weights=self.by_row).astype(np.float64)

    @property
    def scale(self) -> NDArray[np.float64]:
        """For each query its clicks over those the curve gives its rows, leaning towards 1 where there are few."""
        return np.asarray((self.clicks + _SCALE_WEIGHT) / (self.stated + _SCALE_WEIGHT))

    def best_rate(self, which: NDArray[np.bool_]) -> NDArray[np.float64]:
        """For each query the greatest of its pages' rates in some rows, each the mean over the page's impressions.

        The mean of the rates, not the rate at the mean position: the curve is steep at the top, and a page that is sometimes
        first draws more clicks than one that is always second.
        """
        key = self.number[which].astype(np.int64) << 32 | self.rows.row[which]
        pairs, at = np.unique(key, return_inverse=True)
        impressions = np.bincount(at.ravel(), weights=self.rows.impressions[which], minlength=len(pairs))
        stated = np.bincount(at.ravel(), weights=self.by_row[which], minlength=len(pairs))
        rates = np.divide(stated, impressions, out=np.zeros(len(pairs)), where=impressions > 0)
        best = np.zeros(len(self.clicks))
        np.maximum.at(best, pairs >> 32, rates)
        return best


@dataclass(frozen=True)
class _Moments:
    """Days of queries in one country and on one device that show any of some pages."""

    of_row: NDArray[np.int64]
    """Moment of each row."""
    query: NDArray[np.int64]
    """Number of the query of each moment."""
    least: NDArray[np.float64]
    """Fewest searches that can have shown one of the pages or more."""
    most: NDArray[np.float64]
    """Most such searches."""
    leads: NDArray[np.bool_]
    """Whether the page of each row stands before the others at its moment."""
    rows: SearchRows

    @staticmethod
    def of(shared: _Queries, demand: Demand) -> _Moments:
        """Those of the queries that show two or more of the pages."""
        rows = shared.rows
        moment = numbered(shared.number, rows.place.astype(np.int64), rows.date.astype("datetime64[D]").astype(np.int64))
        n = int(moment.max()) + 1
        query = np.zeros(n, np.int64)
        query[moment] = shared.number
        most = np.bincount(moment, weights=rows.impressions, minlength=n).astype(np.float64)
        least = np.zeros(n)
        np.maximum.at(least, moment, rows.impressions)
        some = np.zeros(n, np.int64)
        some[moment] = np.arange(len(moment))
        at_once, is_exact = demand.at_once(rows.select(some), most)
        least = np.maximum(least, most - at_once)
        best = np.full(n, np.inf)
        np.minimum.at(best, moment, rows.position)
        return _Moments(moment, query, least, np.where(is_exact, least, most), rows.position <= best[moment], rows)

    def clicks_of_the_better(self, searches: NDArray[np.float64], curve: ClickCurve) -> NDArray[np.float64]:
        """Clicks at each moment by the curve if each search showed only the page that stands highest in it.

        Parameters
        ----------
        searches : ndarray of float64, shape (n, n_moments)
            Searches at each moment that show any of the pages.
        curve : ClickCurve
            Clicks per impression by position.
        """
        rows = self.rows
        order = np.lexsort((rows.row, rows.position, self.of_row))
        moment, impressions = self.of_row[order], rows.impressions[order]
        total = np.cumsum(impressions) - impressions
        before = total - total[np.searchsorted(moment, moment)]
        shown = np.clip(searches[:, moment] - before, 0.0, impressions)
        result = np.add.reduceat(shown * curve.at(rows.position[order]), np.flatnonzero(first_of_equal(moment)), axis=1)
        return np.asarray(result)
