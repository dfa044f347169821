"""An audit made again where only proofreading is asked for anew.

In:  the folder of an audit, other settings of the section ``proof``, what a person accepted.
Out: the audit as it would be made of its sources, from the tables that it kept: no site is read again.
"""

from __future__ import annotations

import datetime
import json
from bisect import bisect_right
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from mardok.audits import Audit, load
from mardok.errors import FolderError
from mardok.findings.checks import checks_table
from mardok.folder import files_of
from mardok.inputs import InputFiles
from mardok.kept import KeptParts
from mardok.meta import AuditMeta, is_audit_folder, read_meta
from mardok.plan.decisions import follow
from mardok.plan.ranking import Standing, plan_table, ranked, steps_table
from mardok.plan.repairs import RepairSite, repair_proposals
from mardok.plan.totals import COUNTED_OF_PAGES, outcomes, plan_totals
from mardok.progress import Progress
from mardok.proofing.job import PROOF_CHECKS, merged_rows, proof_facts_of_tables, proofread, spelling_names, with_groups
from mardok.proofing.texts import texts_of_tables
from mardok.settings import Settings
from mardok.sources.decisions import PlanDecision, read_accepted, read_decisions, read_done
from mardok.sources.raw import OpenIntake
from mardok.store import MadeStore
from mardok.tables import BLOCKS, CHECK_ROWS, FINGERPRINTS, IMAGES, LINKS, PAGES, PLAN, STEP_ROWS, TABLES, Table
from mardok.vocabulary import STRUCTURAL_STEPS, CheckId, Confidence, GainUnit, StepKind

_UNCOMPARED = (CheckId.PAGE_EMPTY, CheckId.PAGE_SOFT_404)
"""Checks of pages that take part in no comparison."""
_LISTED_NOWHERE = (BLOCKS.name, LINKS.name, IMAGES.name, FINGERPRINTS.name)
"""Large tables that proofreading changes nothing of, and that stand in no CSV file."""
_OF_PAGES = ("url", "title", "h1", "language", "indexable", "variant_of", "clicks", "inlinks")
_OF_BLOCKS = ("page", "block", "text", "tag", "level", "main", "reason")
"""Columns that are asked for."""


def renewed(sources: Sequence[str], files: InputFiles, settings: Settings, progress: Progress) -> Audit | None:
    """An earlier audit, proofread with other settings; None where more has changed, so that its sources must be read.

    Parameters
    ----------
    sources : sequence of str
        As the user names them; one earlier audit, if it is to be renewed.
    files : InputFiles
        What would be read else.
    """
    if len(sources) != 1 or not is_audit_folder(Path(sources[0])):
        return None
    folder = Path(sources[0])
    try:
        meta = read_meta(folder)
    except FolderError:
        return None
    if not _differs_in_proofreading_only(meta, files, settings):
        return None
    audit = load(folder)
    decisions = read_decisions(files.decisions, OpenIntake()) if files.decisions is not None else []
    done = read_done(files.decisions) if files.decisions is not None else {}
    if not _are_known(decisions, done, audit):
        return None
    progress("proofreading", 0)
    accepted = read_accepted(files.decisions) if files.decisions is not None else {}
    return _proofread_again(audit, KeptParts.carried(folder), folder, settings, accepted, decisions)


def _differs_in_proofreading_only(meta: AuditMeta, files: InputFiles, settings: Settings) -> bool:
    """Whether nothing that was read has changed, nor any setting but those of proofreading."""
    given = [*files.sources, *files.search, *(one for one in (files.targets, files.signals) if one is not None)]
    kept = [*(source.path for source in meta.sources), *meta.search, *filter(None, (meta.targets, meta.signals))]
    if [str(path.resolve()) for path in given] != kept or files.base != meta.base:
        return False
    made = datetime.datetime.fromisoformat(meta.made).timestamp()
    if not all(_is_older(path, made) for path in given):
        return False
    before, now = (one.model_dump(exclude={"proof"}) for one in (meta.settings, settings))
    return before == now


def _is_older(path: Path, made: float) -> bool:
    """Whether a file is as it was at a time; of a folder of pages that is not known."""
    return path.is_file() and path.stat().st_mtime <= made


def _are_known(decisions: Sequence[PlanDecision], done: Mapping[tuple[str, str, str], str], audit: Audit) -> bool:
    """Whether the decisions of a person are those that the audit was made with."""
    plan, steps = audit.tables["plan"], audit.tables["steps"]
    stored = {
        (proposal, decision, note)
        for proposal, decision, note in plan[["proposal", "decision", "note"]].itertuples(index=False, name=None)
        if decision or note
    }
    told = {(one.proposal, str(one.decision), one.note) for one in decisions}
    if any(one.keeper or one.action for one in decisions) or told != stored:
        return False
    kept = steps[steps["done"] != ""]
    return done == {
        (url, step, target): day
        for url, step, target, day in kept[["url", "step", "target", "done"]].itertuples(index=False, name=None)
    }


def _proofread_again(
    audit: Audit,
    kept: KeptParts,
    folder: Path,
    settings: Settings,
    accepted: Mapping[tuple[str, str], str],
    decisions: Sequence[PlanDecision],
) -> Audit:
    store = audit.tables
    tables = {name: store[name] for name in store if name not in (PAGES.name, *_LISTED_NOWHERE)}
    pages, plan, steps = store.frame("pages", _OF_PAGES), tables["plan"], tables["steps"]
    row_of = {url: row for row, url in enumerate(pages["url"].tolist())}
    checks = tables["checks"]
    uncompared = checks.loc[checks["check"].isin(_UNCOMPARED), "url"]
    texts = texts_of_tables(pages, store.frame("blocks", _OF_BLOCKS), tables["set_apart"]["word"].tolist(), set(uncompared))
    found = proofread(texts, proof_facts_of_tables(pages, accepted, settings), settings.proof)
    is_proof = steps["rule"].isin(PROOF_CHECKS)
    replaced = set(steps.loc[is_proof, "proposal"])
    kept_plan, kept_steps = plan[~plan["proposal"].isin(replaced)], steps[~steps["proposal"].isin(replaced)]
    gone = {row_of[url] for url in kept_steps.loc[kept_steps["step"].isin(STRUCTURAL_STEPS), "url"] if url in row_of}
    site = RepairSite(
        row_of, pages["clicks"].fillna(0.0).to_numpy(np.float64), pages["inlinks"].to_numpy(np.int64), lambda url: url,
        settings.plan,
    )  # fmt: skip
    made = repair_proposals(sorted([*found.checks, *found.contradicting]), gone, (), site)
    decided, _ = follow(made, [one for one in decisions if one.proposal in replaced])
    made = ranked(made, decided, settings.plan)
    done = {
        (url, step, target): day
        for url, step, target, day in steps[["url", "step", "target", "done"]].itertuples(index=False, name=None)
        if day
    }
    new_plan, new_steps = plan_table(made, decided), steps_table(made, done)
    tables["plan"] = _put_in(
        new_plan, _standings(new_plan, new_steps), kept_plan, _standings(kept_plan, kept_steps), settings
    )
    tables["steps"] = _joined(STEP_ROWS, kept_steps, new_steps)
    groups = merged_rows(tables["plan"], tables["steps"], row_of)
    merged = np.unique(np.array([row for group in groups for row in group], np.int64))
    main_text = dict(zip(merged.tolist(), store.rows("pages", merged, ["main_text"])["main_text"], strict=True))
    whole = with_groups(found, groups, main_text.__getitem__, texts)
    kept_checks = checks[~checks["check"].isin(PROOF_CHECKS)]
    tables["checks"] = _joined(CHECK_ROWS, kept_checks, checks_table([*whole.checks, *whole.contradicting]))
    tables |= whole.tables
    could_lack = spelling_names(texts.by_language)
    lacking = {what: why for what, why in audit.meta.not_computed.items() if what not in could_lack}
    counted = {**tables, PAGES.name: store.frame(PAGES.name, COUNTED_OF_PAGES)}
    counts: dict[str, Any] = {
        **audit.meta.totals,
        **plan_totals(tables),
        "outcome": outcomes(counted, settings.search.minimum_share),
    }
    meta = audit.meta.model_copy(
        update={
            "settings": settings,
            "made": datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds"),
            "not_computed": {**lacking, **found.not_computed},
            "totals": counts,
        }
    )
    # Of pages the list is written again, too: a person may have edited it.
    kept.filed.file(PAGES, lambda: store.parts("pages"))
    for name in _LISTED_NOWHERE:
        store.frame(name, [])  # a damaged file is told now, and not by whoever asks the audit
    files = {files_of(TABLES[name])[0]: folder / files_of(TABLES[name])[0] for name in _LISTED_NOWHERE}
    return Audit(MadeStore(tables, store, {**files, **kept.filed.files}), meta, kept)


def _standings(plan: pd.DataFrame, steps: pd.DataFrame) -> list[Standing]:
    """What the place of each row of a plan depends on."""
    own = steps[steps["step"] != StepKind.RELINK]
    first = own.groupby("proposal", observed=True)["url"].min().to_dict()
    return [
        Standing(
            row["decision"], row["band"], row["action"], row["gain"],
            bool(row["gain"] or row["gain_low"] or row["gain_high"]), GainUnit(row["gain_unit"]),
            Confidence(row["confidence"]), row["effort_hours"], row["rule"],
            float(json.loads(row["basis"]).get("touched", 0.0)), first.get(row["proposal"], ""), row["proposal"],
        )
        for row in plan.to_dict("records")
    ]  # fmt: skip


def _put_in(
    new: pd.DataFrame,
    new_standings: Sequence[Standing],
    kept: pd.DataFrame,
    kept_standings: Sequence[Standing],
    settings: Settings,
) -> pd.DataFrame:
    """The plan with new rows where they belong among the others, which keep their order."""
    keys = [one.key(settings.plan) for one in kept_standings]
    places = [(bisect_right(keys, one.key(settings.plan)), number) for number, one in enumerate(new_standings)]
    begins = [(place, False, len(kept) + number) for place, number in places]
    order = [row for *_, row in sorted([*begins, *((row, True, row) for row in range(len(kept)))])]
    columns = {name: pd.concat([kept[name], new[name]], ignore_index=True).iloc[order].tolist() for name in PLAN.names}
    return PLAN.frame({**columns, "rank": range(1, len(order) + 1)})


def _joined(table: Table, *frames: pd.DataFrame) -> pd.DataFrame:
    return table.frame({name: pd.concat([one[name] for one in frames], ignore_index=True).tolist() for name in table.names})
