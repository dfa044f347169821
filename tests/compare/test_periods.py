"""Now against before: spans in the steps of the rows, losses beyond chance, clicks that two files tell of."""

from __future__ import annotations

import itertools
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from small_sites import ORIGIN, demand_of, site_with

import mardok
from mardok.compare.movement import Movement, beyond_chance, chance_of_loss, losses, movement
from mardok.compare.periods import spans_of
from mardok.settings import Rivals, Settings
from mardok.sources.raw import OpenIntake
from mardok.sources.search_data import read_search


def days(first: str, n: int, step: str) -> np.ndarray:
    """First days of steps: D, W or M."""
    if step == "M":
        return np.arange(np.datetime64(first, "M"), np.datetime64(first, "M") + n).astype("datetime64[D]")
    length = 7 if step == "W" else 1
    return np.datetime64(first, "D") + length * np.arange(n)


# (first day, steps, kind of step, steps of each span, first day now, first day before)
SPANS = [
    ("2028-01-03", 730, "D", 364, "2029-01-03", "2028-01-05"),
    ("2028-01-03", 392, "D", 28, "2029-01-01", "2028-01-03"),
    ("2028-01-03", 391, "D", 195, "2028-07-17", "2028-01-04"),  # no year of it: two halves
    ("2028-01-03", 104, "W", 52, "2029-01-01", "2028-01-03"),
    ("2028-01-03", 60, "W", 8, "2029-01-01", "2028-01-03"),
    ("2028-01-03", 20, "W", 10, "2028-03-13", "2028-01-03"),
    ("2028-01-01", 24, "M", 12, "2029-01-01", "2028-01-01"),
    ("2028-01-01", 14, "M", 7, "2028-08-01", "2028-01-01"),
]


@pytest.mark.parametrize(("first", "n", "step", "length", "now", "before"), SPANS)
def test_spans_are_equal_numbers_of_whole_steps(first: str, n: int, step: str, length: int, now: str, before: str) -> None:
    spans = spans_of(np.repeat(days(first, n, step), 3), np.full(3 * n, 9.0))
    assert spans is not None
    assert (spans.steps, str(spans.since)) == (length, now)
    assert str(spans.grid.first_day(spans.before_first)) == before
    assert spans.is_year_apart == (n in (730, 392, 104, 60, 24))
    rows = days(first, n, step)
    assert (spans.step_now(rows) >= 0).sum() == (spans.step_before(rows) >= 0).sum() == length
    if spans.is_year_apart and step != "M":  # each day of the week beside its like
        gap = rows[spans.step_now(rows) >= 0] - rows[spans.step_before(rows) >= 0]
        assert set(gap.astype(int).tolist()) == {364}


@pytest.mark.parametrize(("n", "step"), [(1, "D"), (55, "D"), (7, "W"), (5, "M")])
def test_what_is_too_short_is_not_compared(n: int, step: str) -> None:
    assert spans_of(days("2028-01-03", n, step), np.ones(n)) is None
    assert spans_of(np.array(["NaT"] * n, "datetime64[D]"), np.ones(n)) is None


@pytest.mark.parametrize("step", ["W", "M"])
def test_a_step_that_the_ends_of_a_file_cut_off_is_left_out(step: str) -> None:
    at = days("2028-01-03", 110 if step == "W" else 26, step)
    whole = np.full(len(at), 70.0)
    shown = {}
    for cut in ((), (0,), (-1,), (0, -1)):
        impressions = whole.copy()
        impressions[list(cut)] = 30.0
        spans = spans_of(at, impressions)
        assert spans is not None
        shown[cut] = (str(spans.since), str(spans.until))
    assert shown[()] == shown[0,]
    assert shown[-1,] == shown[0, -1]
    assert shown[()][1] > shown[-1,][1]
    # A first row may bear a day within its step.
    begun = spans_of(np.concatenate([[at[0] + 3], at[1:]]), whole)
    assert begun is not None
    assert begun.grid.unit == spans.grid.unit


@given(st.lists(st.floats(0, 1), max_size=12), st.floats(0.001, 0.5))
def test_the_family_of_findings_is_that_of_its_definition(chances: list[float], level: float) -> None:
    """Holm: the smallest is held to level / n, the next to level / (n - 1), until one fails."""
    held: set[int] = set()
    for rank, at in enumerate(sorted(range(len(chances)), key=lambda at: (chances[at], at))):
        if chances[at] > level / (len(chances) - rank):
            break
        held.add(at)
    assert set(np.flatnonzero(beyond_chance(np.array(chances), level)).tolist()) == held


STEPS = {"D": (760, 1), "W": (112, 7), "M": (27, 30)}


def claims(step: str, seed: int, *, fall: float = 0.0, site_fall: float = 0.0) -> list[Movement]:
    """Movements of ten queries of a site whose clicks scatter more than counts do; the first query may fall."""
    random = np.random.default_rng(seed)
    n, length = STEPS[step]
    at = days("2027-01-04", n, step)
    season = 1 + 0.3 * np.sin(2 * np.pi * at.astype("datetime64[D]").astype(int) / 365)
    rows = []
    for query in range(10):
        mean = random.uniform(0.3, 3.0) * length * season
        if query == 0:
            mean[at >= at[-1] - 370] *= 1 - fall
        mean[at >= at[-1] - 370] *= 1 - site_fall
        clicks = random.negative_binomial(mean / 1.5, 1 / 2.5)  # variance 2.5 times the mean
        rows += [(query % 2, query, day, float(count)) for day, count in zip(at, clicks, strict=True)]
    demand = demand_of(rows)
    told = [movement(demand, np.flatnonzero(demand.rows.query == query)) for query in range(10)]
    return losses(told, Rivals())


@pytest.mark.parametrize("step", STEPS)
def test_a_flat_site_loses_nothing(step: str) -> None:
    claimed = sum(any(one.is_lost for one in claims(step, seed)) for seed in range(400))
    assert claimed <= 0.07 * 400


@pytest.mark.parametrize("step", STEPS)
def test_a_fall_is_seen_and_told_from_that_of_the_site(step: str) -> None:
    seen = [claims(step, seed, fall=0.6) for seed in range(20)]
    assert sum(one[0].is_lost for one in seen) >= 18
    assert sum(any(movement.is_lost for movement in one[1:]) for one in seen) <= 3
    with_site = [claims(step, seed, site_fall=0.4) for seed in range(100)]
    assert sum(any(movement.is_lost for movement in one) for one in with_site) <= 12


def test_halves_are_shown_and_never_called_lost() -> None:
    at = days("2030-01-07", 30, "W")
    demand = demand_of([(0, 0, day, 40.0 if n < 15 else 4.0) for n, day in enumerate(at)])
    told = movement(demand, np.arange(len(demand.rows)))
    assert told.clicks < told.clicks_before / 5
    assert not losses([told], Rivals())[0].is_lost
    undated = demand_of([(0, 0, np.datetime64("NaT"), 40.0)])
    assert np.isnan(movement(undated, np.arange(1)).clicks_before)


def test_what_never_was_is_no_loss() -> None:
    nothing = np.zeros(52)
    assert chance_of_loss(nothing, nothing, 1.0) == 1.0
    assert chance_of_loss(nothing, np.full(52, 9.0), 1.0) < 1e-6
    assert not losses([Movement(0.0, 3.0, chance=0.0)], Rivals())[0].is_lost  # too few clicks to matter
    assert not losses([Movement(95.0, 100.0, chance=0.0)], Rivals())[0].is_lost  # too small a share
    assert losses([Movement(50.0, 100.0, chance=0.0)], Rivals())[0].is_lost
    assert losses([], Rivals()) == []


def search_file(path: Path, step: str, n: int, **more: str) -> Path:
    rows = [
        {
            "query": f"q{query}",
            "page": f"{ORIGIN}/{query}",
            "clicks": 3,
            "impressions": 30,
            "position": 4,
            "date": day,
            **more,
        }
        for day, query in itertools.product(days("2030-01-07", n, step), range(4))
    ]
    frame = pd.DataFrame(rows)
    (frame if step else frame.drop(columns="date")).to_csv(path, index=False)
    return path


def test_two_files_of_the_same_days_are_not_added(tmp_path: Path) -> None:
    weekly = search_file(tmp_path / "weekly.csv", "W", 40)
    monthly = search_file(tmp_path / "monthly.csv", "M", 6)
    by_country = search_file(tmp_path / "countries.csv", "W", 30, country="gbr")
    again = search_file(tmp_path / "again.csv", "W", 42)  # the same export two weeks later
    later = search_file(tmp_path / "later.csv", "W", 40)
    later.write_text(later.read_text().replace("2030", "2031"))
    for others, n_rows, told in (
        ([monthly], 160, ["monthly.csv"]),
        ([by_country], 160, ["countries.csv"]),
        ([again], 168, ["again.csv"]),
        ([later], 320, []),
    ):
        intake = OpenIntake()
        rows = read_search([weekly, *others], Settings().search, intake)
        assert len(rows) == n_rows
        assert [Path(one.source).name for one in intake.unread] == told


def test_a_flat_site_of_weeks_and_months_keeps_its_pages(tmp_path: Path) -> None:
    pages = {f"/{n}": f"<title>Page {n}</title><p>text {n}" for n in range(4)}
    (tmp_path / "pages.jsonl").write_text(
        "\n".join(f'{{"url": "{ORIGIN}{path}", "html": "{html}"}}' for path, html in pages.items())
    )
    for step, n in (("W", 70), ("M", 16)):
        search = search_file(tmp_path / f"{step}.csv", step, n)
        table = mardok.audit(tmp_path / "pages.jsonl", search=search).pages
        assert (table["clicks"] - table["clicks_before"]).abs().max() < 1e-9
    assert site_with(pages).pages
