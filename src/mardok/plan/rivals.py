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

from mardok.findings.groups import group_id
from mardok.findings.kinds import PageKinds
from mardok.findings.rivals import Contest, Rival, Rivalry
from mardok.plan.effort import effort_hours
from mardok.plan.moves import Move
from mardok.plan.proposal import Gain, Proposal, Step
from mardok.plan.wording import count, listed, path_of, percent
from mardok.plan.workbench import Workbench, gain_basis
from mardok.settings import Rivals, Settings
from mardok.tables import EVIDENCE
from mardok.text.site import Site
from mardok.urls import is_home, matches

_FIRST_PAGE = 10
_MOST_SINGLE = 5
"""Groups that are left, or looked into, for one reason, beyond which they are one proposal."""
_MOST_TOLD = 50


@dataclass(frozen=True)
class RivalDraft:
    """What to do about some pages beside one keeper."""

    rivalry: Rivalry
    action: str
    because: str
    """Name of the row of the table that matched."""
    rivals: tuple[Rival, ...]
    moved: tuple[Move, ...] = ()
    settled: tuple[int, ...] = ()
    """Further rivals that another proposal moves."""


def rival_drafts(
    site: Site,
    rivalries: Sequence[Rivalry],
    kinds: PageKinds,
    kept: Collection[int],
    moved: Collection[int],
    settings: Settings,
) -> list[RivalDraft]:
    """What to do about each group of rivals.

    Parameters
    ----------
    kept : collection of int
        Pages that copies are moved onto: they are not moved themselves.
    moved : collection of int
        Pages that go anyway.
    """
    drafts = []
    for rivalry in rivalries:
        by_action: dict[tuple[str, str], list[Rival]] = defaultdict(list)
        if rivalry.keeper in moved:
            continue
        settled = tuple(rival.row for rival in rivalry.rivals if rival.row in moved)
        for rival in rivalry.rivals:
            if rival.row in moved:
                continue
            action, because = _action(rival, rivalry, kinds, settings)
            url = site.pages[rival.row].url
            if action == "merge" and (rival.row in kept or is_home(url, settings.variants)):
                action, because = "rewrite", "others lead here"
            if action != "leave" and matches(url, settings.plan.leave):
                action, because = "leave", "exception"
            by_action[action, because].append(rival)
        for (action, because), rivals in by_action.items():
            goes = tuple(Move(rival.row, "redirect", rivalry.keeper) for rival in rivals) if action == "merge" else ()
            drafts.append(RivalDraft(rivalry, action, because, tuple(rivals), goes, settled))
    return drafts


def has_lost(contest: Contest, rules: Rivals) -> bool:
    """Whether two pages lost clicks on their common queries against the span before."""
    return lost(contest.clicks, contest.clicks_before, rules)


def lost(clicks: float, before: float, rules: Rivals) -> bool:
    """Whether so many clicks a month are a loss against those before."""
    return not math.isnan(before) and before - clicks >= max(rules.lost_clicks, rules.lost_share * before)


def _action(rival: Rival, rivalry: Rivalry, kinds: PageKinds, settings: Settings) -> tuple[str, str]:
    rules, contest = settings.rivals, rival.contest
    if contest is None:
        return "investigate", "wording only"
    takes_turns = contest.turns.changes >= rules.least_turns
    is_losing = has_lost(contest, rules)
    weeks = contest.turns.weeks
    leads = max(contest.turns.led.values(), default=0) / weeks if weeks else 0.0
    if contest.is_dated and leads >= rules.steady_lead and not is_losing and _leader_position(rival, rivalry) <= _FIRST_PAGE:
        return "leave", "leader in front"
    if contest.turns.both_on_first_page >= rules.first_page_share:
        return "leave", "both on the first page"
    if kinds.kind[rival.row] != kinds.kind[rivalry.keeper]:
        return "retitle", "different kinds"
    if not contest.is_dated:
        return "investigate", "no days"
    if contest.overlap >= rules.overlap and (takes_turns or is_losing):
        return "merge", "same intent"
    if takes_turns or is_losing:
        return "rewrite", "less overlap"
    return "leave", "nothing lost"


def _leader_position(rival: Rival, rivalry: Rivalry) -> float:
    contest = rival.contest
    if contest is None or not contest.turns.led:
        return math.inf
    leader = max(contest.turns.led, key=lambda row: (contest.turns.led[row], -row))
    return contest.position if leader == rivalry.keeper else contest.other_position


def rival_proposals(drafts: Sequence[RivalDraft], bench: Workbench) -> list[Proposal]:
    """Drafts written out, in no particular order."""
    alike: dict[tuple[str, str], list[RivalDraft]] = defaultdict(list)
    for draft in drafts:
        alike[draft.action, draft.because].append(draft)
    found = []
    for (action, _), same in alike.items():
        single = [_Writer(bench, draft).proposal() for draft in same]
        is_long = action in ("leave", "investigate") and len(single) > _MOST_SINGLE
        found += [_as_one(same, single, bench)] if is_long else single
    return found


def _as_one(drafts: Sequence[RivalDraft], single: Sequence[Proposal], bench: Workbench) -> Proposal:
    """One proposal for many groups that are left, or looked into, for one reason."""
    by_demand = sorted(range(len(drafts)), key=lambda at: (-_demand(drafts[at]), single[at].urls))
    first = single[by_demand[0]]
    urls = tuple(sorted({url for one in single for url in one.urls}))
    steps: dict[str, Step] = {}
    for at in by_demand:
        for step in single[at].steps:
            if step.url not in steps or steps[step.url].step == "leave":
                steps[step.url] = step
    n = count(len(single), "group of rivals", "groups of rivals")
    is_left = first.action == "leave"
    reason = _LEFT[drafts[0].because] if is_left else "only their wording is alike"
    return Proposal(
        id=group_id("rivals", urls), action=first.action, owner=first.owner, keeper="", urls=urls, gain=first.gain,
        effort_hours=effort_hours(
            [step for step in steps.values() if step.step == "investigate"], bench.settings.plan.effort
        ),
        confidence=first.confidence, evidence=max((one.evidence for one in single), key=EVIDENCE.index),
        summary=f"{'Leave' if is_left else 'Look into'} {n}: {reason}",
        why=f"{'The most searched for' if first.evidence == 'search' else 'For example'}: {first.why}",
        unless=first.unless, steps=tuple(steps.values()),
        basis={
            "row": drafts[0].because,
            "groups": [
                {"phrase": drafts[at].rivalry.phrase, "pages": list(single[at].urls)} for at in by_demand[:_MOST_TOLD]
            ],
        },
    )  # fmt: skip


def _demand(draft: RivalDraft) -> float:
    return sum(rival.contest.impressions for rival in draft.rivals if rival.contest)


class _Writer:
    def __init__(self, bench: Workbench, draft: RivalDraft) -> None:
        self.bench, self.draft = bench, draft
        self.keeper = draft.rivalry.keeper
        self.rows = [rival.row for rival in draft.rivals]
        self.kept = path_of(bench.url(self.keeper))
        asked = [rival.contest for rival in draft.rivals if rival.contest]
        self.phrase = max(asked, key=lambda one: one.impressions).queries[0] if asked else draft.rivalry.phrase

    def proposal(self) -> Proposal:
        """The draft written out."""
        draft, bench = self.draft, self.bench
        contests = [rival.contest for rival in draft.rivals if rival.contest]
        gain = self._gain(bool(contests))
        steps = [Step(bench.url(self.keeper), "leave", detail=self._keeper_detail())]
        for rival in draft.rivals:
            steps += self._steps(rival)
        if draft.action in ("merge", "rewrite", "retitle"):
            steps += bench.mention_steps(self.keeper, draft.rivalry.rows)
        urls = tuple(sorted(map(bench.url, [self.keeper, *self.rows])))
        evidence = max((rival.evidence for rival in draft.rivals), key=EVIDENCE.index)
        return Proposal(
            id=group_id("rivals", urls), action=draft.action, owner=_OWNER[draft.action], keeper=bench.url(self.keeper),
            urls=urls, gain=gain, effort_hours=effort_hours(steps, bench.settings.plan.effort),
            confidence=self._confidence(contests), evidence=evidence, summary=self._summary(),
            why=" ".join(filter(None, [self._why(), self._decision(contests), self._gain_text(gain)])),
            unless=_UNLESS[draft.because], steps=tuple(steps),
            basis={
                "phrase": self.phrase,
                "row": draft.because,
                "rivals": {bench.url(rival.row): self._basis(rival) for rival in draft.rivals},
                **gain_basis(gain),
            },
        )  # fmt: skip

    def _gain(self, is_searched: bool) -> Gain:
        action = self.draft.action
        if action in ("leave", "investigate") or not is_searched:
            return Gain(0.0, 0.0, "clicks/month" if is_searched else "link weight")
        merged = self.bench.gain([self.keeper, *self.rows], self.rows)
        if action == "merge" or merged.unit != "clicks/month":
            return merged
        # Both pages stay: nothing is lost, and at best each is found where one of them leads today.
        return Gain(0.0, max(merged.high, 0.0), "clicks/month", n_queries=merged.n_queries, impressions=merged.impressions)

    def _confidence(self, contests: Sequence[Contest]) -> str:
        if self.draft.action == "leave":
            return "medium"
        if not contests:
            return "low"
        rules = self.bench.settings.rivals
        both = all(contest.turns.changes >= rules.least_turns and has_lost(contest, rules) for contest in contests)
        return "high" if both and self.draft.action == "merge" else "medium" if contests[0].is_dated else "low"

    def _keeper_detail(self) -> str:
        role = "keeper: stays" if self.draft.action == "merge" else "the stronger page"
        return f"{role}, because {self.draft.rivalry.reason}"

    def _steps(self, rival: Rival) -> list[Step]:
        bench, action, row = self.bench, self.draft.action, rival.row
        phrase = self.phrase
        if action == "merge":
            return [*bench.unique_text(row, self.keeper), *bench.moving(row, f"rival for {phrase!r}")]
        url = bench.url(row)
        if action == "rewrite":
            contest = rival.contest
            own = ""
            if contest is not None:
                share = percent(1 - contest.overlap)
                own = f"; {share} of its {contest.overlap_in} come from other queries: write for those"
            return [
                Step(url, "rewrite", detail=f"leave {phrase!r} to {self.kept}{own}"),
                Step(url, "relink", bench.url(self.keeper), f"link to it where {phrase!r} is spoken of"),
            ]
        if action == "retitle":
            return [
                Step(url, "retitle", detail=f"title, H1 and description say what only this page is for, without {phrase!r}"),
                Step(url, "relink", bench.url(self.keeper), f"link to it with the words {phrase!r}"),
            ]
        if action == "investigate":
            return [
                Step(url, "investigate", detail=f"does it serve the same searcher as {self.kept}? If so retitle one of them")
            ]
        return [Step(url, "leave", detail=_LEFT[self.draft.because])]

    def _summary(self) -> str:
        others = path_of(self.bench.url(self.rows[0])) if len(self.rows) == 1 else count(len(self.rows), "page")
        phrase = self.phrase
        return {
            "merge": f"Merge {others} into {self.kept}: both compete for '{phrase}'",
            "rewrite": f"Rewrite {others} apart from {self.kept}: both compete for '{phrase}'",
            "retitle": f"Retitle {others}: {self.kept} is the page for '{phrase}'",
            "investigate": f"Look into {others} and {self.kept}: both promise '{phrase}'",
            "leave": f"Leave {others} beside {self.kept} for '{phrase}'",
        }[self.draft.action]

    def _why(self) -> str:
        said = [self._said(rival) for rival in self.draft.rivals[:3]]
        more = len(self.draft.rivals) - 3
        said += [f"{more} more are told in the basis."] if more > 0 else []
        if self.draft.settled:
            gone = listed([path_of(self.bench.url(row)) for row in self.draft.settled])
            said.append(f"{gone} would be among them, but gives way: a proposal for copies moves it.")
        return " ".join(said)

    def _said(self, rival: Rival) -> str:
        """What is known of one page beside the keeper."""
        path, contest = path_of(self.bench.url(rival.row)), rival.contest
        parts = []
        if contest is not None:
            queries = listed([f"'{query}'" for query in contest.queries])
            n = count(len(contest.queries), "query", "queries")
            parts.append(
                f"Search shows {path} and {self.kept} for {n} ({queries}; {contest.impressions:,.0f} impressions a "
                f"month), at mean positions {contest.other_position:.1f} and {contest.position:.1f}."
            )
            if contest.turns.weeks:
                parts.append(
                    f"One page was clearly ahead in {count(contest.turns.weeks, 'week')}, summed over the queries, "
                    f"{self.kept} in {contest.turns.led.get(self.keeper, 0)} of them; the lead changed "
                    f"{count(contest.turns.changes, 'time')}."
                )
            parts.append(f"{percent(contest.overlap)} of the {contest.overlap_in} of {path} come from these queries.")
            spans = self.bench.standing.demand.spans if self.bench.standing.demand else None
            if spans is not None and not math.isnan(contest.clicks_before):
                parts.append(
                    f"Together they get {contest.clicks:.1f} clicks a month on them, {contest.clicks_before:.1f} "
                    f"{spans.told}."
                )
        if rival.wording:
            promised = " and ".join(rival.wording)
            begin = "They" if contest is not None else f"{path} and {self.kept}"
            parts.append(f"{begin} have the same {promised} but for order, endings and words such as 'guide'.")
        if rival.resemblance:
            parts.append(f"{percent(rival.resemblance)} of their wording is common.")
        return " ".join(parts)

    def _decision(self, contests: Sequence[Contest]) -> str:
        draft, bench = self.draft, self.bench
        kept = f"{self.kept} stays, because {draft.rivalry.reason}."
        if draft.because == "wording only":
            known = (
                "search data shows them for no query together"
                if bench.standing.demand is not None
                else "there is no search data"
            )
            return f"Only wording speaks for it, and {known}: nothing is to be merged on that."
        if draft.because == "both on the first page":
            share = min(contest.turns.both_on_first_page for contest in contests)
            told = f"Both stand in the first ten places at once in {percent(share)} of the impressions"
            return f"{told}: two results are better than one."
        if draft.because == "different kinds":
            return f"They are of different kinds and serve different searchers, so neither goes. {kept}"
        return {
            "leader in front": "One of them leads steadily and nothing was lost: what works is not touched.",
            "nothing lost": "They do not take turns and nothing was lost: what works is not touched.",
            "exception": "An exception in the settings (plan.leave) holds.",
            "no days": "The search data has no days, so nobody can tell whether they take turns.",
            "same intent": kept,
            "less overlap": f"Most of what the weaker page brings comes from elsewhere, so it keeps its place. {kept}",
            "others lead here": f"Copies are merged into the weaker page, so it keeps its address. {kept}",
        }[draft.because]

    def _gain_text(self, gain: Gain) -> str:
        if self.draft.action == "merge":
            return self.bench.figures(gain, len(self.rows)).strip()
        if gain.high > 0:
            return "The upper figure is what one leader for these queries would bring."
        return "" if self.draft.action == "leave" else "No evidence of a gain."

    def _basis(self, rival: Rival) -> dict[str, object]:
        contest = rival.contest
        found: dict[str, object] = {"wording": list(rival.wording), "resemblance": round(rival.resemblance, 6)}
        if contest is None:
            return found
        return {
            **found,
            "queries": list(contest.queries[:10]),
            "n_queries": len(contest.queries),
            "impressions": round(contest.impressions, 1),
            "overlap": round(contest.overlap, 6),
            "overlap_in": contest.overlap_in,
            "lead_changes": contest.turns.changes,
            "weeks_with_leader": contest.turns.weeks,
            "weeks_led": {self.bench.url(row): n for row, n in contest.turns.led.items()},
            "both_on_first_page": round(contest.turns.both_on_first_page, 6),
            "clicks": round(contest.clicks, 1),
            "clicks_before": None if math.isnan(contest.clicks_before) else round(contest.clicks_before, 1),
            "positions": [round(contest.position, 1), round(contest.other_position, 1)],
        }


_OWNER = {"merge": "editor", "rewrite": "writer", "retitle": "writer", "investigate": "editor", "leave": "editor"}
_LEFT = {
    "leader in front": "one page leads steadily: what works is not touched",
    "both on the first page": "both stand on the first page",
    "nothing lost": "nothing was lost: what works is not touched",
    "exception": "an exception (plan.leave)",
}
_UNLESS = {
    "wording only": "search data shows both for one query, taking turns; then audit again with --search",
    "leader in front": "the leader begins to change, or clicks are lost",
    "both on the first page": "one of them drops out of the first ten places, or sends visitors away",
    "different kinds": "both answer the same question after all; then merge the weaker",
    "no days": "dated search data shows that they take turns or lose clicks",
    "nothing lost": "the leader begins to change, or clicks are lost",
    "same intent": "the weaker page answers a question that the keeper cannot take over; then rewrite it apart",
    "less overlap": "nearly all that the weaker page brings comes from the common queries; then merge it",
    "others lead here": "its address need not stay; then merge it too",
    "exception": "the exception no longer holds",
}
