"""Decisions that follow their proposals into a new plan.

In:  the proposals of a plan, and what was decided about those of an earlier one.
Out: decision and note of each proposal.

A decision follows an equal id, else the proposal that shares at least half of the addresses, the most alike first. What was
rejected is not raised again unless its evidence changed: then the note says what did.
"""

from __future__ import annotations

import json
import logging
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from glob import escape
from typing import Any

import pandas as pd

from mardok.errors import HandoffError
from mardok.plan.proposal import Proposal
from mardok.sentences import Sentence, clauses, sentence
from mardok.settings import Settings
from mardok.sources.decisions import PlanDecision
from mardok.vocabulary import Action, Decision

log = logging.getLogger(__name__)

_LEAST_SHARE = 0.5
_ON_GROUPS = frozenset([Action.MERGE, Action.CANONICAL, Action.REWRITE, Action.RETITLE, Action.INVESTIGATE, Action.LEAVE])
"""Actions on a group of pages, of which one may take the place of another from one audit to the next."""
_CHANGED = 0.25
"""Share by which a figure has to differ for the evidence to be another."""


@dataclass(frozen=True)
class Decided:
    """What was decided about one proposal."""

    decision: Decision = Decision.NONE
    note: str = ""


def follow(proposals: Sequence[Proposal], earlier: Iterable[PlanDecision]) -> tuple[dict[str, Decided], list[PlanDecision]]:
    """Decisions by the ids of the proposals, and those that found none."""
    by_id = {proposal.id: proposal for proposal in proposals}
    result: dict[str, Decided] = {}
    rest = []
    for decision in earlier:
        if decision.proposal in by_id:
            result[decision.proposal] = _decided(by_id[decision.proposal], decision)
        else:
            rest.append(decision)
    free = [proposal for proposal in proposals if proposal.id not in result]
    alike = sorted(
        (
            (-_overlap(proposal, decision), decision.proposal, proposal.id, at)
            for at, decision in enumerate(rest)
            for proposal in free
        ),
    )
    selected: set[int] = set()
    for share, _, proposal_id, at in alike:
        if -share >= _LEAST_SHARE and at not in selected and proposal_id not in result:
            result[proposal_id] = _decided(by_id[proposal_id], rest[at])
            selected.add(at)
    return result, [decision for at, decision in enumerate(rest) if at not in selected]


def with_actions(settings: Settings, earlier: Iterable[PlanDecision]) -> Settings:
    """Settings that hold what a person wants to be done instead: pages to be left, or to stay reachable."""
    leave = {escape(url) for decision in earlier if decision.action == Action.LEAVE for url in decision.urls}
    reachable = {escape(url) for decision in earlier if decision.action == Action.CANONICAL for url in decision.urls}
    if not leave and not reachable:
        return settings
    rules = settings.plan
    changed = rules.model_copy(
        update={"leave": (*rules.leave, *sorted(leave)), "keep_reachable": (*rules.keep_reachable, *sorted(reachable))}
    )
    return settings.model_copy(update={"plan": changed})


def with_decisions(plan: pd.DataFrame, earlier: Iterable[PlanDecision]) -> pd.DataFrame:
    """A plan with the decisions and notes of its edited file, by id.

    Raises
    ------
    HandoffError
        If a row asks for another keeper or action: the steps have to be made anew.
    """
    by_id = {decision.proposal: decision for decision in earlier}
    for decision in by_id.values():
        if decision.keeper or decision.action:
            asked = f"keeper {decision.keeper}" if decision.keeper else f"action {decision.action!r}"
            raise HandoffError(
                f"{decision.place}: {asked} is not the plan's; audit again with the edited plan, then hand it over"
            )
    nothing = PlanDecision("", Decision.NONE, "", "")
    return plan.assign(
        decision=[by_id.get(proposal, nothing).decision for proposal in plan["proposal"]],
        note=[by_id.get(proposal, nothing).note for proposal in plan["proposal"]],
    )


def _overlap(proposal: Proposal, decision: PlanDecision) -> float:
    """Share of the addresses that both are about, of the larger of the two; 0 if they are about different work."""
    if proposal.action != decision.proposed and not {proposal.action, decision.proposed} <= _ON_GROUPS:
        return 0.0
    common = len(decision.urls & set(proposal.urls))
    return common / max(len(decision.urls), len(proposal.urls), 1)


def _decided(proposal: Proposal, decision: PlanDecision) -> Decided:
    if decision.decision != Decision.REJECT:
        return Decided(decision.decision, decision.note)
    changes = _changes(decision, proposal)
    if not changes:
        return Decided(Decision.REJECT, decision.note)
    raised = sentence("decision.raised-again", changes=", ".join(map(str, changes)))
    return Decided(Decision.NONE, str(clauses(decision.note, raised)))


def _changes(decision: PlanDecision, proposal: Proposal) -> list[Sentence]:
    """Figures of the basis that are others now, in words."""
    try:
        before = json.loads(decision.basis) if decision.basis else {}
    except ValueError:
        log.warning("%s: its basis is no JSON; whether its figures changed cannot be told", decision.place)
        return []
    was, now = _figures(before), _figures(proposal.basis)
    changes = [
        sentence("decision.figure", name=name, was=was[name], now=now[name])
        for name in sorted(was.keys() & now.keys())
        if _differs(was[name], now[name])
    ]
    if decision.urls and decision.urls != set(proposal.urls):
        n_was, n_now = len(decision.urls), len(proposal.urls)
        changes += [sentence("decision.figure", name="pages", was=n_was, now=n_now)] if n_was != n_now else []
    return changes


def _differs(was: float, now: float) -> bool:
    return abs(now - was) > _CHANGED * max(abs(was), abs(now))


def _figures(basis: Mapping[str, Any]) -> dict[str, float]:
    """Numbers at the top of a basis."""
    return {
        name: float(value)
        for name, value in basis.items()
        if isinstance(value, (int, float)) and not isinstance(value, bool)
    }
