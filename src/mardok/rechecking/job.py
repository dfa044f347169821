"""The whole recheck: read, verify, compare, measure.

In:  the audit with the plan that was to be carried out, and what came after it.
Out: a :class:`mardok.rechecking.rechecked.Rechecked`.
"""

from __future__ import annotations

import dataclasses
import datetime
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from os import PathLike, fspath
from pathlib import Path

import pandas as pd

from mardok.audits import Audit, load
from mardok.errors import RecheckError, TableError
from mardok.meta import AuditMeta, is_audit_folder
from mardok.pipeline import audit
from mardok.plan.decisions import with_decisions
from mardok.progress import Progress, tell_nobody
from mardok.rechecking.changes import changes_table, checks_left_out
from mardok.rechecking.comparable import coverage_notes, not_comparable
from mardok.rechecking.effect import ChangeDates, EffectAnswer, effect_answer
from mardok.rechecking.history import history_table, proposal_ages
from mardok.rechecking.hosts import Hosts
from mardok.rechecking.live import asked_server
from mardok.rechecking.rechecked import LAST_CHANGES, Rechecked
from mardok.rechecking.state import State
from mardok.rechecking.steps import VerifiedStep, day_of, planned_steps, verified_table, verify_steps
from mardok.rechecking.verdict import Compared
from mardok.sentences import Text, listing, sentence
from mardok.sources.decisions import read_decisions, read_done
from mardok.sources.raw import OpenIntake
from mardok.sources.search_data import read_search
from mardok.tables import CHANGES, EFFECT
from mardok.vocabulary import Outcome, Subject

_SOURCE = str | PathLike[str]


def recheck(
    before: Audit | _SOURCE,
    *after: Audit | _SOURCE,
    decisions: _SOURCE | None = None,
    search: _SOURCE | Sequence[_SOURCE] = (),
    hosts: Iterable[str] = (),
    changed: str | datetime.date | None = None,
    live: bool = False,
    credentials: str | None = None,
    jobs: int = 1,
    progress: Progress | None = None,
) -> Rechecked:
    """Check again: was it done, was it done right, did it help.

    Parameters
    ----------
    before : Audit or path
        The audit whose plan was to be carried out, or its folder.
    *after : Audit or path
        Later audits of the same site, or their folders, in any order. One may be a source that :func:`mardok.audit` reads:
        it is audited with the settings of `before`.
    decisions : path, optional
        The edited plan (CSV or workbook) that says which proposals were accepted; else the decisions that `before` was made
        with, or those in its folder.
    search : path or sequence of paths
        Search data that reach past the change, for a source; else those of the last audit count.
    hosts : iterable of str
        Pairs ``OLD=NEW``: what the later audits call by the new host is compared as if it stood on the old one.
    changed : str or date, optional
        Day of the change, YYYY-MM-DD; else the days that a person wrote into ``steps.csv``, else any day between the crawls.
    live : bool
        Whether to ask the server instead, for redirects, canonicals, noindex and retired addresses only.
    credentials : str, optional
        A file, or ``env:NAME``, as :func:`mardok.crawl` takes it, for `live`.
    jobs : int
        Processes to use for auditing a source.
    progress : callable
        Called with the name of the step at hand and the number of pages done.

    Raises
    ------
    RecheckError
        If the audits are of other sites or in the wrong order, or there is nothing to compare.
    FolderError
        If a folder holds no audit, or one of another form.
    SourceError, TableError
        If a source, or a file of search data or decisions, cannot be used.
    """
    progress = progress or tell_nobody
    first, folder = _loaded(before)
    named = Hosts.read(hosts)
    plan = decided_plan(first, decisions or _beside(folder, "plan.csv"))
    steps, is_decided = planned_steps(plan, first.steps)
    if live:
        if after:
            raise RecheckError("asking the server takes the place of a later audit: name one or the other")
        made: Audit | None = None
        later = [asked_server(steps, first.meta.settings, named, credentials, progress)]
    else:
        later, made = _later(after, first, _paths(search), jobs, progress)
    states = [State(first), *(State(one, named) for one in later)]
    for state in states[1:]:
        _check_comparable(states[0], state, is_live=live)
    progress("verifying steps", 0)
    verified = verify_steps(
        steps, states[0], states[1:], rules=first.meta.settings.recheck, structural_only=live
    )  # fmt: skip
    result = Rechecked(
        tables={
            "verified": verified_table(verified),
            "changes": CHANGES.frame([]),
            "effect": EFFECT.frame([]),
            "history": history_table([first.meta]),
        },
        before=first.meta,
        audits=tuple(one.meta for one in later),
        is_decided=is_decided,
        is_live=live,
        plan=plan[plan["proposal"].isin({step.proposal for step in steps})].reset_index(drop=True),
        effect_text=str(sentence("recheck.effect.live")),
        spans_text="",
        left_out={},
        notes=(),
        ages=(),
        outcomes=_outcomes(verified),
        audit=made,
    )
    if live:
        return result
    progress("comparing findings", 0)
    last = Compared(states[0], states[-1])
    left_out = not_comparable(first.meta, later[-1].meta)
    tables = {**result.tables, "changes": changes_table(last, left_out)}
    if len(states) > 2:
        two = Compared(states[-2], states[-1])
        tables[LAST_CHANGES] = changes_table(two, not_comparable(later[-2].meta, later[-1].meta))
    progress("measuring the effect", 0)
    dates = _change_dates(changed, _done_days(folder, decisions), first.meta, later[-1].meta)
    found = _effect(first, later[-1], verified, states[-1], dates, plan)
    tables |= {"effect": found.table, "history": history_table([first.meta, *(one.meta for one in later)])}
    return dataclasses.replace(
        result,
        tables=tables,
        effect_text=str(found.text),
        spans_text=str(found.spans),
        left_out=_told_left_out(left_out, last),
        notes=tuple(map(str, coverage_notes(first.meta, later[-1].meta))),
        ages=tuple(proposal_ages(states)),
    )


def _loaded(given: Audit | _SOURCE) -> tuple[Audit, Path | None]:
    if isinstance(given, Audit):
        return given, None
    return load(given), Path(given)


def _beside(folder: Path | None, name: str) -> Path | None:
    path = folder / name if folder is not None else None
    return path if path is not None and path.is_file() else None


def _paths(given: _SOURCE | Sequence[_SOURCE]) -> list[Path]:
    return [Path(given)] if isinstance(given, (str, PathLike)) else [Path(path) for path in given]


def decided_plan(first: Audit, decisions: _SOURCE | None) -> pd.DataFrame:
    """The plan of an audit with the decisions that were taken.

    Parameters
    ----------
    decisions : path or None
        The edited plan (CSV or workbook); None if there is none.

    Raises
    ------
    TableError
        If a decision cannot be read: which steps were to be done must not be a guess.
    """
    if decisions is None:
        return first.plan
    intake = OpenIntake()
    edited = read_decisions(Path(decisions), intake)
    if intake.unread:
        raise TableError(f"{decisions}, {intake.unread[0].place}: {intake.unread[0].reason}")
    return with_decisions(first.plan, edited)


def _later(
    given: Sequence[Audit | _SOURCE], first: Audit, search: list[Path], jobs: int, progress: Progress
) -> tuple[list[Audit], Audit | None]:
    """The later audits in the order of time, and the one of them that was made here."""
    if not given:
        raise RecheckError("name what came after: an audit folder, or a source to audit; or ask the server (--live)")
    result, made = [], None
    for one in given:
        if isinstance(one, Audit):
            result.append(one)
        elif is_audit_folder(Path(one)):
            result.append(load(one))
        elif made is not None:
            raise RecheckError(f"{fspath(one)}: one source is audited at a time; audit the others first")
        else:
            settings = first.meta.settings
            base = first.meta.base
            made = audit(one, base=base, search=search, settings=settings, jobs=jobs, progress=progress)
            result.append(made)
    if search and made is None:
        raise RecheckError("search data belong to a source; an audit folder has its own (mardok audit --search)")
    return sorted(result, key=lambda one: (day_of(one.meta), one.meta.made)), made


def _check_comparable(before: State, after: State, *, is_live: bool) -> None:
    """Raise RecheckError if two audits are of other sites, or the later one is older."""
    hosts, others = (Counter(url.split("/", 3)[2].removeprefix("www.") for url in state.row_of) for state in (before, after))
    if not hosts.keys() & others.keys():
        one, other = hosts.most_common(1)[0][0], others.most_common(1)[0][0]
        raise RecheckError(f"{other} is another site than {one}; if it stands for it, say so: --host {one}={other}")
    days = [day_of(state.audit.meta) for state in (before, after)]
    if days[1] < days[0] and not is_live:
        raise RecheckError(f"the audit of {days[1]} is older than that of {days[0]}: name the older one first")


def _outcomes(verified: Sequence[VerifiedStep]) -> list[tuple[Outcome, ...]]:
    ordered = sorted(verified, key=lambda one: (one.step.proposal, one.step.order))
    return [tuple(verdict.outcome for verdict in one.verdicts) for one in ordered]


def _told_left_out(left_out: Mapping[Subject, Text], compared: Compared) -> dict[str, str]:
    result = {str(sentence(f"recheck.subject.{subject}")): str(reason) for subject, reason in left_out.items()}
    checks = checks_left_out(compared)
    if checks and Subject.CHECK not in left_out:
        result[str(listing(map(str, checks), most=6))] = str(sentence("recheck.left-out.checks"))
    return result


def _done_days(folder: Path | None, decisions: _SOURCE | None) -> list[datetime.date]:
    """Days on which steps were done, as far as a person wrote them so that they can be read."""
    path = Path(decisions) if decisions is not None else folder / "plan.csv" if folder is not None else None
    days = []
    for text in read_done(path).values() if path is not None else ():
        try:
            days.append(datetime.date.fromisoformat(text))
        except ValueError:
            continue
    return days


def _change_dates(
    changed: str | datetime.date | None, done: Sequence[datetime.date], before: AuditMeta, after: AuditMeta
) -> ChangeDates:
    """When the site was changed.

    Raises
    ------
    RecheckError
        If the day cannot be read.
    """
    day = datetime.timedelta(days=1)
    if changed is not None:
        try:
            first = changed if isinstance(changed, datetime.date) else datetime.date.fromisoformat(changed)
        except ValueError as error:
            raise RecheckError(f"{changed!r}: expected the day of the change as YYYY-MM-DD") from error
        return ChangeDates(first - day, first)
    if done:
        return ChangeDates(min(done) - day, max(done))
    return ChangeDates(*(datetime.date.fromisoformat(day_of(meta)) for meta in (before, after)))


def _effect(
    first: Audit, last: Audit, verified: Sequence[VerifiedStep], state: State, changed: ChangeDates, plan: pd.DataFrame
) -> EffectAnswer:
    """The effect, from the search data of both audits where their files are still there."""
    try:
        rows = _search_rows(first.meta, last.meta)
    except TableError as error:
        return EffectAnswer(EFFECT.frame([]), sentence("recheck.effect.unreadable", error=str(error)))
    if rows is not None:
        old = {url: state.old(str(url)) for url in rows["page"].unique()}
        rows = rows.assign(page=rows["page"].map(old).astype(object))
    return effect_answer(rows, verified, state, changed, first.meta.settings.recheck, plan)


def _search_rows(before: AuditMeta, after: AuditMeta) -> pd.DataFrame | None:
    """Search data of the later audit, with what the earlier one has from before they begin; None without any.

    Raises
    ------
    TableError
        If a file cannot be used.
    """
    if not after.search:
        return None
    rows = read_search(list(map(Path, after.search)), after.settings.search, OpenIntake())
    earlier = [Path(path) for path in before.search if path not in after.search and Path(path).is_file()]
    if earlier:
        older = read_search(earlier, before.settings.search, OpenIntake())
        rows = pd.concat([older[older["date"] < rows["date"].min()], rows], ignore_index=True)
    return rows[rows["page"].astype(str) != ""].reset_index(drop=True)
