"""The records of a plan.

In:  nothing; these are the records.
Out: proposals with their steps, as plain frozen records.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True)
class Gain:
    """What a proposal brings in a month."""

    low: float
    high: float
    unit: str
    """``clicks/month`` or ``link weight``."""
    at_risk: float = 0.0
    """Clicks a month of queries where only pages that would move appear."""
    n_queries: int = 0
    """Queries for which search data shows two or more of the pages."""
    impressions: float = 0.0
    """Impressions a month of those queries, all pages together."""

    @property
    def is_evident(self) -> bool:
        """Whether there is any evidence of a gain or loss."""
        return bool(self.low or self.high)


@dataclass(frozen=True, slots=True)
class Step:
    """One thing to do to one address."""

    url: str
    step: str
    target: str = ""
    detail: str = ""


@dataclass(frozen=True, slots=True)
class Proposal:
    """An action on a group of pages."""

    id: str
    action: str
    owner: str
    keeper: str
    urls: tuple[str, ...]
    """Addresses the proposal is about, keepers included, in order."""
    gain: Gain
    effort_hours: float
    confidence: str
    evidence: str
    summary: str
    why: str
    unless: str
    steps: tuple[Step, ...]
    basis: Mapping[str, Any] = field(default_factory=dict)
    is_broken: bool = False
    """Whether it repairs what breaks a way for visitors or crawlers."""

    @property
    def band(self) -> int:
        """1 broken or blocking, 2 gain, 3 tidying."""
        if self.is_broken:
            return 1
        return 2 if self.action != "leave" and self.gain.high > 0 else 3
