"""The records of a plan.

In:  nothing; these are the records.
Out: proposals with their steps, as plain frozen records.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from mardok.sentences import Text
from mardok.vocabulary import Action, Band, Confidence, Evidence, GainUnit, OtherRule, Owner, Rule, StepKind, VariantRule


@dataclass(frozen=True, slots=True)
class Gain:
    """What a proposal brings in a month."""

    expected: float
    low: float
    high: float
    """Ends of an interval of 80%."""
    unit: GainUnit
    at_risk: float = 0.0
    """Clicks a month of queries for which only pages that go are shown, and which may be lost."""
    n_queries: int = 0
    """Queries for which search data shows two or more of the pages."""
    impressions: float = 0.0
    """Impressions a month of those queries, all pages together."""

    @property
    def is_evident(self) -> bool:
        """Whether there is any evidence of a gain or loss."""
        return bool(self.expected or self.low or self.high)


NO_CLICKS = Gain(0.0, 0.0, 0.0, GainUnit.CLICKS)
NO_GAIN = Gain(0.0, 0.0, 0.0, GainUnit.LINK_WEIGHT)


@dataclass(frozen=True, slots=True)
class Step:
    """One thing to do to one address."""

    url: str
    step: StepKind
    target: str = ""
    detail: Text = ""
    pattern: VariantRule = VariantRule.NONE
    """How the address differs from the one that stays, where it goes by a rule for many."""
    pattern_value: str = ""
    """The parameter, or the scheme or host with the one that takes its place, such as ``http > https``."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """An action on a group of pages."""

    id: str
    action: Action
    rule: Rule
    """The row of the table of actions that decided."""
    owner: Owner
    keeper: str
    urls: tuple[str, ...]
    """Addresses the proposal is about, keepers included, in order."""
    gain: Gain
    effort_hours: float
    confidence: Confidence
    evidence: Evidence
    summary: Text
    why: Text
    unless: Text
    steps: tuple[Step, ...]
    basis: Mapping[str, Any] = field(default_factory=dict)
    touched: float = 0.0
    """Clicks a month and inlinks of the pages and targets that a repair is about, by which repairs are ordered."""
    is_by_pattern: bool = False
    """Whether rules for many addresses carry it out, so that it needs no writer."""

    @property
    def band(self) -> Band:
        """Where in the plan it stands."""
        if self.rule == OtherRule.BLOCKING:
            return Band.BROKEN
        return Band.GAIN if self.action != Action.LEAVE and self.gain.expected > 0 else Band.TIDYING
