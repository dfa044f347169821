"""The whole job: collect, extract, compare, find, plan.

In:  sources, search data, settings.
Out: an :class:`Audit`: the tables of the design, and what was read and could not be computed.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from functools import partial
from heapq import merge
from importlib.metadata import version
from os import PathLike, fspath
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pandas as pd

from mardok.audits import Audit
from mardok.compare.fingerprints import all_fingerprints
from mardok.compare.topics import PagePromises
from mardok.deliver.report_parts import keep_sheets
from mardok.findings.attribution import WordAttribution, attribute_words
from mardok.findings.checks import checks_frames, checks_or_kept
from mardok.findings.copy_analysis import find_copy_groups
from mardok.findings.facts import SiteFacts, measure_site
from mardok.findings.groups import groups_table
from mardok.findings.inventory import PageFindings, pages_frames, pairs_table, queries_table
from mardok.findings.kept_facts import promises_or_kept
from mardok.findings.page_check import PageCheck, in_order
from mardok.findings.phrase_analysis import PhraseAnalysis, analyse_phrases
from mardok.findings.positions import positions_table
from mardok.findings.rival_analysis import RivalAnalysis, find_rival_groups
from mardok.findings.thin_analysis import ThinAnalysis, find_thin_pages
from mardok.inputs import InputFiles, Inputs, Workplace, read_inputs
from mardok.kept import KeptParts, MadeParts, claimed_working_folder, digest_of
from mardok.mapped import large_arrays_in
from mardok.memory import arrow_beside_python, give_back_memory, rare_search_for_cycles
from mardok.meta import AuditMeta, Source, is_audit_folder
from mardok.plan.decisions import with_actions
from mardok.plan.plan import make_plan
from mardok.plan.totals import counted_tables, not_computed, outcomes, totals
from mardok.plan.whole import PlanInputs
from mardok.progress import Progress, Staged, tell_nobody
from mardok.proofing.job import Proofread, merged_rows, proof_facts, proofread_or_kept, with_groups
from mardok.proofing.texts import ProofTexts, texts_of_site
from mardok.renewal import renewed
from mardok.settings import Settings
from mardok.sharing import Distributed, beside, forked, shared_by
from mardok.sources.decisions import PlanDecision
from mardok.sources.opening import resolved_sources
from mardok.sources.raw import Intake
from mardok.store import MadeStore, TableStore
from mardok.tables import CHECK_ROWS, FINGERPRINTS, PAGES, STEP_ROWS, UNREAD
from mardok.tasks.cluster import cluster_of
from mardok.tasks.runners import Processes
from mardok.text.site import Site, site_of
from mardok.text.site_tables import file_blocks, file_site_tables
from mardok.text.stored_pages import MANY_PAGES
from mardok.vocabulary import CheckId

if TYPE_CHECKING:
    from distributed import Client


@rare_search_for_cycles()
def audit(
    *sources: str | PathLike[str],
    base: str | None = None,
    search: str | PathLike[str] | Sequence[str | PathLike[str]] = (),
    targets: str | PathLike[str] | None = None,
    signals: str | PathLike[str] | None = None,
    decisions: str | PathLike[str] | None = None,
    earlier: str | PathLike[str] | None = None,
    work: str | PathLike[str] | None = None,
    cluster: str | Client | None = None,
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
    earlier : path, optional
        An audit folder, such as the one that this audit is going to replace: of what it kept is used what still holds, so
        that pages are not read again where only later settings differ. So it is of audit folders among the sources.
    work : path, optional
        A working folder, made if there is none: pages are read in parts, each of which stands there as soon as it is read.
        An audit that was broken off goes on from there, and the next one finds there what it need not make again.
    cluster : str or distributed.Client, optional
        Scheduler of a Dask cluster, such as ``tcp://10.0.0.5:8786``, whose workers read and compare pages; `work` and the
        sources then lie on storage that all of them see.
    settings : Settings, optional
        All thresholds; the defaults if None.
    jobs : int
        Processes to use: they read HTML, go through the words of the site, and do things beside each other.
    progress : callable
        Called with the name of the step at hand and the number of pages done.

    Raises
    ------
    SourceError, TableError
        If a source cannot be used at all. What can be read around single bad records is read; they are listed in the
        table ``unread``.
    FolderError
        If `work` holds something else, another audit works there, or the disk does not take what is kept.
    ClusterError
        If the cluster cannot be used, or has gone.
    UnsafePlanError
        If the plan broke one of its own safety rules: a defect, never a matter of input.
    """
    settings, progress = settings or Settings(), Staged(progress or tell_nobody)
    paths, base = resolved_sources([fspath(source) for source in sources], base)
    files = InputFiles(
        tuple(paths),
        base,
        (Path(search),) if isinstance(search, (str, PathLike)) else tuple(map(Path, search)),
        *(Path(path) if path is not None else None for path in (targets, signals, decisions)),
    )
    known = renewed([fspath(source) for source in sources], files, settings, progress)
    if known is not None:
        return known
    folders = [*([Path(earlier)] if earlier is not None else []), *(Path(fspath(source)) for source in sources)]
    audited = [folder for folder in folders if is_audit_folder(folder)]
    with _workplace(audited, work, cluster, settings, paths, jobs, progress) as place:
        # What is begun beside would be a process that asks the cluster for nothing.
        return _audited(files, place, settings, jobs if cluster is None else 1, progress)


@contextmanager
def _workplace(
    folders: Sequence[Path],
    work: str | PathLike[str] | None,
    cluster: str | Client | None,
    settings: Settings,
    paths: Sequence[Path],
    jobs: int,
    progress: Progress,
) -> Iterator[Workplace]:
    """Where the audit keeps what it makes, for as long as it works."""
    with ExitStack() as held:
        folder = held.enter_context(claimed_working_folder(Path(work))) if work is not None else None
        if folder is not None:
            held.enter_context(arrow_beside_python())
        workers = held.enter_context(cluster_of(cluster, folder, settings.work.wait_s))
        if workers is not None:
            workers.check(paths)
        held.enter_context(large_arrays_in(folder, are_shared=workers is not None))
        sharer = Distributed(workers.results) if workers is not None else forked(jobs)
        held.enter_context(shared_by(sharer, progress))
        yield Workplace(KeptParts(folders, folder), workers or (Processes(jobs, folder) if folder is not None else None))


def _audited(files: InputFiles, place: Workplace, settings: Settings, jobs: int, progress: Progress) -> Audit:
    kept = place.kept
    columns, inputs = read_inputs(files, settings, jobs, progress, place)
    progress("finding main texts", 0)
    site = site_of(columns, settings, kept)
    del columns  # the site has another record of each page
    give_back_memory()
    progress("following redirects and links", 0)
    # What is begun beside has a copy of its own of what it touches, which of a large site is gigabytes.
    jobs = jobs if len(site.pages) < MANY_PAGES else 1
    facts = measure_site(site, inputs, with_actions(settings, inputs.decisions), kept, jobs)

    found, promises = _compared(site, facts, inputs.intake, kept, jobs, progress)
    copies, attribution, checks = found.attribution.copies, found.attribution, found.checks
    progress("proofreading", 0)
    is_read, boilerplate_blocks = copies.is_compared & facts.strength.is_indexable, attribution.words.boilerplate_blocks
    texts = texts_of_site(site, is_read, boilerplate_blocks)
    of_texts = {"words": kept.key_of("words"), "pages": digest_of(is_read), "boilerplate": digest_of(boilerplate_blocks)}
    # A dictionary is opened in a process of its own, which one that works beside another may not begin.
    proof_jobs = 1 if settings.proof.spelling else jobs
    proofreading = beside(partial(_proofread, site, facts, inputs.accepted, texts, of_texts, kept), proof_jobs)
    file_site_tables(site.without_words, kept)
    findings = PageFindings(promises, attribution, found.phrases, found.thin)
    kept.filed.file(PAGES, partial(pages_frames, site, facts, findings))
    del promises, findings  # of a large site they are hundreds of megabytes, which the rest does not need
    kept.file(
        FINGERPRINTS,
        {"words": kept.key_of("words"), "pages": digest_of(copies.rows)},
        lambda: (
            FINGERPRINTS.frame({"hash": hashes, "page": pages})
            for hashes, pages in all_fingerprints(site.corpus, copies.rows)
        ),
    )
    tables = _site_tables(site, facts, attribution, found.rivals)
    proof, made = proofreading()
    kept.take(made)
    del proofreading
    checks = in_order([checks, proof.checks, proof.contradicting], site.pages, site.row_of)
    give_back_memory()
    made_store = MadeStore(tables, kept.filed.store)
    making_sheets = beside(lambda: _with_sheets(made_store, kept), jobs) if jobs > 1 else None

    progress("making the plan", 0)
    plan_inputs = PlanInputs(attribution, found.rivals, found.thin, found.phrases, checks)
    planned, counted_steps, unmatched, filing_checks = _planned(site, facts, plan_inputs, proof, texts, kept, jobs, progress)
    give_back_memory()  # proposals with their steps are gigabytes of a large site, which their tables do not need
    kept.take(filing_checks())
    kept.settle()
    if making_sheets is not None:
        kept.take(making_sheets())
    tables = {**tables, **planned}
    counted = {**tables, **counted_tables(kept.filed.store), "steps": counted_steps}
    counts = {
        **totals(counted, facts, copies.grouping),
        "outcome": outcomes(counted, settings.search.minimum_share),
        "targets": found.rivals.targets,
        "decisions_without_proposal": [dict(one.told) for one in unmatched if one.decision],
    }
    meta = _meta(files, inputs, settings, counts, is_rendered=facts.is_rendered)
    meta = meta.model_copy(update={"not_computed": {**meta.not_computed, **proof.not_computed}})
    return Audit(MadeStore(tables, kept.filed.store, kept.filed.files), meta, kept)


@dataclass(frozen=True)
class _Found:
    """What was found out by comparing pages."""

    attribution: WordAttribution
    rivals: RivalAnalysis
    thin: ThinAnalysis
    phrases: PhraseAnalysis
    checks: Sequence[PageCheck]


def _compared(
    site: Site, facts: SiteFacts, intake: Intake, kept: KeptParts, jobs: int, progress: Progress
) -> tuple[_Found, PagePromises]:
    """What pages have to do with one another, and what each promises."""
    progress("comparing texts", 0)
    finding_copies = beside(lambda: (find_copy_groups(site, facts, kept), kept.made), jobs)
    promises = promises_or_kept(site, facts.titles, facts.settings, kept)
    copies, made = finding_copies()
    kept.take(made)
    give_back_memory()
    finding_rivals = beside(lambda: find_rival_groups(site, facts, promises, copies), jobs)
    attribution = attribute_words(site, facts, copies, kept)
    analysing_phrases = beside(lambda: (analyse_phrases(site, facts, promises, attribution, kept), kept.made), jobs)
    progress("comparing what pages promise", 0)
    rivals = finding_rivals()
    thin = find_thin_pages(site, facts, promises, attribution, rivals)
    give_back_memory()
    progress("checking pages", 0)
    checks = checks_or_kept(site, facts, promises, copies, intake, kept)
    file_blocks(site.without_words, attribution.words.boilerplate_blocks, kept)
    progress("counting phrases", 0)
    phrases, made = analysing_phrases()
    kept.take(made)
    give_back_memory()
    return _Found(attribution, rivals, thin, phrases, checks), promises


def _proofread(
    site: Site,
    facts: SiteFacts,
    accepted: Mapping[tuple[str, str], str],
    texts: ProofTexts,
    of_texts: Mapping[str, str],
    kept: KeptParts,
) -> tuple[Proofread, MadeParts]:
    """What proofreading finds in these texts; its tables are filed."""
    told = proof_facts(site, accepted, facts.settings)
    proof = proofread_or_kept(texts, told, facts.settings.proof, kept, of_texts)
    return proof, kept.made


def _with_sheets(tables: TableStore, kept: KeptParts) -> MadeParts:
    """What is made when the sheets of the report are, too."""
    keep_sheets(tables, kept)
    return kept.made


def _planned(
    site: Site,
    facts: SiteFacts,
    inputs: PlanInputs,
    proof: Proofread,
    texts: ProofTexts,
    kept: KeptParts,
    jobs: int,
    progress: Progress,
) -> tuple[dict[str, pd.DataFrame], pd.DataFrame, Sequence[PlanDecision], Callable[[], MadeParts]]:
    """Tables of the plan and of what depends on it, but for its steps, which are filed; those of them that are counted; what
    of the user's rules fitted no proposal; and what files the checks, begun beside the steps."""
    plan = make_plan(site, facts, inputs)
    progress("writing tables", 0)
    table, counted_steps = plan.table(), plan.counted_steps()
    within = with_groups(proof, merged_rows(table, counted_steps, site.row_of), site.main_text, texts)
    is_spelled = facts.settings.proof.spelling
    filing_checks = beside(lambda: _with_checks(inputs.checks, within.contradicting, kept, is_spelled=is_spelled), jobs)
    kept.file(STEP_ROWS, None, plan.steps)
    return {"plan": table, **within.tables}, counted_steps, plan.unmatched, filing_checks


def _with_checks(
    checks: Sequence[PageCheck], disagreeing: Sequence[PageCheck], kept: KeptParts, *, is_spelled: bool
) -> MadeParts:
    """What is made when the table of checks is, too, with what pages that are to become one disagree about."""
    depends = {
        **{name: kept.key_of(name) for name in ("checks", "proofread")},
        "contradicting": digest_of([list(one) for one in disagreeing]),
    }

    def frames() -> Iterator[pd.DataFrame]:
        others = (one for one in checks if one.check != CheckId.TEXT_CONTRADICTS)
        return checks_frames(merge(others, sorted(disagreeing)))

    # What dictionaries find is not kept.
    kept.file(CHECK_ROWS, None if is_spelled else depends, frames)
    return kept.made


def _site_tables(
    site: Site, facts: SiteFacts, attribution: WordAttribution, rivals: RivalAnalysis
) -> dict[str, pd.DataFrame]:
    """The tables that the plan has no part in, by name."""
    copies = attribution.copies
    return {
        "groups": groups_table(site, [*(group.table_row for group in copies.grouping.groups), *rivals.rows], facts.strength),
        "pairs": pairs_table(site, copies.kept),
        "queries": queries_table(rivals.shown, facts.demand),
        "unanswered": rivals.unanswered,
        "positions": positions_table(rivals.rivalries, facts.demand),
        **attribution.tables,
        "unread": UNREAD.frame((row.source, row.place, row.url, row.reason) for row in facts.unread),
    }


def _meta(files: InputFiles, inputs: Inputs, settings: Settings, counts: dict[str, Any], *, is_rendered: bool) -> AuditMeta:
    """What the audit knows of itself."""
    targets, signals, decisions = (
        str(path.resolve()) if path is not None else None for path in (files.targets, files.signals, files.decisions)
    )
    return AuditMeta(
        mardok=version("mardok"),
        made=datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds"),
        base=files.base,
        sources=tuple(Source(path=str(path.resolve())) for path in files.sources),
        search=tuple(str(path.resolve()) for path in files.search),
        targets=targets,
        signals=signals,
        decisions=decisions,
        settings=settings,
        skipped=dict(sorted(inputs.intake.skipped.items())),
        not_computed=not_computed(inputs.intake, is_searched=inputs.search is not None, is_rendered=is_rendered),
        totals=counts,
    )
