"""Each step of a plan, verified in one later audit after the other.

In:  the audit with the plan and its decisions, and the states that came after it.
Out: the table of verified steps.
"""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import pandas as pd

from mardok.meta import AuditMeta
from mardok.rechecking import addresses
from mardok.rechecking.comparable import can_check
from mardok.rechecking.pages import LinkChecks, verify_repair, verify_retitle
from mardok.rechecking.state import State
from mardok.rechecking.texts import TextChecks
from mardok.rechecking.verdict import Compared, PlannedStep, Verdict, verdict
from mardok.sentences import Text, sentence
from mardok.settings import Recheck
from mardok.tables import VERIFIED, cells_of
from mardok.vocabulary import STRUCTURAL_STEPS, Action, CheckId, Decision, Found, Outcome, StepKind

_CHECKS = frozenset(CheckId)
_SETTLING = (*STRUCTURAL_STEPS, StepKind.LEAVE)
"""Steps that say whether a page stays; where it does not, other steps to it are moot."""
_SHORT_OF_DONE = (Outcome.PARTLY, Outcome.OTHERWISE, Outcome.NOT_DONE)


@dataclass(frozen=True)
class VerifiedStep:
    """A step with what became of it in each later audit."""

    step: PlannedStep
    verdicts: tuple[Verdict, ...]
    """In the order of time."""
    days: tuple[str, ...]
    """Day of each audit."""

    @property
    def is_undone(self) -> bool:
        """Whether it was done once, and is not now."""
        earlier = any(one.outcome == Outcome.DONE for one in self.verdicts[:-1])
        return earlier and self.verdicts[-1].outcome in _SHORT_OF_DONE

    @property
    def outcome(self) -> Outcome:
        """What became of it in the end."""
        return Outcome.UNDONE if self.is_undone else self.verdicts[-1].outcome

    @property
    def found(self) -> Text:
        """What was found in the end, in words."""
        if not self.is_undone:
            return self.verdicts[-1].text
        day = next(day for day, one in zip(self.days[::-1], self.verdicts[::-1], strict=True) if one.outcome == Outcome.DONE)
        return sentence("recheck.undone", day=day, found=self.verdicts[-1].text)


def planned_steps(plan: pd.DataFrame, steps: pd.DataFrame) -> tuple[list[PlannedStep], bool]:
    """Steps of the accepted proposals, and whether a person decided; else those of all that nobody rejected or put off."""
    is_work = plan["action"] != Action.LEAVE
    accepted = plan[(plan["decision"] == Decision.ACCEPT) & is_work]
    chosen = accepted
    if accepted.empty:
        chosen = plan[is_work & ~plan["decision"].isin([Decision.REJECT, Decision.LATER])]
    about = {row.proposal: row for row in chosen.itertuples()}
    own = steps[steps["proposal"].isin(about)].sort_values(["proposal", "order"])
    urls: dict[str, list[str]] = defaultdict(list)
    for proposal, url, kind in cells_of(own, ["proposal", "url", "step"]):
        if kind != StepKind.RELINK:
            urls[proposal].append(url)
    bases = {proposal: json.loads(str(row.basis) or "{}") for proposal, row in about.items()}
    whole = {proposal: tuple(dict.fromkeys(pages)) for proposal, pages in urls.items()}
    names = ["proposal", "order", "url", "step", "target", "rule", "pattern_value", "owner"]
    planned = []
    for proposal, order, url, step, target, rule, value, owner in cells_of(own, names):
        decision, pages = Decision(str(about[proposal].decision)), whole.get(proposal, ())
        planned.append(PlannedStep(proposal, order, url, step, target, rule, value, owner, decision, bases[proposal], pages))
    return planned, not accepted.empty


def verify_steps(
    steps: Sequence[PlannedStep], before: State, later: Sequence[State], *, rules: Recheck, structural_only: bool = False
) -> list[VerifiedStep]:
    """What became of each step in each of the later states, which are in the order of time.

    Parameters
    ----------
    structural_only : bool
        Whether only what a server answers for single addresses was asked: redirects, canonicals, noindex, retired addresses.
    """
    verdicts: dict[int, list[Verdict]] = defaultdict(list)
    for state in later:
        verify = _verifier(steps, Compared(before, state), rules)
        for at, step in enumerate(steps):
            if structural_only and step.step not in STRUCTURAL_STEPS:
                verdicts[at].append(verdict(Outcome.NOT_TESTABLE, Found.NOT_ASKED))
            else:
                verdicts[at].append(verify(step))
    days = tuple(day_of(state.audit.meta) for state in later)
    return [VerifiedStep(step, tuple(verdicts[at]), days) for at, step in enumerate(steps)]


def _verifier(steps: Sequence[PlannedStep], compared: Compared, rules: Recheck) -> Callable[[PlannedStep], Verdict]:
    texts, links = TextChecks(compared, rules), LinkChecks(compared, steps)
    by_kind: Mapping[str, Callable[[PlannedStep], Verdict]] = {
        StepKind.REDIRECT: lambda step: addresses.verify_redirect(step, compared),
        StepKind.CANONICAL: lambda step: addresses.verify_canonical(step, compared),
        StepKind.NOINDEX: lambda step: addresses.verify_noindex(step, compared),
        StepKind.RETIRE: lambda step: addresses.verify_retire(step, compared),
        StepKind.SITEMAP: lambda step: addresses.verify_sitemap(step, compared),
        StepKind.LEAVE: lambda step: addresses.verify_leave(step, compared),
        StepKind.MOVE_TEXT: texts.verify_move,
        StepKind.REWRITE: texts.verify_rewrite,
        StepKind.EXPAND: texts.verify_expand,
        StepKind.TRIM: texts.verify_trim,
        StepKind.TRANSLATE: texts.verify_translate,
        StepKind.RETITLE: lambda step: verify_retitle(step, compared),
        StepKind.RELINK: links.verify,
        StepKind.INVESTIGATE: lambda _step: verdict(Outcome.NOT_TESTABLE, Found.JUDGEMENT),
    }

    settled = {step.url for step in steps if step.step in _SETTLING}

    def verify(step: PlannedStep) -> Verdict:
        result = verify_one(step)
        is_moot = result.found in (Found.GONE, Found.MOVED) and step.step not in _SETTLING and step.url in settled
        return verdict(Outcome.NOT_TESTABLE, Found.PAGE_GONE) if is_moot else result

    def verify_one(step: PlannedStep) -> Verdict:
        is_repair = step.rule in _CHECKS and step.step != StepKind.SITEMAP
        if not is_repair or (step.step == StepKind.RELINK and step.pattern_value):
            return by_kind[step.step](step)
        if step.rule == CheckId.REDIRECT_CHAIN and step.target:
            return addresses.verify_redirect(step, compared)
        return verify_repair(step, compared, can_check(step.rule, compared.after.audit.meta))

    return verify


def day_of(meta: AuditMeta) -> str:
    """The last day of the crawl that an audit was made of, else the day it was made, YYYY-MM-DD."""
    return str(meta.totals["crawl"]["last_day"] or meta.made[:10])


def verified_table(verified: Sequence[VerifiedStep]) -> pd.DataFrame:
    """The table of verified steps."""
    return VERIFIED.frame(
        (
            one.step.proposal, one.step.order, one.step.url, one.step.step, one.step.target, one.step.decision, one.outcome,
            str(one.found), one.verdicts[-1].found, one.step.rule,
        )
        for one in verified
    )  # fmt: skip
