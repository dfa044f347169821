"""The report: one HTML file that a client can read, print and be sent.

In:  the tables of an audit and its ``audit.json``.
Out: HTML without a single request. What the first screen says stands in it as text; the rest is looked up by the page's own
     script in compressed parts, as it is asked for. A content security policy allows this script and this style, by their
     hashes, and nothing else; what pages say is escaped here, and only ever becomes text nodes there.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from functools import cache
from importlib.resources import files
from typing import Any
from urllib.parse import urlsplit

import pandas as pd
from markupsafe import Markup

from mardok.deliver.pictures import gain_picture, words_picture
from mardok.deliver.report_parts import report_parts
from mardok.deliver.templating import content_hash, rendered
from mardok.figures import section_words
from mardok.kept import KeptParts
from mardok.meta import AuditMeta
from mardok.plan.totals import told_apart
from mardok.sentences import counted, gain_text, sentence
from mardok.store import TableStore
from mardok.vocabulary import GainUnit

_SCRIPTS = ("words", "base", "table", "pictures", "difference", "plan", "copies", "others", "main")
_VIEWS = ("plan", "copies", "pair", "wording", "proof", "rivals", "pages", "page", "checks")
_FIRST = 6
_MOST_BY_GAIN = 3
_MOST_PARTS = 40
_MOST_ROWS = 200
"""Rows of any list of the first screen."""


@dataclass(frozen=True)
class _Picture:
    svg: Markup
    caption: str


def report_html(tables: TableStore, meta: AuditMeta, kept: KeptParts | None = None) -> str:
    """The report as one HTML document of at most 25 MB.

    Parameters
    ----------
    kept : KeptParts, optional
        What an earlier audit kept, and takes what the next one need not make again.
    """
    home = _home(tables.frame("pages", ["url", "indexable"]))
    filters = {"figure": _figure, "local": lambda url: url.removeprefix(home) if home != url else url}
    plan, unread = tables["plan"], tables["unread"]
    first, rest = told_apart(plan)
    parts = report_parts(tables, kept)
    script, style = own_script(), _own_style()
    values = {
        "site": urlsplit(home).netloc or "site",
        "home": home,
        "made": datetime.fromisoformat(meta.made).strftime("%d %B %Y"),
        "meta": meta,
        "totals": meta.totals,
        "first": first.head(_FIRST).to_dict("records"),
        "rest": list(map(str, rest)),
        "n_proposals": len(plan),
        "by_gain": _by_gain(plan),
        "pictures": _pictures(tables),
        "views": _VIEWS,
        "most": _MOST_ROWS,
        "furniture": tables["furniture"].head(_MOST_PARTS).to_dict("records"),
        "unread": unread.head(_MOST_ROWS).to_dict("records"),
        "n_unread": len(unread),
        "left_out": parts.left_out,
        "n_pages_left": parts.left_out.get("pages", 0),
        "parts": parts.data,
        "script": Markup(script),
        "script_hash": content_hash(script),
        "style": Markup(style),
        "style_hash": content_hash(style),
    }
    return rendered("report.html.j2", filters, values)


@cache
def own_script() -> str:
    """The script of the report."""
    folder = files("mardok.deliver") / "templates" / "report"
    script = "".join((folder / f"{name}.js").read_text("utf-8") for name in _SCRIPTS)
    return f'"use strict";\n(() => {{\n{script}}})();\n'


@cache
def _own_style() -> str:
    return (files("mardok.deliver") / "templates" / "report" / "report.css").read_text("utf-8")


def _pictures(tables: TableStore) -> list[_Picture]:
    """What is drawn once: gain against effort, and where the words come from."""
    result = []
    plan = tables["plan"]
    gaining = plan[(plan["gain_unit"] == GainUnit.CLICKS) & (plan["gain"] > 0)]
    if len(gaining):
        best = gaining.nlargest(3, "gain")
        named = "; ".join(
            str(sentence("picture.best", summary=row["summary"], gain=gain_text(row), hours=row["effort_hours"]))
            for row in _records(best)
        )
        stated = str(sentence("picture.gain", proposals=counted("proposal", len(gaining)), named=named))
        result.append(_Picture(Markup(gain_picture(gaining, stated)), str(sentence("picture.gain-caption"))))
    words = section_words(tables.frame("pages", ["url", "own_words", "shared_words", "boilerplate_words"]))
    if len(words):
        named = "; ".join(str(sentence("picture.section", **row)) for row in _records(words))
        stated = str(sentence("picture.words", named=named))
        result.append(_Picture(Markup(words_picture(words, stated)), str(sentence("picture.words-caption"))))
    return result


def _by_gain(plan: pd.DataFrame) -> list[dict[str, Any]]:
    """The proposals that are expected to bring most clicks."""
    gaining = plan[(plan["gain_unit"] == GainUnit.CLICKS) & (plan["gain"] > 0)]
    ordered = gaining.sort_values(["gain", "rank"], ascending=[False, True]).head(_MOST_BY_GAIN)
    return _records(ordered)


def _records(frame: pd.DataFrame) -> list[dict[str, Any]]:
    return [{str(name): value for name, value in row.items()} for row in frame.to_dict("records")]


def _home(pages: pd.DataFrame) -> str:
    """Scheme and host of most indexable pages, which need not be repeated on every line."""
    urls = pages.loc[pages["indexable"], "url"] if pages["indexable"].any() else pages["url"]
    origins = urls.str.extract(r"^(https?://[^/]+)")[0]
    return str(origins.mode().iloc[0])


def _figure(value: float, decimals: int = 0) -> str:
    return "" if pd.isna(value) else f"{value:,.{decimals}f}".replace("-", "\u2212")
