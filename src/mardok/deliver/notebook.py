"""An audit, a page, a group and a pair of pages as a notebook shows them.

In:  an audit, or what it says of pages.
Out: short HTML, without scripts and styles of its own; what pages say is escaped.
"""

from __future__ import annotations

from typing import Any

from mardok.audits import Audit, PageGroup, PagePair
from mardok.deliver.side_by_side import side_by_side
from mardok.deliver.templating import rendered
from mardok.sheets import PageSheet

_FIRST = 5
_MOST_MEMBERS = 30
_MOST_RELATIVES = 5
_FACTS = ("kind", "language", "indexable", "reason", "title", "h1", "words", "own_words", "inlinks", "clicks", "topic")


def audit_html(audit: Audit) -> str:
    """An audit in short: the totals and the first proposals."""
    first = audit.plan.head(_FIRST).to_dict("records")
    return _rendered("audit", totals=audit.meta.totals, plan=first, n=len(audit.plan))


def pair_html(pair: PagePair) -> str:
    """Two pages: the figures, and the words that differ."""
    return _rendered("pair", pair=pair, rows=side_by_side(pair.runs))


def group_html(group: PageGroup) -> str:
    """A group: its pages, the keeper first."""
    shown = group.pages.head(_MOST_MEMBERS).to_dict("records")
    return _rendered("group", group=group, pages=shown, n_more=len(group.pages) - _MOST_MEMBERS)


def sheet_html(sheet: PageSheet) -> str:
    """A page: its facts, headings, relatives and steps."""
    facts = {name: value for name, value in sheet.facts.items() if name in _FACTS and value not in ("", None)}
    return _rendered("sheet", sheet=sheet, facts=facts, relatives=sheet.relatives[:_MOST_RELATIVES])


def _rendered(view: str, **values: Any) -> str:
    return rendered(f"notebook/{view}.html.j2", {}, values)
