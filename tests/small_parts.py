"""Whatever is done some at a time, and lies in a file when it is large, as if a few numbers were many."""

from __future__ import annotations

from pathlib import Path

import pytest

from mardok import handing, hash_ranges, kept_rows, large, mapped, sharing
from mardok.compare import accounting, carriers, join, mentions, page_phrases, phrases
from mardok.findings import checks, names
from mardok.plan import ranking
from mardok.proofing import job
from mardok.text import elements, furniture, recurrence, site, stored_pages


def at_once(n: int, monkeypatch: pytest.MonkeyPatch, folder: Path) -> Path:
    for module, several in (
        (large, ("_ITEMS_AT_ONCE", "_TEXTS_AT_ONCE", "_COUNTED_AT_ONCE")),
        (mapped, ("_LEAST_BYTES",)),
        (hash_ranges, ("_SORTED_AT_ONCE", "_PARTED_AT_ONCE", "_MADE_AT_ONCE")),
        (handing, ("_HANDED_BYTES",)),
        (page_phrases, ("_WORDS_AT_ONCE",)),
        (phrases, ("_PLACES_AT_ONCE", "_CLAUSES_AT_ONCE", "_COUNTED_AT_ONCE")),
        (mentions, ("_PLACES_TOLD",)),
        (names, ("_NAMES_AT_ONCE", "_TITLES_AT_ONCE", "_MENTIONS_AT_ONCE")),
        (join, ("_ROWS_SHARED", "_FAMILY_ROWS_SHARED")),
        (accounting, ("_WORDS_SHARED",)),
        (carriers, ("_PLACES_SHARED", "_LOOKED_AT_ONCE", "_PAIRS_AT_ONCE")),
        (job, ("_BYTES_AT_ONCE",)),
        (site, ("_BYTES_AT_ONCE", "_PAGES_AT_ONCE")),
        (furniture, ("_PAGES_AT_ONCE", "_PAGES_SHARED", "_ELEMENTS_SHARED")),
        (elements, ("_PLACES_AT_ONCE",)),
        (recurrence, ("_THINGS_AT_ONCE", "_LOOKED_AT_ONCE")),
        (kept_rows, ("_ROWS_AT_ONCE",)),
        (checks, ("_ROWS_AT_ONCE",)),
        (ranking, ("_ROWS_AT_ONCE",)),
    ):
        for name in several:
            monkeypatch.setattr(module, name, n)
    hold_as_columns(monkeypatch, 5)
    return folder


def in_small_parts(n: int, n_pages: int, monkeypatch: pytest.MonkeyPatch, folder: Path) -> None:
    """The same, with so few pages in what is given to one process."""
    at_once(n, monkeypatch, folder)
    monkeypatch.setattr(sharing, "_FEWEST_KEPT", 2)
    monkeypatch.setattr(site, "_PAGES_AT_ONCE", n_pages)
    monkeypatch.setattr(join, "_ROWS_SHARED", n_pages)
    monkeypatch.setattr(furniture, "_PAGES_SHARED", n_pages)
    for name in ("_FAMILY_LIST", "_FAMILY_ROWS_SHARED"):  # a few copies are a family already
        monkeypatch.setattr(join, name, 2)


def hold_as_columns(monkeypatch: pytest.MonkeyPatch, n: int) -> None:
    """Hold pages, and what is found about them, as columns from so many on."""
    monkeypatch.setattr(kept_rows, "_MANY_ROWS", n)
    monkeypatch.setattr(stored_pages, "MANY_PAGES", n)
