"""What stands for each page: clicks, links, conversions, a person's choice.

In:  the site, search data, what other tools say, decisions.
Out: a :class:`mardok.findings.keeper.PageStrength`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from mardok.compare.demand import Demand
from mardok.compare.destinations import Destination
from mardok.compare.links import inlink_counts, link_weights
from mardok.extract.indexable import NotIndexable
from mardok.extract.page import Page
from mardok.findings.keeper import PageStrength, preferred_origin
from mardok.inputs import Inputs
from mardok.large import OnDemand
from mardok.sentences import sentence
from mardok.settings import Settings
from mardok.sources.decisions import PlanDecision
from mardok.sources.page_lists import Signal
from mardok.sources.raw import Unread
from mardok.text.site import Site
from mardok.text.stored_pages import StoredPages
from mardok.urls import VariantForm, variant_form
from mardok.vocabulary import Decision


def measure_strength(
    site: Site,
    noindex_reasons: Sequence[NotIndexable | None],
    destinations: Sequence[Destination],
    demand: Demand | None,
    meant_for: Sequence[str],
    inputs: Inputs,
    settings: Settings,
) -> PageStrength:
    """Everything that speaks for a page to stay, page by page.

    Parameters
    ----------
    noindex_reasons : sequence of NotIndexable or None
        Why each page is not indexable.
    destinations : sequence of Destination
        Where the address of each page leads.
    demand : Demand or None
        Search data, if there is any.
    meant_for : sequence of str
        Language that each page is meant for; ``""`` where nothing tells.
    """
    n = len(site.pages)
    is_indexable = np.array([not reason for reason in noindex_reasons], dtype=bool)
    inlinks = inlink_counts(site)

    def form(page: Page) -> VariantForm:
        return variant_form(page.url, settings.variants)

    forms = OnDemand(n, lambda row: form(site.pages[row]), lambda: map(form, site.pages))
    weights = link_weights(site, destinations, settings.links.damping, settings.extract.robots_agents)
    return PageStrength(
        is_indexable=is_indexable,
        inlinks=inlinks,
        link_weight=np.nan_to_num(weights),
        clicks=demand.per_page("clicks") if demand else np.zeros(n),
        impressions=demand.per_page("impressions") if demand else np.zeros(n),
        external_links=_signalled(site, inputs.signals, lambda signal: signal.external_links),
        conversions=_signalled(site, inputs.signals, lambda signal: signal.conversions),
        is_at_home=np.array(
            [not meant or page.language in ("", meant) for page, meant in zip(site.pages, meant_for, strict=True)], bool
        ),
        named=_named_keepers(site, is_indexable, inputs.decisions),
        forms=forms if isinstance(site.pages, StoredPages) else tuple(forms),
        demand=demand,
        origin=preferred_origin(site, is_indexable, inlinks),
    )


def _named_keepers(site: Site, is_indexable: NDArray[np.bool_], decisions: Iterable[PlanDecision]) -> frozenset[int]:
    """Pages that a person chose to stay, as far as they can."""
    rows = (site.row_of.get(decision.keeper, -1) for decision in decisions if decision.keeper)
    return frozenset(row for row in rows if row >= 0 and is_indexable[row])


def usable_decisions(
    site: Site, is_indexable: NDArray[np.bool_], decisions: Iterable[PlanDecision]
) -> tuple[list[PlanDecision], list[Unread]]:
    """Decisions that can be followed, and what is wrong with the others.

    A proposal that was accepted with a keeper that cannot stay is accepted no longer: its redirects would lead the other
    way.

    Parameters
    ----------
    is_indexable : ndarray of bool, shape (n_pages,)
        Whether search engines may list each page.
    decisions : iterable of PlanDecision
        What a person decided about an earlier plan.
    """
    result, refused = [], []
    for decision in decisions:
        row = site.row_of.get(decision.keeper, -1) if decision.keeper else -1
        if decision.keeper and (row < 0 or not is_indexable[row]):
            reason = sentence("decision.keeper-unread" if row < 0 else "decision.keeper-not-indexable")
            refused.append(Unread("decisions", decision.place, decision.keeper, str(reason)))
            is_accepted = decision.decision == Decision.ACCEPT
            decision = replace(decision, keeper="", decision=Decision.NONE if is_accepted else decision.decision)
        result.append(decision)
    return result, refused


def _signalled(site: Site, signals: Mapping[str, Signal], figure: Callable[[Signal], float | None]) -> NDArray[np.float64]:
    """A figure that other tools give of each page, 0 where they say nothing."""
    given = (signals.get(page.url) for page in site.pages)
    return np.array([(figure(signal) or 0.0) if signal is not None else 0.0 for signal in given])
