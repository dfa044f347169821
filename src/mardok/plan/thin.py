"""What to do about pages that say too little of their own.

In:  verdicts on pages.
Out: proposals: one for each page to be expanded or merged, one for all that are to be taken out of the index or left.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from mardok.findings.groups import group_id
from mardok.findings.keeper import Standing
from mardok.findings.thin import Verdict
from mardok.findings.wording import section_name
from mardok.plan.effort import effort_hours
from mardok.plan.gain import reach_gain
from mardok.plan.moves import Move
from mardok.plan.proposal import Gain, Proposal, Step
from mardok.plan.wording import count, listed, path_of, percent
from mardok.plan.workbench import Workbench, gain_basis
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.urls import is_home

_NAMED_QUERIES = 5
_MOST_SINGLE = 5
"""Pages of a section to be expanded, beyond which they are one proposal."""
_MOST_TOLD = 20


@dataclass(frozen=True)
class ThinDraft:
    """What to do about one thin page."""

    row: int
    verdict: Verdict
    moved: tuple[Move, ...] = ()
    gives_way: str = ""
    """Why it stays where it is although the verdict is that it goes, in words that follow "but"."""


def thin_drafts(
    site: Site,
    verdicts: Sequence[Verdict | None],
    standing: Standing,
    kept: Collection[int],
    pointed: Collection[int],
    moved: Collection[int],
    settings: Settings,
    *,
    is_whole: bool,
) -> list[ThinDraft]:
    """What to do about each thin page that nothing else is done about.

    Parameters
    ----------
    kept : collection of int
        Pages that stay for another reason: they are neither merged nor taken out of the index.
    pointed : collection of int
        Pages that redirects or canonicals lead to: they are not taken out of the index.
    moved : collection of int
        Pages that go or are rewritten anyway.
    """
    drafts = []
    for row, verdict in enumerate(verdicts):
        if verdict is None or not verdict.is_thin or row in moved:
            continue
        draft = ThinDraft(row, verdict)
        goes = verdict.outcome in ("merge", "noindex", "retire")
        if goes and is_home(site.pages[row].url, settings.variants):
            draft = _staying(draft, "a home page is never moved")
        elif goes and row in kept:
            draft = _staying(draft, "another proposal of this plan needs it where it is")
        elif verdict.outcome == "noindex" and row in pointed:
            draft = _staying(draft, "redirects or canonicals lead to it")
        elif verdict.outcome == "merge" and verdict.relative in moved:
            draft = _staying(draft, "the page it is nearest to is part of another proposal")
        elif verdict.outcome == "merge" and not standing.is_indexable[verdict.relative]:
            draft = _staying(draft, "the page it is nearest to is not indexable")
        elif verdict.outcome == "noindex" and is_whole and _is_forgotten(row, standing):
            draft = replace(draft, verdict=replace(verdict, outcome="retire"))
        drafts.append(draft)
    # A page that takes over another is not taken out of the index; of two that are each other's nearest only one goes.
    wanted = {draft.verdict.relative for draft in drafts if draft.verdict.outcome == "merge"}
    drafts = [
        _staying(draft, "another thin page is merged into it")
        if draft.verdict.outcome in ("noindex", "retire") and draft.row in wanted
        else draft
        for draft in drafts
    ]
    gone = {draft.row for draft in drafts if draft.verdict.outcome in ("noindex", "retire")}
    targets: set[int] = set()
    found = []
    for draft in sorted(drafts, key=lambda draft: (draft.verdict.own_words, draft.row)):  # the one with less to say goes
        if draft.verdict.outcome == "merge":
            if draft.row in targets:
                draft = _staying(draft, "another thin page is merged into it")
            elif draft.verdict.relative in gone:
                draft = _staying(draft, "the page it is nearest to is part of another proposal")
            else:
                targets.add(draft.verdict.relative)
                gone.add(draft.row)
                draft = replace(draft, moved=(Move(draft.row, "redirect", draft.verdict.relative),))
        found.append(draft)
    return sorted(found, key=lambda draft: draft.row)


def _staying(draft: ThinDraft, gives_way: str) -> ThinDraft:
    return replace(draft, verdict=replace(draft.verdict, outcome="wait", relative=-1), gives_way=gives_way)


def _is_forgotten(row: int, standing: Standing) -> bool:
    """Whether no page links here, none of another site either, and nothing is won here."""
    return not (standing.inlinks[row] or standing.external_links[row] or standing.conversions[row])


def thin_proposals(drafts: Sequence[ThinDraft], bench: Workbench, *, is_whole: bool) -> list[Proposal]:
    """Drafts written out, in no particular order."""
    by_outcome: dict[str, list[ThinDraft]] = defaultdict(list)
    waiting: dict[str, list[ThinDraft]] = defaultdict(list)
    for draft in drafts:
        by_outcome[draft.verdict.outcome].append(draft)
        if draft.verdict.outcome == "wait":
            waiting[draft.gives_way].append(draft)
    found = []
    for alike in _by_section(by_outcome["expand"], bench):
        found += [_expand_all(alike, bench)] if len(alike) > _MOST_SINGLE else [_expand(draft, bench) for draft in alike]
    found += [_merge(draft, bench) for draft in by_outcome["merge"]]
    found += [_out_of_index(by_outcome[way], way, bench) for way in ("noindex", "retire") if by_outcome[way]]
    found += [_leave(by_outcome["fine"], "fine", bench, is_whole)] if by_outcome["fine"] else []
    found += [_leave(alike, "wait", bench, is_whole) for alike in waiting.values()]
    return found


def _by_section(drafts: Sequence[ThinDraft], bench: Workbench) -> list[list[ThinDraft]]:
    """Pages of one section together: where many of them are thin, it is one job for one writer."""
    found: dict[str, list[ThinDraft]] = defaultdict(list)
    for draft in drafts:
        found[section_name(bench.url(draft.row))].append(draft)
    return list(found.values())


def _expand_all(drafts: Sequence[ThinDraft], bench: Workbench) -> Proposal:
    """One proposal for the many thin pages of a section."""
    single = sorted((_expand(draft, bench) for draft in drafts), key=lambda one: (-one.gain.high, one.urls))
    urls = tuple(sorted(url for one in single for url in one.urls))
    gain = Gain(
        0.0,
        math.fsum(one.gain.high for one in single),
        "clicks/month",
        n_queries=sum(one.gain.n_queries for one in single),
        impressions=math.fsum(one.gain.impressions for one in single),
    )
    steps = tuple(step for one in single for step in one.steps)
    where, first = path_of(section_name(urls[0])), single[0]
    return Proposal(
        id=group_id("thin", urls), action="expand", owner="writer", keeper="", urls=urls, gain=gain,
        effort_hours=effort_hours(steps, bench.settings.plan.effort), confidence="medium", evidence="search",
        summary=f"Expand {count(len(urls), 'page')} under {where}: they are asked for and say little",
        why=(
            f"Each has few words of its own. Together they are shown {gain.impressions:,.0f} times a month, at mean "
            f"positions beyond {bench.settings.thin.expand_position:g}. Most is to be gained at {path_of(first.urls[0])}: "
            f"{first.why}"
        ),
        unless="other pages are meant for these queries; then link to those, and leave these",
        steps=steps,
        basis={"gain_high": {one.urls[0]: round(one.gain.high, 1) for one in single[:_MOST_TOLD]}, **gain_basis(gain)},
    )  # fmt: skip


def _expand(draft: ThinDraft, bench: Workbench) -> Proposal:
    verdict, url, demand = draft.verdict, bench.url(draft.row), bench.standing.demand
    assert demand is not None  # only searched pages are expanded
    assert bench.curve is not None
    queries = [demand.queries[code] for code in verdict.queries]
    named = listed([f"'{query}'" for query in queries], most=_NAMED_QUERIES)
    gain = reach_gain(demand, bench.curve, draft.row, verdict.queries, bench.settings.thin.good_position)
    steps = (Step(url, "expand", detail=f"answer what is asked: {named}; at mean position {verdict.position:.1f} today"),)
    return Proposal(
        id=group_id("thin", [url]), action="expand", owner="writer", keeper=url, urls=(url,), gain=gain,
        effort_hours=effort_hours(steps, bench.settings.plan.effort), confidence="medium", evidence="search",
        summary=f"Expand {path_of(url)}: it is asked for and says little",
        why=(
            f"{_sentence(verdict.reason)} Search shows it {gain.impressions:,.0f} times a month for "
            f"{count(len(queries), 'query', 'queries')} ({named}), at mean position {verdict.position:.1f}. The upper "
            f"figure is what position {bench.settings.thin.good_position:g} would bring."
        ),
        unless="another page is meant for these queries; then link to that one, and leave this",
        steps=steps,
        basis={"position": round(verdict.position, 1), "queries_named": queries[:10], **gain_basis(gain)},
    )  # fmt: skip


def _merge(draft: ThinDraft, bench: Workbench) -> Proposal:
    verdict, row = draft.verdict, draft.row
    target = bench.moves.end_of(row)
    url, kept = bench.url(row), bench.url(target)
    steps = [Step(kept, "leave", detail="keeper: says what this page says, and more"), *bench.unique_text(row, target)]
    steps += bench.moving(row, "thin, near this page")
    gain = bench.gain([row, target], [row])
    urls = tuple(sorted([url, kept]))
    return Proposal(
        id=group_id("thin", urls), action="merge", owner="editor", keeper=kept, urls=urls, gain=gain,
        effort_hours=effort_hours(steps, bench.settings.plan.effort), confidence="medium", evidence="text",
        summary=f"Merge thin {path_of(url)} into {path_of(kept)}",
        why=(
            f"{_sentence(verdict.reason)} {_hardly_searched(bench)} it, and {percent(verdict.resemblance)} of its wording "
            f"is that of {path_of(kept)}.{bench.figures(gain, 1)}"
        ),
        unless="it does a task of its own; then name it in the settings (kinds.utility, plan.leave)",
        steps=tuple(steps), basis={"nearest": round(verdict.resemblance, 6), **gain_basis(gain)},
    )  # fmt: skip


def _out_of_index(drafts: Sequence[ThinDraft], way: str, bench: Workbench) -> Proposal:
    is_kept = way == "noindex"
    urls = tuple(sorted(bench.url(draft.row) for draft in drafts))
    steps = [Step(bench.url(draft.row), way, detail=draft.verdict.reason) for draft in drafts]
    n = count(len(urls), "page")
    what = path_of(urls[0]) if len(urls) == 1 else n
    return Proposal(
        id=group_id("thin", urls), action=way, owner="developer" if is_kept else "server", keeper="", urls=urls,
        gain=Gain(0.0, 0.0, "link weight"), effort_hours=effort_hours(steps, bench.settings.plan.effort),
        confidence="medium", evidence="search",
        summary=f"Take {what} out of the index: of use to visitors, not to searchers" if is_kept
        else f"Retire {what} (410): no clicks, and no page links there",
        why=f"{_sentence(drafts[0].verdict.reason)} {_others(drafts)}" + (
            "Visitors may still need them. No evidence of a gain." if is_kept
            else "Neither pages of the site nor, as far as is known, of others link there. No evidence of a gain."
        ),
        unless="they are to grow; then leave them until they hold more" if is_kept
        else "somebody still needs them; then link to them, or redirect to a true equivalent",
        steps=tuple(steps), basis={"reasons": {bench.url(draft.row): draft.verdict.reason for draft in drafts}},
    )  # fmt: skip


def _leave(drafts: Sequence[ThinDraft], outcome: str, bench: Workbench, is_whole: bool) -> Proposal:
    urls = tuple(sorted(bench.url(draft.row) for draft in drafts))
    what = path_of(urls[0]) if len(urls) == 1 else count(len(urls), "thin page")
    is_fine = outcome == "fine"
    known = "Searchers are hardly shown them" if bench.standing.demand is not None else "There is no search data"
    part = "" if is_whole else " The site was not read whole."
    later = f"{bench.settings.thin.months:g} months of search data show no clicks; then take them out of the index"
    gives_way = drafts[0].gives_way
    if is_fine:
        because, decided = "few words, and well placed", "What works is not touched."
        unless = "they lose their places; then expand them"
    elif gives_way:
        because, unless = gives_way, "that no longer holds, or the proposal is rejected; then audit again"
        decided = f"By itself it would be merged or taken out of the index, but {gives_way}. No evidence of a gain."
    else:
        because, unless = "too little is known to act", later
        decided = f"{known}, and no page stands near.{part} No evidence of a gain."
    return Proposal(
        id=group_id(f"thin {outcome}", urls), action="leave", owner="editor", keeper="", urls=urls,
        gain=Gain(0.0, 0.0, "link weight"), effort_hours=effort_hours([], bench.settings.plan.effort), confidence="medium",
        evidence="search" if is_fine else "text",
        summary=f"Leave {what}: {because}",
        why=f"{_sentence(drafts[0].verdict.reason)} {_others(drafts)}{decided}",
        unless=unless,
        steps=tuple(Step(bench.url(draft.row), "leave", detail=draft.verdict.reason) for draft in drafts),
        basis={"reasons": {bench.url(draft.row): draft.verdict.reason for draft in drafts}},
    )  # fmt: skip


def _sentence(reason: str) -> str:
    return f"{reason[0].upper()}{reason[1:]}."


def _others(drafts: Sequence[ThinDraft]) -> str:
    return f"So it is, each with its own figures, with {count(len(drafts) - 1, 'page')} more. " if len(drafts) > 1 else ""


def _hardly_searched(bench: Workbench) -> str:
    return "There is no search data for" if bench.standing.demand is None else "Searchers are hardly shown"
