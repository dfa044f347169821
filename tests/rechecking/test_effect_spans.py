"""Which spans an effect is measured in, and when none is: the day from which on it can be told is named."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import mardok
from mardok.rechecking.effect import ChangeDates, Comparison, compared_spans, effect_answer
from mardok.rechecking.state import State
from mardok.rechecking.steps import VerifiedStep
from mardok.rechecking.verdict import PlannedStep, verdict
from mardok.settings import Recheck
from mardok.vocabulary import Decision, Found, Measure, Outcome

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


HOST = "https://host.example"


def clicks_of(n_pages: int, gaining: int) -> pd.DataFrame:
    """Ten clicks a week for each page, and for one page forty from the change on."""
    frames = []
    for page in range(n_pages):
        frame = rows("2030-01-07", "2031-05-26")
        is_more = (frame["date"] >= pd.Timestamp(CHANGED)) & (page == gaining)
        frames.append(
            frame.assign(page=f"{HOST}/{page}", query=f"violins {page}", clicks=np.where(is_more, 40.0, 10.0), position=3.0)
        )
    return pd.concat(frames, ignore_index=True)


def step(page: int, kind: str, *outcomes: Outcome, target: str = "") -> VerifiedStep:
    planned = PlannedStep("p", 1, f"{HOST}/{page}", kind, target, "", "", "", Decision.ACCEPT, {}, ())
    verdicts = tuple(verdict(outcome, Found.STAYS) for outcome in outcomes)
    return VerifiedStep(planned, verdicts, tuple("2031-03-10" for _ in outcomes))


def test_a_unit_has_the_pages_that_went_into_it_and_few_others_say_nothing(page_table: Callable[..., Path]) -> None:
    pages = [{"url": f"{HOST}/{n}", "title": f"Page {n}", "text": f"Violins {n}", "status": "200"} for n in range(30)]
    pages[1] = {"url": f"{HOST}/1", "status": "301", "redirect_url": f"{HOST}/0"}
    audit = mardok.audit(page_table(pages))
    verified = [
        step(1, "redirect", Outcome.DONE, target=f"{HOST}/0"),
        step(2, "relink", Outcome.DONE),
        step(3, "noindex", Outcome.DONE, Outcome.NOT_DONE),
        step(4, "retitle", Outcome.NOT_DONE),
    ]
    given = (verified, State(audit), ChangeDates(CHANGED - DAY, CHANGED), Recheck(), audit.plan)
    told = effect_answer(clicks_of(30, 0), *given)
    table = told.table.set_index(["kind", "unit", "measure"])
    assert [unit for kind, unit, _ in table.index if kind == "page"] == [f"{HOST}/0"] * 3
    row = table.loc[("page", f"{HOST}/0", Measure.CLICKS)]
    assert row["pages"] == 2
    assert row["before"] == pytest.approx(20 * 30.44 / 7)
    assert row["after"] == pytest.approx(50 * 30.44 / 7)
    assert row["effect_low"] <= row["effect"] <= row["effect_high"]
    assert row["effect"] == pytest.approx(30 * 30.44 / 7, rel=0.02)
    assert "fewer" in str(told.text)
    # What is linked anew, or was touched for a while, is no measure for others; what was not done is.
    few = clicks_of(30, 0)
    few = few[few["page"].isin([f"{HOST}/{n}" for n in range(23)])]
    assert "19 pages were left untouched, and 20 are needed" in str(effect_answer(few, *given).text)
    lost = effect_answer(clicks_of(30, 0).assign(clicks=lambda frame: np.where(frame["clicks"] > 10, 1.0, 10.0)), *given)
    assert "the change cost" in str(lost.text)
    assert "no step that changes" in str(effect_answer(clicks_of(30, 0), verified[1:], *given[1:]).text)
    assert "no search data" in str(effect_answer(None, *given).text)
