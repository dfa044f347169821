"""What an audit knows of itself: ``audit.json``.

In:  the file, or what a run leaves.
Out: a model that is checked when it is read; a file of another form is refused by name, with the way out.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, ValidationError, field_validator

from mardok.errors import FolderError
from mardok.settings import Settings

META_FILE = "audit.json"
FORMAT = 9
"""Form of the audit folder: it rises when tables, columns or this file change so that other versions cannot read them."""
TOTALS = (
    "pages", "indexable", "not_indexable", "languages", "words", "accounted_words", "duplicates", "unread", "variants",
    "pages_with_copies", "kinds", "thin", "groups", "checks", "proposals", "gain_clicks", "gain_clicks_low",
    "gain_clicks_high", "effort_hours", "search", "crawl", "site_names", "outcome", "targets", "decisions_without_proposal",
)  # fmt: skip
"""Counts and sums of an audit."""
_FIRST_FORMAT = 1
"""Form of folders that do not name theirs."""


class Source(BaseModel):
    """A file or folder that pages were read from."""

    path: str


class Origin(BaseModel):
    """What an audit was made from; equal in folders of every form."""

    base: str | None = None
    """Address that a folder of HTML stands for."""
    sources: tuple[Source, ...] = ()
    search: tuple[str, ...] = ()
    targets: str | None = None
    signals: str | None = None
    decisions: str | None = None


class AuditMeta(Origin):
    """The contents of ``audit.json``."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: int = FORMAT
    mardok: str
    """Version that made it."""
    made: str
    """When, ISO 8601."""
    settings: Settings
    skipped: dict[str, int]
    """Responses that are no HTML, by content type."""
    not_computed: dict[str, str]
    """What could not be computed, with the reason, both in words."""
    totals: dict[str, Any]
    """Counts and sums."""

    @field_validator("totals")
    @classmethod
    def _whole(cls, totals: dict[str, Any]) -> dict[str, Any]:
        missing = [name for name in TOTALS if name not in totals]
        if missing:
            raise ValueError(f"{missing[0]} is missing")
        return totals

    @property
    def text(self) -> str:
        """The file."""
        return json.dumps(self.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n"


def is_audit_folder(folder: Path) -> bool:
    """Whether `folder` holds an audit, of whatever form."""
    try:
        raw = json.loads((folder / META_FILE).read_text("utf-8"))
    except (OSError, ValueError, RecursionError):
        return False
    return isinstance(raw, dict) and "mardok" in raw


def read_origin(folder: Path) -> Origin:
    """What the audit in a folder was made from, whatever the form of the folder.

    Raises
    ------
    FolderError
        If `folder` holds no audit, or it does not tell.
    """
    try:
        return Origin.model_validate(_read(folder))
    except ValidationError as error:
        raise FolderError(f"{folder / META_FILE}: does not tell what the audit was made from; name the sources") from error


def read_given_settings(folder: Path) -> dict[str, Any]:
    """The settings that the audit in a folder was made with, as they stand there, whatever the form of the folder.

    Raises
    ------
    FolderError
        If `folder` holds no audit.
    """
    result = _read(folder).get("settings", {})
    return dict(result) if isinstance(result, dict) else {}


def read_meta(folder: Path) -> AuditMeta:
    """What ``audit.json`` says.

    Raises
    ------
    FolderError
        If `folder` holds no audit, or one that this version does not read; the line says how to make it again.
    """
    raw = _read(folder)
    result = raw.get("format", _FIRST_FORMAT)
    if result != FORMAT:
        raise FolderError(
            f"{folder}: has form {result!r}, and this version of Mardok reads form {FORMAT}; {way_out(folder)}"
        )
    try:
        return AuditMeta.model_validate(raw)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(map(str, first["loc"]))
        raise FolderError(
            f"{folder / META_FILE}, {where}: {first['msg'].lower()}, to this version of Mardok; {way_out(folder)}"
        ) from error


def way_out(folder: Path) -> str:
    """How to make the audit in a folder again, from the sources it names."""
    try:
        named = " ".join(source.path for source in Origin.model_validate(_read(folder)).sources)
    except (FolderError, ValidationError):
        named = ""
    return f"audit again: mardok audit {named or 'SOURCE'} -o {folder}"


def _read(folder: Path) -> dict[str, Any]:
    if not folder.is_dir():
        raise FolderError(f"{folder}: there is no such folder; make one with: mardok audit SOURCE -o {folder}")
    if not is_audit_folder(folder):
        raise FolderError(f"{folder}: is not an audit folder (no readable {META_FILE}); name one made by mardok audit")
    raw: dict[str, Any] = json.loads((folder / META_FILE).read_text("utf-8"))
    return raw
