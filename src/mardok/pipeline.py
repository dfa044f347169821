"""The whole job: collect, extract, compare, find, plan.

In:  sources, search data, settings.
Out: an :class:`Audit`: the tables of the design, and what was read and could not be computed.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from difflib import get_close_matches
from functools import cached_property
from importlib.metadata import version
from os import PathLike, fspath
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok import folder
from mardok.compare.accounting import Accounted, account
from mardok.compare.contention import Shown, shown_pages
from mardok.compare.demand import Demand, match_demand
from mardok.compare.destinations import Destination, destinations
from mardok.compare.kept_pairs import kept_pairs
from mardok.compare.links import inlink_counts, link_weights, text_links
from mardok.compare.mentions import Unlinked
from mardok.compare.relations import Traits, page_sets, relations_of
from mardok.compare.runs import repeated_runs
from mardok.compare.series import find_series
from mardok.compare.titles import Titles, split_titles
from mardok.compare.topics import Topic, Wording, topics
from mardok.deliver.handoff import handoff_files
from mardok.deliver.notebook import PageGroup, PagePair, audit_html, page_group, page_pair
from mardok.deliver.report import report_html
from mardok.errors import SourceError, TableError, UnknownPageError
from mardok.extract.batch import Batch
from mardok.extract.extraction import extract_batches
from mardok.extract.indexable import blocked_by, reason_not_indexable
from mardok.findings.checks import Checked, checks_table, find_troubles
from mardok.findings.coverage import coverage_of
from mardok.findings.groups import (
    Grouping,
    Related,
    find_groups,
    groups_table,
    untranslated_guests,
    variant_groups,
    with_variants,
)
from mardok.findings.inventory import PageFacts, pages_table, pairs_table, queries_table
from mardok.findings.keeper import Standing, preferred_origin
from mardok.findings.kinds import PageKinds, page_kinds
from mardok.findings.mentions import unlinked_mentions, wording_of
from mardok.findings.positions import positions_table
from mardok.findings.rivals import Ground, Rivalry, find_rivals, may_compete, related_series
from mardok.findings.site_name import NamePhrase, name_phrases
from mardok.findings.targets import target_pages, target_rows
from mardok.findings.thin import Verdict, nearest_relatives, thin_pages
from mardok.findings.wording import (
    CarriedText,
    boilerplate_table,
    carried_texts,
    passages_table,
    phrases_table,
    section_phrases_table,
    stemmed_site,
)
from mardok.memory import give_back_memory
from mardok.plan.decisions import follow, with_actions, with_decisions
from mardok.plan.folding import fold
from mardok.plan.outcome import outcome
from mardok.plan.ranking import plan_table, ranked, steps_table
from mardok.plan.safety import check_safety
from mardok.plan.whole import Found, make_plan
from mardok.settings import Copies, Phrases, Settings
from mardok.sources.decisions import Earlier, read_decisions
from mardok.sources.opening import raw_pages, resolved_sources
from mardok.sources.page_lists import Signal, read_signals, read_targets
from mardok.sources.raw import Intake, Unread
from mardok.sources.search_data import read_search
from mardok.tables import UNREAD
from mardok.text.hashes import corpus_of
from mardok.text.site import Site, site_of
from mardok.text.site_tables import site_tables
from mardok.text.stems import Stemmed, stemmed
from mardok.text.words import folded
from mardok.urls import normal_url

Progress = Callable[[str, int], None]
"""Told of each step of the work: its name, and how many pages are done (0 where they are not counted)."""


@dataclass(frozen=True)
class _Known:
    """What is known beside the pages."""

    search: pd.DataFrame | None
    targets: Mapping[str, str]
    """Address of the page meant for each phrase."""
    signals: Mapping[str, Signal]
    """What other tools say of each address."""
    decisions: Sequence[Earlier] = ()
    """What a person decided about the proposals of an earlier plan."""


@dataclass(frozen=True)
class Audit:
    """All that was found out about a site."""

    tables: dict[str, pd.DataFrame]
    """Tables by name, as :data:`mardok.tables.TABLES` declares them."""
    meta: dict[str, Any]
    """What was read, when, with which settings, what could not be computed, and the totals: ``audit.json``."""

    @property
    def plan(self) -> pd.DataFrame:
        """One row a proposal, best first."""
        return self.tables["plan"]

    @property
    def steps(self) -> pd.DataFrame:
        """One row a step."""
        return self.tables["steps"]

    @property
    def pages(self) -> pd.DataFrame:
        """One row a page."""
        return self.tables["pages"]

    @property
    def groups(self) -> pd.DataFrame:
        """One row a page in a group."""
        return self.tables["groups"]

    @property
    def pairs(self) -> pd.DataFrame:
        """One row a kept pair of pages."""
        return self.tables["pairs"]

    @property
    def checks(self) -> pd.DataFrame:
        """One row a trouble of a page."""
        return self.tables["checks"]

    @cached_property
    def stemmed(self) -> Stemmed:
        """The words of the main texts with their stems, for questions about wording; made when first asked for."""
        settings = Phrases.model_validate(self.meta["settings"]["phrases"])
        corpus = corpus_of(map(folded, self.pages["main_text"]))
        stop_words = {folded(word) for word in settings.stop_words}
        return stemmed(corpus, self.pages["language"].tolist(), stop_words)

    def row_of(self, url: str) -> int:
        """Row of an address in :attr:`pages`.

        Raises
        ------
        UnknownPageError
            If the address is not in the audit; the nearest ones are named.
        """
        known = self.pages["url"]
        normal = normal_url(url)
        found = np.flatnonzero(known == (normal or url))
        if len(found):
            return int(found[0])
        near = get_close_matches(normal or url, known.tolist(), n=3, cutoff=0.5)
        hint = f"; near it are {', '.join(near)}" if near else ""
        raise UnknownPageError(f"{url}: is not in this audit{hint}")

    def pair(self, url_a: str, url_b: str) -> PagePair:
        """Two pages beside each other: how much they have in common, and which words they have not.

        Raises
        ------
        UnknownPageError
            If an address is not in the audit.
        """
        return page_pair(self.tables, self.row_of(url_a), self.row_of(url_b))

    def group(self, group: str) -> PageGroup:
        """A group of pages, by its id in :attr:`groups`.

        Raises
        ------
        SelectionError
            If there is none of this id.
        """
        return page_group(self.tables, group)

    def _repr_html_(self) -> str:
        return audit_html(self.tables, self.meta)

    def save(self, path: str | PathLike[str]) -> None:
        """Write the audit folder; an earlier audit there is replaced only when the new one is complete.

        Raises
        ------
        FolderError
            If the folder is not an audit's, or cannot be written.
        """
        folder.write_folder(Path(path), self.tables, self.meta, {"report.html": report_html(self.tables, self.meta)})

    def hand_off(
        self, path: str | PathLike[str], *, decisions: str | PathLike[str] | None = None, all_proposals: bool = False
    ) -> dict[str, int]:
        """Write the accepted proposals as work orders into a folder; an earlier hand-over there is replaced.

        Parameters
        ----------
        decisions : path, optional
            The edited plan (CSV or workbook); else the decisions that the audit was made with count.
        all_proposals : bool
            Whether to hand over all that nobody rejected or put off.

        Returns
        -------
        dict of str to int
            Bytes of each file, by its name below the folder.

        Raises
        ------
        HandoffError
            If no proposal is accepted, a row asks for what the plan does not hold, or an address cannot be written into a
            server's files.
        TableError
            If a decision cannot be read: what is handed over must not be a guess.
        FolderError
            If the folder holds something else, or cannot be written.
        """
        tables = self.tables
        if decisions is not None:
            intake = Intake()
            edited = read_decisions(Path(decisions), intake)
            if intake.unread:
                raise TableError(f"{decisions}, {intake.unread[0].place}: {intake.unread[0].reason}")
            tables = {**tables, "plan": with_decisions(self.plan, edited)}
        files = handoff_files(tables, self.meta, all_proposals=all_proposals)
        folder.write_files(Path(path), files, marker="letter.md")
        return {name: len(contents) for name, contents in files.items()}


def load(path: str | PathLike[str]) -> Audit:
    """Read an audit folder.

    Raises
    ------
    FolderError
        If the folder holds no audit, or one that cannot be read.
    """
    return Audit(folder.read_tables(Path(path)), folder.read_meta(Path(path)))


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
        Processes that read HTML.
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
    settings, progress = settings or Settings(), progress or _tell_nobody
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
    site = site_of(_counted(batches, progress), settings.text)
    give_back_memory()
    if not site.pages:
        raise SourceError(f"{', '.join(map(str, paths))}: no page could be read; {_what_was_met(intake)}")
    tables, totals = _findings(site, intake, known, settings, progress)
    meta = {
        "mardok": version("mardok"),
        "made": datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds"),
        "base": base,
        "sources": [{"path": str(path.resolve())} for path in paths],
        "search": [str(path.resolve()) for path in searches],
        "targets": str(Path(targets).resolve()) if targets is not None else None,
        "signals": str(Path(signals).resolve()) if signals is not None else None,
        "decisions": str(Path(decisions).resolve()) if decisions is not None else None,
        "settings": settings.model_dump(mode="json"),
        "skipped": dict(sorted(intake.skipped.items())),
        "not_computed": _not_computed(
            intake, searched=known.search is not None, is_rendered=any(page.script_words is not None for page in site.pages)
        ),
        "totals": totals,
    }
    return Audit(tables, meta)


def _findings(
    site: Site, intake: Intake, known: _Known, settings: Settings, progress: Progress
) -> tuple[dict[str, pd.DataFrame], dict[str, Any]]:
    """Everything that needs the whole site."""
    agents = settings.extract.robots_agents
    is_blocked = blocked_by(intake.robots, agents)
    reasons = [reason_not_indexable(page, is_blocked, agents) for page in site.pages]
    progress("following redirects and links", 0)
    ways = destinations(site)
    titles = split_titles(site)
    demand = match_demand(known.search, site, ways, titles, settings) if known.search is not None else None
    standing = _standing(site, reasons, ways, demand, known, intake, settings)
    settings = with_actions(settings, known.decisions)
    coverage = coverage_of(site, ways, intake, standing.origin, is_blocked, settings.variants)

    progress("comparing texts", 0)
    compared = _compared(site, reasons, ways, titles, standing, settings)
    give_back_memory()

    progress("comparing what pages promise", 0)
    contested = _contested(site, ways, titles, compared, standing, known.targets, settings)

    progress("checking pages", 0)
    checked = Checked(
        ways,
        compared.grouping,
        intake,
        coverage,
        reasons,
        is_blocked,
        titles,
        contested.wording,
        contested.kinds,
        compared.rows[standing.is_indexable[compared.rows]],
    )
    troubles = find_troubles(site, checked, settings)

    progress("making the plan", 0)
    found = Found(
        compared.grouping.groups,
        contested.rivalries,
        contested.verdicts,
        compared.texts,
        contested.names,
        contested.kinds,
        compared.mentions,
        compared.rows,
        coverage.is_whole,
        troubles,
        untranslated_guests(site, compared.grouping.untranslated, compared.grouping.meant_for),
        compared.grouping.meant_for,
    )
    single = ranked(make_plan(site, ways, found, standing, settings), {}, settings.plan)
    made = fold(single, {told.proposal for told in known.decisions}, settings.plan)
    decided, unmatched = follow(made, known.decisions)
    proposals = ranked(made, decided, settings.plan)
    is_indexable = {row: not reason for row, reason in enumerate(reasons)}
    check_safety(proposals, site, is_indexable, standing.origin + "/")

    progress("writing tables", 0)
    facts = PageFacts(titles, contested.topics, contested.kinds, contested.verdicts, known.signals)
    tables = {
        "plan": plan_table(proposals, decided),
        "steps": steps_table(proposals),
        "pages": pages_table(
            site,
            ways,
            reasons,
            standing,
            compared.grouping,
            compared.kept,
            coverage,
            compared.accounted,
            compared.rows,
            facts,
            settings,
        ),
        "groups": groups_table(site, [*(group.related for group in compared.grouping.groups), *contested.related]),
        "pairs": pairs_table(site, compared.kept),
        "queries": queries_table(contested.shown, demand),
        "positions": positions_table(contested.rivalries, demand),
        "checks": checks_table(troubles),
        **compared.wording,
        "unread": UNREAD.frame((row.source, row.place, row.url, row.reason) for row in intake.unread),
        **site_tables(site, compared.accounted.boilerplate_blocks),
    }
    totals = _totals(tables, demand, compared.grouping)
    totals["outcome"] = _outcomes(tables, settings.search.minimum_share)
    return tables, {
        **totals,
        "crawl": coverage.totals(),
        "site_names": list(titles.all_names),
        "targets": contested.targets,
        "decisions_without_proposal": [dict(told.told) for told in unmatched if told.decision],
    }


@dataclass(frozen=True)
class _Contested:
    """What came of comparing what pages promise, and of search data."""

    topics: list[Topic]
    wording: Wording
    kinds: PageKinds
    related: list[Related]
    """Series and rivals, for the table of groups."""
    rivalries: list[Rivalry]
    verdicts: list[Verdict | None]
    names: list[NamePhrase]
    shown: Shown | None
    targets: list[dict[str, Any]]
    """What became of the phrases that pages are meant for."""


def _contested(
    site: Site,
    ways: Sequence[Destination],
    titles: Titles,
    compared: _Compared,
    standing: Standing,
    targets: Mapping[str, str],
    settings: Settings,
) -> _Contested:
    """Compare what pages promise and what search shows of them."""
    n_pages, demand, grouping = len(site.pages), standing.demand, compared.grouping
    said, wording = topics(site, titles, settings.rivals.generic_words)
    kinds = page_kinds(site, settings)
    shown = shown_pages(demand, settings.search.minimum_share) if demand is not None else None
    in_copies = {row for group in grouping.groups if group.kind == "copies" for row in group.members}
    # What stands untranslated under another language's address is to be translated, and says nothing of its own till then.
    goes = in_copies | set(untranslated_guests(site, grouping.untranslated, grouping.meant_for))
    stays = np.isin(np.arange(n_pages), compared.rows) & standing.is_indexable & ~np.isin(np.arange(n_pages), sorted(goes))
    series = find_series(site, titles.own, np.flatnonzero(stays).tolist())
    pairs = list(compared.kept[["a", "b", "resemblance", "a_in_b", "b_in_a"]].itertuples(index=False, name=None))
    meant = target_pages(site, ways, targets, wording)
    rivalries = find_rivals(
        Ground(
            site=site,
            topics=said,
            kinds=kinds,
            series=series,
            resemblance={(a, b): resemblance for a, b, resemblance, *_ in pairs},
            links=frozenset(text_links(site, ways).tolist()),
            settled={
                row: number for number, group in enumerate(grouping.groups) if group.kind == "copies" for row in group.rows
            },
            may_count=may_compete(kinds, stays),
            target_of={target.stems: target.row for target in meant if target.row >= 0},
        ),
        standing,
        shown,
        demand.is_brand if demand is not None else np.zeros(0, bool),
        settings,
    )
    series_of = {row: number for number, one in enumerate(series) for row in one.slots}

    def takes_over(page: int, other: int) -> bool:
        spoken = {site.pages[row].language for row in (page, other)} - {""}
        is_one_language = grouping.meant_for[page] == grouping.meant_for[other] and len(spoken) < 2
        in_one_series = page in series_of and series_of[page] == series_of.get(other)
        if not is_one_language or in_one_series or not said[page].stems <= said[other].stems:
            return False
        # In the title of a manual's page even "move" and "get" are what it is about.
        told, by_other = (set(wording.words_of(titles.own[row] or site.pages[row].h1)) for row in (page, other))
        return bool(told) and told <= by_other

    verdicts = thin_pages(
        site,
        kinds,
        compared.accounted.own,
        stays,
        nearest_relatives(pairs, stays, takes_over),
        standing,
        shown,
        demand.months if demand is not None else 0.0,
        settings,
    )
    home = site.row_of.get(f"{standing.origin}/", -1)
    names = name_phrases(site, titles, said, wording, np.flatnonzero(stays).tolist(), demand, shown, home, settings)
    return _Contested(
        said,
        wording,
        kinds,
        [*related_series(series, in_copies), *(rivalry.related for rivalry in rivalries)],
        rivalries,
        verdicts,
        names,
        shown,
        target_rows(site, meant, shown, demand, wording),
    )


@dataclass(frozen=True)
class _Compared:
    """What came of comparing the pages."""

    grouping: Grouping
    accounted: Accounted
    kept: pd.DataFrame
    """The pairs that are kept."""
    texts: list[CarriedText]
    """Boilerplate texts."""
    mentions: dict[int, list[Unlinked]]
    """For keepers of copies the pages that mention what they are about and do not link to them."""
    wording: dict[str, pd.DataFrame]
    """The tables of phrases, passages and boilerplate."""
    rows: NDArray[np.int64]
    """Pages that were compared: of variants only the keeper."""


def _compared(
    site: Site,
    reasons: Sequence[str],
    ways: Sequence[Destination],
    titles: Titles,
    standing: Standing,
    settings: Settings,
) -> _Compared:
    """Compare the pages; the sets of shingles, which fill much memory, are needed no longer than that."""
    rows = [row for row, reason in enumerate(reasons) if not reason or (settings.copies.all_pages and site.text_hashes[row])]
    traits = _traits(site, settings.copies)
    counting = page_sets(site.corpus, np.array(rows, np.int64))
    variants, keeper_of = variant_groups(site, counting, traits, standing, settings)
    apart = counting.taken(np.array([row for row in rows if row not in keeper_of], np.int64))
    relations = relations_of(apart, site.corpus, traits, settings.pairs)
    grouping = find_groups(site, titles, variants, relations, traits, standing, settings)
    counts = np.isin(np.arange(len(site.pages)), apart.rows)
    runs = repeated_runs(site.corpus, counts)
    group_of = _groups_of_copies(site, grouping, relations.pairs)
    accounted = account(site.corpus, runs, counts, group_of, site.section, text_links(site, ways), settings.boilerplate)
    texts = carried_texts(site, runs, accounted)
    stems = stemmed_site(site, settings.phrases)
    wording = {
        "passages": passages_table(site, runs, accounted),
        "boilerplate": boilerplate_table(site, texts, counts, group_of),
        "phrases": phrases_table(stems, counts, settings.phrases),
        "section_phrases": section_phrases_table(site, stems, counts, settings.phrases),
    }
    wanted = {group.keeper: wording_of(site, group.keeper) for group in grouping.groups if group.kind == "copies"}
    mentions = unlinked_mentions(site, stems, ways, counts, {row: text for row, text in wanted.items() if text})
    kept = kept_pairs(with_variants(relations.pairs, variants, counting), site.corpus, settings.pairs)
    return _Compared(grouping, accounted, kept, texts, mentions, wording, apart.rows)


def _groups_of_copies(site: Site, grouping: Grouping, pairs: pd.DataFrame) -> NDArray[np.int64]:
    """A number for each page, equal for pages of one group of copies.

    A page in another language than it is meant for goes with the page whose text it shows, at least by half: what is not
    translated yet takes no own words from the original.
    """
    found = np.arange(len(site.pages))
    for group in grouping.groups:
        if group.kind == "copies":
            found[list(group.members)] = group.keeper
    meant = grouping.meant_for
    nearest: dict[int, tuple[float, int]] = {}
    for a, b, resemblance in pairs[["a", "b", "resemblance"]].itertuples(index=False, name=None):
        for guest, host in ((a, b), (b, a)):
            is_guest = meant[guest] and site.pages[guest].language and meant[guest] != site.pages[guest].language
            if is_guest and meant[host] != meant[guest]:
                nearest[guest] = max(nearest.get(guest, (0.0, 0)), (resemblance, -host))
    for guest, (_, host) in nearest.items():
        found[guest] = found[-host]
    return found


def _traits(site: Site, settings: Copies) -> Traits:
    """What decides whether pages are copies."""
    return Traits(
        language=_numbers([page.language for page in site.pages]),
        text=_numbers(site.text_hashes),
        is_long=site.corpus.n_words >= settings.minimum_words,
        threshold=settings.resemblance,
    )


def _numbers(names: Sequence[str]) -> NDArray[np.int64]:
    """A number for each name, equal for equal ones."""
    number = {name: code for code, name in enumerate(dict.fromkeys(names))}
    return np.array([number[name] for name in names], np.int64)


def _standing(
    site: Site,
    reasons: Sequence[str],
    ways: Sequence[Destination],
    demand: Demand | None,
    known: _Known,
    intake: Intake,
    settings: Settings,
) -> Standing:
    n = len(site.pages)
    is_indexable = np.array([not reason for reason in reasons], dtype=bool)
    inlinks = inlink_counts(site)
    weights = link_weights(site, ways, settings.links.damping, settings.extract.robots_agents)
    return Standing(
        is_indexable=is_indexable,
        inlinks=inlinks,
        link_weight=np.nan_to_num(weights),
        clicks=demand.per_page("clicks") if demand else np.zeros(n),
        impressions=demand.per_page("impressions") if demand else np.zeros(n),
        external_links=_signalled(site, known.signals, "external_links"),
        conversions=_signalled(site, known.signals, "conversions"),
        named=_named_keepers(site, is_indexable, known.decisions, intake),
        demand=demand,
        origin=preferred_origin(site, is_indexable, inlinks),
    )


def _named_keepers(
    site: Site, is_indexable: NDArray[np.bool_], decisions: Iterable[Earlier], intake: Intake
) -> frozenset[int]:
    """Pages that a person chose to stay, as far as they can."""
    found = set()
    for told in decisions:
        row = site.row_of.get(told.keeper, -1) if told.keeper else -1
        if row >= 0 and is_indexable[row]:
            found.add(row)
        elif told.keeper:
            reason = "was not read" if row < 0 else "is not indexable, so nothing may be moved onto it"
            intake.unread.append(Unread("decisions", told.place, told.keeper, f"keeper {reason}; the plan's stays"))
    return frozenset(found)


def _signalled(site: Site, signals: Mapping[str, Signal], name: str) -> NDArray[np.float64]:
    """A figure that other tools give of each page, 0 where they say nothing."""
    found = (signals.get(page.url) for page in site.pages)
    return np.array([(getattr(signal, name) or 0.0) if signal is not None else 0.0 for signal in found])


def _tell_nobody(stage: str, done: int) -> None:
    """Take no notice of the progress."""


def _counted(batches: Iterable[Batch], progress: Progress) -> Iterator[Batch]:
    n_pages = 0
    for batch in batches:
        n_pages += len(batch.pages)
        progress("reading pages", n_pages)
        yield batch


def _totals(tables: dict[str, pd.DataFrame], demand: Demand | None, grouping: Grouping) -> dict[str, Any]:
    pages, plan = tables["pages"], tables["plan"]
    in_clicks = plan["gain_unit"] == "clicks/month"
    return {
        "pages": len(pages),
        "indexable": int(pages["indexable"].sum()),
        "not_indexable": _counts(pages.loc[~pages["indexable"], "reason"]),
        "languages": _counts(pages.loc[pages["indexable"], "language"]),
        "words": int(pages.loc[pages["indexable"], "words"].sum()),
        "accounted_words": {
            kind: int(pages[f"{kind}_words"].sum()) for kind in ("own", "shared", "boilerplate")
        },
        "unread": len(tables["unread"]),
        "variants": len(grouping.keeper_of),
        "pages_with_copies": int((pages["copies"] > 0).sum()),
        "kinds": _counts(pages.loc[pages["indexable"], "kind"]),
        "thin": int((pages["thin"] == "yes").sum()),
        "groups": _counts(tables["groups"].drop_duplicates("group")["kind"]),
        "checks": _counts(tables["checks"]["check"]),
        "proposals": _counts(plan["action"]),
        "gain_clicks_low": round(float(plan.loc[in_clicks, "gain_low"].sum()), 1),
        "gain_clicks_high": round(float(plan.loc[in_clicks, "gain_high"].sum()), 1),
        "effort_hours": round(float(plan["effort_hours"].sum()), 2),
        "search": None if demand is None else {
            "months": round(demand.months, 2),
            "dated": demand.is_dated,
            "compared": demand.spans.compared if demand.spans else None,
            "clicks": round(float(demand.rows.clicks.sum()) / demand.months, 1),
            "impressions": round(float(demand.rows.impressions.sum()) / demand.months, 1),
            "queries": len(np.unique(demand.rows.query)),
            "unmatched_addresses": len(demand.unmatched),
            "unmatched_examples": dict(list(demand.unmatched.items())[:20]),
        },
    }  # fmt: skip


def _outcomes(tables: dict[str, pd.DataFrame], minimum_share: float) -> dict[str, dict[str, int] | None]:
    """The same counts today, after all proposals that nobody rejected, and after those that were accepted."""
    plan = tables["plan"]
    accepted = plan.loc[plan["decision"] == "accept", "proposal"].tolist()
    return {
        "today": outcome(tables, (), minimum_share),
        "all": outcome(tables, plan.loc[plan["decision"] != "reject", "proposal"].tolist(), minimum_share),
        "accepted": outcome(tables, accepted, minimum_share) if accepted else None,
    }


def _counts(values: pd.Series) -> dict[str, int]:
    """How often each value stands there, in the order of the values."""
    return {str(value): int(n) for value, n in values.value_counts().sort_index().items()}


def _not_computed(intake: Intake, *, searched: bool, is_rendered: bool) -> dict[str, str]:
    missing: dict[str, str] = {}
    if not searched:
        missing["clicks, impressions, gain in clicks"] = "no search data was given (--search)"
    if not intake.robots and not intake.html_instead:
        missing["what robots.txt closes"] = "the sources hold no robots.txt"
    if not intake.sitemaps:
        missing["orphans, pages only in the sitemap"] = "the sources hold no sitemap"
    if not intake.images:
        missing["broken images"] = "no image was asked for (mardok crawl --images)"
    if not is_rendered:
        missing["words that exist only after scripts run"] = "no page was opened in a browser (mardok crawl --render)"
    return {**missing, **intake.missing}


def _what_was_met(intake: Intake) -> str:
    skipped = ", ".join(f"{n} of type {kind}" for kind, n in sorted(intake.skipped.items()))
    unread = f"{len(intake.unread)} records could not be read" if intake.unread else ""
    return "; ".join(filter(None, [skipped and f"skipped {skipped}", unread])) or "it is empty"
