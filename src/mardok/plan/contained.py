"""What to do about pages most of which stands on another page.

In:  such pages, with whether both promise the same.
Out: proposals: merge where they do, after what only the page says was moved; else one for each pair of sections, to say the
     rest once and link to it. A page that holds several others, such as a manual on one page, is left beside its chapters,
     and leaves the index where it takes their places in search.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

from mardok.compare.demand import Demand
from mardok.findings.contained import Contained, Repeated
from mardok.findings.groups import group_id
from mardok.findings.keeper import shares_now
from mardok.findings.wording import section_name
from mardok.plan.context import PlanContext, gain_basis
from mardok.plan.effort import effort_hours
from mardok.plan.gain import GainModel
from mardok.plan.moves import Move
from mardok.plan.proposal import NO_GAIN, Proposal, Step
from mardok.sentences import counted, page_name, path_of, reasoned, sentence, shares
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.urls import matches
from mardok.vocabulary import Action, Confidence, ContainedRule, Evidence, StepKind

_LEAST_CLICKS = 1.0
"""Clicks a month from which a manual takes the place of its chapters."""


@dataclass(frozen=True)
class ContainedDraft:
    """What to do about one page."""

    repeated: Repeated
    moved: tuple[Move, ...] = ()


def contained_drafts(
    site: Site,
    repeated: Sequence[Repeated],
    busy: Collection[int],
    kept: Collection[int],
    gains: GainModel | None,
    settings: Settings,
) -> list[ContainedDraft]:
    """What to do about each page.

    Parameters
    ----------
    busy : collection of int
        Pages about which something else is done.
    kept : collection of int
        Pages that stay for another reason.
    gains : GainModel or None
        What merges bring: none that is expected to lose clicks is proposed.
    """
    drafts = []
    for one in repeated:
        if one.row in busy or one.other in busy or matches(site.pages[one.row].url, settings.plan.leave):
            continue
        is_merged = one.is_same_promise and one.row not in kept
        if is_merged and gains is not None and gains.merged([one.row, one.other], [one.row]).expected < 0:
            continue
        drafts.append(ContainedDraft(one, (Move(one.row, StepKind.REDIRECT, one.other),) if is_merged else ()))
    return drafts


@dataclass(frozen=True)
class ManualDraft:
    """What to do about a page that holds several others."""

    row: int
    chapters: tuple[int, ...]
    outranks: bool
    """Whether it gets more clicks than its chapters on the queries that show both: then it leaves the index."""


def manual_drafts(contained: Contained, demand: Demand | None, may_leave: Callable[[int], bool]) -> list[ManualDraft]:
    """What to do about each page that holds several others.

    Parameters
    ----------
    contained : Contained
        Pages that others contain.
    demand : Demand or None
        Search data.
    may_leave : callable
        Whether a page may be taken out of the index.
    """
    chapters: dict[int, list[int]] = defaultdict(list)
    for chapter, manual in sorted(contained.chapters.items()):
        chapters[manual].append(chapter)
    return [
        ManualDraft(manual, tuple(rows), may_leave(manual) and _outranks(manual, rows, demand))
        for manual, rows in sorted(chapters.items())
    ]


def _outranks(manual: int, chapters: Sequence[int], demand: Demand | None) -> bool:
    shares = [shares_now([manual, chapter], demand) for chapter in chapters]
    own, others = (
        sum(one[row].clicks for one, row in zip(shares, rows, strict=True) if row in one)
        for rows in ([manual] * len(chapters), chapters)
    )
    return own >= _LEAST_CLICKS and own > others


def manual_proposals(drafts: Sequence[ManualDraft], context: PlanContext) -> list[Proposal]:
    """Drafts written out."""
    return [_manual(draft, context) for draft in drafts]


def _manual(draft: ManualDraft, context: PlanContext) -> Proposal:
    url = context.url(draft.row)
    rule = ContainedRule.MANUAL_OUTRANKS if draft.outranks else ContainedRule.MANUAL
    action = Action.NOINDEX if draft.outranks else Action.LEAVE
    urls = tuple(sorted([url, *map(context.url, draft.chapters)]))
    told = {"manual": path_of(url), "chapters": counted("page", len(draft.chapters))}
    steps = [
        Step(url, StepKind(action), detail=sentence(f"contained.step.{rule}")),
        *(Step(context.url(row), StepKind.LEAVE, detail=sentence("contained.step.chapter")) for row in draft.chapters),
    ]
    return Proposal(
        id=group_id("manual", urls), action=action, rule=rule,
        keeper="", urls=urls, gain=NO_GAIN, effort_hours=effort_hours(steps, context.settings.plan.effort),
        confidence=Confidence.MEDIUM, evidence=Evidence.SEARCH if draft.outranks else Evidence.TEXT,
        summary=sentence(f"contained.summary.{rule}", **told),
        why=reasoned(sentence(f"contained.why.{rule}", **{**told, "manual": page_name(url)})),
        unless=sentence(f"contained.unless.{rule}"), steps=tuple(steps), basis={"chapters": len(draft.chapters)},
    )  # fmt: skip


def contained_proposals(drafts: Sequence[ContainedDraft], context: PlanContext) -> list[Proposal]:
    """Drafts written out."""
    together: dict[tuple[str, str], list[Repeated]] = defaultdict(list)
    for draft in drafts:
        if not draft.moved:
            one = draft.repeated
            together[section_name(context.url(one.row)), section_name(context.url(one.other))].append(one)
    return [
        *(_merge(draft.repeated, context) for draft in drafts if draft.moved),
        *(_trim(alike, context) for alike in together.values()),
    ]


def _merge(one: Repeated, context: PlanContext) -> Proposal:
    target = context.moves.end_of(one.row)
    url, kept = context.url(one.row), context.url(target)
    steps = [
        Step(kept, StepKind.LEAVE, detail=sentence("contained.step.keeper")),
        *context.unique_text(one.row, target),
        *context.moving(one.row, sentence("contained.step.moved")),
    ]
    gain = context.merged([one.row, target], [one.row])
    urls = tuple(sorted([url, kept]))
    pair = {"page": path_of(url), "kept": path_of(kept)}
    return Proposal(
        id=group_id("contained", urls), action=Action.MERGE, rule=ContainedRule.SAME_PROMISE,
        keeper=kept, urls=urls, gain=gain, effort_hours=effort_hours(steps, context.settings.plan.effort),
        confidence=Confidence.MEDIUM, evidence=Evidence.TEXT, summary=sentence("contained.summary.merge", **pair),
        why=reasoned(sentence("contained.why.merge", share=one.share), closing=[context.figures(gain, 1)]),
        unless=sentence("contained.unless.merge"),
        steps=tuple(steps), basis={"containment": round(one.share, 6), **gain_basis(gain)},
    )  # fmt: skip


def _trim(alike: Sequence[Repeated], context: PlanContext) -> Proposal:
    """Pages of one section that pages of one section repeat: one decision."""
    urls = tuple(sorted({context.url(row) for one in alike for row in (one.row, one.other)}))
    steps = tuple(
        Step(
            context.url(one.row),
            StepKind.TRIM,
            context.url(one.other),
            sentence("contained.step.trim", words=one.shared_words, other=path_of(context.url(one.other))),
        )
        for one in alike
    )
    first = alike[0]
    n_words = sum(one.shared_words for one in alike)
    pair = {"page": path_of(context.url(first.row)), "other": path_of(context.url(first.other))}
    pages = counted("page", len(alike))
    key = "contained.summary.pair" if len(alike) == 1 else "contained.summary.pairs"
    return Proposal(
        id=group_id("contained", urls), action=Action.TRIM, rule=ContainedRule.OTHER_PROMISE, keeper="",
        urls=urls, gain=NO_GAIN,
        effort_hours=effort_hours(steps, context.settings.plan.effort), confidence=Confidence.MEDIUM, evidence=Evidence.TEXT,
        summary=sentence(key, pages=pages, **pair),
        why=sentence("contained.why.trim", shares=shares([one.share for one in alike]), pages=pages, words=n_words),
        unless=sentence("contained.unless.trim"), steps=steps,
        basis={"containment": {context.url(one.row): round(one.share, 6) for one in alike}, "shared_words": n_words},
    )  # fmt: skip
