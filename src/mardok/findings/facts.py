"""What is known of each page before pages are compared.

In:  a site, and everything an audit is made from.
Out: :class:`SiteFacts`: where addresses lead, what may be listed, what speaks for each page, what each is for.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.compare.demand import Demand, match_demand
from mardok.compare.destinations import Destination, find_destinations
from mardok.compare.titles import Titles
from mardok.extract.indexable import NotIndexable, blocked_by, noindex_reasons
from mardok.findings.coverage import Coverage, coverage_of
from mardok.findings.failures import failures
from mardok.findings.keeper import PageStrength
from mardok.findings.kept_facts import kinds_or_kept, titles_or_kept
from mardok.findings.kinds import PageKinds
from mardok.findings.meant_languages import meant_languages, meant_locales
from mardok.findings.strength import measure_strength, usable_decisions
from mardok.inputs import Inputs
from mardok.kept import KeptParts
from mardok.settings import Settings
from mardok.sharing import beside
from mardok.sources.decisions import PlanDecision
from mardok.sources.page_lists import Signal
from mardok.sources.raw import Unread
from mardok.text.site import Site
from mardok.urls import is_path, normal_url
from mardok.vocabulary import Failure


@dataclass(frozen=True)
class SiteFacts:
    """What is known of a site's pages; sequences have one entry a page."""

    settings: Settings
    destinations: Sequence[Destination]
    """Where each address leads in the end."""
    noindex_reasons: Sequence[NotIndexable | None]
    """Why each page is not indexable; None if it is."""
    failures: Sequence[Failure]
    """Why each page fails although it answers 200."""
    is_blocked: Callable[[str], bool]
    """Whether robots.txt closes an address."""
    titles: Titles
    meant_for: Sequence[str]
    """For which language each page is meant, ISO 639-1; ``""`` where nothing tells."""
    locales: Sequence[str]
    """Language and region that the folder of each page is for; ``""`` where none tells."""
    strength: PageStrength
    """What speaks for each page to stay."""
    coverage: Coverage
    """How much of the site was read."""
    kinds: PageKinds
    """What each page is for."""
    is_protected: NDArray[np.bool_]
    """Pages that are not moved or taken away for what their text has in common with others."""
    targets: Mapping[str, str]
    """Address of the page that a person meant for each phrase."""
    signals: Mapping[str, Signal]
    """What other tools say, by address."""
    home: int
    """Row of the home page; -1 if it was not read."""
    is_rendered: bool
    """Whether a browser looked at any page."""
    decisions: Sequence[PlanDecision]
    """What a person decided about an earlier plan, as far as it can be followed."""
    done: Mapping[tuple[str, str, str], str]
    """When a person did a step of it, by its address, kind and target."""
    unread: Sequence[Unread]
    """Records that could not be read, and keepers that a person named and that cannot stay."""

    @property
    def demand(self) -> Demand | None:
        """Search data; None without."""
        return self.strength.demand


def _address(url: str, origin: str) -> str:
    """An address for which a path of the site will do."""
    return normal_url(origin + url) or url if is_path(url) else url


def measure_site(site: Site, inputs: Inputs, settings: Settings, kept: KeptParts, jobs: int) -> SiteFacts:
    """Find out what is known of each page.

    Parameters
    ----------
    settings : Settings
        With what a person wants to be done instead of an earlier plan's actions.
    kept : KeptParts
        What an earlier audit kept of the same words.
    jobs : int
        Processes to use.
    """
    finding_kinds = beside(lambda: (kinds_or_kept(site, settings, kept), kept.made), jobs)
    agents = settings.extract.robots_agents
    robots = {} if "robots.txt" in settings.extract.disregard else inputs.intake.robots
    is_blocked = blocked_by(robots, agents)
    reasons = noindex_reasons(site.pages, is_blocked, agents)
    destinations = find_destinations(site)
    titles = titles_or_kept(site, kept)
    demand = match_demand(inputs.search, site, destinations, titles, settings) if inputs.search is not None else None
    meant_for = meant_languages(site)
    strength = measure_strength(site, reasons, destinations, demand, meant_for, inputs, settings)
    (kinds, is_protected), made = finding_kinds()
    kept.take(made)
    decisions, refused = usable_decisions(site, strength.is_indexable, inputs.decisions)
    coverage = coverage_of(site, destinations, inputs.intake, strength.origin, is_blocked, strength.forms, settings.variants)
    return SiteFacts(
        settings=settings,
        destinations=destinations,
        noindex_reasons=reasons,
        failures=failures(site, inputs.probes, settings.variants),
        is_blocked=is_blocked,
        titles=titles,
        meant_for=meant_for,
        locales=meant_locales(site, meant_for),
        strength=strength,
        coverage=coverage,
        kinds=kinds,
        is_protected=is_protected,
        targets={phrase: _address(url, strength.origin) for phrase, url in inputs.targets.items()},
        signals=inputs.signals,
        is_rendered=any(page.script_words is not None for page in site.pages),
        decisions=decisions,
        done=inputs.done,
        unread=(*inputs.intake.unread, *refused),
        home=site.row_of.get(f"{strength.origin}/", -1),
    )
