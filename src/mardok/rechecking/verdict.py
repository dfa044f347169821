"""What became of one step.

In:  what the rules conclude.
Out: an outcome with its reason as a value; the sentence is made at the end.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from mardok.rechecking.state import State
from mardok.sentences import Sentence, sentence
from mardok.vocabulary import Decision, Found, Outcome


@dataclass(frozen=True)
class Verdict:
    """An outcome with its reason."""

    outcome: Outcome
    found: Found
    values: Mapping[str, Any] = field(default_factory=dict)

    @property
    def text(self) -> Sentence:
        """What was found, in words."""
        return sentence(f"recheck.found.{self.found}", **self.values)


def verdict(outcome: Outcome, found: Found, **values: Any) -> Verdict:
    """A verdict with the values of its sentence."""
    return Verdict(outcome, found, values)


UNSEEN = Verdict(Outcome.NOT_TESTABLE, Found.UNSEEN)


def named(url: str, step: PlannedStep) -> str:
    """An address as it is spoken of within the site of a step; whole if it is on another origin."""
    return named_on(url, step.target or step.url)


def named_on(url: str, other: str) -> str:
    """An address as it is spoken of beside another; whole if it is on another origin."""
    origin = "/".join(other.split("/", 3)[:3])
    return url.removeprefix(origin) if url.startswith(f"{origin}/") else url


@dataclass(frozen=True)
class PlannedStep:
    """A step that was to be done."""

    proposal: str
    order: int
    url: str
    step: str
    target: str
    rule: str
    pattern_value: str
    owner: str
    decision: Decision
    basis: Mapping[str, Any]
    """The figures its proposal rests on."""
    urls: tuple[str, ...]
    """Addresses of its proposal."""


@dataclass(frozen=True)
class Compared:
    """The state that a plan was made for, and a later one."""

    before: State
    after: State

    def is_new(self, url: str) -> bool:
        """Whether an address was not there before."""
        return url not in self.before.row_of

    def page_now(self, url: str) -> int | Verdict:
        """Row of a page in the later state, at a new address if it was moved there; else why there is none."""
        row = self.after.row_of.get(url, -1)
        if row < 0:
            return UNSEEN
        if self.after.cell("redirect_url", row):
            way = self.after.way(url)
            if way.row >= 0 and self.is_new(way.end) and self.after.cell("status", way.row) in (None, 200):
                return way.row
            return verdict(Outcome.OTHERWISE, Found.MOVED, end=named_on(way.end or url, url))
        status, there = self.after.cell("status", row), self.before.row_of.get(url, -1)
        if status not in (None, 200) and (there < 0 or self.before.cell("status", there) != status):
            return verdict(Outcome.OTHERWISE, Found.GONE, status=status)
        return row
