"""All proposals of a plan, their moves settled together.

In:  what was found: groups, rivals, thin pages, pasted texts, the site's name, checks.
Out: proposals in no particular order.

Groups of variants and copies come first, then contained pages, rivals and thin pages: a page that one of them moves, or that
others are moved onto, is not moved by a later one (:mod:`mardok.plan.reservations`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.findings.attribution import WordAttribution
from mardok.findings.facts import SiteFacts
from mardok.findings.groups import untranslated_guests
from mardok.findings.page_check import PageCheck
from mardok.findings.phrase_analysis import PhraseAnalysis
from mardok.findings.rival_analysis import RivalAnalysis
from mardok.findings.thin_analysis import ThinAnalysis
from mardok.findings.unanswered import unsaid_words
from mardok.plan.addresses import filter_proposals, translate_proposals
from mardok.plan.contained import (
    ContainedDraft,
    ManualDraft,
    contained_drafts,
    contained_proposals,
    manual_drafts,
    manual_proposals,
)
from mardok.plan.context import PlanContext
from mardok.plan.gain import GainModel, click_curve
from mardok.plan.links import link_proposals
from mardok.plan.moves import Moves
from mardok.plan.proposal import Proposal
from mardok.plan.proposals import GroupDraft, fixed_pages, group_drafts, group_proposals
from mardok.plan.repairs import RepairSite, repair_proposals
from mardok.plan.reservations import Reservations
from mardok.plan.rivals import RivalDraft, rival_drafts, rival_proposals
from mardok.plan.site_name import site_name_proposals
from mardok.plan.thin import ThinDraft, thin_drafts, thin_proposals
from mardok.plan.trim import trim_proposals
from mardok.text.site import Site
from mardok.urls import is_home
from mardok.vocabulary import GroupKind, LinkRule, ThinRule

_MOST_UNSAID = 5
"""Words that a page is told to say."""
_WORKED_ON = (ThinRule.ASKED_FOR, ThinRule.RELATIVE, ThinRule.SMALL_TAG, ThinRule.NO_CLICKS)


@dataclass(frozen=True)
class PlanInputs:
    """What a plan is made of."""

    attribution: WordAttribution
    rivals: RivalAnalysis
    thin: ThinAnalysis
    phrases: PhraseAnalysis
    checks: Sequence[PageCheck]
    """In order."""


@dataclass(frozen=True)
class _Drafts:
    """What is to be done, before it is known where every page ends."""

    groups: Sequence[GroupDraft]
    contained: Sequence[ContainedDraft]
    manuals: Sequence[ManualDraft]
    rivals: Sequence[RivalDraft]
    thin: Sequence[ThinDraft]


def all_proposals(site: Site, facts: SiteFacts, inputs: PlanInputs) -> list[Proposal]:
    """All proposals.

    Parameters
    ----------
    inputs : PlanInputs
        Groups, rivals, thin pages, phrases and checks.
    """
    gains = _gain_model(facts, inputs.rivals)
    drafts, reserved = _settled(site, facts, inputs, gains)
    by_draft = [draft.moved for kind in (drafts.groups, drafts.rivals, drafts.thin, drafts.contained) for draft in kind]
    moves = Moves(site, facts.destinations, [move for moved in by_draft for move in moved])
    context = PlanContext(
        site, facts.strength, gains, inputs.phrases.link_plan, unsaid_words(inputs.rivals.unanswered, _MOST_UNSAID),
        facts.settings, moves, inputs.attribution.is_pasted,
    )  # fmt: skip
    copies, is_whole = inputs.attribution.copies, facts.coverage.is_whole
    trims = trim_proposals(inputs.attribution.texts, _may_trim(facts, drafts, reserved, inputs), facts.locales, context)
    # A page that is short without what is pasted into it is trimmed, not left.
    trimmed = {site.row_of[url] for proposal in trims for url in proposal.urls}
    grouping = copies.grouping
    guests = untranslated_guests(site, grouping.untranslated, facts.meant_for)
    proposals = [
        *group_proposals(drafts.groups, context),
        *rival_proposals(drafts.rivals, context),
        *thin_proposals([draft for draft in drafts.thin if draft.row not in trimmed], context, is_whole=is_whole),
        *contained_proposals(drafts.contained, context),
        *manual_proposals(drafts.manuals, context),
        *trims,
        *site_name_proposals(inputs.rivals.names, context),
        *translate_proposals(guests, facts.meant_for, reserved.moved, context),
        *filter_proposals(facts.kinds, copies.rows.tolist(), reserved.disposed_of, context),
    ]
    links = link_proposals(facts, reserved.gone, proposals, context)
    linked = {step.target for one in links if one.rule == LinkRule.ORPHAN for step in one.steps}
    repair_site = RepairSite(
        site.row_of, facts.strength.clicks, facts.strength.inlinks, context.end_url, facts.settings.plan
    )
    return [*proposals, *links, *repair_proposals(inputs.checks, reserved.gone, linked, repair_site)]


def _gain_model(facts: SiteFacts, rivals: RivalAnalysis) -> GainModel | None:
    """What changes bring by the site's search data; None without."""
    demand = facts.demand
    if demand is None:
        return None
    # Who types the site's name clicks on it wherever it stands: that says nothing of positions.
    curve = click_curve(demand.rows.select(~demand.is_brand[demand.rows.query]))
    model = GainModel(demand, curve, facts.settings.plan.merged_reach)
    return model.shrunken_by(
        (rivalry.keeper, rival.row) for rivalry in rivals.rivalries for rival in rivalry.rivals if rival.overlap
    )


def _settled(site: Site, facts: SiteFacts, inputs: PlanInputs, gains: GainModel | None) -> tuple[_Drafts, Reservations]:
    """What is to be done about each page, one kind of drafts after the other."""
    settings, destinations, rivalries = facts.settings, facts.destinations, inputs.rivals.rivalries
    pointed_at = [site.row_of[url] for end in destinations for url in end.hops if url in site.row_of]
    reserved = Reservations(fixed=fixed_pages(site, destinations, settings), pointed_at=pointed_at)

    groups = group_drafts(site, destinations, inputs.attribution.copies.grouping.groups, facts.strength, settings)
    copies = [draft.group for draft in groups if draft.group.kind == GroupKind.COPIES]
    reserved.reserve((move for draft in groups for move in draft.moved), kept=(group.keeper for group in copies))
    reserved.in_copies = {row for group in copies for row in group.rows}

    # What a page that says too little has in common with others is looked at with the thin pages.
    verdicts = inputs.thin.verdicts
    thin_rows = {row for row, verdict in enumerate(verdicts) if verdict is not None and verdict.is_thin}
    contained = contained_drafts(
        site, inputs.thin.contained.repeated, reserved.busy | thin_rows, reserved.fixed_in_place, gains, settings
    )
    reserved.reserve(
        (move for draft in contained for move in draft.moved), kept=(draft.repeated.other for draft in contained)
    )

    rivals = rival_drafts(site, rivalries, facts.kinds, reserved.kept, reserved.moved, gains, settings)
    kept = [*(row for rivalry in rivalries for row in rivalry.rows), *(draft.group.keeper for draft in groups)]
    reserved.reserve((move for draft in rivals for move in draft.moved), kept=kept)

    thin = thin_drafts(site, facts, inputs.thin, reserved, gains)
    reserved.reserve(move for draft in thin for move in draft.moved)
    reserved.out_of_index |= {draft.row for draft in thin if draft.leaves_index}
    reserved.worked_on = {draft.row for draft in thin}

    targets = {move.target for kind in (groups, contained, rivals, thin) for draft in kind for move in draft.moved}
    staying = targets | reserved.fixed_in_place | reserved.busy

    def may_leave(row: int) -> bool:
        return row not in staying and not is_home(site.pages[row].url, settings.variants)

    manuals = manual_drafts(inputs.thin.contained, facts.demand, may_leave)
    reserved.out_of_index |= {draft.row for draft in manuals if draft.outranks}
    return _Drafts(groups, contained, manuals, rivals, thin), reserved


def _may_trim(facts: SiteFacts, drafts: _Drafts, reserved: Reservations, inputs: PlanInputs) -> NDArray[np.bool_]:
    """Pages whose words were attributed, and about which nothing else is done."""
    may_trim = inputs.attribution.copies.is_compared & ~facts.is_protected & ~inputs.thin.is_in_front
    may_trim[[row for group in inputs.attribution.copies.grouping.groups for row in group.rows]] = False
    may_trim[sorted(reserved.moved)] = False
    may_trim[[draft.row for draft in drafts.thin if draft.verdict.rule in _WORKED_ON]] = False
    may_trim[[row for draft in drafts.contained for row in (draft.repeated.row, draft.repeated.other)]] = False
    return may_trim
