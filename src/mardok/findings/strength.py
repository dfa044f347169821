"""What stands for each page: clicks, links, conversions, a person's choice.

In:  the site, search data, what other tools say, decisions.
Out: a :class:`mardok.findings.keeper.Standing`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from mardok.compare.demand import Demand
from mardok.compare.destinations import Destination
from mardok.compare.links import inlink_counts, link_weights
from mardok.extract.indexable import NotIndexable
from mardok.findings.keeper import PageStrength, preferred_origin
from mardok.sentences import sentence
from mardok.settings import Settings
from mardok.sources.decisions import PlanDecision
from mardok.sources.page_lists import Signal
from mardok.sources.raw import Intake, Unread
from mardok.text.site import Site


def measure_strength(
    site: Site,
    noindex_reasons: Sequence[NotIndexable | None],
    destinations: Sequence[Destination],
    demand: Demand | None,
    signals: Mapping[str, Signal],
    decisions: Sequence[PlanDecision],
    intake: Intake,
    settings: Settings,
) -> PageStrength:
    """Everything that speaks for a page to stay, page by page; a keeper that cannot stay is listed."""
    n = len(site.pages)
    is_indexable = np.array([not reason for reason in noindex_reasons], dtype=bool)
    inlinks = inlink_counts(site)
    weights = link_weights(site, destinations, settings.links.damping, settings.extract.robots_agents)
    return PageStrength(
        is_indexable=is_indexable,
        inlinks=inlinks,
        link_weight=np.nan_to_num(weights),
        clicks=demand.per_page("clicks") if demand else np.zeros(n),
        impressions=demand.per_page("impressions") if demand else np.zeros(n),
        external_links=_signalled(site, signals, "external_links"),
        conversions=_signalled(site, signals, "conversions"),
        named=_named_keepers(site, is_indexable, decisions, intake),
        demand=demand,
        origin=preferred_origin(site, is_indexable, inlinks),
    )


def _named_keepers(
    site: Site, is_indexable: NDArray[np.bool_], decisions: Iterable[PlanDecision], intake: Intake
) -> frozenset[int]:
    """Pages that a person chose to stay, as far as they can."""
    found = set()
    for told in decisions:
        row = site.row_of.get(told.keeper, -1) if told.keeper else -1
        if row >= 0 and is_indexable[row]:
            found.add(row)
        elif told.keeper:
            reason = sentence("decision.keeper-unread" if row < 0 else "decision.keeper-not-indexable")
            intake.unread.append(Unread("decisions", told.place, told.keeper, str(reason)))
    return frozenset(found)


def _signalled(site: Site, signals: Mapping[str, Signal], name: str) -> NDArray[np.float64]:
    """A figure that other tools give of each page, 0 where they say nothing."""
    found = (signals.get(page.url) for page in site.pages)
    return np.array([(getattr(signal, name) or 0.0) if signal is not None else 0.0 for signal in found])
