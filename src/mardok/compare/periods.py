"""Which spans of search data are compared: now and before, in whole steps of its rows.

In:  the days that stand in search data.
Out: two spans of equally many steps, a year apart where the data reaches back that far, else the two halves.

A row stands for a day, a week or a month. Spans of days alone would put five weeks beside four, or 31 days beside 28, and a
site on which nothing happens would lose a tenth of its clicks. A year is 364 days, 52 weeks or 12 months, so that each day
of the week stands beside its like. A first or last week or month that has clearly less than the one beside it was cut off by
the ends of the file: it is left out. A day is never cut off.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.sentences import Sentence, counted, sentence
from mardok.vocabulary import StepUnit

DAYS_A_MONTH = 30.44
_DAYS_A_WEEK = 7
_LEAST_DAYS_A_MONTH = 28
YEAR = {StepUnit.DAY: 364, StepUnit.WEEK: 52, StepUnit.MONTH: 12}
"""Steps of a year."""
_QUARTERS = 4
_WHOLE = 0.9
"""Share of the impressions of the step beside it that a first or last step has at least, if it is whole."""
_EPOCH = 1970
_LEAST = {StepUnit.DAY: 28, StepUnit.WEEK: 4, StepUnit.MONTH: 3}
"""Steps of the shortest span that is compared with one before: less is chance."""

Days = NDArray[np.datetime64]


@dataclass(frozen=True)
class Grid:
    """The steps that the rows of search data stand for."""

    unit: StepUnit
    anchor: int
    """Day of the week that a week begins on, counted from a Thursday; 0 for other steps."""

    def number(self, dates: Days) -> NDArray[np.int64]:
        """Number of the step that each day lies in, counted from 1970."""
        days = dates.astype("datetime64[D]")
        if self.unit == StepUnit.MONTH:
            return days.astype("datetime64[M]").astype(np.int64)
        if self.unit == StepUnit.WEEK:
            return np.asarray((days.astype(np.int64) - self.anchor) // _DAYS_A_WEEK)
        return days.astype(np.int64)

    def first_day(self, number: int) -> np.datetime64:
        """First day of a step."""
        if self.unit == StepUnit.MONTH:
            year, month = divmod(number, YEAR[StepUnit.MONTH])
            return np.datetime64(f"{_EPOCH + year:04}-{month + 1:02}-01", "D")
        if self.unit == StepUnit.WEEK:
            return np.datetime64(number * _DAYS_A_WEEK + self.anchor, "D")
        return np.datetime64(number, "D")

    def months(self, steps: int) -> float:
        """Months that so many steps are."""
        if self.unit == StepUnit.MONTH:
            return float(steps)
        return steps * (_DAYS_A_WEEK if self.unit == StepUnit.WEEK else 1) / DAYS_A_MONTH


def grid_of(days: Days) -> Grid:
    """The steps of rows with these days.

    Parameters
    ----------
    days : ndarray of datetime64, shape (n_days,)
        Each day once, in order; two at least. The first and the last may lie beside the steps, where a file begins or ends
        within one.

    Examples
    --------
    >>> grid_of(np.arange("2030-01-07", "2030-03-04", 7, "datetime64[D]")).unit.value
    'week'
    """
    days = days.astype("datetime64[D]")
    inner = days[1:-1] if len(days) > 4 else days
    gaps = np.diff(inner).astype(np.int64)
    of_month = (inner - inner.astype("datetime64[M]")).astype(np.int64)
    is_last = (inner + np.timedelta64(1, "D")).astype("datetime64[M]") > inner.astype("datetime64[M]")
    if len(gaps) and gaps.min() >= _LEAST_DAYS_A_MONTH and ((of_month == of_month[0]).all() or is_last.all()):
        return Grid(StepUnit.MONTH, 0)
    if len(gaps) and not (gaps % _DAYS_A_WEEK).any():
        return Grid(StepUnit.WEEK, int(inner[0].astype(np.int64) % _DAYS_A_WEEK))
    return Grid(StepUnit.DAY, 0)


@dataclass(frozen=True)
class Spans:
    """Two spans of equally many whole steps that are compared."""

    grid: Grid
    steps: int
    """Steps of each span."""
    first: int
    """Number of the first step of the later span."""
    before_first: int
    """Number of the first step of the earlier span."""

    @property
    def is_year_apart(self) -> bool:
        """Whether the earlier span is the same time a year before, so that seasons do not count."""
        return self.first - self.before_first == YEAR[self.grid.unit]

    @property
    def recent_steps(self) -> int:
        """Steps of the last quarter of a year of the later span, or of all of it if it is shorter."""
        return min(self.steps, YEAR[self.grid.unit] // _QUARTERS)

    @property
    def recent_months(self) -> float:
        """Months of these steps."""
        return self._months(self.recent_steps)

    @property
    def recent_text(self) -> Sentence:
        """The same in words that say when."""
        return sentence("span.recent", length=counted(self.grid.unit, self.recent_steps))

    @property
    def since(self) -> np.datetime64:
        """First day of the later span."""
        return self.grid.first_day(self.first)

    @property
    def until(self) -> np.datetime64:
        """The day after the later span."""
        return self.grid.first_day(self.first + self.steps)

    @property
    def length(self) -> Sentence:
        """How long each span is, in words."""
        return counted(self.grid.unit, self.steps)

    @property
    def before_text(self) -> Sentence:
        """The earlier span, in words that follow a figure."""
        return sentence("span.year-before" if self.is_year_apart else "span.before", length=self.length)

    @property
    def text(self) -> Sentence:
        """Both spans, in words."""
        return sentence("span.year-compared" if self.is_year_apart else "span.compared", length=self.length)

    @property
    def months(self) -> float:
        """Months of each span."""
        return self._months(self.steps)

    def step_now(self, dates: Days) -> NDArray[np.int64]:
        """Number of each day's step in the later span, from 0; -1 outside of it and for NaT."""
        return self._step(dates, self.first)

    def step_before(self, dates: Days) -> NDArray[np.int64]:
        """The same in the earlier span."""
        return self._step(dates, self.before_first)

    def _months(self, steps: int) -> float:
        return self.grid.months(steps)

    def _step(self, dates: Days, first: int) -> NDArray[np.int64]:
        step = self.grid.number(dates) - first
        return np.where((step >= 0) & (step < self.steps) & ~np.isnat(dates), step, -1)


def whole_steps(dates: Days, impressions: NDArray[np.float64]) -> tuple[Grid, int, int] | None:
    """The steps of search data, and the numbers of the first and the last that was not cut off; None for less than two days.

    Parameters
    ----------
    dates : ndarray of datetime64, shape (n_rows,)
        Day of each row; NaT where it has none.
    impressions : ndarray of float64, shape (n_rows,)
        Impressions of each row, by which a step is seen to be cut off.
    """
    is_dated = ~np.isnat(dates)
    days, of_day = np.unique(dates[is_dated].astype("datetime64[D]"), return_inverse=True)
    if len(days) < 2:
        return None
    grid = grid_of(days)
    first, last = (int(grid.number(days[at : at + 1])[0]) for at in (0, len(days) - 1))
    if grid.unit != StepUnit.DAY and last > first:
        by_day = np.bincount(of_day.ravel(), weights=impressions[is_dated])
        by_step = np.bincount(grid.number(days) - first, weights=by_day, minlength=last - first + 1)
        cut = by_step[[0, -1]] < _WHOLE * by_step[[1, -2]]
        first, last = first + int(cut[0]), last - int(cut[1])
    return grid, first, last


def spans_of(dates: Days, impressions: NDArray[np.float64]) -> Spans | None:
    """The spans to compare; None where there are too few steps.

    Parameters
    ----------
    dates : ndarray of datetime64, shape (n_rows,)
        Day of each row; NaT where it has none.
    impressions : ndarray of float64, shape (n_rows,)
        Impressions of each row, by which a step is seen to be cut off.

    Examples
    --------
    >>> months = np.arange("2030-01-01", "2032-02-01", dtype="datetime64[M]")
    >>> spans = spans_of(months, np.append(np.full(24, 100.0), 20.0))
    >>> spans.steps, str(spans.since), spans.is_year_apart
    (12, '2031-01-01', True)
    """
    found = whole_steps(dates, impressions)
    if found is None:
        return None
    grid, first, last = found
    whole, year, least = last - first + 1, YEAR[grid.unit], _LEAST[grid.unit]
    beyond = whole - year
    steps, apart = (min(beyond, year), year) if beyond >= least else (whole // 2, whole // 2)
    if steps < least:
        return None
    begin = last - steps + 1
    return Spans(grid, steps, begin, begin - apart)
