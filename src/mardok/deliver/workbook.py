"""The audit as one workbook.

In:  tables.
Out: an ``.xlsx`` file with a sheet for each table: header frozen, filters, widths, addresses as links; no formula.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

import numpy as np
import pandas as pd
from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell
from openpyxl.styles import Alignment, Font
from openpyxl.utils import get_column_letter

from mardok.cells import neutral_cell
from mardok.deliver.shown_pages import pages_by_importance
from mardok.store import TableStore
from mardok.tables import PAGES, SMALL_GAIN_DECIMALS, TABLES, Column, Table

SHEETS = ("plan", "steps", "pages", "groups", "pairs", "phrases", "boilerplate", "checks", "contradictions", "slips")
_MOST_ROWS = 1_000_000
"""Rows of a sheet; the format ends at 1,048,576."""
_MOST_LINKS = 60_000
"""Links of a sheet; the format allows 65,530."""
_MOST_CHARACTERS = 32_000
_WIDE = {
    "summary": 60,
    "why": 80,
    "unless": 50,
    "detail": 70,
    "text": 70,
    "note": 40,
    "basis": 30,
    "title": 45,
    "description": 45,
}
_LINKED = ("url", "keeper", "target", "url_a", "url_b", "final_url", "nearest_url", "example_url")
_WRAPPED = ("why", "unless", "summary")


def workbook(tables: TableStore) -> bytes:
    """The workbook as bytes."""
    book = Workbook(write_only=True)
    left_out = []
    for name in SHEETS:
        shown, n_rows = _shown(name, tables)
        _write_sheet(book, TABLES[name], shown)
        if len(shown) < n_rows:
            left_out.append((name, len(shown), n_rows))
    if left_out:
        _write_left_out(book, left_out)
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()


def _shown(name: str, tables: TableStore) -> tuple[pd.DataFrame, int]:
    """The rows of a table that have room in a sheet, of pages those of the plan, and the first others by clicks; and of how
    many."""
    if name != PAGES.name:
        return tables[name].head(_MOST_ROWS), len(tables[name])
    pages = tables.frame(name, ["url", "clicks", "link_weight"])
    rows, most = pages_by_importance(pages, tables["plan"], tables.parts("steps"))
    names = [column.name for column in PAGES.columns if column.csv]
    return PAGES.part(tables.rows(name, np.sort(rows[:most])[:_MOST_ROWS], names), names), len(pages)


def _write_left_out(book: Workbook, left_out: Sequence[tuple[str, int, int]]) -> None:
    """A sheet that says which tables are not here as a whole, and where they are."""
    sheet = book.create_sheet("left out")
    sheet.append(["sheet", "rows here", "rows in all", "all of them"])
    for name, shown, n_rows in left_out:
        sheet.append([name, shown, n_rows, f"{name}.csv"])


def _write_sheet(book: Workbook, table: Table, frame: pd.DataFrame) -> None:
    columns = [column for column in table.columns if column.csv]
    sheet = book.create_sheet(table.name)
    sheet.freeze_panes = "A2"
    sheet.auto_filter.ref = f"A1:{get_column_letter(len(columns))}{len(frame) + 1}"
    for place, column in enumerate(columns, start=1):
        letter = get_column_letter(place)
        sheet.column_dimensions[letter].width = _WIDE.get(
            column.name, 45 if column.name in _LINKED else max(10, len(column.name) + 4)
        )
    header = []
    for column in columns:
        cell = WriteOnlyCell(sheet, column.name)
        cell.font = Font(bold=True)
        header.append(cell)
    sheet.append(header)
    is_linked = len(frame) * sum(column.name in _LINKED for column in columns) <= _MOST_LINKS
    names = [column.name for column in columns]
    for values in frame[names].itertuples(index=False, name=None):
        sheet.append(_cells(sheet, columns, values, is_linked=is_linked))


def _cells(sheet: Any, columns: Sequence[Column], values: Sequence[Any], *, is_linked: bool) -> list[Any]:
    cells = []
    for column, value in zip(columns, values, strict=True):
        name = column.name
        if isinstance(value, str):
            cell = WriteOnlyCell(sheet, neutral_cell(value)[:_MOST_CHARACTERS])
            cell.data_type = "s"
            if is_linked and name in _LINKED and value.startswith("http"):
                cell.hyperlink = value
            if name in _WRAPPED:
                cell.alignment = Alignment(wrap_text=True, vertical="top")
            cells.append(cell)
        else:
            plain = None if pd.isna(value) else value.item() if hasattr(value, "item") else value
            decimals = SMALL_GAIN_DECIMALS if name.startswith("gain") else column.decimals
            cells.append(round(plain, decimals) if isinstance(plain, float) and decimals else plain)
    return cells
