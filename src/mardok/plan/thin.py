"""What to do about pages that say too little of their own.

In:  verdicts on pages.
Out: proposals: one for each page to be expanded or merged, one for all that are to be taken out of the index or left.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace

from mardok.findings.facts import SiteFacts
from mardok.findings.groups import group_id
from mardok.findings.keeper import PageStrength
from mardok.findings.thin import Verdict
from mardok.findings.thin_analysis import ThinAnalysis
from mardok.findings.wording import section_name
from mardok.plan.context import PlanContext, gain_basis
from mardok.plan.effort import effort_hours
from mardok.plan.gain import GainModel, sum_of_gains
from mardok.plan.moves import Move
from mardok.plan.proposal import NO_GAIN, Proposal, Step
from mardok.plan.reservations import Reservations
from mardok.sentences import Text, clipped, counted, listing, page_name, path_of, quoted, reasoned, sentence
from mardok.text.site import Site
from mardok.urls import is_home
from mardok.vocabulary import Action, Confidence, Evidence, GainUnit, StepKind, ThinObstacle, ThinRule

_NAMED_QUERIES = 5
_LONGEST_QUERY = 50
"""Characters of a query in a sentence."""
_MOST_SINGLE = 5
"""Pages of a section to be expanded, beyond which they are one proposal."""
_MOST_TOLD = 20
_LEAST_INLINKS, _MANY_INLINKS = 20, 0.25
"""Pages, and share of the site's pages, that link to a page which the site wants to be found."""


OUT_OF_INDEX = (ThinRule.SMALL_TAG, ThinRule.NO_CLICKS, ThinRule.FORGOTTEN)
"""Rules by which a page leaves the index."""


@dataclass(frozen=True)
class ThinDraft:
    """What to do about one thin page."""

    row: int
    verdict: Verdict
    moved: tuple[Move, ...] = ()
    obstacle: ThinObstacle = ThinObstacle.NONE
    """Why it stays where it is although the verdict is that it goes."""

    @property
    def leaves_index(self) -> bool:
        """Whether it is taken out of the index, or retired."""
        return self.verdict.rule in OUT_OF_INDEX


def thin_drafts(
    site: Site, facts: SiteFacts, thin: ThinAnalysis, reserved: Reservations, gains: GainModel | None
) -> list[ThinDraft]:
    """What to do about each thin page that nothing else is done about.

    Parameters
    ----------
    thin : ThinAnalysis
        Why pages are thin.
    reserved : Reservations
        What other proposals do about pages.
    gains : GainModel or None
        What merges bring: none that is expected to lose clicks is proposed.
    """
    strength, settings, is_whole = facts.strength, facts.settings, facts.coverage.is_whole
    drafts = []
    for row, verdict in enumerate(thin.verdicts):
        if verdict is None or not verdict.is_thin or row in reserved.busy:
            continue
        draft = ThinDraft(row, verdict)
        obstacle = _obstacle(draft, is_home(site.pages[row].url, settings.variants), strength, reserved)
        if not obstacle and verdict.rule == ThinRule.RELATIVE and gains is not None:
            loses = gains.merged([row, verdict.relative], [row]).expected < 0
            obstacle = ThinObstacle.LOSS if loses else obstacle
        if verdict.rule == ThinRule.WAIT and row in thin.with_kin:
            obstacle = ThinObstacle.OTHER_PROMISE
        if obstacle:
            draft = _staying(draft, obstacle)
        elif draft.leaves_index and is_whole and _is_forgotten(row, strength):
            draft = replace(draft, verdict=replace(verdict, rule=ThinRule.FORGOTTEN))
        drafts.append(draft)
    return _settled(drafts)


def _obstacle(draft: ThinDraft, is_home_page: bool, strength: PageStrength, reserved: Reservations) -> ThinObstacle:
    """Why a page must stay that by its verdict would go."""
    row, verdict = draft.row, draft.verdict
    is_merge = verdict.rule == ThinRule.RELATIVE
    if not (is_merge or draft.leaves_index):
        return ThinObstacle.NONE
    if is_home_page:
        return ThinObstacle.HOME
    if row in reserved.kept:
        return ThinObstacle.KEPT
    if draft.leaves_index:
        n_linking = int(strength.inlinks[row])
        if n_linking >= max(_LEAST_INLINKS, _MANY_INLINKS * len(strength.inlinks)):
            return ThinObstacle.LINKED_EVERYWHERE
        return ThinObstacle.POINTED_AT if row in reserved.pointed_at else ThinObstacle.NONE
    if verdict.relative in reserved.busy:
        return ThinObstacle.TARGET_BUSY
    return ThinObstacle.NONE if strength.is_indexable[verdict.relative] else ThinObstacle.TARGET_NOT_INDEXABLE


def _settled(drafts: Sequence[ThinDraft]) -> list[ThinDraft]:
    """Drafts with their moves: none of them takes a page away that another is merged into."""
    wanted = {draft.verdict.relative for draft in drafts if draft.verdict.rule == ThinRule.RELATIVE}
    drafts = [
        _staying(draft, ThinObstacle.TAKES_OVER) if draft.leaves_index and draft.row in wanted else draft for draft in drafts
    ]
    gone = {draft.row for draft in drafts if draft.leaves_index}
    targets: set[int] = set()
    result = []
    # Of two that are each other's nearest only one goes: the one with less to say.
    for draft in sorted(drafts, key=lambda draft: (draft.verdict.own_words, draft.row)):
        if draft.verdict.rule == ThinRule.RELATIVE:
            if draft.row in targets:
                draft = _staying(draft, ThinObstacle.TAKES_OVER)
            elif draft.verdict.relative in gone:
                draft = _staying(draft, ThinObstacle.TARGET_BUSY)
            else:
                targets.add(draft.verdict.relative)
                gone.add(draft.row)
                draft = replace(draft, moved=(Move(draft.row, StepKind.REDIRECT, draft.verdict.relative),))
        result.append(draft)
    return sorted(result, key=lambda draft: draft.row)


def _staying(draft: ThinDraft, obstacle: ThinObstacle) -> ThinDraft:
    return replace(draft, verdict=replace(draft.verdict, rule=ThinRule.WAIT, relative=-1), obstacle=obstacle)


def _is_forgotten(row: int, strength: PageStrength) -> bool:
    """Whether no page links here, none of another site either, and nothing is won here."""
    return not (strength.inlinks[row] or strength.external_links[row] or strength.conversions[row])


def thin_proposals(drafts: Sequence[ThinDraft], context: PlanContext, *, is_whole: bool) -> list[Proposal]:
    """Drafts written out, in no particular order.

    Parameters
    ----------
    is_whole : bool
        Whether the whole site was read: links to a page are known only then.
    """
    by_rule: dict[ThinRule, list[ThinDraft]] = defaultdict(list)
    waiting: dict[ThinObstacle, list[ThinDraft]] = defaultdict(list)
    for draft in drafts:
        by_rule[draft.verdict.rule].append(draft)
        if draft.verdict.rule == ThinRule.WAIT:
            waiting[draft.obstacle].append(draft)
    result = []
    for alike in _by_section(by_rule[ThinRule.ASKED_FOR], context):
        result += (
            [_expand_all(alike, context)] if len(alike) > _MOST_SINGLE else [_expand(draft, context) for draft in alike]
        )
    result += [_merge(draft, context) for draft in by_rule[ThinRule.RELATIVE]]
    noindex = sorted([*by_rule[ThinRule.SMALL_TAG], *by_rule[ThinRule.NO_CLICKS]], key=lambda draft: draft.row)
    for alike in (noindex, by_rule[ThinRule.FORGOTTEN]):
        result += [_out_of_index(alike, context)] if alike else []
    result += [_leave(by_rule[ThinRule.WELL_PLACED], context, is_whole)] if by_rule[ThinRule.WELL_PLACED] else []
    result += [_leave(alike, context, is_whole) for alike in waiting.values()]
    return result


def _by_section(drafts: Sequence[ThinDraft], context: PlanContext) -> list[list[ThinDraft]]:
    """Pages of one section together: where many of them are thin, it is one job for one writer."""
    result: dict[str, list[ThinDraft]] = defaultdict(list)
    for draft in drafts:
        result[section_name(context.url(draft.row))].append(draft)
    return list(result.values())


def _expand_all(drafts: Sequence[ThinDraft], context: PlanContext) -> Proposal:
    """One proposal for the many thin pages of a section."""
    single = sorted((_expand(draft, context) for draft in drafts), key=lambda one: (-one.gain.expected, one.urls))
    urls = tuple(sorted(url for one in single for url in one.urls))
    gain = sum_of_gains((one.gain for one in single), GainUnit.CLICKS)
    steps = tuple(step for one in single for step in one.steps)
    first = single[0]
    months = context.strength.demand.months if context.strength.demand is not None else 0.0
    return Proposal(
        id=group_id("thin", urls), action=Action.EXPAND, rule=ThinRule.ASKED_FOR, keeper="", urls=urls,
        gain=gain, effort_hours=effort_hours(steps, context.settings.plan.effort), confidence=Confidence.MEDIUM,
        evidence=Evidence.SEARCH,
        summary=sentence(
            "thin.summary.expand-section", pages=counted("page", len(urls)), section=path_of(section_name(urls[0]))
        ),
        why=reasoned(
            sentence(
                "thin.why.expand-section", months=months, impressions=gain.impressions,
                position=context.settings.thin.expand_position, page=page_name(first.urls[0]), first=first.why,
            )
        ),
        unless=sentence("thin.unless.expand-section"), steps=steps,
        basis={
            "gain": {one.urls[0]: round(one.gain.expected, 1) for one in single[:_MOST_TOLD]},
            "queries_of": {one.urls[0]: one.basis["queries_named"] for one in single},
            **gain_basis(gain),
        },
    )  # fmt: skip


def _expand(draft: ThinDraft, context: PlanContext) -> Proposal:
    verdict, url, demand = draft.verdict, context.url(draft.row), context.strength.demand
    assert demand is not None  # only searched pages are expanded
    assert context.gains is not None
    queries = [demand.queries[code] for code in verdict.queries]
    named = listing(map(quoted, queries), most=_NAMED_QUERIES)
    in_short = listing([quoted(clipped(query, _LONGEST_QUERY)) for query in queries], most=2)
    gain = context.gains.at_position(draft.row, verdict.queries, context.settings.thin.good_position)
    unsaid = context.unsaid.get(url, ())
    unsaid_words = listing(map(quoted, unsaid), most=len(unsaid))
    detail = sentence(
        "thin.step.expand-unsaid" if unsaid else "thin.step.expand", queries=named, position=verdict.position,
        words=unsaid_words,
    )  # fmt: skip
    steps = (Step(url, StepKind.EXPAND, detail=detail),)
    return Proposal(
        id=group_id("thin", [url]), action=Action.EXPAND, rule=ThinRule.ASKED_FOR, keeper=url,
        urls=(url,), gain=gain, effort_hours=effort_hours(steps, context.settings.plan.effort),
        confidence=Confidence.MEDIUM, evidence=Evidence.SEARCH,
        summary=sentence("thin.summary.expand", page=path_of(url), own=verdict.own_words),
        why=reasoned(
            sentence("thin.first", page=page_name(url), reason=verdict.reason),
            sentence(
                "thin.why.expand", months=demand.months, impressions=gain.impressions,
                number=counted("query", len(queries)), queries=in_short,
                position=verdict.position, good=context.settings.thin.good_position,
            ),
        ),
        unless=sentence("thin.unless.expand"), steps=steps,
        basis={"position": round(verdict.position, 1), "queries_named": queries[:10], **gain_basis(gain)},
    )  # fmt: skip


def _merge(draft: ThinDraft, context: PlanContext) -> Proposal:
    verdict, row = draft.verdict, draft.row
    target = context.moves.end_of(row)
    url, kept = context.url(row), context.url(target)
    steps = [Step(kept, StepKind.LEAVE, detail=sentence("thin.step.keeper")), *context.unique_text(row, target)]
    steps += context.moving(row, sentence("thin.step.moved"))
    gain = context.merged([row, target], [row])
    urls = tuple(sorted([url, kept]))
    is_searched = context.strength.demand is not None
    return Proposal(
        id=group_id("thin", urls), action=Action.MERGE, rule=ThinRule.RELATIVE, keeper=kept, urls=urls,
        gain=gain, effort_hours=effort_hours(steps, context.settings.plan.effort), confidence=Confidence.MEDIUM,
        evidence=Evidence.TEXT, summary=sentence("thin.summary.merge", page=path_of(url), kept=path_of(kept)),
        why=reasoned(
            sentence("thin.first", page=page_name(url), reason=verdict.reason),
            sentence("thin.why.merge-searched" if is_searched else "thin.why.merge", share=verdict.resemblance),
            closing=[context.figures(gain, 1)],
        ),
        unless=sentence("thin.unless.merge"),
        steps=tuple(steps), basis={"nearest": round(verdict.resemblance, 6), **gain_basis(gain)},
    )  # fmt: skip


def _out_of_index(drafts: Sequence[ThinDraft], context: PlanContext) -> Proposal:
    """One proposal for pages that all leave the index, or are all retired."""
    action = Action.RETIRE if drafts[0].verdict.rule == ThinRule.FORGOTTEN else Action.NOINDEX
    urls = tuple(sorted(context.url(draft.row) for draft in drafts))
    steps = [Step(context.url(draft.row), StepKind(action), detail=draft.verdict.reason) for draft in drafts]
    return Proposal(
        id=group_id("thin", urls), action=action, rule=drafts[0].verdict.rule,
        keeper="", urls=urls,
        gain=NO_GAIN, effort_hours=effort_hours(steps, context.settings.plan.effort),
        confidence=Confidence.MEDIUM, evidence=Evidence.SEARCH,
        summary=sentence(f"thin.summary.{action}", pages=_pages(urls, "page")),
        why=reasoned(*_first_reason(drafts, context), sentence(f"thin.why.{action}")),
        unless=sentence(f"thin.unless.{action}"),
        steps=tuple(steps), basis=_reasons(drafts, context),
    )  # fmt: skip


def _leave(drafts: Sequence[ThinDraft], context: PlanContext, is_whole: bool) -> Proposal:
    """One proposal for pages that are left for one reason."""
    rule, obstacle = drafts[0].verdict.rule, drafts[0].obstacle
    is_fine = rule == ThinRule.WELL_PLACED
    urls = tuple(sorted(context.url(draft.row) for draft in drafts))
    is_searched = context.strength.demand is not None
    if obstacle == ThinObstacle.OTHER_PROMISE:
        key, values = "other-promise", {}
    elif obstacle:
        key, values = "gives-way", {"obstacle": sentence(f"thin.obstacle.{obstacle}")}
    elif is_fine:
        key, values = "well-placed", {}
    else:
        known = sentence("filter.known.hardly-shown" if is_searched else "filter.known.no-search-data")
        key, values = "wait" if is_whole else "wait-in-part", {"known": known}
    return Proposal(
        id=group_id(f"thin {'fine' if is_fine else 'wait'}", urls), action=Action.LEAVE, rule=rule,
        keeper="", urls=urls, gain=NO_GAIN,
        effort_hours=0.0, confidence=Confidence.MEDIUM,
        evidence=Evidence.SEARCH if is_fine else Evidence.TEXT,
        summary=sentence(f"thin.left.{key}", pages=_pages(urls, "thin-page"), **values),
        why=reasoned(*_first_reason(drafts, context), closing=[sentence(f"thin.decision.{key}", **values)]),
        unless=sentence(f"thin.unless.{key}", months=context.settings.thin.months),
        steps=tuple(Step(context.url(draft.row), StepKind.LEAVE, detail=draft.verdict.reason) for draft in drafts),
        basis=_reasons(drafts, context),
    )  # fmt: skip


def _pages(urls: Sequence[str], noun: str) -> Text:
    return path_of(urls[0]) if len(urls) == 1 else counted(noun, len(urls))


def _reasons(drafts: Sequence[ThinDraft], context: PlanContext) -> dict[str, object]:
    return {"reasons": {context.url(draft.row): str(draft.verdict.reason) for draft in drafts}}


def _first_reason(drafts: Sequence[ThinDraft], context: PlanContext) -> list[Text | None]:
    """The reason of the first page, and for how many more it holds."""
    first, more = drafts[0], len(drafts) - 1
    return [
        sentence("thin.first", page=page_name(context.url(first.row)), reason=first.verdict.reason),
        sentence("thin.others", n=more) if more else None,
    ]
