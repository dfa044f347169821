"""What the work brought: clicks, impressions and position of the touched pages, against the untouched ones.

In:  search data that reach from before the change to after it, the steps that were done, the state after them.
Out: the table of effects, or why there is none.

The unit is a page that stays with all pages merged into it. Spans are equal numbers of whole steps of the data; the one
before the change is the same time a year earlier where the data reach that far, else it ends where the change begins.
"""

from __future__ import annotations

import datetime
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.periods import YEAR, Grid, whole_steps
from mardok.rechecking.placebo import Effect, effect_of
from mardok.rechecking.state import State
from mardok.rechecking.steps import VerifiedStep
from mardok.sentences import Text, counted, sentence
from mardok.settings import Recheck
from mardok.tables import EFFECT
from mardok.vocabulary import GainUnit, Measure, Outcome, StepKind, StepUnit

_CHANGING = frozenset(
    [
        StepKind.REDIRECT, StepKind.CANONICAL, StepKind.MOVE_TEXT, StepKind.REWRITE, StepKind.RETITLE, StepKind.EXPAND,
        StepKind.TRIM, StepKind.NOINDEX, StepKind.RETIRE, StepKind.TRANSLATE,
    ]
)  # fmt: skip
"""Steps that change what searchers are shown; other steps leave a page neither touched nor untouched."""
_CARRIED_OUT = frozenset([Outcome.DONE, Outcome.PARTLY, Outcome.OTHERWISE])
_MOST_UNITS = 200
"""Touched pages that are told one by one, those with most clicks."""
_QUERIES = 20
"""Queries of the touched pages that are told, those with most impressions."""
_NAN = float("nan")

Rows = Sequence[tuple[object, ...]]


@dataclass(frozen=True)
class ChangeDates:
    """When the site was changed."""

    last_untouched: datetime.date
    """Day until which nothing was changed."""
    first_changed: datetime.date
    """Day from which on all was."""


@dataclass(frozen=True)
class Comparison:
    """Two spans of equally many steps, before and after a change."""

    grid: Grid
    steps: int
    before: int
    """Number of the first step of the span before."""
    after: int
    """The same of the span after."""

    @property
    def months(self) -> float:
        """Months of each span."""
        return self.grid.months(self.steps)

    @property
    def is_year_apart(self) -> bool:
        """Whether the spans are the same time of two years."""
        return self.after - self.before == YEAR[self.grid.unit]

    @property
    def text(self) -> Text:
        """Both spans, in words."""
        key = "recheck.effect.year-apart" if self.is_year_apart else "recheck.effect.adjoining"
        first = [str(self.grid.first_day(number)) for number in (self.after, self.before)]
        return sentence(key, length=counted(self.grid.unit, self.steps), after=first[0], before=first[1])


@dataclass(frozen=True)
class EffectAnswer:
    """The effect, or why nothing is claimed."""

    table: pd.DataFrame
    text: Text
    spans: Text = ""


def effect_answer(
    rows: pd.DataFrame | None, verified: Sequence[VerifiedStep], after: State, changed: ChangeDates, rules: Recheck,
    plan: pd.DataFrame,
) -> EffectAnswer:  # fmt: skip
    """What the work brought.

    Parameters
    ----------
    rows : DataFrame or None
        Search data of both times; None if there are none.
    plan : DataFrame
        The plan that was carried out, for what it expected.
    """
    nothing = EFFECT.frame([])
    if rows is None or not len(rows):
        return EffectAnswer(nothing, sentence("recheck.effect.no-search"))
    spans = compared_spans(rows, changed, rules)
    if not isinstance(spans, Comparison):
        return EffectAnswer(nothing, spans)
    units = _units(rows, verified, after, spans)
    n_touched, n_untouched = int(units.is_touched.sum()), int(units.is_untouched.sum())
    if not n_touched:
        return EffectAnswer(nothing, sentence("recheck.effect.nothing-touched"), spans.text)
    if n_untouched < rules.least_untouched:
        few = sentence("recheck.effect.few-untouched", pages=counted("page", n_untouched), least=rules.least_untouched)
        return EffectAnswer(nothing, few, spans.text)
    table = EFFECT.frame([*_all_rows(units, plan), *_unit_rows(units, plan), *_query_rows(units)])
    return EffectAnswer(table, _told(table), spans.text)


def compared_spans(rows: pd.DataFrame, changed: ChangeDates, rules: Recheck) -> Comparison | Text:
    """The spans to compare, or why there are none, with the day from which on there are."""
    dates = rows["date"].to_numpy("datetime64[s]")
    found = whole_steps(dates, rows["impressions"].to_numpy(float))
    if found is None:
        return sentence("recheck.effect.undated")
    grid, first, last = found
    after = int(grid.number(np.array([changed.first_changed], "datetime64[D]"))[0])
    if grid.first_day(after) < np.datetime64(changed.first_changed, "D"):
        after += 1
    year = YEAR[grid.unit]
    least = _steps_of(rules.least_days, grid.unit)
    if last - after + 1 < least:
        day = grid.first_day(after + least)
        return sentence("recheck.effect.too-early", until=str(grid.first_day(last + 1)), day=str(day))
    day = np.datetime64(changed.last_untouched, "D")
    untouched = int(grid.number(np.array([day]))[0])
    end_before = untouched if grid.first_day(untouched + 1) <= day + 1 else untouched - 1
    steps = min(last - after + 1, year)
    if after - year >= first and after - year + steps - 1 <= end_before:
        return Comparison(grid, steps, after - year, after)
    steps = min(steps, end_before - first + 1)
    if steps < least:
        return sentence("recheck.effect.no-before", since=str(grid.first_day(first)))
    return Comparison(grid, steps, end_before - steps + 1, after)


def _steps_of(days: int, unit: StepUnit) -> int:
    return -(-days // {StepUnit.DAY: 1, StepUnit.WEEK: 7, StepUnit.MONTH: 28}[unit])


@dataclass(frozen=True)
class _Units:
    """Pages that stay, each with all that were merged into it, and what search shows of them."""

    names: Sequence[str]
    pages: NDArray[np.int64]
    """Touched pages of each."""
    is_touched: NDArray[np.bool_]
    is_untouched: NDArray[np.bool_]
    proposals: Mapping[int, frozenset[str]]
    """Proposals of which each was touched by."""
    before: Mapping[Measure, NDArray[np.float64]]
    after: Mapping[Measure, NDArray[np.float64]]
    rows: pd.DataFrame
    """Search data in the two spans, with ``unit`` and ``is_after``."""
    months: float


def _units(rows: pd.DataFrame, verified: Sequence[VerifiedStep], after: State, spans: Comparison) -> _Units:
    final = {url: end or url for url, end in zip(after.column("url"), after.column("final_url"), strict=True)}
    touched: dict[str, set[str]] = {}
    proposals: dict[str, set[str]] = {}
    beside: set[str] = set()
    for one in verified:
        was_ever = any(verdict.outcome in _CARRIED_OUT for verdict in one.verdicts)
        if not was_ever or one.step.step in (StepKind.LEAVE, StepKind.INVESTIGATE):
            continue
        url = final.get(one.step.url, one.step.url)
        if one.step.step in _CHANGING and one.outcome in _CARRIED_OUT:
            unit = final.get(one.step.target, one.step.target) if one.outcome == Outcome.DONE and one.step.target else url
            touched.setdefault(unit, set()).update({one.step.url, unit})
            proposals.setdefault(unit, set()).add(one.step.proposal)
            final[one.step.url] = unit
        else:
            beside.add(url)
    pages = rows["page"].astype("category")
    ends = [final.get(str(url), str(url)) for url in pages.cat.categories]
    names = sorted({*ends, *touched})
    number = {name: at for at, name in enumerate(names)}
    unit = np.array([number[end] for end in ends], np.int64)[pages.cat.codes.to_numpy()]
    step = spans.grid.number(rows["date"].to_numpy("datetime64[s]"))
    is_before = (step >= spans.before) & (step < spans.before + spans.steps)
    is_after = (step >= spans.after) & (step < spans.after + spans.steps)
    sums: dict[str, dict[Measure, NDArray[np.float64]]] = {}
    for key, is_there in (("before", is_before), ("after", is_after)):
        clicks, shown = (rows[name].to_numpy(float) * is_there for name in ("clicks", "impressions"))
        placed = rows["position"].to_numpy(float) * shown
        of_unit = [
            np.asarray(np.bincount(unit, weights=values, minlength=len(names)), np.float64)
            for values in (clicks, shown, placed)
        ]
        with np.errstate(invalid="ignore", divide="ignore"):
            position = of_unit[2] / of_unit[1]
        sums[key] = {Measure.CLICKS: of_unit[0], Measure.IMPRESSIONS: of_unit[1], Measure.POSITION: position}
    is_shown = sums["before"][Measure.IMPRESSIONS] + sums["after"][Measure.IMPRESSIONS] > 0
    is_touched = np.array([name in touched for name in names], bool) & is_shown
    is_beside = np.array([name in beside for name in names], bool)
    kept = is_before | is_after
    return _Units(
        names=names,
        pages=np.array([len(touched.get(name, ())) for name in names], np.int64),
        is_touched=is_touched,
        is_untouched=is_shown & ~is_touched & ~is_beside & ~np.array([name in touched for name in names], bool),
        proposals={number[name]: frozenset(ids) for name, ids in proposals.items()},
        before=sums["before"],
        after=sums["after"],
        rows=rows[kept].assign(unit=unit[kept], is_after=is_after[kept]),
        months=spans.months,
    )


def _measured(units: _Units, measure: Measure, of: NDArray[np.bool_]) -> tuple[float, float, tuple[float, float, float]]:
    """Before, after and effect a month, of some touched units together."""
    is_used = units.is_touched | units.is_untouched
    before, after = units.before[measure][is_used], units.after[measure][is_used]
    found: Effect = effect_of(before, after, units.is_touched[is_used], of[is_used])
    was, now = float(units.before[measure][of].sum()), float(units.after[measure][of].sum())
    amount = found.amount(now)
    return was / units.months, now / units.months, (
        amount[0] / units.months, amount[1] / units.months, amount[2] / units.months
    )  # fmt: skip


def _positions(units: _Units, of: NDArray[np.bool_]) -> tuple[float, float]:
    """Mean positions before and after, weighted by impressions."""
    result = []
    for sums in (units.before, units.after):
        shown = sums[Measure.IMPRESSIONS][of]
        total = float(shown.sum())
        result.append(float(np.nansum(sums[Measure.POSITION][of] * shown)) / total if total else _NAN)
    return result[0], result[1]


def _rows_of(units: _Units, name: str, kind: str, of: NDArray[np.bool_], expected: tuple[float, float, float]) -> Rows:
    n_pages = int(units.pages[of].sum())
    rows: list[tuple[object, ...]] = []
    for measure in (Measure.CLICKS, Measure.IMPRESSIONS):
        was, now, effect = _measured(units, measure, of)
        promised = expected if measure == Measure.CLICKS else (_NAN, _NAN, _NAN)
        rows.append((name, kind, measure, n_pages, was, now, *effect, *promised))
    was, now = _positions(units, of)
    rows.append((name, kind, Measure.POSITION, n_pages, was, now, _NAN, _NAN, _NAN, _NAN, _NAN, _NAN))
    return rows


def _all_rows(units: _Units, plan: pd.DataFrame) -> Rows:
    """Rows of all touched units, and of those that clicks were expected of."""
    gaining = set(plan.loc[(plan["gain_unit"] == GainUnit.CLICKS) & (plan["gain"] > 0), "proposal"])
    rows: list[tuple[object, ...]] = []
    for kind, ids in (("all", None), ("expected", gaining)):
        of = units.is_touched.copy()
        if ids is not None:
            of &= np.array([bool(units.proposals.get(at, frozenset()) & ids) for at in range(len(units.names))], bool)
        if of.any():
            own = frozenset(one for at in np.flatnonzero(of).tolist() for one in units.proposals.get(at, frozenset()))
            rows += _rows_of(units, "", kind, of, _expected(plan, own))
    return rows


def _unit_rows(units: _Units, plan: pd.DataFrame) -> Rows:
    rows: list[tuple[object, ...]] = []
    clicks = units.before[Measure.CLICKS] + units.after[Measure.CLICKS]
    touched = np.flatnonzero(units.is_touched)
    for at in sorted(touched[np.argsort(-clicks[touched], kind="stable")][:_MOST_UNITS].tolist()):
        of = np.zeros(len(units.names), bool)
        of[at] = True
        rows += _rows_of(units, units.names[at], "page", of, _expected(plan, units.proposals.get(at, frozenset())))
    return rows


def _expected(plan: pd.DataFrame, proposals: Collection[str]) -> tuple[float, float, float]:
    """What the plan expected of some proposals, in clicks a month: intervals of several are added in quadrature."""
    own = plan[plan["proposal"].isin(proposals) & (plan["gain_unit"] == GainUnit.CLICKS)]
    if own.empty:
        return _NAN, _NAN, _NAN
    gain = float(own["gain"].sum())
    below, above = (float(np.sqrt(((own["gain"] - own[end]) ** 2).sum())) for end in ("gain_low", "gain_high"))
    return gain, gain - below, gain + above


def _query_rows(units: _Units) -> Rows:
    """The queries that show touched pages most, with what they bring to all pages of the site."""
    asked = units.rows[units.is_touched[units.rows["unit"].to_numpy()]]
    most = asked.groupby("query", observed=True)["impressions"].sum()
    most = most[most > 0].sort_index().sort_values(ascending=False, kind="stable").head(_QUERIES)
    own = units.rows[units.rows["query"].isin(most.index)]
    rows: list[tuple[object, ...]] = []
    for query in most.index:
        part = own[own["query"] == query]
        told: dict[Measure, list[float]] = {measure: [] for measure in Measure}
        for is_after in (False, True):
            there = part[part["is_after"] == is_after]
            shown = float(there["impressions"].sum())
            told[Measure.CLICKS].append(float(there["clicks"].sum()) / units.months)
            told[Measure.IMPRESSIONS].append(shown / units.months)
            placed = float((there["position"] * there["impressions"]).sum())
            told[Measure.POSITION].append(placed / shown if shown else _NAN)
        n_pages = int(units.pages[np.unique(part["unit"])].sum())
        rows += [(str(query), "query", measure, n_pages, *told[measure], *([_NAN] * 6)) for measure in Measure]
    return rows


def _told(table: pd.DataFrame) -> Text:
    """The effect in one sentence."""
    clicks = table[table["measure"] == Measure.CLICKS]
    expected_of = clicks[clicks["kind"] == "expected"]
    row = (clicks[clicks["kind"] == "all"] if expected_of.empty else expected_of).iloc[0]
    low, high = float(row["effect_low"]), float(row["effect_high"])
    key = "chance" if low <= 0 <= high else "more" if low > 0 else "less"
    key_of_pages = "recheck.effect.all" if expected_of.empty else "recheck.effect.expected"
    named = sentence(key_of_pages, pages=counted("page", int(row["pages"])))
    figures = {"effect": float(row["effect"]), "low": low, "high": high}
    if key == "less":
        figures = {"effect": -figures["effect"], "low": -high, "high": -low}
    was, now = float(row["before"]), float(row["after"])
    told = sentence(f"recheck.effect.{key}", pages=named, before=was, after=now, **figures)
    if np.isnan(row["expected"]):
        return told
    expected = {name: float(row[name]) for name in ("expected", "expected_low", "expected_high")}
    return sentence("recheck.effect.beside", told=told, **expected)
