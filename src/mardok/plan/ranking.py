"""In which order a plan is carried out, and the plan as tables.

In:  proposals in any order.
Out: the tables of the plan and of its steps, best proposal first.

Bands come first (blocking, gain, tidying). Among gains clicks come before link weight, then the expectation times the weight
of the confidence, for each hour of work; texts are trimmed last, after the redirects and canonicals that cost less. What has
no evidence of a gain follows: repairs by the clicks and inlinks they touch, what is left where it is at the very end. Ties
are broken by the first address.
"""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from itertools import islice
from operator import attrgetter
from typing import NamedTuple

import pandas as pd

from mardok.plan.decisions import Decided
from mardok.plan.proposal import Proposal
from mardok.settings import Plan
from mardok.tables import PLAN, STEP_ROWS
from mardok.vocabulary import Action, Confidence, Decision, GainUnit, OtherRule, StepKind

_UNDECIDED = Decided()
_ROWS_AT_ONCE = 1 << 14
_LATE: dict[str, int] = {Action.INVESTIGATE: 2}
"""What comes after all other work of which no gain can be told, even what is untidy."""


class Standing(NamedTuple):
    """What the place of a proposal in a plan depends on."""

    decision: str
    band: int
    action: str
    gain: float
    is_evident: bool
    """Whether there is any evidence of a gain or loss."""
    unit: GainUnit
    confidence: Confidence
    effort_hours: float
    rule: str
    touched: float
    url: str
    """First address that it is about."""
    id: str

    def key(self, settings: Plan) -> tuple[object, ...]:
        """The smaller, the earlier."""
        weight = {
            Confidence.LOW: settings.confidence_low,
            Confidence.MEDIUM: settings.confidence_medium,
            Confidence.HIGH: settings.confidence_high,
        }
        worth = self.gain * weight[self.confidence] / max(self.effort_hours, 0.25)
        return (
            self.decision == Decision.REJECT,
            self.band,
            self.action == Action.LEAVE,
            not self.is_evident,
            worth < 0,
            self.action == Action.TRIM,
            self.unit.rank,
            -worth,
            _LATE.get(self.action, self.rule == OtherRule.UNTIDY),
            -self.touched,
            self.url,
            self.id,
        )


def ranked(proposals: Iterable[Proposal], decided: Mapping[str, Decided], settings: Plan) -> list[Proposal]:
    """Proposals, best first; what a person rejected comes last.

    Parameters
    ----------
    decided : mapping of str to Decided
        What a person decided, by the id of a proposal.
    settings : Plan
        Weights of the confidences.
    """

    def key(proposal: Proposal) -> tuple[object, ...]:
        decision = decided.get(proposal.id, _UNDECIDED).decision
        gain = proposal.gain
        standing = Standing(
            decision, proposal.band, proposal.action, gain.expected, gain.is_evident, gain.unit, proposal.confidence,
            proposal.effort_hours, proposal.rule, proposal.touched, proposal.urls[0], proposal.id,
        )  # fmt: skip
        return standing.key(settings)

    return sorted(proposals, key=key)


def plan_table(proposals: Sequence[Proposal], decided: Mapping[str, Decided]) -> pd.DataFrame:
    """The table of the plan; `proposals` best first."""
    return PLAN.frame(
        (
            rank, p.band, p.id, p.action, p.rule, p.owner, p.keeper, len(p.urls), p.gain.expected,
            p.gain.low, p.gain.high, p.gain.unit,
            p.gain.at_risk, p.effort_hours, p.confidence, p.evidence, str(p.summary), str(p.why), str(p.unless),
            json.dumps(p.basis, ensure_ascii=False, sort_keys=True),
            decided.get(p.id, _UNDECIDED).decision, decided.get(p.id, _UNDECIDED).note,
        )
        for rank, p in enumerate(proposals, start=1)
    )  # fmt: skip


def steps_frames(proposals: Iterable[Proposal], done: Mapping[tuple[str, str, str], str]) -> Iterator[pd.DataFrame]:
    """The table of steps, some rows at a time; see :func:`steps_table`."""
    rows = _step_rows(proposals, done, frozenset(StepKind))
    yield STEP_ROWS.frame(islice(rows, _ROWS_AT_ONCE))
    while some := list(islice(rows, _ROWS_AT_ONCE)):
        yield STEP_ROWS.frame(some)


def steps_table(
    proposals: Iterable[Proposal],
    done: Mapping[tuple[str, str, str], str],
    kinds: Collection[StepKind] = frozenset(StepKind),
) -> pd.DataFrame:
    """The table of steps.

    Parameters
    ----------
    done : mapping of tuple to str
        When a person did a step, by its address, kind and target.
    kinds : collection of StepKind
        Kinds that are wanted; of the others, which may be most, nothing is put into words.
    """
    return STEP_ROWS.frame(_step_rows(proposals, done, kinds))


def _step_rows(
    proposals: Iterable[Proposal], done: Mapping[tuple[str, str, str], str], kinds: Collection[StepKind]
) -> Iterator[tuple[object, ...]]:
    """Its rows in order: to sort them would copy them."""
    return (
        (
            proposal.id, order, step.url, step.step, step.target, step.check or proposal.rule, step.pattern,
            step.pattern_value, step.owner, str(step.detail), done.get((step.url, step.step, step.target), ""),
        )
        for proposal in sorted(proposals, key=attrgetter("id"))
        for order, step in enumerate(proposal.steps, start=1)
        if step.step in kinds
    )  # fmt: skip
