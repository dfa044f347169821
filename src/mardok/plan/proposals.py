"""From groups to proposals: which action, which steps, in which words.

In:  groups with their keepers, what stands for each page, search data.
Out: one proposal for each group of copies, and one for each kind of variants.

The actions are the rows of the design's table for variants and copies: variants that must go on working get a canonical,
others a redirect, by one rule a pattern, whose rules for origins, for writings of an address and for parameters are one
proposal each; copies that promise the same are merged, or get a canonical where both must stay
reachable; copies that promise different things are rewritten apart if searchers ask for them, and merged if search data
shows that nobody does; hreflang alternates are left.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from fnmatch import fnmatchcase

import numpy as np

from mardok.compare.destinations import Destination
from mardok.findings.groups import Group, group_id
from mardok.findings.keeper import Standing
from mardok.plan.effort import effort_hours
from mardok.plan.gain import gain_of_names
from mardok.plan.moves import Move
from mardok.plan.proposal import Gain, Proposal, Step
from mardok.plan.wording import count, listed, path_of, percent, percent_range
from mardok.plan.workbench import Workbench, gain_basis
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.text.words import words
from mardok.urls import is_home, matches, split_url, variant_form

ORIGIN_RULE = re.compile(r"http to https|host \S+ to \S+")
"""Rules by which all addresses of an origin go to another."""


@dataclass(frozen=True)
class GroupDraft:
    """A proposal for a group before it is known what becomes of the pages it points at."""

    group: Group
    action: str
    moved: tuple[Move, ...] = ()
    rule: str = ""
    """Pattern of addresses, for variants."""
    stays: tuple[int, ...] = ()
    """Members of the group that must not be moved, told in one of its drafts."""


def group_drafts(
    site: Site, ways: Sequence[Destination], groups: Iterable[Group], standing: Standing, settings: Settings
) -> list[GroupDraft]:
    """What to do about each group of variants or copies."""
    fixed = fixed_pages(site, ways, settings)
    return [draft for group in groups for draft in _drafts(site, group, standing, settings, fixed)]


def group_proposals(drafts: Iterable[GroupDraft], bench: Workbench) -> list[Proposal]:
    """Drafts written out, those by rules of one kind as one proposal; in no particular order."""
    writer = _Writer(bench)
    by_rules: dict[tuple[str, bool], list[GroupDraft]] = defaultdict(list)
    proposals = []
    for draft in drafts:
        if draft.rule:
            by_rules[draft.action, bool(ORIGIN_RULE.fullmatch(draft.rule))].append(draft)
        else:
            proposals.append(writer.copies(draft))
    return proposals + [writer.variants(alike) for alike in by_rules.values()]


def fixed_pages(site: Site, ways: Sequence[Destination], settings: Settings) -> set[int]:
    """Pages that a home page sends on to: they stand in for it, and the home page is never moved."""
    passed = [url for way, page in zip(ways, site.pages, strict=True) if _is_home(page.url, settings) for url in way.hops]
    return {site.row_of[url] for url in passed if url in site.row_of and not _is_home(url, settings)}


def _is_home(url: str, settings: Settings) -> bool:
    return is_home(url, settings.variants)


def _drafts(site: Site, group: Group, standing: Standing, settings: Settings, fixed: Collection[int]) -> list[GroupDraft]:
    is_variants = group.kind == "variants"
    movable = [
        row
        for row in group.members
        if _may_move(site, row, group.keeper, standing, settings)
        and row not in fixed
        and (is_variants or not _is_home(site.pages[row].url, settings))
    ]
    if group.are_alternates or not movable:
        return [GroupDraft(group, "leave")]
    if is_variants:
        drafts = _variant_drafts(site, group, movable, settings)
    elif group.promises_differ and (standing.demand is None or _asked_for(group, standing, settings)):
        drafts = [GroupDraft(replace(group, members=tuple(movable)), "rewrite")]
    else:
        drafts = _merge_drafts(site, group, movable, settings)
    stays = tuple(row for row in group.members if row not in movable)
    return [replace(drafts[0], stays=stays), *drafts[1:]]


def _merge_drafts(site: Site, group: Group, movable: Sequence[int], settings: Settings) -> list[GroupDraft]:
    reachable = {row for row in movable if matches(site.pages[row].url, settings.plan.keep_reachable)}
    drafts = []
    for action, step, rows in (
        ("merge", "redirect", [row for row in movable if row not in reachable]),
        ("canonical", "canonical", sorted(reachable)),
    ):
        if rows:
            moved = tuple(Move(row, step, group.keeper) for row in rows)
            drafts.append(GroupDraft(replace(group, members=tuple(rows)), action, moved))
    return drafts


def _may_move(site: Site, row: int, keeper: int, standing: Standing, settings: Settings) -> bool:
    """Whether it is safe and of use to move a page onto a keeper, or to rewrite it beside one."""
    page, kept = site.pages[row], site.pages[keeper]
    is_foreign = bool(page.language and kept.language and page.language != kept.language)
    both_indexable = bool(standing.is_indexable[row] and standing.is_indexable[keeper])
    return both_indexable and not is_foreign and not matches(page.url, settings.plan.leave)


def _asked_for(group: Group, standing: Standing, settings: Settings) -> dict[int, dict[int, float]]:
    """For each page that searchers ask for by name: the queries (numbers) that say its slot, with impressions a month."""
    demand = standing.demand
    if demand is None or group.slots is None:
        return {}
    rows = demand.of(group.rows)
    shown, number = np.unique(rows.query, return_inverse=True)
    impressions = np.bincount(number, weights=rows.impressions, minlength=len(shown)) / demand.months
    asked: dict[int, dict[int, float]] = defaultdict(dict)
    for query, value in zip(shown.tolist(), impressions.tolist(), strict=True):
        said = f" {' '.join(words(demand.queries[query]))} "
        for row, slot in group.slots.items():
            if slot and f" {' '.join(words(slot))} " in said:
                asked[row][query] = value
    least = settings.search.minimum_slot_impressions
    return {row: queries for row, queries in asked.items() if sum(queries.values()) >= least}


def _variant_drafts(site: Site, group: Group, movable: Sequence[int], settings: Settings) -> list[GroupDraft]:
    by_rule: dict[tuple[str, str], list[int]] = defaultdict(list)
    for row in movable:
        by_rule[variant_rule(site.pages[row].url, site.pages[group.keeper].url, settings)].append(row)
    drafts = []
    for (action, rule), rows in by_rule.items():
        step = "redirect" if action == "merge" else "canonical"
        moved = tuple(Move(row, step, group.keeper) for row in rows)
        drafts.append(GroupDraft(replace(group, members=tuple(rows)), action, moved, rule))
    return drafts


def variant_rule(url: str, keeper: str, settings: Settings) -> tuple[str, str]:
    """Action and pattern by which an address goes to its keeper.

    Examples
    --------
    >>> variant_rule("http://host.example/a?utm_source=x", "https://host.example/a", Settings())
    ('canonical', 'parameter utm_*')
    >>> variant_rule("http://host.example/a", "https://host.example/a", Settings())
    ('merge', 'http to https')
    """
    form, kept = variant_form(url, settings.variants), variant_form(keeper, settings.variants)
    if set(form.reachable) - set(kept.reachable):
        name = min(set(form.reachable) - set(kept.reachable))
        known = (pattern for pattern in settings.variants.reachable_parameters if fnmatchcase(name, pattern))
        return "canonical", "print view" if name == "print" else f"parameter {next(known, name)}"
    if set(form.parameters) - set(kept.parameters):
        return "canonical", f"parameter {min(set(form.parameters) - set(kept.parameters))[0]}"
    here, there = split_url(url), split_url(keeper)
    if here.scheme != there.scheme:
        return "merge", f"{here.scheme} to {there.scheme}"
    if here.netloc != there.netloc:
        return "merge", f"host {here.netloc} to {there.netloc}"
    if ("index file" in form.marks) != ("index file" in kept.marks):
        return "merge", "index file to folder" if "index file" in form.marks else "folder to index file"
    if here.path.rstrip("/").casefold() == there.path.rstrip("/").casefold() and here.path.rstrip("/") != there.path.rstrip(
        "/"
    ):
        return "merge", "letter case"
    return "merge", "slash at the end" if there.path.endswith("/") else "no slash at the end"


class _Writer:
    """Writes drafts out as proposals."""

    def __init__(self, bench: Workbench) -> None:
        self.bench = bench
        self.site, self.standing, self.curve = bench.site, bench.standing, bench.curve
        self.settings, self.moves, self.url = bench.settings, bench.moves, bench.url

    def variants(self, drafts: Sequence[GroupDraft]) -> Proposal:
        """One proposal for addresses that go by rules of one kind."""
        action = drafts[0].action
        rule_of = {move.row: draft.rule for draft in drafts for move in draft.moved}
        moved = sorted(rule_of, key=lambda row: (rule_of[row], row))
        keepers = sorted({self.moves.end_of(draft.group.keeper) for draft in drafts})
        members: dict[int, list[int]] = defaultdict(list)
        for draft in drafts:
            members[draft.group.keeper] += draft.group.members
        gains = [self.bench.gain([keeper, *rows], rows) for keeper, rows in members.items()]
        in_clicks = [gain for gain in gains if gain.unit == "clicks/month"]
        summed = in_clicks or gains
        gain = Gain(
            sum(g.low for g in summed), sum(g.high for g in summed), summed[0].unit,
            sum(g.at_risk for g in summed), sum(g.n_queries for g in summed), sum(g.impressions for g in summed),
        )  # fmt: skip
        identical = all(draft.group.is_identical for draft in drafts)
        steps = [step for row in moved for step in self.bench.moving(row, rule_of[row])]
        steps += [Step(self.url(row), "leave", detail="keeper: stays as it is") for row in keepers]
        steps += [step for draft in drafts for step in self._staying(draft)]
        urls = tuple(sorted(map(self.url, [*moved, *keepers])))
        rules = Counter(rule_of[row] for row in moved)
        n = count(len(moved), "address", "addresses")
        by = f"{'one rule' if len(rules) == 1 else f'{len(rules)} rules'}: {listed(list(rules), most=len(rules))}"
        why = self._sameness_of_variants(moved, rule_of, is_identical=identical)
        if action == "canonical":
            they = "It" if len(moved) == 1 else "They"
            why += f" {they} must go on working for people and tools; a canonical settles which address counts."
        why += self.bench.figures(gain, len(moved))
        unless = (
            "one of them has to show something else; then exclude it in the settings (plan.leave)"
            if action == "canonical"
            else "something outside the site needs the old address to answer without a redirect"
        )
        return Proposal(
            id=group_id("variants", urls), action=action, owner="server" if action == "merge" else "developer",
            keeper=self.url(keepers[0]) if len(keepers) == 1 else "", urls=urls, gain=gain,
            effort_hours=effort_hours(steps, self.settings.plan.effort, n_rules=len(rules)),
            confidence="high" if identical else "medium", evidence="search" if in_clicks else "text",
            summary=f"Redirect {n}, {by}" if action == "merge" else f"Give {n} a canonical, {by}",
            why=why, unless=unless, steps=tuple(steps),
            basis={"rules": dict(rules), "addresses": len(moved), "identical": identical, **gain_basis(gain)},
        )  # fmt: skip

    def _sameness_of_variants(self, moved: Sequence[int], rule_of: Mapping[int, str], *, is_identical: bool) -> str:
        """What addresses have in common with those they go to, with an example of each rule."""
        n, same = count(len(moved), "address", "addresses"), "the identical text" if is_identical else "the same text"
        answers = "answers 200 and shows" if len(moved) == 1 else "answer 200 and show"
        but = "" if is_identical else " but for a few words"
        shown = f"{n} {answers} {same} as another address of the same page{but}"
        examples = {rule_of[row]: self._example(row) for row in reversed(moved)}
        if len(examples) == 1:
            return f"{shown}, for example {next(iter(examples.values()))}."
        counts = Counter(rule_of[row] for row in moved)
        return f"{shown}: {'; '.join(f'{rule} ({n}), for example {examples[rule]}' for rule, n in counts.items())}."

    def _example(self, row: int) -> str:
        """An address and the one it goes to, without their origin if they have one in common."""
        here, there = self.url(row), self.url(self.moves.end_of(row))
        is_one_origin = split_url(here)[:2] == split_url(there)[:2]
        return f"{path_of(here)} and {path_of(there)}" if is_one_origin else f"{here} and {there}"

    def copies(self, draft: GroupDraft) -> Proposal:
        """The proposal for one group of copies."""
        if draft.action == "leave":
            return self._leave(draft.group)
        return self._rewrite(draft) if draft.action == "rewrite" else self._merge(draft)

    def _merge(self, draft: GroupDraft) -> Proposal:
        group, is_merge = draft.group, draft.action == "merge"
        rows = [group.keeper, *group.members]
        gain = self.bench.gain(rows, group.members)
        steps = [Step(self.url(group.keeper), "leave", detail=f"keeper: stays, because {group.reason}")]
        for row in group.members:
            steps += self.bench.unique_text(row, group.keeper) if is_merge else []
            steps += self.bench.moving(row, "identical text" if row in group.identical else "near copy")
        steps += self._staying(draft)
        steps += self.bench.mention_steps(group.keeper, group.rows) if is_merge else []
        n = len(group.members)
        copies = path_of(self.url(group.members[0])) if n == 1 else count(n, "copy", "copies")
        kept = path_of(self.url(group.keeper))
        summary = f"Merge {copies} into {kept}" if is_merge else f"Name {kept} as canonical on {copies}"
        why = f"{self._sameness(group)} {kept} stays, because {group.reason}."
        unless = "both have to stay reachable; then a canonical does (setting plan.keep_reachable)"
        if group.promises_differ:
            steps.append(Step(self.url(group.keeper), "retitle", detail=f"name all of them: {self._slots(group)}"))
            why += (
                f" Their titles promise different things ({self._slots(group)}), but search data shows fewer than "
                f"{self.settings.search.minimum_slot_impressions:g} impressions a month for queries that name any of them."
            )
            unless = "searchers do ask for each of them elsewhere; then rewrite the pages apart"
        elif not is_merge:
            unless = "they need not stay reachable; then redirect them"
        why += self.bench.figures(gain, n)
        moves_text = any(step.step == "move_text" for step in steps)
        return self._proposal(
            group, draft.action, "developer" if not is_merge else "editor" if moves_text else "server", gain, steps,
            summary, why, unless, group.confidence,
        )  # fmt: skip

    def _staying(self, draft: GroupDraft) -> list[Step]:
        """A row for each page of the group that is left where it is."""
        return [
            Step(self.url(row), "leave", detail="stays: a home page, an exception (plan.leave), or not indexable anyway")
            for row in draft.stays
        ]

    def _rewrite(self, draft: GroupDraft) -> Proposal:
        group = draft.group
        asked = _asked_for(group, self.standing, self.settings)
        shown = {row: sum(queries.values()) for row, queries in asked.items()}
        gain = self._rewrite_gain(asked)
        first = [row for row in group.members if row in asked or not asked]
        steps = [Step(self.url(group.keeper), "leave", detail=f"strongest of the group, because {group.reason}")]
        for row in group.members:
            if row in first:
                steps.append(Step(self.url(row), "rewrite", detail=self._rewrite_detail(group, row, shown.get(row))))
            else:
                steps.append(Step(self.url(row), "leave", detail="hardly any query names it: not worth rewriting yet"))
        steps += self._staying(draft)
        what = f"pages '{group.pattern}'" if group.pattern else "pages"
        why = f"{self._sameness(group)} Their titles promise different things ({self._slots(group)}), so a merge loses pages"
        unless = "nobody searches for them one by one; then merge them into one page that names them all"
        if asked:
            why += (
                f" that searchers ask for: queries that name {len(asked)} of the {len(group.rows)} are shown "
                f"{sum(shown.values()):,.0f} times a month."
            )
            unless = "the offer is the same everywhere; then one page that names them all serves better"
        else:
            why += " that searchers may ask for; without search data nobody can tell."
        if gain.is_evident:
            why += " The upper figure is what it brings if each comes as far for its name as the best of them does."
        else:
            why += " No evidence of a gain in clicks."
        return self._proposal(
            group, "rewrite", "writer", gain, steps,
            f"Rewrite {len(first)} of {len(group.rows)} {what} apart: their text is pasted",
            why, unless, "medium" if asked else "low", evidence="search" if asked else "text",
            basis={"impressions_by_name": {self.url(row): round(value, 1) for row, value in sorted(shown.items())}},
        )  # fmt: skip

    def _rewrite_detail(self, group: Group, row: int, impressions: float | None) -> str:
        slot = (group.slots or {}).get(row, "")
        detail = f"say what holds for {slot!r} only" if slot else "say what only this page is about"
        if row in group.resemblance:
            detail += f"; {percent(group.resemblance[row])} of the wording is that of {path_of(self.url(group.keeper))}"
        return detail + (f"; queries that name it: {impressions:,.0f} impressions a month" if impressions else "")

    def _rewrite_gain(self, asked: Mapping[int, Mapping[int, float]]) -> Gain:
        if self.standing.demand is None or self.curve is None:
            return Gain(0.0, 0.0, "link weight")
        return gain_of_names(self.standing.demand, self.curve, asked)

    def _leave(self, group: Group) -> Proposal:
        if group.are_alternates:
            reason = (
                "The pages name each other as hreflang alternates of one language: the same text for two regions is meant."
            )
            unless = "the regions need not differ; then one page serves both"
            summary = f"Leave {count(len(group.rows), 'hreflang alternate')} with one text"
        else:
            reason = "None may be moved: an exception in the settings (plan.leave), a home page, or not indexable anyway."
            unless = "the exception no longer holds, or the pages become indexable"
            summary = f"Leave {count(len(group.rows), 'page')} with one text: an exception holds"
        steps = [Step(self.url(row), "leave", detail="exception") for row in group.rows if not self.moves.is_moved(row)]
        return self._proposal(
            group, "leave", "editor", Gain(0.0, 0.0, "link weight"), steps, summary,
            f"{self._sameness(group)} {reason}", unless, "high",
        )  # fmt: skip

    def _proposal(
        self,
        group: Group,
        action: str,
        owner: str,
        gain: Gain,
        steps: Sequence[Step],
        summary: str,
        why: str,
        unless: str,
        confidence: str,
        evidence: str | None = None,
        basis: Mapping[str, object] | None = None,
    ) -> Proposal:
        urls = tuple(sorted(map(self.url, group.rows)))
        # What is left side by side may have its keeper moved by another group: then nobody is keeper here.
        keeper = "" if self.moves.is_moved(group.keeper) else self.url(group.keeper)
        figures = {
            "resemblance_to_keeper": {self.url(row): round(value, 6) for row, value in sorted(group.resemblance.items())},
            "identical": len(group.identical),
            **gain_basis(gain),
            **(basis or {}),
        }
        return Proposal(
            id=group_id(group.kind, urls), action=action, owner=owner, keeper=keeper, urls=urls, gain=gain,
            effort_hours=effort_hours(steps, self.settings.plan.effort), confidence=confidence,
            evidence=evidence or group.evidence, summary=summary, why=why, unless=unless, steps=tuple(steps), basis=figures,
        )  # fmt: skip

    def _sameness(self, group: Group) -> str:
        others = count(len(group.members), "page shows", "pages show")
        target = path_of(self.url(group.keeper))
        if group.is_identical:
            return f"{others} word for word the text of {target}."
        near = [value for row, value in group.resemblance.items() if row in group.members]
        if not near:
            return f"{count(len(group.members), 'page shows', 'pages show')} no text, like {target}."
        return f"{others} nearly the text of {target}: {percent_range(near)} of the wording (runs of three words) is common."

    def _slots(self, group: Group) -> str:
        slots = sorted({slot for slot in (group.slots or {}).values() if slot})
        return listed([f"'{slot}'" for slot in slots], most=4)
