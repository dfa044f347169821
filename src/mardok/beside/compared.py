"""Compared sites: their measures, the pages behind them, and their files.

In:  what was measured.
Out: a record that can be read, printed and saved.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from os import PathLike
from pathlib import Path
from typing import Any

import pandas as pd

from mardok.beside.measures import GOOD
from mardok.folder import csv_bytes, write_files
from mardok.sentences import Sentence, Text, sentence
from mardok.tables import VERSUS, VERSUS_PAGES
from mardok.vocabulary import CauseKind, Chance, MeasureUnit, SiteMeasure

MARKER_FILE, PAGE_FILE = "versus.json", "versus.html"


@dataclass(frozen=True)
class SiteRead:
    """What was read of a site."""

    name: str
    read: str
    """How much, and when, in words."""
    is_whole: bool
    mardok: str
    """Version that audited it."""


@dataclass(frozen=True)
class ComparedSites:
    """Several sites on the same measures."""

    table: pd.DataFrame
    """One row a measure and site, as :data:`mardok.tables.VERSUS` declares it."""
    pages: pd.DataFrame
    """One row a page behind a measure."""
    sites: tuple[SiteRead, ...]
    """Ours first."""
    without: tuple[str, ...]
    """Checks that ``adjusted`` leaves out."""
    without_section: tuple[str, ...]
    """Paths that it leaves out."""

    @property
    def is_adjusted(self) -> bool:
        """Whether something was asked to be left out."""
        return bool(self.without or self.without_section)

    def by_measure(self) -> Iterator[list[dict[str, Any]]]:
        """For each measure its rows, ours first."""
        for _, rows in self.table.groupby("place"):
            yield [{str(name): cell for name, cell in row.items()} for row in rows.to_dict("records")]

    def as_dict(self) -> dict[str, Any]:
        """Everything but the pages, for programs."""
        records = self.table.astype(object).where(self.table.notna(), None).to_dict("records")
        return {
            "sites": [
                {"name": site.name, "read": site.read, "whole": site.is_whole, "mardok": site.mardok} for site in self.sites
            ],
            "without": list(self.without),
            "without_section": list(self.without_section),
            "measures": records,
        }

    def save(self, path: str | PathLike[str]) -> None:
        """Write the folder; an earlier comparison there is replaced only when the new one is complete.

        Parameters
        ----------
        path : path
            The folder.

        Raises
        ------
        FolderError
            If the folder holds something else, or cannot be written.
        """
        from mardok.beside.page import versus_html  # only here: asking needs no templates

        files = {
            "versus.csv": csv_bytes(VERSUS, self.table),
            "versus-pages.csv": csv_bytes(VERSUS_PAGES, self.pages),
            PAGE_FILE: versus_html(self).encode("utf-8", "replace"),
            MARKER_FILE: (json.dumps(self.as_dict(), ensure_ascii=False) + "\n").encode("utf-8", "replace"),
        }
        write_files(Path(path), files, marker=MARKER_FILE)


def measure_name(row: dict[str, Any]) -> Text:
    """What is measured, in words."""
    measure, has_part = row["measure"], row["of"] and row["measure"] != SiteMeasure.LANGUAGE
    return sentence(f"versus.measure.{measure}-of" if has_part else f"versus.measure.{measure}", of=row["of"])


def value_text(value: float, unit: str) -> Text:
    """A value as a reader sees it; ``""`` where there is none."""
    if pd.isna(value):
        return ""
    return sentence("versus.value.share" if unit == MeasureUnit.SHARE else "versus.value.number", value=value)


def cause_text(row: dict[str, Any]) -> Text:
    """What most of it comes from, and what the measure is without that; ``""`` where there is no such."""
    if not row["cause_kind"]:
        return ""
    key = "section" if row["cause_kind"] == CauseKind.SECTION else "template"
    key = f"missing-{key}" if row["measure"] in GOOD else key
    return sentence(
        f"versus.cause-told.{key}", cause=row["cause"], share=row["cause_share"],
        value=value_text(row["without_cause"], row["unit"]),
    )  # fmt: skip


def chance_text(row: dict[str, Any]) -> Sentence | str:
    """Whether the difference is more than chance; ``""`` where that is not asked."""
    return sentence(f"versus.chance.{row['chance']}") if row["chance"] != Chance.NONE else ""
