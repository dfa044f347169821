"""A finished recheck: its tables, what it knows of itself, and its files.

In:  what was verified, compared and measured.
Out: a record that can be read, printed and saved.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from os import PathLike
from pathlib import Path
from typing import Any

import pandas as pd

from mardok.audits import Audit
from mardok.folder import csv_bytes, write_files
from mardok.meta import AuditMeta, is_audit_folder
from mardok.rechecking.history import ProposalAge
from mardok.rechecking.steps import day_of
from mardok.tables import RECHECK_TABLES, cells_of
from mardok.vocabulary import Change, Outcome, StepKind, Subject

MARKER_FILE, PAGE_FILE, AUDIT_FOLDER = "recheck.json", "recheck.html", "audit"
LAST_CHANGES = "changes_last"
"""Name of the table of what changed between the last two audits, where there are more than two."""
_BAD = (Outcome.UNDONE, Outcome.OTHERWISE)


@dataclass(frozen=True)
class Rechecked:
    """What became of a plan."""

    tables: Mapping[str, pd.DataFrame]
    """Tables by name, as :data:`mardok.tables.RECHECK_TABLES` declares them."""
    before: AuditMeta
    audits: tuple[AuditMeta, ...]
    """The later audits, in the order of time."""
    is_decided: bool
    """Whether a person had accepted proposals; else the steps are those of all that nobody rejected or put off."""
    is_live: bool
    """Whether the server was asked instead of a crawl."""
    plan: pd.DataFrame
    """The proposals that were to be carried out, best first."""
    effect_text: str
    """The effect in a sentence, or why nothing is claimed."""
    spans_text: str
    """The spans that were compared."""
    left_out: Mapping[str, str]
    """What could not be compared, with the reason."""
    notes: tuple[str, ...]
    """What else a reader has to know."""
    ages: tuple[ProposalAge, ...]
    outcomes: Sequence[tuple[Outcome, ...]]
    """Of each verified step the outcome in each of the later audits, in the order of the table."""
    audit: Audit | None = None
    """The last audit, where it was made for this."""

    @property
    def verified(self) -> pd.DataFrame:
        """One row a step."""
        return self.tables["verified"]

    @property
    def changes(self) -> pd.DataFrame:
        """One row a finding."""
        return self.tables["changes"]

    @property
    def effect(self) -> pd.DataFrame:
        """One row a page that stays and measure."""
        return self.tables["effect"]

    @property
    def history(self) -> pd.DataFrame:
        """One row an audit and figure."""
        return self.tables["history"]

    @property
    def work(self) -> pd.DataFrame:
        """The verified steps that asked for work."""
        return self.verified[self.verified["step"] != StepKind.LEAVE]

    @property
    def counts(self) -> dict[str, int]:
        """Steps that asked for work, by outcome."""
        found = self.work["outcome"].value_counts()
        return {outcome: int(found.get(outcome, 0)) for outcome in Outcome}

    @property
    def home(self) -> str:
        """Scheme and host of most addresses, which need not be repeated on every line."""
        urls = pd.concat([self.verified["url"], self.verified["target"], self.changes["url"]])
        origins = urls.str.extract(r"^(https?://[^/]+)")[0].mode()
        return str(origins.iloc[0]) if len(origins) else ""

    def changed(self, change: Change, subject: Subject | None = None) -> pd.DataFrame:
        """Findings of one change."""
        rows = self.changes[self.changes["change"] == change]
        return rows if subject is None else rows[rows["subject"] == subject]

    @property
    def is_well(self) -> bool:
        """Whether nothing came undone, was done otherwise than asked, or got worse."""
        return not self.verified["outcome"].isin(_BAD).any() and self.changed(Change.WORSE).empty

    def as_dict(self) -> dict[str, Any]:
        """Everything, for programs."""
        return {
            "mardok": self.before.mardok,
            "before": {"made": self.before.made, "day": day_of(self.before)},
            "audits": [{"made": meta.made, "day": day_of(meta)} for meta in self.audits],
            "decided": self.is_decided,
            "live": self.is_live,
            "well": self.is_well,
            "steps": self.counts,
            "changes": {subject: {change: len(self.changed(change, subject)) for change in Change} for subject in Subject},
            "effect": self.effect_text,
            "effect_spans": self.spans_text,
            "left_out": dict(self.left_out),
            "notes": list(self.notes),
            "ages": [
                {"proposal": age.proposal, "summary": age.summary, "since": age.since, "days": age.days} for age in self.ages
            ],
            "verified": [
                {**row, "outcomes": list(outcomes)}
                for row, outcomes in zip(_records(self.verified), self.outcomes, strict=True)
            ],
            **{name: _records(frame) for name, frame in self.tables.items() if name != "verified"},
        }

    def save(self, path: str | PathLike[str], *, jobs: int = 1) -> None:
        """Write the folder; an earlier recheck there is replaced only when the new one is complete.

        Parameters
        ----------
        path : path
            The folder.
        jobs : int
            Processes to use for the audit, where one was made.

        Raises
        ------
        FolderError
            If the folder holds something else, or cannot be written.
        """
        from mardok.rechecking.page import recheck_html  # only here: asking needs no templates

        audit, kept = self.audit, Path(path) / AUDIT_FOLDER
        files = {
            f"{name.replace('_', '-')}.csv": csv_bytes(RECHECK_TABLES["changes" if name == LAST_CHANGES else name], frame)
            for name, frame in self.tables.items()
        }
        files[PAGE_FILE] = recheck_html(self).encode("utf-8", "replace")
        files[MARKER_FILE] = (json.dumps(self.as_dict(), ensure_ascii=False) + "\n").encode("utf-8", "replace")
        inside: dict[str, Callable[[Path], object]] = {}
        if audit is not None:
            inside[AUDIT_FOLDER] = lambda place: audit.save(place, jobs=jobs)
        elif is_audit_folder(kept):  # made by an earlier recheck, and perhaps one of those that were compared
            inside[AUDIT_FOLDER] = lambda place: shutil.copytree(kept, place)
        write_files(Path(path), files, marker=MARKER_FILE, inside=inside)


def _records(frame: pd.DataFrame) -> list[dict[str, Any]]:
    names = list(map(str, frame.columns))
    return [
        {name: None if cell != cell else cell for name, cell in zip(names, row, strict=True)}
        for row in cells_of(frame, names)
    ]
