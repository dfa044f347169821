"""The records of a plan.

In:  nothing; these are the records.
Out: proposals with their steps, as plain frozen records.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from mardok.sentences import Text
from mardok.vocabulary import (
    Action,
    Band,
    CheckId,
    Confidence,
    Evidence,
    GainUnit,
    OtherRule,
    Owner,
    Rule,
    StepKind,
    VariantRule,
)


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


_BY_JUDGEMENT = (Owner.WRITER, Owner.EDITOR, Owner.DEVELOPER, Owner.SERVER)
"""Owners, the one whose work takes most judgement first."""
_OWNER_OF = {
    StepKind.REDIRECT: Owner.SERVER, StepKind.RETIRE: Owner.SERVER,
    StepKind.CANONICAL: Owner.DEVELOPER, StepKind.NOINDEX: Owner.DEVELOPER, StepKind.SITEMAP: Owner.DEVELOPER,
    StepKind.MOVE_TEXT: Owner.EDITOR, StepKind.TRIM: Owner.EDITOR, StepKind.RELINK: Owner.EDITOR,
    StepKind.REPAIR: Owner.EDITOR, StepKind.INVESTIGATE: Owner.EDITOR, StepKind.LEAVE: Owner.EDITOR,
    StepKind.REWRITE: Owner.WRITER, StepKind.EXPAND: Owner.WRITER, StepKind.RETITLE: Owner.WRITER,
    StepKind.TRANSLATE: Owner.WRITER,
}  # fmt: skip
"""Whose work each step usually is."""

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
    """The parameter, or the scheme or host with the one that takes its place, such as ``http > https``; of a link that is to
    be changed the address that it leads to today, of a word that is wrong the word."""
    whose: Owner | None = None
    """Whose work it is, where that is somebody else than usual."""
    check: CheckId | None = None
    """The trouble that it repairs."""

    @property
    def owner(self) -> Owner:
        """Whose work it is."""
        return self.whose or _OWNER_OF[self.step]


@dataclass(frozen=True, slots=True)
class Proposal:
    """An action on a group of pages."""

    id: str
    action: Action
    rule: Rule
    """The row of the table of actions that decided."""
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
    steps: Sequence[Step]
    basis: Mapping[str, Any] = field(default_factory=dict)
    touched: float = 0.0
    """Clicks a month and inlinks of the pages and targets that a repair is about, by which repairs are ordered."""
    is_by_pattern: bool = False
    """Whether rules for many addresses carry it out, so that it needs no writer."""

    @property
    def owner(self) -> Owner:
        """Whose work it is: of several, the one who has to think most about it."""
        owners = {step.owner for step in self.steps if step.step != StepKind.LEAVE}
        return next((owner for owner in _BY_JUDGEMENT if owner in owners), Owner.EDITOR)

    @property
    def band(self) -> Band:
        """Where in the plan it stands."""
        if self.rule == OtherRule.BLOCKING:
            return Band.BROKEN
        return Band.GAIN if self.action != Action.LEAVE and self.gain.expected > 0 else Band.TIDYING
