"""What has changed since the audit that stands in a folder.

In:  the folder, and the audit that is to take its place.
Out: the findings that are gone, new or worse, counted; None where nothing can be compared.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from mardok.audits import Audit, load
from mardok.errors import MardokError
from mardok.rechecking.changes import changes_table
from mardok.rechecking.comparable import not_comparable
from mardok.rechecking.state import State
from mardok.rechecking.verdict import Compared
from mardok.sentences import Text
from mardok.urls import bare_host
from mardok.vocabulary import Change, Subject


@dataclass(frozen=True)
class Since:
    """Findings that changed."""

    made: str
    """When the earlier audit was made."""
    counts: Mapping[tuple[Subject, Change], int]
    left_out: Mapping[Subject, Text]
    """What cannot be compared, with the reason."""


def changes_since(folder: Path, finished: Audit) -> Since | None:
    """What changed since the audit in `folder`; None if there is none that can be read, or one of another site."""
    try:
        before = State(load(folder))
        after = State(finished)
        if not {bare_host(url) for url in before.row_of} & {bare_host(url) for url in after.row_of}:
            return None
        left_out = not_comparable(before.audit.meta, finished.meta)
        changes = changes_table(Compared(before, after), left_out)
    except MardokError:
        return None
    found = changes.groupby(["subject", "change"]).size()
    counts = {(subject, change): int(found.get((subject, change), 0)) for subject in Subject for change in Change}
    return Since(before.audit.meta.made, counts, left_out)
