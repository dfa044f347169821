"""Which spans an effect is measured in, and when none is: the day from which on it can be told is named."""

from __future__ import annotations

import datetime

import numpy as np
import pandas as pd
import pytest

from mardok.rechecking.effect import ChangeDates, Comparison, compared_spans
from mardok.settings import Recheck

DAY = datetime.timedelta(days=1)
CHANGED = datetime.date(2031, 3, 3)


def rows(first: str, last: str, step: int = 7) -> pd.DataFrame:
    days = np.arange(first, np.datetime64(last) + 1, step, "datetime64[D]")
    return pd.DataFrame({"date": days.astype("datetime64[s]"), "impressions": 100.0})


@pytest.mark.parametrize(
    ("first", "last", "steps", "apart"),
    [
        ("2029-12-31", "2031-05-26", 13, 52),  # fifteen months: the same weeks a year before
        ("2030-12-30", "2031-05-26", 9, None),  # no year: as many weeks before the change as there are
        ("2029-12-31", "2031-03-24", 4, 52),
    ],
)
def test_spans_are_equal_and_a_year_apart_where_the_data_reach(first: str, last: str, steps: int, apart: int | None) -> None:
    spans = compared_spans(rows(first, last), ChangeDates(CHANGED - DAY, CHANGED), Recheck())
    assert isinstance(spans, Comparison)
    assert spans.steps == steps
    assert spans.grid.first_day(spans.after) == np.datetime64(CHANGED)
    if apart is None:
        assert spans.before + spans.steps == spans.after
    else:
        assert spans.after - spans.before == apart


def test_where_the_data_end_too_early_the_day_is_told_from_which_they_reach() -> None:
    told = compared_spans(rows("2029-12-31", "2031-03-17"), ChangeDates(CHANGED - DAY, CHANGED), Recheck())
    assert not isinstance(told, Comparison)
    assert "From 2031-03-31 on" in str(told)
    told = compared_spans(rows("2031-02-24", "2031-05-26"), ChangeDates(CHANGED - DAY, CHANGED), Recheck())
    assert "begin on 2031-02-24" in str(told)
    undated = pd.DataFrame({"date": [np.datetime64("NaT", "s")] * 3, "impressions": 1.0})
    assert "no days" in str(compared_spans(undated, ChangeDates(CHANGED - DAY, CHANGED), Recheck()))


def test_between_two_crawls_neither_span_reaches_into_the_time_of_change() -> None:
    dates = ChangeDates(datetime.date(2031, 2, 12), datetime.date(2031, 4, 9))
    spans = compared_spans(rows("2030-11-04", "2031-06-30", 1), dates, Recheck())
    assert isinstance(spans, Comparison)
    assert spans.grid.first_day(spans.before + spans.steps - 1) <= np.datetime64(dates.last_untouched)
    assert spans.grid.first_day(spans.after) >= np.datetime64(dates.first_changed)
