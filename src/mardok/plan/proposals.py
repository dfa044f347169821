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

from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from fnmatch import fnmatchcase

import numpy as np

from mardok.compare.destinations import Destination
from mardok.compare.periods import DAYS_A_MONTH
from mardok.findings.groups import Group, group_id
from mardok.findings.keeper import PageStrength
from mardok.findings.promise import SERIES_PAGES
from mardok.plan.context import PlanContext, gain_basis
from mardok.plan.effort import effort_hours
from mardok.plan.gain import sum_of_gains
from mardok.plan.moves import Move
from mardok.plan.proposal import NO_GAIN, Gain, Proposal, Step
from mardok.sentences import (
    Listing,
    Sentence,
    Text,
    clauses,
    clipped,
    counted,
    listing,
    page_name,
    paragraph,
    path_of,
    quoted,
    reasoned,
    sentence,
    shares,
)
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.text.words import words
from mardok.urls import PRINT_MARK, AddressMark, is_home, matches, split_url, variant_form
from mardok.vocabulary import Action, Confidence, CopyRule, Evidence, GainUnit, GroupKind, StepKind, VariantRule


@dataclass(frozen=True, order=True)
class AddressRule:
    """How the addresses of some variants differ from those that stay."""

    rule: VariantRule
    value: str = ""
    """The parameter, or the scheme or host with the one that takes its place, such as ``http > https``."""

    @property
    def is_of_origin(self) -> bool:
        """Whether all addresses of an origin go to another by it: servers then need no list of addresses."""
        return self.rule == VariantRule.HOST or self == _TO_HTTPS

    @property
    def text(self) -> Sentence:
        """The rule as it is said."""
        old, _, new = self.value.partition(PLACE_TAKEN)
        return sentence(f"variant-rule.{self.rule}", value=self.value, old=old, new=new)


_MOST_SINGLE, _MOST_TOLD = 3, 50
"""Groups that are left for one reason, beyond which they are one proposal; and how many of them its basis names."""
_LEFT_APART = (CopyRule.DIFFERENT, CopyRule.MAYBE_ASKED_FOR)
"""Rules by which copies that promise different things are left."""
_MOSTLY = 0.5
"""Share of a text in boilerplate from which resemblance rests on it."""
_MOST_DIFFERENCES, _MOST_WORDS = 3, 4
"""Differences that are named, and words of each."""
_LONGEST_SLOT = 30
"""Characters of what is different in a title."""
PLACE_TAKEN = " > "
"""Stands in the value of a rule between a scheme or host and the one that takes its place."""
_TO_HTTPS = AddressRule(VariantRule.SCHEME, f"http{PLACE_TAKEN}https")


@dataclass(frozen=True)
class GroupDraft:
    """A proposal for a group before it is known what becomes of the pages it points at."""

    group: Group
    action: Action
    rule: CopyRule
    moved: tuple[Move, ...] = ()
    pattern: AddressRule | None = None
    """How the addresses differ, for variants."""
    stays: tuple[int, ...] = ()
    """Members of the group that must not be moved, told in one of its drafts."""


def group_drafts(
    site: Site, destinations: Sequence[Destination], groups: Iterable[Group], strength: PageStrength, settings: Settings
) -> list[GroupDraft]:
    """What to do about each group of variants or copies.

    Parameters
    ----------
    destinations : sequence of Destination
        Where the address of each page leads.
    groups : iterable of Group
        Variants and copies.
    strength : PageStrength
        What speaks for each page.
    """
    fixed = fixed_pages(site, destinations, settings)
    return [draft for group in groups for draft in _drafts(site, group, strength, settings, fixed)]


def group_proposals(drafts: Iterable[GroupDraft], context: PlanContext) -> list[Proposal]:
    """Drafts written out, those by rules of one kind as one proposal; in no particular order."""
    writer = _Writer(context)
    by_rules: dict[tuple[Action, bool], list[GroupDraft]] = defaultdict(list)
    proposals, different = [], []
    for draft in drafts:
        if draft.pattern is not None:
            by_rules[draft.action, draft.pattern.is_of_origin].append(draft)
        elif draft.rule in _LEFT_APART:
            different.append(writer.copies(draft))
        else:
            proposals.append(writer.copies(draft))
    if len(different) > _MOST_SINGLE:
        different = [_left_apart(different)]
    return [*proposals, *different, *(writer.variants(alike) for alike in by_rules.values())]


def _left_apart(proposals: Sequence[Proposal]) -> Proposal:
    """One proposal for many groups of copies that promise different things."""
    first = proposals[0]
    urls = tuple(sorted({url for one in proposals for url in one.urls}))
    return replace(
        first, id=group_id(f"{GroupKind.COPIES} apart", urls), keeper="", urls=urls,
        summary=sentence("copies.left.copies-different-many", n=len(proposals), pages=counted("page", len(urls))),
        why=reasoned(sentence("rivals.folded.example", first=first.why)),
        confidence=min((one.confidence for one in proposals), key=lambda confidence: confidence.rank),
        evidence=max((one.evidence for one in proposals), key=lambda evidence: evidence.rank),
        steps=tuple({step.url: step for one in proposals for step in one.steps}.values()),
        basis={"groups": [list(one.urls) for one in proposals[:_MOST_TOLD]], "n_groups": len(proposals)},
    )  # fmt: skip


def fixed_pages(site: Site, destinations: Sequence[Destination], settings: Settings) -> set[int]:
    """Pages that a home page sends on to: they stand in for it, and the home page is never moved.

    Parameters
    ----------
    destinations : sequence of Destination
        Where the address of each page leads.
    """
    passed = [
        url
        for destination, page in zip(destinations, site.pages, strict=True)
        if _is_home(page.url, settings)
        for url in destination.hops
    ]
    return {site.row_of[url] for url in passed if url in site.row_of and not _is_home(url, settings)}


def _is_home(url: str, settings: Settings) -> bool:
    return is_home(url, settings.variants)


def _drafts(
    site: Site, group: Group, strength: PageStrength, settings: Settings, fixed: Collection[int]
) -> list[GroupDraft]:
    is_variants = group.kind == GroupKind.VARIANTS
    movable = [
        row
        for row in group.members
        if _may_move(site, row, group.keeper, strength, settings)
        and row not in fixed
        and (is_variants or not _is_home(site.pages[row].url, settings))
    ]
    if group.are_alternates or not movable:
        rule = CopyRule.ALTERNATES if group.are_alternates else CopyRule.EXCEPTION
        return [GroupDraft(group, Action.LEAVE, rule)]
    if is_variants:
        drafts = _variant_drafts(site, group, movable, settings)
    elif group.promises_differ:
        drafts = _different_drafts(site, group, movable, strength, settings)
    else:
        drafts = _merge_drafts(site, group, movable, settings)
    stays = tuple(row for row in group.members if row not in movable)
    return [replace(drafts[0], stays=stays), *drafts[1:]]


def _different_drafts(
    site: Site, group: Group, movable: Sequence[int], strength: PageStrength, settings: Settings
) -> list[GroupDraft]:
    """What to do about copies that promise different things: they are told apart where searchers ask for them, else left.

    Only a series that nobody asked for by name in a good while becomes one page.
    """
    demand = strength.demand
    if demand is None:
        return [GroupDraft(group, Action.LEAVE, CopyRule.MAYBE_ASKED_FOR)]
    if demand is not None and set(_asked_for(group, strength, settings)) & set(movable):
        return [GroupDraft(replace(group, members=tuple(movable)), Action.REWRITE, CopyRule.ASKED_FOR)]
    is_long = demand is not None and demand.months * DAYS_A_MONTH >= settings.plan.series_days
    if group.pattern and len(group.rows) >= SERIES_PAGES and is_long:
        return _merge_drafts(site, group, movable, settings)
    return [GroupDraft(group, Action.LEAVE, CopyRule.DIFFERENT)]


def _merge_drafts(site: Site, group: Group, movable: Sequence[int], settings: Settings) -> list[GroupDraft]:
    reachable = {row for row in movable if matches(site.pages[row].url, settings.plan.keep_reachable)}
    merged = CopyRule.NOT_ASKED_FOR if group.promises_differ else CopyRule.SAME_PROMISE
    drafts = []
    for action, step, rule, rows in (
        (Action.MERGE, StepKind.REDIRECT, merged, [row for row in movable if row not in reachable]),
        (Action.CANONICAL, StepKind.CANONICAL, CopyRule.KEPT_REACHABLE, sorted(reachable)),
    ):
        if rows:
            moved = tuple(Move(row, step, group.keeper) for row in rows)
            drafts.append(GroupDraft(replace(group, members=tuple(rows)), action, rule, moved))
    return drafts


def _may_move(site: Site, row: int, keeper: int, strength: PageStrength, settings: Settings) -> bool:
    """Whether it is safe and of use to move a page onto a keeper, or to rewrite it beside one."""
    page, kept = site.pages[row], site.pages[keeper]
    is_foreign = bool(page.language and kept.language and page.language != kept.language)
    both_indexable = bool(strength.is_indexable[row] and strength.is_indexable[keeper])
    return both_indexable and not is_foreign and not matches(page.url, settings.plan.leave)


def _asked_for(group: Group, strength: PageStrength, settings: Settings) -> dict[int, dict[int, float]]:
    """For each page that searchers ask for by name: the queries (numbers) that say its slot, with impressions a month."""
    demand = strength.demand
    if demand is None or group.slots is None:
        return {}
    rows = demand.of(group.rows)
    shown, number = np.unique(rows.query, return_inverse=True)
    impressions = np.bincount(number, weights=rows.impressions, minlength=len(shown)) / demand.months
    asked: dict[int, dict[int, float]] = defaultdict(dict)
    for query, value in zip(shown.tolist(), impressions.tolist(), strict=True):
        text_words = f" {' '.join(words(demand.queries[query]))} "
        for row, slot in group.slots.items():
            if slot and f" {' '.join(words(slot))} " in text_words:
                asked[row][query] = value
    least = settings.search.minimum_slot_impressions
    return {row: queries for row, queries in asked.items() if sum(queries.values()) >= least}


def _variant_drafts(site: Site, group: Group, movable: Sequence[int], settings: Settings) -> list[GroupDraft]:
    by_rule: dict[tuple[Action, AddressRule], list[int]] = defaultdict(list)
    for row in movable:
        by_rule[address_rule(site.pages[row].url, site.pages[group.keeper].url, settings)].append(row)
    drafts = []
    for (action, pattern), rows in by_rule.items():
        is_merge = action == Action.MERGE
        step = StepKind.REDIRECT if is_merge else StepKind.CANONICAL
        rule = CopyRule.VARIANTS_REDIRECTED if is_merge else CopyRule.VARIANTS_REACHABLE
        moved = tuple(Move(row, step, group.keeper) for row in rows)
        drafts.append(GroupDraft(replace(group, members=tuple(rows)), action, rule, moved, pattern))
    return drafts


def address_rule(url: str, keeper: str, settings: Settings) -> tuple[Action, AddressRule]:
    """Action and rule by which an address goes to its keeper.

    Parameters
    ----------
    url : str
        Address of a variant.
    keeper : str
        Address of the page that stays.

    Examples
    --------
    >>> action, rule = address_rule("http://host.example/a?utm_source=x", "https://host.example/a", Settings())
    >>> action.value, rule.rule.value, rule.value
    ('canonical', 'parameter', 'utm_*')
    >>> action, rule = address_rule("http://host.example/a", "https://host.example/a", Settings())
    >>> action.value, rule.rule.value, rule.value
    ('merge', 'scheme', 'http > https')
    """
    form, kept = variant_form(url, settings.variants), variant_form(keeper, settings.variants)
    if set(form.reachable) - set(kept.reachable):
        name = min(set(form.reachable) - set(kept.reachable))
        if name == PRINT_MARK:
            return Action.CANONICAL, AddressRule(VariantRule.PRINT_VIEW)
        known = (pattern for pattern in settings.variants.reachable_parameters if fnmatchcase(name, pattern))
        return Action.CANONICAL, AddressRule(VariantRule.PARAMETER, next(known, name))
    if set(form.parameters) - set(kept.parameters):
        return Action.CANONICAL, AddressRule(VariantRule.PARAMETER, min(set(form.parameters) - set(kept.parameters))[0])
    return Action.MERGE, _writing_rule(url, keeper, settings)


def _writing_rule(url: str, keeper: str, settings: Settings) -> AddressRule:
    """How an address differs from its keeper's in scheme, host or path."""
    form, kept = variant_form(url, settings.variants), variant_form(keeper, settings.variants)
    here, there = split_url(url), split_url(keeper)
    if here.scheme != there.scheme:
        return AddressRule(VariantRule.SCHEME, f"{here.scheme}{PLACE_TAKEN}{there.scheme}")
    if here.netloc != there.netloc:
        return AddressRule(VariantRule.HOST, f"{here.netloc}{PLACE_TAKEN}{there.netloc}")
    if (AddressMark.INDEX_FILE in form.marks) != (AddressMark.INDEX_FILE in kept.marks):
        leaves_index_file = AddressMark.INDEX_FILE in form.marks
        return AddressRule(VariantRule.INDEX_FILE_TO_FOLDER if leaves_index_file else VariantRule.FOLDER_TO_INDEX_FILE)
    path, other = here.path.rstrip("/"), there.path.rstrip("/")
    if path.casefold() == other.casefold() and path != other:
        return AddressRule(VariantRule.LETTER_CASE)
    return AddressRule(VariantRule.SLASH_ADDED if there.path.endswith("/") else VariantRule.SLASH_REMOVED)


class _Writer:
    """Writes drafts out as proposals."""

    def __init__(self, context: PlanContext) -> None:
        self.context = context
        self.site, self.strength = context.site, context.strength
        self.settings, self.moves, self.url = context.settings, context.moves, context.url

    def variants(self, drafts: Sequence[GroupDraft]) -> Proposal:
        """One proposal for addresses that go by rules of one kind."""
        action = drafts[0].action
        rule_of = {move.row: draft.pattern for draft in drafts if draft.pattern is not None for move in draft.moved}
        text_of = {row: str(rule.text) for row, rule in rule_of.items()}
        moved = sorted(rule_of, key=lambda row: (text_of[row], row))
        keepers = sorted({self.moves.end_of(draft.group.keeper) for draft in drafts})
        members: dict[int, list[int]] = defaultdict(list)
        for draft in drafts:
            members[draft.group.keeper] += draft.group.members
        gains = [self.context.folded([keeper, *rows], rows) for keeper, rows in members.items()]
        in_clicks = [gain for gain in gains if gain.unit == GainUnit.CLICKS]
        gain = sum_of_gains(in_clicks or gains, (in_clicks or gains)[0].unit)
        is_identical = all(draft.group.is_identical for draft in drafts)
        steps = [
            replace(step, pattern=rule_of[row].rule, pattern_value=rule_of[row].value)
            if step.url == self.url(row) and step.step in (StepKind.REDIRECT, StepKind.CANONICAL)
            else step
            for row in moved
            for step in self.context.moving(row, rule_of[row].text)
        ]
        steps += [Step(self.url(row), StepKind.LEAVE, detail=sentence("keeper.as-it-is")) for row in keepers]
        steps += [step for draft in drafts for step in self._staying(draft)]
        urls = tuple(sorted(map(self.url, [*moved, *keepers])))
        rules = Counter(text_of[row] for row in moved)
        is_merge = action == Action.MERGE
        return Proposal(
            id=group_id(GroupKind.VARIANTS, urls), action=action, rule=drafts[0].rule,

            keeper=self.url(keepers[0]) if len(keepers) == 1 else "", urls=urls, gain=gain,
            effort_hours=effort_hours(steps, self.settings.plan.effort, n_rules=len(rules)),
            confidence=Confidence.HIGH if is_identical else Confidence.MEDIUM,
            evidence=Evidence.SEARCH if in_clicks else Evidence.TEXT,
            summary=sentence(
                f"variants.summary.{action}", addresses=counted("address", len(moved)),
                rules=sentence("variants.rules-count", n=len(rules), rules=listing(rules, most=len(rules))),
            ),
            why=reasoned(
                self._sameness_of_variants(moved, text_of, is_identical=is_identical),
                None if is_merge else sentence("variants.must-work", n=len(moved)),
                closing=[self.context.figures(gain, len(moved))],
            ),
            unless=sentence(f"variants.unless.{action}"), steps=tuple(steps),
            basis={"rules": dict(rules), "addresses": len(moved), "identical": is_identical, **gain_basis(gain)},
            is_by_pattern=True,
        )  # fmt: skip

    def _sameness_of_variants(self, moved: Sequence[int], text_of: Mapping[int, str], *, is_identical: bool) -> Sentence:
        """What addresses have in common with those they go to, with an example."""
        shown = sentence("variants.shows.identical" if is_identical else "variants.shows.near", n=len(moved))
        first_of = {text_of[row]: row for row in reversed(moved)}
        return sentence("variants.example", shown=shown, example=self._example(min(first_of.values())))

    def _example(self, row: int) -> Sentence:
        """An address and the one it goes to, without their origin if they have one in common."""
        here, there = self.url(row), self.url(self.moves.end_of(row))
        if split_url(here)[:2] == split_url(there)[:2]:
            here, there = page_name(here), page_name(there)
        return sentence("variants.case", here=here, there=there)

    def copies(self, draft: GroupDraft) -> Proposal:
        """The proposal for one group of copies."""
        if draft.action == Action.LEAVE:
            return self._leave(draft)
        return self._rewrite(draft) if draft.action == Action.REWRITE else self._merge(draft)

    def _merge(self, draft: GroupDraft) -> Proposal:
        group, is_merge = draft.group, draft.action == Action.MERGE
        gain = self.context.folded([group.keeper, *group.members], group.members)
        steps = [Step(self.url(group.keeper), StepKind.LEAVE, detail=sentence("keeper.stays", reason=group.reason))]
        for row in group.members:
            steps += self.context.unique_text(row, group.keeper) if is_merge else []
            detail = sentence("copies.step.identical" if row in group.identical else "copies.step.near")
            steps += self.context.moving(row, detail)
        steps += self._staying(draft)
        steps += self.context.mention_steps(group.keeper, group.rows) if is_merge else []
        n = len(group.members)
        copies = path_of(self.url(group.members[0])) if n == 1 else counted("copy", n)
        kept = path_of(self.url(group.keeper))
        but = None
        if group.promises_differ:
            slots = self._slots(group)
            steps.append(Step(self.url(group.keeper), StepKind.RETITLE, detail=sentence("copies.step.retitle", slots=slots)))
            but = sentence("copies.why.not-asked-for", slots=slots, least=self.settings.search.minimum_slot_impressions)
        return self._proposal(
            draft, gain, steps, sentence(f"copies.summary.{draft.action}", copies=copies, kept=kept),
            reasoned(
                self._sameness(group), self._decisive(group),
                sentence("copies.why.stays", kept=page_name(self.url(group.keeper)), reason=group.reason),
                closing=[but, self.context.figures(gain, n)],
            ),
            sentence(f"copies.unless.{CopyRule.NOT_ASKED_FOR if group.promises_differ else draft.rule}"), group.confidence,
        )  # fmt: skip

    def _staying(self, draft: GroupDraft) -> list[Step]:
        """A row for each page of the group that is left where it is."""
        return [Step(self.url(row), StepKind.LEAVE, detail=sentence("copies.step.stays")) for row in draft.stays]

    def _rewrite(self, draft: GroupDraft) -> Proposal:
        group = draft.group
        asked = _asked_for(group, self.strength, self.settings)
        shown = {row: sum(queries.values()) for row, queries in asked.items()}
        gain = self._rewrite_gain(asked)
        first = [row for row in group.members if row in asked]
        strongest = sentence("copies.step.strongest", reason=group.reason)
        steps = [Step(self.url(group.keeper), StepKind.LEAVE, detail=strongest)]
        for row in group.members:
            if row in first:
                steps.append(Step(self.url(row), StepKind.REWRITE, detail=self._rewrite_detail(group, row, shown.get(row))))
            else:
                steps.append(Step(self.url(row), StepKind.LEAVE, detail=sentence("copies.step.hardly-asked")))
        steps += self._staying(draft)
        shown_for = {"n": len(asked), "all": len(group.rows), "impressions": sum(shown.values())}
        reason = sentence("copies.why.asked-for", slots=self._slots(group), **shown_for)
        return self._proposal(
            draft, gain, steps,
            sentence(
                "copies.summary.rewrite-series" if group.pattern else "copies.summary.rewrite", n=len(first),
                all=len(group.rows), pattern=group.pattern,
            ),
            reasoned(
                self._sameness(group), closing=[reason, None if gain.is_evident else sentence("copies.no-gain")],
                last=sentence("copies.gain") if gain.is_evident else None,
            ),
            sentence(f"copies.unless.{draft.rule}"),
            Confidence.MEDIUM, evidence=Evidence.SEARCH,
            basis={"impressions_by_name": {self.url(row): round(value, 1) for row, value in sorted(shown.items())}},
        )  # fmt: skip

    def _rewrite_detail(self, group: Group, row: int, impressions: float | None) -> Text:
        slot = (group.slots or {}).get(row, "")
        parts = [sentence("copies.step.rewrite-slot", slot=slot) if slot else sentence("copies.step.rewrite")]
        if row in group.resemblance:
            kept = path_of(self.url(group.keeper))
            parts.append(sentence("copies.step.rewrite-share", share=group.resemblance[row], kept=kept))
        if impressions:
            parts.append(sentence("copies.step.rewrite-shown", impressions=impressions))
        return clauses(*parts)

    def _rewrite_gain(self, asked: Mapping[int, Mapping[int, float]]) -> Gain:
        return self.context.gains.of_names(asked) if self.context.gains is not None else NO_GAIN

    def _leave(self, draft: GroupDraft) -> Proposal:
        group = draft.group
        exception = sentence("copies.step.different" if draft.rule in _LEFT_APART else "copies.step.exception")
        steps = [Step(self.url(row), StepKind.LEAVE, detail=exception) for row in group.rows if not self.moves.is_moved(row)]
        noun = "hreflang-alternate" if group.are_alternates else "page"
        is_apart = draft.rule in _LEFT_APART
        why = sentence(f"copies.why.{draft.rule}", slots=self._slots(group) if is_apart else "")
        return self._proposal(
            draft, NO_GAIN, steps,
            sentence(f"copies.left.{draft.rule}", pages=counted(noun, len(group.rows))),
            reasoned(self._sameness(group), closing=[why]),
            sentence(f"copies.unless.{draft.rule}"), Confidence.HIGH,
        )  # fmt: skip

    def _proposal(
        self,
        draft: GroupDraft,
        gain: Gain,
        steps: Sequence[Step],
        summary: Text,
        why: Text,
        unless: Text,
        confidence: Confidence,
        evidence: Evidence | None = None,
        basis: Mapping[str, object] | None = None,
    ) -> Proposal:
        group = draft.group
        urls = tuple(sorted(map(self.url, group.rows)))
        # What is left side by side may have its keeper led elsewhere by another group: then nobody is keeper here.
        keeper = "" if self.moves.is_led_on(group.keeper) else self.url(group.keeper)
        figures = {
            "resemblance_to_keeper": {self.url(row): round(value, 6) for row, value in sorted(group.resemblance.items())},
            "identical": len(group.identical),
            **gain_basis(gain),
            **(basis or {}),
        }
        return Proposal(
            id=group_id(group.kind, urls), action=draft.action, rule=draft.rule, keeper=keeper, urls=urls,
            gain=gain, effort_hours=effort_hours(steps, self.settings.plan.effort), confidence=confidence,
            evidence=evidence or group.evidence, summary=summary, why=why, unless=unless, steps=tuple(steps), basis=figures,
        )  # fmt: skip

    def _sameness(self, group: Group) -> Text:
        n, kept = len(group.members), page_name(self.url(group.keeper))
        others = page_name(self.url(group.members[0])) if n == 1 else counted("page", n)
        if group.is_identical:
            return sentence("copies.why.identical", n=n, pages=others, kept=kept)
        near = [value for row, value in group.resemblance.items() if row in group.members]
        if not near:
            return sentence("copies.why.no-text", n=n, pages=others, kept=kept)
        pasted = min(self.context.pasted_share(row) for row in group.rows)
        return paragraph(
            sentence("copies.why.near", n=n, pages=others, kept=kept, shares=shares(near)),
            sentence("copies.boilerplate", share=pasted) if pasted >= _MOSTLY else None,
        )

    def _decisive(self, group: Group) -> Sentence | None:
        """The figures and the words of negation in which near copies differ: one of them can turn the sense."""
        kept = self.context.decisive_words(group.keeper)
        differences: list[Text] = []
        for row in group.members:
            if row in group.identical:
                continue
            own = self.context.decisive_words(row)
            for page, only in ((row, own - kept), (group.keeper, kept - own)):
                if only:
                    named = listing(map(quoted, sorted(only)), most=_MOST_WORDS)
                    differences.append(sentence("only-on", page=page_name(self.url(page)), words=named))
        if not differences:
            return None
        shown = clauses(*differences[:_MOST_DIFFERENCES])
        return sentence("copies.decisive", differences=shown)

    def _slots(self, group: Group) -> Listing:
        slots = sorted({slot for slot in (group.slots or {}).values() if slot})
        return listing([quoted(clipped(slot, _LONGEST_SLOT)) for slot in slots], most=4)
