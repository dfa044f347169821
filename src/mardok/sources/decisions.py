"""What a person decided about the proposals of an earlier plan.

In:  ``plan.csv`` or the workbook's sheet ``plan`` of an earlier audit, edited, in whatever dialect it was saved.
Out: decisions, each with the addresses and figures of the proposal it is about, as far as they are known.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from mardok.cells import original_cell
from mardok.errors import TableError
from mardok.meta import is_audit_folder
from mardok.sentences import path_of
from mardok.sources.raw import OpenIntake, Unread
from mardok.sources.table import has_empty_last_column, read_table
from mardok.store import stored_columns
from mardok.urls import normal_url
from mardok.vocabulary import Action, Decision, StepKind

_STEPS_FILE = "steps.csv"
_WORD_FILES = {"slips.csv": "written", "unknown_words.csv": "word"}
"""Tables in which a person accepts what is written, with the column that says what it is."""


@dataclass(frozen=True)
class PlanDecision:
    """A proposal of an earlier plan with what was decided about it."""

    proposal: str
    """Its id."""
    decision: Decision
    note: str
    place: str
    """Where in the file it stands, such as ``row 7``."""
    urls: frozenset[str] = frozenset()
    """Addresses it was about; none where only the file is known."""
    proposed: str = ""
    """The action that was proposed."""
    keeper: str = ""
    """The page that a person wants to stay, where it is another than the plan's."""
    action: str = ""
    """What a person wants to be done, where it is something else."""
    basis: str = ""
    """The figures it rested on, JSON."""
    told: Mapping[str, str] = field(default_factory=dict)
    """The row as it stands in the file."""


def read_decisions(path: Path, intake: OpenIntake) -> list[PlanDecision]:
    """Decisions, in the order of the file; rows that cannot be used are listed.

    Raises
    ------
    TableError
        If the file or a column is missing.
    """
    if not path.is_file():
        raise TableError(f"{path}: there is no such file of decisions")
    frame = read_table(path)
    for name in ("proposal", "decision"):
        if name not in frame.columns:
            raise TableError(f"{path}: has no column {name!r}; its columns are {', '.join(map(repr, frame.columns))}")
    known = _known_plan(path)
    result = []
    for number, row in enumerate(frame.to_dict("records"), start=2):
        cells = {str(name): original_cell(str(value).strip()) for name, value in row.items()}
        earlier = _earlier(path, number, cells, known, intake)
        if earlier is not None:
            result.append(earlier)
    return result


def read_done(path: Path) -> dict[tuple[str, str, str], str]:
    """When a person did a step, by its address, kind and target: from ``steps.csv`` beside an edited plan.

    Parameters
    ----------
    path : path
        The file of decisions. A workbook holds no steps of its own that are read.
    """
    steps = path.with_name(_STEPS_FILE)
    if not steps.is_file() or has_empty_last_column(steps, "done"):
        return {}
    frame = read_table(steps)
    if not {"url", "step", "target", "done"} <= set(frame.columns):
        return {}
    frame = frame[frame["done"].fillna("").astype(str) != ""]
    told = frame[["url", "step", "target", "done"]].fillna("").astype(str).itertuples(index=False, name=None)
    cells = (tuple(original_cell(cell.strip()) for cell in row) for row in told)
    return {(url, step, target): done for url, step, target, done in cells if done}


def read_accepted(path: Path) -> dict[tuple[str, str], str]:
    """What a person accepted as it is among slips and unknown words: from the tables beside an edited plan.

    Returns
    -------
    dict of tuple of str to str
        Decisions by the check (``""`` of an unknown word) and what is written.
    """
    result = {}
    for name, word in _WORD_FILES.items():
        beside = path.with_name(name)
        if not beside.is_file() or has_empty_last_column(beside, "decision"):
            continue
        frame = read_table(beside)
        if not {word, "decision"} <= set(frame.columns):
            continue
        checks = frame["check"] if "check" in frame.columns else [""] * len(frame)
        for check, written, decision in zip(checks, frame[word], frame["decision"], strict=True):
            if str(decision).strip().lower() == Decision.ACCEPT:
                result[str(check), original_cell(str(written))] = Decision.ACCEPT
    return {key: str(decision) for key, decision in result.items()}


@dataclass(frozen=True)
class _Known:
    """A proposal as the audit wrote it."""

    keeper: str
    action: str
    basis: str
    urls: frozenset[str]


_UNKNOWN = _Known("", "", "", frozenset())


def _known_plan(path: Path) -> dict[str, _Known]:
    """The plan of the audit folder that the file lies in, of whatever form: its columns here are those of every form.

    Raises
    ------
    FolderError
        If the folder's plan cannot be read: without it fewer decisions would be followed, and nobody would know.
    """
    if not is_audit_folder(path.parent):
        return {}
    plan = stored_columns(path.parent, "plan", ["proposal", "keeper", "action", "basis"])
    steps = stored_columns(path.parent, "steps", ["proposal", "step", "url"])
    urls: dict[str, set[str]] = defaultdict(set)
    for proposal, step, url in zip(*steps.values(), strict=True):
        if step != StepKind.RELINK:
            urls[proposal].add(url)
    return {
        proposal: _Known(keeper, action, basis, frozenset(urls[proposal]))
        for proposal, keeper, action, basis in zip(*plan.values(), strict=True)
    }


def _earlier(
    path: Path, number: int, cells: dict[str, str], known: Mapping[str, _Known], intake: OpenIntake
) -> PlanDecision | None:
    place = f"row {number}"

    def refuse(reason: str) -> None:
        intake.unread.append(Unread(str(path), place, cells.get("keeper", ""), reason))

    decision = cells["decision"].lower()
    if decision not in tuple(Decision):
        refuse(f"decision {cells['decision']!r}: is none of {', '.join(filter(None, Decision))}; ignored")
        decision = Decision.NONE
    written = known.get(cells["proposal"])
    changes = _changes(cells, written, refuse)
    if changes.is_refused and decision == Decision.ACCEPT:
        refuse("what it asks for cannot be followed, so it is not accepted either")
        decision = Decision.NONE
    if not (decision or cells.get("note") or changes.keeper or changes.action):
        return None
    written = written or _UNKNOWN
    return PlanDecision(
        proposal=cells["proposal"], decision=Decision(decision), note=cells.get("note", ""), place=place, urls=written.urls,
        proposed=written.action, keeper=changes.keeper,
        action=changes.action, basis=written.basis or cells.get("basis", ""), told=cells,
    )  # fmt: skip


@dataclass(frozen=True)
class _Changes:
    """What a row asks for beside the plan's own."""

    keeper: str = ""
    action: str = ""
    is_refused: bool = False
    """Whether it asks for something that cannot be followed."""


def _changes(cells: Mapping[str, str], written: _Known | None, refuse: Callable[[str], None]) -> _Changes:
    """Another keeper and another action than the plan's, where they can be followed."""
    if written is None:
        return _Changes()
    asked, action = cells.get("keeper", ""), cells.get("action", "").lower()
    keeper = _named_page(asked, written)
    if asked and not keeper:
        refuse(f"keeper {asked}: is none of the pages of proposal {cells['proposal']}; the plan's stays")
        return _Changes(is_refused=True)
    if action and action != written.action:
        if action not in tuple(Action):
            refuse(f"action {action!r}: is none of {', '.join(Action)}; the plan's stays")
            return _Changes(is_refused=True)
        if action != Action.LEAVE and {written.action, action} != {Action.MERGE, Action.CANONICAL}:
            refuse(f"action {action!r}: cannot take the place of {written.action!r}; leave can, and canonical for merge")
            return _Changes(is_refused=True)
    return _Changes("" if keeper == written.keeper else keeper, "" if action == written.action else action)


def _named_page(asked: str, written: _Known) -> str:
    """The page of a proposal that a cell names, by its address or by the path that the plan prints; ``""`` if none."""
    if not asked:
        return ""
    url = normal_url(asked) or ""
    if url and (url in written.urls or url == written.keeper):
        return url
    by_path = [one for one in sorted({*written.urls, written.keeper} - {""}) if path_of(one) == asked]
    return by_path[0] if len(by_path) == 1 else ""
