"""What to do about pages that compete for one phrase.

In:  groups of rivals with the figures that search data gives of them.
Out: proposals, by the rows of the design's table for rivals.

First match wins, for each page beside the keeper: wording only is looked into; a leader that is stable and in front, and
two pages that stand in the first ten places at once, are left; pages of different kinds get titles that say so; of pages
that take turns or lose clicks, the weaker is merged where most of its own clicks come from the common queries, else it is
rewritten apart. Without days nobody can tell whether pages take turns: then they are looked into.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np

from mardok.findings.groups import group_id
from mardok.findings.keeper import Shares
from mardok.findings.kinds import PageKinds
from mardok.findings.rivals import QueryOverlap, Rival, Rivalry
from mardok.plan.context import PlanContext, gain_basis
from mardok.plan.effort import effort_hours
from mardok.plan.gain import GainModel
from mardok.plan.moves import Move
from mardok.plan.proposal import NO_CLICKS, NO_GAIN, Gain, Proposal, Step
from mardok.sentences import (
    Sentence,
    Text,
    clipped,
    counted,
    listing,
    page_name,
    paragraph,
    path_of,
    quoted,
    reasoned,
    sentence,
)
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.urls import is_home, matches
from mardok.vocabulary import Action, Confidence, Evidence, GainUnit, GroupKind, Owner, RivalRule, StepKind

_FIRST_PAGE = 10
_MOST_SINGLE = 5
"""Groups that are left, or looked into, for one reason, beyond which they are one proposal."""
_MOST_TOLD = 50
_MOST_OWN = 3
"""Queries that are named to a page that is rewritten."""
_LONGEST_QUERY = 50
"""Characters of a query in a sentence."""
_OF_NOW = ("keeper-because.shared-clicks", "keeper-because.shared-position")
"""Reasons for the keeper that the figures of the queries tell anyway."""


@dataclass(frozen=True)
class RivalDraft:
    """What to do about some pages beside one keeper."""

    rivalry: Rivalry
    action: Action
    rule: RivalRule
    rivals: tuple[Rival, ...]
    moved: tuple[Move, ...] = ()
    settled: tuple[int, ...] = ()
    """Further rivals that another proposal moves."""

    @property
    def reason(self) -> Text:
        """Why the keeper stays: of several pages as against the one that is shown most beside it."""
        return max(self.rivals, key=lambda rival: rival.overlap.impressions if rival.overlap else 0.0).reason


def rival_drafts(
    site: Site,
    rivalries: Sequence[Rivalry],
    kinds: PageKinds,
    kept: Collection[int],
    moved: Collection[int],
    gains: GainModel | None,
    settings: Settings,
) -> list[RivalDraft]:
    """What to do about each group of rivals.

    Parameters
    ----------
    kept : collection of int
        Pages that copies are moved onto: they are not moved themselves.
    moved : collection of int
        Pages that go anyway.
    gains : GainModel or None
        What merges bring: none that is expected to lose clicks is proposed.
    """
    drafts = []
    keepers = {rivalry.keeper for rivalry in rivalries if not rivalry.is_beside}
    moved, grouped = set(moved), {row for rivalry in rivalries if not rivalry.is_beside for row in rivalry.rows}
    for rivalry in rivalries:
        needed = {*kept, *keepers, *(grouped if rivalry.is_beside else ())}
        by_action: dict[tuple[Action, RivalRule], list[Rival]] = defaultdict(list)
        if rivalry.keeper in moved:
            continue
        settled = tuple(rival.row for rival in rivalry.rivals if rival.row in moved)
        for rival in rivalry.rivals:
            if rival.row in moved:
                continue
            action, rule = _action(rival, rivalry, kinds, settings)
            url = site.pages[rival.row].url
            if action == Action.MERGE and (rival.row in needed or is_home(url, settings.variants)):
                action, rule = Action.REWRITE, RivalRule.OTHERS_LEAD_HERE
            if action == Action.MERGE and gains is not None:
                gain = gains.merged([rivalry.keeper, rival.row], [rival.row])
                action, rule = (Action.LEAVE, RivalRule.TWO_BRING_MORE) if gain.expected < 0 else (action, rule)
            if action != Action.LEAVE and matches(url, settings.plan.leave):
                action, rule = Action.LEAVE, RivalRule.EXCEPTION
            by_action[action, rule].append(rival)
        for (action, rule), rivals in by_action.items():
            moves = action == Action.MERGE
            moved |= {rival.row for rival in rivals} if moves else set()
            redirected = tuple(Move(rival.row, StepKind.REDIRECT, rivalry.keeper) for rival in rivals) if moves else ()
            drafts.append(RivalDraft(rivalry, action, rule, tuple(rivals), redirected, settled))
    return drafts


def _action(rival: Rival, rivalry: Rivalry, kinds: PageKinds, settings: Settings) -> tuple[Action, RivalRule]:
    rules, overlap = settings.rivals, rival.overlap
    if overlap is None:
        return Action.INVESTIGATE, RivalRule.WORDING_ONLY
    if overlap.unread_leader:
        return Action.INVESTIGATE, RivalRule.UNREAD_LEADER
    turns, is_losing = overlap.turns, overlap.movement.is_lost
    takes_turns = turns.changes >= rules.least_turns and turns.is_beyond_chance
    leads = max(turns.led_share.values(), default=0.0)
    is_in_front = overlap.is_dated and leads >= rules.steady_lead and _leader_position(rival, rivalry) <= _FIRST_PAGE
    if is_in_front and (not is_losing or not turns.changes):
        return Action.LEAVE, RivalRule.LEADER_IN_FRONT
    if turns.both_on_first_page >= rules.first_page_share:
        return Action.LEAVE, RivalRule.BOTH_ON_FIRST_PAGE
    if kinds.kind[rival.row] != kinds.kind[rivalry.keeper]:
        return Action.RETITLE, RivalRule.DIFFERENT_KINDS
    if not overlap.is_dated:
        return Action.INVESTIGATE, RivalRule.NO_DAYS
    if overlap.share >= rules.overlap and (takes_turns or is_losing):
        return Action.MERGE, RivalRule.SAME_INTENT
    if takes_turns or is_losing:
        return Action.REWRITE, RivalRule.LESS_OVERLAP
    return Action.LEAVE, RivalRule.NOTHING_LOST


def _leader_position(rival: Rival, rivalry: Rivalry) -> float:
    """Position, of late, of the page that was ahead most."""
    overlap = rival.overlap
    if overlap is None or not overlap.turns.led_share:
        return math.inf
    leader = max(overlap.turns.led_share, key=lambda row: (overlap.turns.led_share[row], -row))
    return (overlap.kept if leader == rivalry.keeper else overlap.other).position


def rival_proposals(drafts: Sequence[RivalDraft], context: PlanContext) -> list[Proposal]:
    """Drafts written out, in no particular order."""
    alike: dict[tuple[Action, RivalRule], list[RivalDraft]] = defaultdict(list)
    for draft in drafts:
        alike[draft.action, draft.rule].append(draft)
    result = []
    for (action, _), same in alike.items():
        single = [_Writer(context, draft).proposal() for draft in same]
        is_long = action in (Action.LEAVE, Action.INVESTIGATE) and len(single) > _MOST_SINGLE
        result += [_as_one(same, single, context)] if is_long else single
    return result


def _as_one(drafts: Sequence[RivalDraft], single: Sequence[Proposal], context: PlanContext) -> Proposal:
    """One proposal for many groups that are left, or looked into, for one reason."""
    by_demand = sorted(range(len(drafts)), key=lambda at: (-_demand(drafts[at]), single[at].urls))
    first = single[by_demand[0]]
    urls = tuple(sorted({url for one in single for url in one.urls}))
    steps: dict[str, Step] = {}
    for at in by_demand:
        for step in single[at].steps:
            if step.url not in steps or steps[step.url].step == StepKind.LEAVE:
                steps[step.url] = step
    rule = drafts[0].rule
    is_searched = first.evidence == Evidence.SEARCH
    return Proposal(
        id=group_id(GroupKind.RIVALS, urls), action=first.action, rule=rule, keeper="", urls=urls,
        gain=first.gain,
        effort_hours=effort_hours(
            [step for step in steps.values() if step.step == StepKind.INVESTIGATE], context.settings.plan.effort
        ),
        confidence=first.confidence, evidence=max((one.evidence for one in single), key=lambda evidence: evidence.rank),
        summary=sentence(
            f"rivals.folded.{first.action}", groups=counted("group-of-rivals", len(single)),
            reason=sentence(f"rivals.left.{rule}"),
        ),
        why=reasoned(
            sentence("rivals.folded.most-searched", page=page_name(first.urls[0]), first=first.why)
            if is_searched
            else sentence("rivals.folded.example", first=first.why)
        ),
        unless=first.unless, steps=tuple(steps.values()),
        basis={
            "groups": [
                {"phrase": drafts[at].rivalry.phrase, "pages": list(single[at].urls)} for at in by_demand[:_MOST_TOLD]
            ],
        },
    )  # fmt: skip


def _demand(draft: RivalDraft) -> float:
    return sum(rival.overlap.impressions for rival in draft.rivals if rival.overlap)


class _Writer:
    def __init__(self, context: PlanContext, draft: RivalDraft) -> None:
        self.context, self.draft = context, draft
        self.keeper = draft.rivalry.keeper
        self.rows = [rival.row for rival in draft.rivals]
        self.kept = page_name(context.url(self.keeper))
        asked = [rival.overlap for rival in draft.rivals if rival.overlap]
        self.phrase = max(asked, key=lambda one: one.impressions).queries[0] if asked else draft.rivalry.phrase

    def proposal(self) -> Proposal:
        """The draft written out."""
        draft, context = self.draft, self.context
        overlaps = [rival.overlap for rival in draft.rivals if rival.overlap]
        gain = self._gain(bool(overlaps))
        steps = [Step(context.url(self.keeper), StepKind.LEAVE, detail=self._keeper_detail())]
        for rival in draft.rivals:
            steps += self._steps(rival)
        if draft.action in (Action.MERGE, Action.REWRITE, Action.RETITLE):
            steps += context.mention_steps(self.keeper, draft.rivalry.rows)
        urls = tuple(sorted(map(context.url, [self.keeper, *self.rows])))
        return Proposal(
            id=group_id(GroupKind.RIVALS, urls), action=draft.action, rule=draft.rule,
            keeper=context.url(self.keeper), urls=urls, gain=gain,
            effort_hours=effort_hours(steps, context.settings.plan.effort), confidence=self._confidence(overlaps, gain),
            evidence=max((rival.evidence for rival in draft.rivals), key=lambda evidence: evidence.rank),
            summary=self._summary(),
            why=reasoned(
                *self._facts(), closing=[self._decision(overlaps), self._risk(gain)], last=self._assumption(gain),
            ),
            unless=sentence(f"rivals.unless.{draft.rule}"), steps=tuple(steps),
            basis={
                "phrase": self.phrase,
                "rivals": {context.url(rival.row): self._basis(rival) for rival in draft.rivals},
                **gain_basis(gain),
            },
        )  # fmt: skip

    def _gain(self, is_searched: bool) -> Gain:
        action = self.draft.action
        if action in (Action.LEAVE, Action.INVESTIGATE) or not is_searched:
            return NO_CLICKS if is_searched else NO_GAIN
        if action == Action.MERGE:
            return self.context.merged([self.keeper, *self.rows], self.rows)
        # Both pages stay: nothing is lost, and at best each is found where one of them leads today.
        return self.context.folded([self.keeper, *self.rows], ())

    def _confidence(self, overlaps: Sequence[QueryOverlap], gain: Gain) -> Confidence:
        if self.draft.action == Action.LEAVE:
            return Confidence.MEDIUM
        if not overlaps:
            return Confidence.LOW
        rules = self.context.settings.rivals
        both = all(overlap.turns.changes >= rules.least_turns and overlap.movement.is_lost for overlap in overlaps)
        if both and self.draft.action == Action.MERGE and gain.low >= 0:
            return Confidence.HIGH
        return Confidence.MEDIUM if overlaps[0].is_dated else Confidence.LOW

    def _keeper_detail(self) -> Sentence:
        is_merge = self.draft.action == Action.MERGE
        return sentence("keeper.stays" if is_merge else "rivals.step.stronger", reason=self.draft.reason)

    def _steps(self, rival: Rival) -> list[Step]:
        context, action, row = self.context, self.draft.action, rival.row
        phrase, keeper = self.phrase, context.url(self.keeper)
        if action == Action.MERGE:
            moving = context.moving(row, sentence("rivals.step.merge", phrase=phrase))
            return [*context.unique_text(row, self.keeper), *moving]
        url = context.url(row)
        if action == Action.REWRITE:
            overlap = rival.overlap
            detail = sentence("rivals.step.rewrite", phrase=phrase, kept=self.kept)
            if overlap is not None:
                own = {"share": 1 - overlap.share, "unit": sentence(f"figure.{overlap.share_of}")}
                queries = self._own_queries(row, overlap)
                detail = sentence("rivals.step.rewrite-for", phrase=phrase, kept=self.kept, queries=queries, **own)
            link = sentence("rivals.step.link", phrase=phrase)
            set_link = Step(url, StepKind.RELINK, keeper, link, whose=Owner.WRITER)
            return [Step(url, StepKind.REWRITE, detail=detail), set_link]
        if action == Action.RETITLE:
            link = sentence("rivals.step.link-with", phrase=phrase)
            detail = sentence("rivals.step.retitle", phrase=phrase)
            set_link = Step(url, StepKind.RELINK, keeper, link, whose=Owner.WRITER)
            return [Step(url, StepKind.RETITLE, detail=detail), set_link]
        if action == Action.INVESTIGATE:
            return [Step(url, StepKind.INVESTIGATE, detail=sentence("rivals.step.investigate", kept=self.kept))]
        return [Step(url, StepKind.LEAVE, detail=sentence(f"rivals.left.{self.draft.rule}"))]

    def _other(self, rival: Rival) -> Text:
        """The page beside the keeper; it needs no name where the summary names it."""
        is_only = len(self.draft.rivals) == 1
        return sentence("rivals.other-page") if is_only else page_name(self.context.url(rival.row))

    def _own_queries(self, row: int, overlap: QueryOverlap) -> Text:
        """The queries that a page is to win: those it is shown for most, without those that it leaves to the other."""
        demand = self.context.strength.demand
        assert demand is not None  # only search data shows overlaps
        rows = demand.of([row])
        shown = np.bincount(rows.query, weights=rows.impressions, minlength=len(demand.queries))
        shown[demand.is_brand] = 0.0
        order = np.lexsort((np.arange(len(shown)), -shown))
        left = set(overlap.queries)
        own = [demand.queries[code] for code in order[: len(left) + _MOST_OWN].tolist() if shown[code]]
        named = [quoted(clipped(query, _LONGEST_QUERY)) for query in own if query not in left][:_MOST_OWN]
        return listing(named) if named else sentence("rivals.step.own-queries")

    def _summary(self) -> Sentence:
        n, kept = len(self.rows), path_of(self.context.url(self.keeper))
        others = path_of(self.context.url(self.rows[0])) if n == 1 else counted("page", n)
        return sentence(f"rivals.summary.{self.draft.action}", n=n, others=others, kept=kept, phrase=self.phrase)

    def _assumption(self, gain: Gain) -> Text | None:
        """What the gain rests on where both pages stay."""
        both_stay = self.draft.action in (Action.REWRITE, Action.RETITLE)
        return sentence("rivals.gain") if both_stay and gain.is_evident and gain.unit == GainUnit.CLICKS else None

    def _facts(self) -> list[Text | None]:
        """What is known of the page that competes most, and of how many more do; the figures of all are in the basis."""
        first = max(self.draft.rivals, key=lambda rival: rival.overlap.impressions if rival.overlap else 0.0)
        path, n, settled = self._other(first), len(self.draft.rivals), self.draft.settled
        gone = listing([page_name(self.context.url(row)) for row in settled])
        fields = listing([sentence(f"rivals.field.{field}") for field in first.wording])
        is_told = isinstance(self.draft.reason, Sentence) and self.draft.reason.key in _OF_NOW
        stays = sentence("rivals.stays", kept=self.kept, reason=self.draft.reason)
        is_changed = self.draft.action not in (Action.LEAVE, Action.INVESTIGATE)
        return [
            sentence("rivals.why.many", n=n, kept=self.kept, path=path) if n > 1 else None,
            self._appear(first.overlap) if first.overlap is not None else None,
            stays if is_changed and not is_told else None,
            self._now(path, first.overlap) if first.overlap is not None else None,
            sentence("rivals.why.wording", path=page_name(self.context.url(first.row)), kept=self.kept, fields=fields)
            if first.wording and first.overlap is None
            else None,
            sentence("rivals.why.settled", n=len(settled), pages=gone) if settled else None,
        ]

    def _appear(self, overlap: QueryOverlap) -> Sentence:
        queries = [quoted(clipped(query, _LONGEST_QUERY)) for query in overlap.queries]
        demand = self.context.strength.demand
        assert demand is not None  # only search data shows overlaps
        return sentence(
            "rivals.why.search", number=counted("query", len(queries)), queries=listing(queries, most=2),
            impressions=overlap.impressions, months=demand.months,
        )  # fmt: skip

    def _now(self, path: Text, overlap: QueryOverlap) -> Sentence:
        demand = self.context.strength.demand
        assert demand is not None  # only search data shows overlaps
        return sentence(
            "rivals.why.now", span=demand.recent_text, path=path, kept=self.kept, clicks=overlap.kept.clicks,
            other_clicks=overlap.other.clicks, place=_place(overlap.kept), other_place=_place(overlap.other),
        )  # fmt: skip

    def _decision(self, overlaps: Sequence[QueryOverlap]) -> Text:
        rule, is_searched = self.draft.rule, self.context.strength.demand is not None
        values: dict[str, object] = {}
        if rule == RivalRule.WORDING_ONLY:
            values["known"] = sentence("rivals.known.never-together" if is_searched else "rivals.known.no-search-data")
        if rule == RivalRule.UNREAD_LEADER:
            values["page"] = page_name(min(overlap.unread_leader for overlap in overlaps if overlap.unread_leader))
        if rule == RivalRule.BOTH_ON_FIRST_PAGE:
            values["share"] = min(overlap.turns.both_on_first_page for overlap in overlaps)
        if rule in (RivalRule.SAME_INTENT, RivalRule.LESS_OVERLAP):
            first = max(self.draft.rivals, key=lambda rival: rival.overlap.impressions if rival.overlap else 0.0)
            return self._of_turns(first)
        return sentence(f"rivals.decision.{rule}", **values)

    def _of_turns(self, rival: Rival) -> Text:
        """Why pages that serve one intent do not both stay as they are."""
        overlap, demand = rival.overlap, self.context.strength.demand
        assert overlap is not None  # the rule needs search data
        assert demand is not None
        turns, moved, spans = overlap.turns, overlap.movement, demand.spans
        share = sentence(
            "rivals.most" if self.draft.rule == RivalRule.SAME_INTENT else "rivals.least", share=overlap.share,
            unit=sentence(f"figure.{overlap.share_of}"), path=self._other(rival),
        )  # fmt: skip
        is_lost = moved.is_lost and spans is not None
        return paragraph(
            sentence("rivals.lost", now=moved.clicks, before=moved.clicks_before, span=spans.before_text)
            if is_lost and spans is not None
            else sentence(
                "rivals.turns", weeks=counted("weekly-comparison", turns.weeks), kept=self.kept,
                led=turns.led.get(self.keeper, 0), changes=counted("time", turns.changes),
            ),
            share,
        )  # fmt: skip

    def _risk(self, gain: Gain) -> Text | None:
        if self.draft.action == Action.MERGE:
            return sentence("figures.at-risk", clicks=gain.at_risk) if gain.at_risk else None
        if self.draft.action in (Action.LEAVE, Action.INVESTIGATE) or gain.is_evident:
            return None
        return sentence("no-evidence")

    def _basis(self, rival: Rival) -> dict[str, object]:
        overlap = rival.overlap
        result: dict[str, object] = {"wording": list(rival.wording), "resemblance": round(rival.resemblance, 6)}
        if overlap is None:
            return result
        moved = overlap.movement
        return {
            **result,
            "queries": list(overlap.queries[:10]),
            "n_queries": len(overlap.queries),
            "impressions": round(overlap.impressions, 1),
            "overlap": round(overlap.share, 6),
            "overlap_in": overlap.share_of,
            "lead_changes": overlap.turns.changes,
            "weeks_with_leader": overlap.turns.weeks,
            "weeks_led": {self.context.url(row): n for row, n in overlap.turns.led.items()},
            "both_on_first_page": round(overlap.turns.both_on_first_page, 6),
            "clicks": round(moved.clicks, 1),
            "clicks_before": None if math.isnan(moved.clicks_before) else round(moved.clicks_before, 1),
            "is_lost": moved.is_lost,
            "clicks_now": [round(overlap.kept.clicks, 1), round(overlap.other.clicks, 1)],
            "positions_now": [_rounded(overlap.kept.position), _rounded(overlap.other.position)],
            "turns_beyond_chance": overlap.turns.is_beyond_chance,
            "unread_leader": overlap.unread_leader,
        }


_OWNER = {
    Action.MERGE: Owner.EDITOR, Action.REWRITE: Owner.WRITER, Action.RETITLE: Owner.WRITER,
    Action.INVESTIGATE: Owner.EDITOR, Action.LEAVE: Owner.EDITOR,
}  # fmt: skip


def _place(shares: Shares) -> Text:
    return sentence("place", position=shares.position) if math.isfinite(shares.position) else sentence("not-shown")


def _rounded(position: float) -> float | None:
    return round(position, 1) if math.isfinite(position) else None
