"""Writes ``docs/reference.md`` from the code: commands, settings, tables. Usage: ``python tools/reference.py``."""

from __future__ import annotations

import ast
import inspect
import textwrap
from collections.abc import Iterator
from functools import cache
from html import escape
from itertools import pairwise
from pathlib import Path
from typing import Any

import typer
from pydantic import BaseModel
from pydantic_core import PydanticUndefined

from mardok.cli.app import app
from mardok.sentences import sentence
from mardok.settings import Settings
from mardok.tables import (
    INPUT_COLUMNS,
    RECHECK_TABLES,
    SEARCH_COLUMNS,
    SIGNAL_COLUMNS,
    TABLES,
    TARGET_COLUMNS,
    VERSUS,
    VERSUS_PAGES,
    Table,
)
from mardok.vocabulary import STEPS_OF_ACTION, CheckId

OUT = Path(__file__).parent.parent / "docs" / "reference.md"
_INPUTS = {
    "A table of pages": INPUT_COLUMNS,
    "A search file": SEARCH_COLUMNS,
    "Targets": TARGET_COLUMNS,
    "Signals": SIGNAL_COLUMNS,
}


def reference() -> str:
    """The reference as Markdown."""
    parts = ["# Reference", "", "Made from the code by `tools/reference.py`.", "", *_commands(), *_settings(), *_tables()]
    return "\n".join(parts).rstrip() + "\n"


def _cell(text: object) -> str:
    return " ".join(str(text).split()).replace("|", "\\|")


def _commands() -> Iterator[str]:
    yield "## Commands"
    yield ""
    group: Any = typer.main.get_command(app)
    for name, command in group.commands.items():
        told, _, example = (command.help or "").partition("Example:")
        yield f"### mardok {name}"
        yield ""
        yield " ".join(told.split())
        yield ""
        if example:
            yield from ("```sh", " ".join(example.split()), "```", "")
        yield "| | |"
        yield "|---|---|"
        for parameter in command.params:
            is_option = getattr(parameter, "param_type_name", "") == "option"
            names = ", ".join(parameter.opts) if is_option else parameter.name.upper()
            yield f"| `{names}` | {_cell(getattr(parameter, 'help', '') or '')} |"
        yield ""


def _settings() -> Iterator[str]:
    yield "## Settings"
    yield ""
    yield "In `mardok.toml`, or one by one with `--set section.name=value`."
    yield ""
    for name, field in Settings.model_fields.items():
        section: Any = field.annotation
        yield f"### {name}"
        yield ""
        yield _cell(_described(Settings).get(name) or section.__doc__)
        yield ""
        yield from _fields(section, name)
        yield ""


def _fields(section: type[BaseModel], prefix: str) -> Iterator[str]:
    yield "| setting | default | bounds | meaning |"
    yield "|---|---|---|---|"
    nested, described = [], _described(section)
    for name, field in section.model_fields.items():
        if isinstance(field.annotation, type) and issubclass(field.annotation, BaseModel):
            nested.append((f"{prefix}.{name}", field.annotation))
            continue
        bounds = [str(rule).replace("(", " ").rstrip(")").replace("Ge ge=", "from ").replace("Gt gt=", "above ")
                  .replace("Le le=", "to ").replace("Lt lt=", "below ") for rule in field.metadata]  # fmt: skip
        default = "" if field.default is PydanticUndefined else _default(field.default)
        yield f"| `{prefix}.{name}` | {default} | {_cell(', '.join(bounds))} | {_cell(described.get(name, ''))} |"
    for name, inner in nested:
        yield ""
        yield from _fields(inner, name)


@cache
def _described(section: type[BaseModel]) -> dict[str, str]:
    """What stands below each setting in the source. To collect that at every start would take a tenth of a second."""
    (body,) = ast.parse(textwrap.dedent(inspect.getsource(section))).body
    assert isinstance(body, ast.ClassDef)
    return {
        one.target.id: inspect.cleandoc(below.value.value)
        for one, below in pairwise(body.body)
        if isinstance(one, ast.AnnAssign) and isinstance(one.target, ast.Name)
        and isinstance(below, ast.Expr) and isinstance(below.value, ast.Constant) and isinstance(below.value.value, str)
    }  # fmt: skip


def _default(value: object) -> str:
    if isinstance(value, tuple) and len(value) > 6:
        return _cell(", ".join(f"`{item}`" for item in value[:5])) + f" and {len(value) - 5} more"
    if isinstance(value, tuple):
        return _cell(", ".join(f"`{item}`" for item in value))
    if isinstance(value, bool):
        return f"`{str(value).lower()}`"
    return f"`{value}`" if value not in ("", {}) else ""


def _table(table: Table, where: str) -> Iterator[str]:
    yield f"### {table.name}"
    yield ""
    yield f"{where}: {table.meaning}, ordered by {', '.join(table.order)}."
    yield ""
    yield "| column | type | unit | meaning |"
    yield "|---|---|---|---|"
    for column in table.columns:
        name = f"`{column.name}`" if column.csv and table.csv else f"*{column.name}*"
        words = f": {', '.join(filter(None, column.words))}" if column.words and len(column.words) < 20 else ""
        yield f"| {name} | {column.dtype} | {column.unit} | {_cell(column.meaning + words)} |"
    yield ""


def _tables() -> Iterator[str]:
    yield "## Files and columns"
    yield ""
    yield "Text is never missing; counts that may be unknown are empty in CSV. Columns in *italics* stand in Parquet only."
    yield ""
    for table in TABLES.values():
        where = f"`{table.name}.csv`, `data/{table.name}.parquet`" if table.csv else f"`data/{table.name}.parquet`"
        yield from _table(table, where)
    yield "## Files of a recheck"
    yield ""
    yield "In CSV, and in `recheck.json`, which has the columns in *italics*, too."
    yield ""
    for table in RECHECK_TABLES.values():
        yield from _table(table, f"`{table.name}.csv`")
    yield "## Files of a comparison"
    yield ""
    for table in (VERSUS, VERSUS_PAGES):
        yield from _table(table, f"`{table.name}.csv`")
    yield "## Steps of each action"
    yield ""
    yield "| action | steps |"
    yield "|---|---|"
    yield from (f"| `{action}` | {', '.join(steps)} |" for action, steps in STEPS_OF_ACTION.items())
    yield ""
    yield "## Checks"
    yield ""
    yield "| check | trouble | what it costs | what mends it |"
    yield "|---|---|---|---|"
    for check in CheckId:
        trouble, cost, mend = (str(sentence(f"check.{check}.{about}")) for about in ("trouble", "cost", "mend"))
        yield f"| `{check}` | {trouble} | {escape(cost, quote=False)} | {mend} |"
    yield ""
    yield "## Columns understood in files that are given"
    yield ""
    for what, columns in _INPUTS.items():
        yield f"### {what}"
        yield ""
        yield "| column | meaning |"
        yield "|---|---|"
        yield from (f"| `{name}` | {_cell(meaning)} |" for name, meaning in columns.items())
        yield ""


if __name__ == "__main__":
    OUT.write_text(reference(), "utf-8")
