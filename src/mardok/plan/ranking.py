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
from collections.abc import Iterable, Mapping, Sequence

import pandas as pd

from mardok.plan.decisions import Decided
from mardok.plan.proposal import Proposal
from mardok.settings import Plan
from mardok.tables import PLAN, STEP_ROWS
from mardok.vocabulary import Action, Confidence, Decision, OtherRule

_UNDECIDED = Decided()
_LATE = {Action.INVESTIGATE: 2}
"""What comes after all other work of which no gain can be told, even what is untidy."""


def ranked(proposals: Iterable[Proposal], decided: Mapping[str, Decided], settings: Plan) -> list[Proposal]:
    """Proposals, best first; what a person rejected comes last.

    Parameters
    ----------
    decided : mapping of str to Decided
        What a person decided, by the id of a proposal.
    settings : Plan
        Weights of the confidences.
    """
    weight = {
        Confidence.LOW: settings.confidence_low,
        Confidence.MEDIUM: settings.confidence_medium,
        Confidence.HIGH: settings.confidence_high,
    }

    def key(proposal: Proposal) -> tuple[object, ...]:
        gain = proposal.gain
        worth = gain.expected * weight[proposal.confidence] / max(proposal.effort_hours, 0.25)
        is_rejected = decided.get(proposal.id, _UNDECIDED).decision == Decision.REJECT
        return (
            is_rejected,
            proposal.band,
            proposal.action == Action.LEAVE,
            not gain.is_evident,
            worth < 0,
            proposal.action == Action.TRIM,
            gain.unit.rank,
            -worth,
            _LATE.get(proposal.action, proposal.rule == OtherRule.UNTIDY),
            -proposal.touched,
            proposal.urls[0],
            proposal.id,
        )

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


def steps_table(proposals: Iterable[Proposal], done: Mapping[tuple[str, str, str], str]) -> pd.DataFrame:
    """The table of steps.

    Parameters
    ----------
    done : mapping of tuple to str
        When a person did a step, by its address, kind and target.
    """
    return STEP_ROWS.frame(
        (
            proposal.id, order, step.url, step.step, step.target, step.check or proposal.rule, step.pattern,
            step.pattern_value, step.owner, str(step.detail), done.get((step.url, step.step, step.target), ""),
        )
        for proposal in proposals
        for order, step in enumerate(proposal.steps, start=1)
    )  # fmt: skip
