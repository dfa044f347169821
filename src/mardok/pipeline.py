"""The whole job: collect, extract, compare, find, plan.

In:  sources, search data, settings.
Out: an :class:`Audit`: the tables of the design, and what was read and could not be computed.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from importlib.metadata import version
from os import PathLike, fspath
from pathlib import Path
from typing import Any

import pandas as pd

from mardok.audits import Audit
from mardok.compare.demand import match_demand
from mardok.compare.destinations import Destination, find_destinations
from mardok.compare.titles import split_titles
from mardok.compare.topics import topics
from mardok.errors import SourceError
from mardok.extract.batch import Batch
from mardok.extract.extraction import extract_batches, extract_page
from mardok.extract.indexable import NotIndexable, blocked_by, noindex_reasons
from mardok.findings.checks import Checked, checks_table, run_checks
from mardok.findings.comparison import PhraseAnalysis, WordAttribution, analyse_phrases, attribute_words, find_copy_groups
from mardok.findings.contest import Contested, contested
from mardok.findings.coverage import coverage_of
from mardok.findings.failures import failures
from mardok.findings.groups import (
    groups_table,
    untranslated_guests,
)
from mardok.findings.inventory import PageFacts, pages_table, pairs_table, queries_table
from mardok.findings.keeper import PageStrength
from mardok.findings.page_check import PageCheck
from mardok.findings.positions import positions_table
from mardok.findings.strength import measure_strength
from mardok.memory import give_back_memory
from mardok.meta import AuditMeta, Source
from mardok.plan.decisions import Decided, follow, with_actions
from mardok.plan.folding import fold
from mardok.plan.proposal import Proposal
from mardok.plan.ranking import plan_table, ranked, steps_table
from mardok.plan.safety import check_safety
from mardok.plan.totals import outcomes, totals
from mardok.plan.whole import PlanInputs, make_plan
from mardok.processes import begin
from mardok.progress import Progress, tell_nobody
from mardok.sentences import sentence
from mardok.settings import Settings
from mardok.sources.decisions import PlanDecision, read_decisions
from mardok.sources.opening import raw_pages, resolved_sources
from mardok.sources.page_lists import Signal, read_signals, read_targets
from mardok.sources.raw import Intake
from mardok.sources.search_data import read_search
from mardok.store import MemoryStore
from mardok.tables import UNREAD
from mardok.text.furniture_parts import furniture_table
from mardok.text.site import Site, site_of
from mardok.text.site_tables import site_tables
from mardok.vocabulary import NotComputed


@dataclass(frozen=True)
class _Known:
    """What is known beside the pages."""

    search: pd.DataFrame | None
    targets: Mapping[str, str]
    """Address of the page meant for each phrase."""
    signals: Mapping[str, Signal]
    """What other tools say of each address."""
    decisions: Sequence[PlanDecision] = ()
    """What a person decided about the proposals of an earlier plan."""


def audit(
    *sources: str | PathLike[str],
    base: str | None = None,
    search: str | PathLike[str] | Sequence[str | PathLike[str]] = (),
    targets: str | PathLike[str] | None = None,
    signals: str | PathLike[str] | None = None,
    decisions: str | PathLike[str] | None = None,
    settings: Settings | None = None,
    jobs: int = 1,
    progress: Progress | None = None,
) -> Audit:
    """The main job: read pages, compare them, and say what to do.

    Parameters
    ----------
    *sources : str or path
        WARC files, folders of HTML, tables, earlier audit folders; together they are one site.
    base : str, optional
        Address that a folder of HTML stands for.
    search : path or sequence of paths
        Search data.
    targets : path, optional
        A table of phrases with the page that is meant for each.
    signals : path, optional
        A table of pages with what other tools say of them.
    decisions : path, optional
        The plan of an earlier audit (``plan.csv`` or the workbook) with a person's decisions, notes, keepers and actions.
    settings : Settings, optional
        All thresholds; the defaults if None.
    jobs : int
        Processes to use. Several read HTML, and two of them share what follows.
    progress : callable
        Called with the name of the step at hand and the number of pages done.

    Raises
    ------
    SourceError, TableError
        If a source cannot be used at all. What can be read around single bad records is read; they are listed in the
        table ``unread``.
    UnsafePlanError
        If the plan broke one of its own safety rules: a defect, never a matter of input.
    """
    settings, progress = settings or Settings(), progress or tell_nobody
    paths, base = resolved_sources([fspath(source) for source in sources], base)
    searches = [Path(search)] if isinstance(search, (str, PathLike)) else [Path(path) for path in search]
    intake = Intake()
    known = _Known(
        read_search(searches, settings.search, intake) if searches else None,
        read_targets(Path(targets), intake) if targets is not None else {},
        read_signals(Path(signals), intake) if signals is not None else {},
        read_decisions(Path(decisions), intake) if decisions is not None else (),
    )
    batches = extract_batches(raw_pages(paths, base, intake, settings.sources), settings, jobs)
    tables, found_totals, is_rendered = _findings(batches, paths, intake, known, settings, jobs, progress)
    meta = AuditMeta(
        mardok=version("mardok"),
        made=datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds"),
        base=base,
        sources=tuple(Source(path=str(path.resolve())) for path in paths),
        search=tuple(str(path.resolve()) for path in searches),
        targets=str(Path(targets).resolve()) if targets is not None else None,
        signals=str(Path(signals).resolve()) if signals is not None else None,
        decisions=str(Path(decisions).resolve()) if decisions is not None else None,
        settings=settings,
        skipped=dict(sorted(intake.skipped.items())),
        not_computed=_not_computed(intake, is_searched=known.search is not None, is_rendered=is_rendered),
        totals=found_totals,
    )
    return Audit(MemoryStore(tables), meta)


def _findings(
    batches: Iterable[Batch],
    paths: Sequence[Path],
    intake: Intake,
    known: _Known,
    settings: Settings,
    jobs: int,
    progress: Progress,
) -> tuple[dict[str, pd.DataFrame], dict[str, Any], bool]:
    """Everything that needs the whole site; and whether a browser looked at any page."""
    site = site_of(_counted(batches, progress), settings)
    give_back_memory()
    if not site.pages:
        raise SourceError(f"{', '.join(map(str, paths))}: no page could be read; {_what_was_met(intake)}")
    agents = settings.extract.robots_agents
    robots = {} if "robots.txt" in settings.extract.disregard else intake.robots
    is_blocked = blocked_by(robots, agents)
    reasons = noindex_reasons(site.pages, is_blocked, agents)
    failing = failures(site, [extract_page(raw, settings) for raw in intake.probes], settings.variants)
    progress("following redirects and links", 0)
    destinations = find_destinations(site)
    titles = split_titles(site)
    demand = match_demand(known.search, site, destinations, titles, settings) if known.search is not None else None
    strength = measure_strength(site, reasons, destinations, demand, known.signals, known.decisions, intake, settings)
    settings = with_actions(settings, known.decisions)
    coverage = coverage_of(site, destinations, intake, strength.origin, is_blocked, settings.variants)

    progress("comparing texts", 0)
    relating = begin(lambda: find_copy_groups(site, reasons, failing, titles, strength, settings), jobs)
    said, wording = topics(site, titles, settings.rivals.generic_words)
    related = relating()
    give_back_memory()
    compared = attribute_words(site, destinations, related, settings)
    wording_counted = begin(lambda: analyse_phrases(site, destinations, related, compared.accounted, said, settings), jobs)

    progress("comparing what pages promise", 0)
    overlap = contested(site, destinations, titles, said, wording, compared, strength, known.targets, settings)

    progress("checking pages", 0)
    checked = Checked(
        failing,
        destinations,
        compared.grouping,
        intake,
        coverage,
        reasons,
        is_blocked,
        titles,
        wording,
        overlap.kinds,
        compared.rows[strength.is_indexable[compared.rows]],
    )
    troubles = run_checks(site, checked, settings)

    progress("counting phrases", 0)
    worded = wording_counted()
    give_back_memory()

    progress("making the plan", 0)
    proposals, decided, unmatched = _planned(
        site,
        destinations,
        reasons,
        strength,
        compared,
        worded,
        overlap,
        troubles,
        known.decisions,
        settings,
        is_whole=coverage.is_whole,
    )

    progress("writing tables", 0)
    facts = PageFacts(titles, said, worded.of_topic, overlap.kinds, overlap.verdicts, known.signals)
    tables = {
        "plan": plan_table(proposals, decided),
        "steps": steps_table(proposals),
        "pages": pages_table(
            site,
            destinations,
            reasons,
            failing,
            strength,
            compared.grouping,
            compared.kept,
            coverage,
            compared.accounted,
            compared.rows,
            facts,
            settings,
        ),
        "groups": groups_table(site, [*(group.table_row for group in compared.grouping.groups), *overlap.related]),
        "pairs": pairs_table(site, compared.kept),
        "queries": queries_table(overlap.shown, demand),
        "positions": positions_table(overlap.rivalries, demand),
        "checks": checks_table(troubles),
        **compared.tables,
        **worded.tables,
        "unread": UNREAD.frame((row.source, row.place, row.url, row.reason) for row in intake.unread),
    }
    site = site.without_words()  # the tables of blocks and links are the largest, and need the room
    tables |= site_tables(site, compared.accounted.boilerplate_blocks)
    tables["furniture"] = furniture_table(site)
    found_totals = totals(tables, demand, compared.grouping)
    found_totals["outcome"] = outcomes(tables, settings.search.minimum_share)
    return (
        tables,
        {
            **found_totals,
            "crawl": coverage.totals(),
            "site_names": list(titles.all_names),
            "targets": overlap.targets,
            "decisions_without_proposal": [dict(told.told) for told in unmatched if told.decision],
        },
        any(page.script_words is not None for page in site.pages),
    )


def _planned(
    site: Site,
    destinations: Sequence[Destination],
    reasons: Sequence[NotIndexable | None],
    strength: PageStrength,
    compared: WordAttribution,
    worded: PhraseAnalysis,
    overlap: Contested,
    troubles: Sequence[PageCheck],
    decisions: Sequence[PlanDecision],
    settings: Settings,
    *,
    is_whole: bool,
) -> tuple[list[Proposal], dict[str, Decided], list[PlanDecision]]:
    """The proposals, best first and proven safe, with the decisions about them, and the decisions that found none."""
    grouping = compared.grouping
    found = PlanInputs(
        groups=grouping.groups,
        rivalries=overlap.rivalries,
        is_pasted=compared.accounted.pasted_blocks(site.corpus),
        repeated=overlap.contained.repeated,
        verdicts=overlap.verdicts,
        texts=compared.texts,
        names=overlap.names,
        kinds=overlap.kinds,
        mentions=worded.mentions,
        compared=compared.rows,
        is_whole=is_whole,
        troubles=troubles,
        guests=untranslated_guests(site, grouping.untranslated, grouping.meant_for),
        meant_for=grouping.meant_for,
    )
    single = ranked(make_plan(site, destinations, found, strength, settings), {}, settings.plan)
    made = fold(single, {told.proposal for told in decisions}, settings.plan)
    decided, unmatched = follow(made, decisions)
    proposals = ranked(made, decided, settings.plan)
    is_indexable = {row: not reason for row, reason in enumerate(reasons)}
    check_safety(proposals, site, is_indexable, strength.origin + "/")
    return proposals, decided, unmatched


def _counted(batches: Iterable[Batch], progress: Progress) -> Iterator[Batch]:
    n_pages = 0
    for batch in batches:
        n_pages += len(batch.pages)
        progress("reading pages", n_pages)
        yield batch


def _not_computed(intake: Intake, *, is_searched: bool, is_rendered: bool) -> dict[str, str]:
    """What could not be computed, with the reason, both in words."""
    lacking = {
        NotComputed.SEARCH: not is_searched,
        NotComputed.ROBOTS: not intake.robots and not intake.html_instead,
        NotComputed.SITEMAPS: not intake.sitemaps,
        NotComputed.IMAGES: not intake.images,
        NotComputed.SCRIPT_WORDS: not is_rendered,
    }
    why = {what: str(sentence(f"not-computed.why.{what}")) for what, is_lacking in lacking.items() if is_lacking}
    return {str(sentence(f"not-computed.what.{what}")): reason for what, reason in {**why, **intake.missing}.items()}


def _what_was_met(intake: Intake) -> str:
    skipped = ", ".join(f"{n} of type {kind}" for kind, n in sorted(intake.skipped.items()))
    unread = f"{len(intake.unread)} records could not be read" if intake.unread else ""
    return "; ".join(filter(None, [skipped and f"skipped {skipped}", unread])) or "it is empty"
