"""The order of a plan, what its work takes, and what becomes of its late rows."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mardok.plan.decisions import Decided
from mardok.plan.effort import effort_hours
from mardok.plan.folding import fold
from mardok.plan.proposal import NO_GAIN, Gain, Proposal, Step
from mardok.plan.ranking import plan_table, ranked, steps_table
from mardok.settings import Effort, Plan
from mardok.vocabulary import (
    Action,
    Band,
    Confidence,
    CopyRule,
    Decision,
    Evidence,
    GainUnit,
    OtherRule,
    Rule,
    StepKind,
    VariantRule,
)  # fmt: skip

HOST = "https://www.host.example"
FOLDED = {Action.MERGE, Action.CANONICAL, Action.REWRITE, Action.RETITLE, Action.EXPAND, Action.TRIM}


def proposal(n: int, action: Action = Action.MERGE, section: str = "a", **other: Any) -> Proposal:
    kept, moved = f"{HOST}/{section}/{n:03}-{action}/", f"{HOST}/{section}/{n:03}-{action}/old/"
    fields: dict[str, Any] = {
        "rule": CopyRule.SAME_PROMISE, "gain": Gain(1.5 * n, n, 2 * n, GainUnit.CLICKS, at_risk=0.5, n_queries=1,
        impressions=10.0), "effort_hours": 0.5, "confidence": Confidence.HIGH, "evidence": Evidence.TEXT, "is_by_pattern":
        False, **other,
    }  # fmt: skip
    return Proposal(
        id=f"{section}{n}{action}", action=action, keeper=kept, urls=(kept, moved), summary=f"do {n}",
        why=f"because of {n}", unless="", steps=(Step(moved, StepKind.REDIRECT, kept), Step(kept, StepKind.LEAVE)), **fields,
    )  # fmt: skip


PROPOSALS = st.lists(
    st.builds(
        lambda n, action, section, confidence, pattern: proposal(
            n, action, section, confidence=confidence, is_by_pattern=pattern
        ),
        st.integers(0, 99),
        st.sampled_from(list(Action)),
        st.sampled_from("abc"),
        st.sampled_from(list(Confidence)),
        st.sampled_from([False, False, False, True]),
    ),
    max_size=40,
    unique_by=lambda one: one.id,
)


@given(PROPOSALS, st.integers(1, 6), st.sets(st.integers(0, 39)))
def test_folding_loses_no_step_no_page_no_hour_and_no_click(
    proposals: list[Proposal], single: int, chosen: set[int]
) -> None:
    decided = {one.id for at, one in enumerate(proposals) if at in chosen}
    folded = fold(proposals, decided, Plan(single_proposals=single))
    assert sorted(step.url for one in folded for step in one.steps) == sorted(
        step.url for one in proposals for step in one.steps
    )
    assert {url for one in folded for url in one.urls} == {url for one in proposals for url in one.urls}
    for figure in (
        lambda one: one.effort_hours, lambda one: one.gain.expected, lambda one: one.gain.at_risk,
        lambda one: one.gain.n_queries, lambda one: one.gain.impressions,
    ):  # fmt: skip
        assert math.isclose(math.fsum(map(figure, folded)), math.fsum(map(figure, proposals)), abs_tol=1e-9)
    kept = {one.id for one in folded}
    seen: dict[Action, int] = {}
    for one in proposals:
        seen[one.action] = seen.get(one.action, 0) + 1
        if seen[one.action] <= single or one.id in decided or one.is_by_pattern or one.action not in FOLDED:
            assert one.id in kept, "what comes early, was decided about or goes by a rule stays as it is"
    for one in folded:
        if "cases" in one.basis:
            assert one.basis["n_cases"] > 1
            work = set(one.steps)
            alike = [other for other in proposals if other.id not in kept and work.issuperset(other.steps)]
            assert len(alike) == one.basis["n_cases"]
            assert {other.action for other in alike} == {one.action}
            assert one.confidence.rank == min(other.confidence.rank for other in alike)


def test_late_proposals_of_one_section_are_one_and_the_first_stay() -> None:
    many = [proposal(n) for n in range(6)] + [proposal(n, section="b") for n in range(2)]
    folded = fold(many, set(), Plan(single_proposals=2))
    assert [one.id for one in folded[:2]] == ["a0merge", "a1merge"]
    first, second = folded[2:]
    assert (first.basis["n_cases"], second.basis["n_cases"]) == (4, 2)
    assert "4" in str(first.summary)
    assert "/a/" in str(first.summary)
    assert "because of 2" in str(first.why)
    assert first.gain.expected == 1.5 * (2 + 3 + 4 + 5)
    assert first.gain.low == pytest.approx(first.gain.expected - 0.5 * math.sqrt(4 + 9 + 16 + 25))  # that of the sum
    alone = fold([*many[:3], many[6]], set(), Plan(single_proposals=2))
    assert [one.id for one in alone] == ["a0merge", "a1merge", "a2merge", "b0merge"]  # one alone is not told as several


def moved(n: int, old: str, new: str, **other: Any) -> Proposal:
    """A merge of a page into its like under another folder."""
    kept, gone = f"{HOST}/{new}/page-{n}/", f"{HOST}/{old}/page-{n}/"
    one = proposal(n, **other)
    steps = (Step(gone, StepKind.REDIRECT, kept), Step(kept, StepKind.LEAVE))
    return replace(one, id=f"{old}{new}{n}", keeper=kept, urls=tuple(sorted((kept, gone))), steps=steps)


def test_one_pattern_of_addresses_is_one_proposal() -> None:
    docs = [moved(n, "docs/9", "docs/10") for n in range(3)]
    others = [moved(n, "news", "blog") for n in range(2)]
    single = [proposal(n) for n in range(5)]
    folded = fold([*docs, *others, *single], set(), Plan())
    assert len(folded) == 1 + 2 + 5
    (pattern,) = [one for one in folded if "cases" in one.basis]
    assert pattern.gain.expected == 1.5 * (0 + 1 + 2)
    assert pattern.effort_hours == 0.75  # one rule, however many pages
    assert {step.url for step in pattern.steps} == {step.url for one in docs for step in one.steps}
    assert "/docs/9" in str(pattern.summary)
    assert fold(docs, {docs[0].id}, Plan()) == docs  # what was decided about is not put away
    apart = [moved(0, "a", "b"), moved(1, "a", "c"), moved(2, "d", "b"), moved(3, "a", "b", rule=CopyRule.NOT_ASKED_FOR)]
    assert fold(apart, set(), Plan()) == apart


def test_what_differs_in_rule_unit_or_evidence_is_not_put_together() -> None:
    apart: list[dict[str, Any]] = [
        {},
        {"evidence": Evidence.SEARCH},
        {"gain": Gain(1, 1, 2, GainUnit.LINK_WEIGHT)},
        {"rule": CopyRule.KEPT_REACHABLE},
    ]
    many = [proposal(0), *(proposal(n, **other) for n, other in enumerate(apart, start=1))]
    assert fold(many, set(), Plan(single_proposals=1)) == many


STEPS = st.lists(st.builds(Step, st.just(f"{HOST}/a"), st.sampled_from(list(StepKind))), max_size=20)


@given(STEPS, st.integers(0, 3))
def test_hours_are_those_of_the_steps_in_quarters(steps: list[Step], n_rules: int) -> None:
    rates = Effort()
    by_rule = {StepKind.REDIRECT, StepKind.CANONICAL, StepKind.RETITLE, StepKind.NOINDEX, StepKind.RETIRE}
    hours = rates.proposal + n_rules * rates.pattern
    if {step.step for step in steps} == {StepKind.LEAVE}:
        hours = 0.0  # what is left takes no work
    for step in steps:
        rate = getattr(rates, step.step.replace("-", "_"), 0.0)
        hours += 0.0 if n_rules and step.step in by_rule else rate
    result = effort_hours(steps, rates, n_rules=n_rules)
    assert (4 * result).is_integer()
    assert hours - 1e-9 <= result < hours + 0.25


# Each row comes before the next one.
BEST_FIRST: list[Proposal] = [
    proposal(1, Action.REPAIR, rule=OtherRule.BLOCKING, gain=NO_GAIN),
    proposal(8, gain=Gain(90, 80, 100, GainUnit.CLICKS)),
    proposal(7, gain=Gain(90, 80, 100, GainUnit.CLICKS), confidence=Confidence.MEDIUM),
    proposal(6, gain=Gain(90, 80, 100, GainUnit.CLICKS), confidence=Confidence.LOW),
    proposal(5, gain=Gain(90, 80, 100, GainUnit.CLICKS), effort_hours=50.0),
    proposal(2, section="b", gain=Gain(0.5, 0, 1, GainUnit.CLICKS)),
    proposal(3, section="b", gain=Gain(0.5, 0, 1, GainUnit.CLICKS)),
    proposal(4, section="b", gain=Gain(0.7, 0.5, 0.9, GainUnit.LINK_WEIGHT)),
    proposal(11, Action.TRIM, rule=OtherRule.PASTED_TEXT, gain=Gain(90, 80, 100, GainUnit.CLICKS)),
    proposal(12, Action.REPAIR, rule=OtherRule.BROKEN, gain=NO_GAIN, touched=9.0),
    proposal(13, Action.REPAIR, rule=OtherRule.BROKEN, gain=NO_GAIN, touched=2.0),
    proposal(14, Action.REPAIR, rule=OtherRule.UNTIDY, gain=NO_GAIN, touched=90.0),
    proposal(15, Action.LEAVE, rule=CopyRule.ALTERNATES, gain=NO_GAIN),
]


@given(st.permutations(BEST_FIRST))
def test_the_order_is_band_unit_worth_and_address(shuffled: list[Proposal]) -> None:
    assert [one.id for one in ranked(shuffled, {}, Plan())] == [one.id for one in BEST_FIRST]
    rejected = {BEST_FIRST[0].id: Decided(Decision.REJECT, "no")}
    assert [one.id for one in ranked(shuffled, rejected, Plan())] == [one.id for one in [*BEST_FIRST[1:], BEST_FIRST[0]]]


@pytest.mark.parametrize(
    ("rule", "action", "high", "band"),
    [
        (OtherRule.BLOCKING, Action.REPAIR, 9.0, Band.BROKEN),
        (OtherRule.BROKEN, Action.REPAIR, 0.0, Band.TIDYING),
        (CopyRule.SAME_PROMISE, Action.MERGE, 9.0, Band.GAIN),
        (CopyRule.SAME_PROMISE, Action.MERGE, 0.0, Band.TIDYING),
        (CopyRule.SAME_PROMISE, Action.LEAVE, 9.0, Band.TIDYING),
    ],
)
def test_the_band_is_what_is_won(rule: Rule, action: Action, high: float, band: Band) -> None:
    assert proposal(1, action, rule=rule, gain=Gain(high, 0, 2 * high, GainUnit.CLICKS)).band == band


def test_the_tables_tell_the_plan_in_its_order() -> None:
    plan = plan_table(BEST_FIRST, {BEST_FIRST[1].id: Decided(Decision.ACCEPT, "soon")})
    assert plan["rank"].tolist() == list(range(1, 14))
    assert plan["proposal"].tolist() == [one.id for one in BEST_FIRST]
    assert plan.loc[1, ["decision", "note"]].tolist() == ["accept", "soon"]
    assert (plan["pages"] == 2).all()
    pattern = Step(f"{HOST}/x", StepKind.REDIRECT, f"{HOST}/", "", VariantRule.SCHEME, "http > https")
    one = proposal(1)
    steps = steps_table(
        [Proposal(**{**{name: getattr(one, name) for name in one.__slots__}, "steps": (*one.steps, pattern)})],
        {(f"{HOST}/x", "redirect", f"{HOST}/"): "5 May"},
    )
    assert steps["order"].tolist() == [1, 2, 3]
    assert steps["pattern"].tolist() == ["", "", VariantRule.SCHEME.value]
    assert steps["pattern_value"].tolist() == ["", "", "http > https"]
    assert (steps["rule"] == CopyRule.SAME_PROMISE.value).all()
    assert steps["owner"].tolist() == ["server", "editor", "server"]
    assert steps["done"].tolist() == ["", "", "5 May"]
