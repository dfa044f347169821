"""All proposals of a plan, their moves settled together.

In:  what was found: groups, rivals, thin pages, pasted texts, the site's name.
Out: proposals in no particular order.

Groups of variants and copies come first, then rivals, then thin pages: a page that one of them moves, or that others are
moved onto, is not moved by a later one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.compare.destinations import Destination
from mardok.compare.mentions import Unlinked
from mardok.findings.contained import Repeated
from mardok.findings.groups import Group
from mardok.findings.keeper import PageStrength
from mardok.findings.kinds import PageKinds
from mardok.findings.page_check import PageCheck
from mardok.findings.rivals import Rivalry
from mardok.findings.site_name import NamePhrase
from mardok.findings.thin import Verdict
from mardok.findings.wording import CarriedText
from mardok.plan.addresses import filter_proposals, translate_proposals
from mardok.plan.contained import contained_drafts, contained_proposals
from mardok.plan.context import PlanContext
from mardok.plan.gain import click_curve
from mardok.plan.moves import Moves
from mardok.plan.proposal import Proposal
from mardok.plan.proposals import fixed_pages, group_drafts, group_proposals
from mardok.plan.repairs import repair_proposals
from mardok.plan.rivals import rival_drafts, rival_proposals
from mardok.plan.site_name import site_name_proposals
from mardok.plan.thin import OUT_OF_INDEX, thin_drafts, thin_proposals
from mardok.plan.trim import trim_proposals
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.vocabulary import GroupKind, ThinRule

_WORKED_ON = (ThinRule.ASKED_FOR, ThinRule.RELATIVE, ThinRule.SMALL_TAG, ThinRule.NO_CLICKS)


@dataclass(frozen=True)
class PlanInputs:
    """What a plan is made of."""

    groups: Sequence[Group]
    """Of variants and copies."""
    rivalries: Sequence[Rivalry]
    is_pasted: NDArray[np.bool_]
    """For each block of the corpus whether it is boilerplate, or a teaser of another page."""
    repeated: Sequence[Repeated]
    """Pages most of which stands on another."""
    verdicts: Sequence[Verdict | None]
    """Whether pages are thin, one entry a page."""
    texts: Sequence[CarriedText]
    """Boilerplate."""
    names: Sequence[NamePhrase]
    """Wanted phrases in the site's name."""
    kinds: PageKinds
    mentions: Mapping[int, Sequence[Unlinked]]
    """For keepers the pages that mention what they are about and do not link to them."""
    compared: NDArray[np.int64]
    """Rows of the pages that were compared."""
    is_whole: bool
    """Whether the whole site was read."""
    troubles: Sequence[PageCheck]
    """What checks found."""
    guests: Mapping[int, Sequence[int]]
    """For each page with the text of others that is not in the language it is meant for, the others."""
    meant_for: Sequence[str]
    """Language that each page is meant for."""


def make_plan(
    site: Site, destinations: Sequence[Destination], found: PlanInputs, strength: PageStrength, settings: Settings
) -> list[Proposal]:
    """All proposals."""
    groups = group_drafts(site, destinations, found.groups, strength, settings)
    moved = {move.row for draft in groups for move in draft.moved}
    # What a home page sends on to stands in for it.
    fixed = fixed_pages(site, destinations, settings)
    kept = {draft.group.keeper for draft in groups if draft.group.kind == GroupKind.COPIES} | fixed
    pointed = {site.row_of[url] for destination in destinations for url in destination.hops if url in site.row_of}
    in_copies = {row for draft in groups if draft.group.kind == GroupKind.COPIES for row in draft.group.rows}
    # What a page that says too little has in common with others is looked at with the thin pages.
    thin_rows = {row for row, verdict in enumerate(found.verdicts) if verdict is not None and verdict.is_thin}
    contained = contained_drafts(site, found.repeated, moved | in_copies | thin_rows, kept | pointed, settings)
    moved |= {move.row for draft in contained for move in draft.moved}
    kept |= {draft.found.other for draft in contained}
    rivals = rival_drafts(site, found.rivalries, found.kinds, kept, moved, settings)
    moved |= {move.row for draft in rivals for move in draft.moved}
    kept |= {row for rivalry in found.rivalries for row in rivalry.rows} | {draft.group.keeper for draft in groups}
    thin = thin_drafts(site, found.verdicts, strength, kept, pointed, moved | in_copies, settings, is_whole=found.is_whole)
    goes = [draft.moved for drafts in (groups, rivals, thin, contained) for draft in drafts]
    moves = Moves(site, destinations, [move for moved_by_one in goes for move in moved_by_one])
    demand = strength.demand
    # Who types the site's name clicks on it wherever it stands: that says nothing of positions.
    curve = click_curve(demand.rows.select(~demand.is_brand[demand.rows.query])) if demand is not None else None
    context = PlanContext(site, strength, curve, found.mentions, settings, moves, found.is_pasted)
    may_trim = np.isin(np.arange(len(site.pages)), found.compared)
    may_trim[[row for group in found.groups for row in group.rows]] = False
    may_trim[sorted(moved | {draft.row for draft in thin if draft.verdict.rule in _WORKED_ON})] = False
    in_contained = {row for draft in contained for row in (draft.found.row, draft.found.other)}
    may_trim[sorted(in_contained)] = False
    gone = moved | {draft.row for draft in thin if draft.verdict.rule in (ThinRule.RELATIVE, *OUT_OF_INDEX)}
    selected = moved | {draft.row for draft in thin} | kept
    filters = filter_proposals(found.kinds, found.compared.tolist(), selected, context)
    trims = trim_proposals(found.texts, may_trim, context)
    # A page that is short without what is pasted into it is trimmed, not left.
    trimmed = {site.row_of[url] for proposal in trims for url in proposal.urls}
    return [
        *group_proposals(groups, context),
        *rival_proposals(rivals, context),
        *thin_proposals([draft for draft in thin if draft.row not in trimmed], context, is_whole=found.is_whole),
        *contained_proposals(contained, context),
        *trims,
        *site_name_proposals(found.names, context),
        *repair_proposals(found.troubles, gone, context),
        *translate_proposals(found.guests, found.meant_for, moved, context),
        *filters,
    ]
