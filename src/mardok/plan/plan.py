"""The plan: proposals, ranked, with what a person decided about them, and proven safe.

In:  what was found, and the decisions about an earlier plan.
Out: :class:`Plan`.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import pandas as pd

from mardok.findings.facts import SiteFacts
from mardok.plan.decisions import Decided, follow
from mardok.plan.folding import fold
from mardok.plan.outcome import COUNTED_STEPS
from mardok.plan.proposal import Proposal
from mardok.plan.ranking import plan_table, ranked, steps_frames, steps_table
from mardok.plan.safety import check_safety
from mardok.plan.whole import PlanInputs, all_proposals
from mardok.sources.decisions import PlanDecision
from mardok.text.site import Site
from mardok.vocabulary import STEPS_OF_ACTION


@dataclass(frozen=True)
class Plan:
    """What to do."""

    proposals: Sequence[Proposal]
    """Best first."""
    decided: Mapping[str, Decided]
    """What a person decided, by the id of the proposal."""
    unmatched: Sequence[PlanDecision]
    """Decisions about proposals that are no longer made."""
    done: Mapping[tuple[str, str, str], str]
    """When a person did a step, by its address, kind and target."""

    def table(self) -> pd.DataFrame:
        """The table of the plan."""
        return plan_table(self.proposals, self.decided)

    def steps(self) -> Iterator[pd.DataFrame]:
        """The table of its steps, some rows at a time."""
        return steps_frames(self.proposals, self.done)

    def counted_steps(self) -> pd.DataFrame:
        """The rows of that table that :func:`mardok.plan.outcome.outcome` asks for, which are few of a large plan."""
        those = (one for one in self.proposals if not COUNTED_STEPS.isdisjoint(STEPS_OF_ACTION[one.action]))
        return steps_table(those, self.done, COUNTED_STEPS)


def make_plan(site: Site, facts: SiteFacts, inputs: PlanInputs) -> Plan:
    """Make the plan.

    Parameters
    ----------
    inputs : PlanInputs
        Groups, rivals, thin pages, phrases and checks.

    Raises
    ------
    UnsafePlanError
        If it broke one of its own safety rules: a defect, never a matter of input.
    """
    settings, decisions = facts.settings.plan, facts.decisions
    single = ranked(all_proposals(site, facts, inputs), {}, settings)
    made = fold(single, {decision.proposal for decision in decisions}, settings)
    decided, unmatched = follow(made, decisions)
    proposals = ranked(made, decided, settings)
    is_indexable = {row: reason is None for row, reason in enumerate(facts.noindex_reasons)}
    check_safety(proposals, site, is_indexable, facts.strength.origin + "/")
    return Plan(proposals, decided, unmatched, facts.done)
