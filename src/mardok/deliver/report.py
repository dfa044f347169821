"""The report: one HTML file that a client can read, print and be sent.

In:  the tables of an audit and its ``audit.json``.
Out: HTML without scripts and without a single request; all text from pages is escaped and isolated.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from urllib.parse import urlsplit

import pandas as pd
from jinja2 import Environment, PackageLoader, StrictUndefined

from mardok.compare.difference import difference
from mardok.deliver.side_by_side import Row, side_by_side
from mardok.plan.wording import count, percent
from mardok.tables import BANDS, CHECKS

_MOST_PROPOSALS = 300
_MOST_BY_GAIN = 10
_MOST_GROUPS = 200
_MOST_MEMBERS = 40
_MOST_PAIR_VIEWS = 150
"""Pairs whose texts are shown side by side; each costs some kilobytes."""
_MOST_ROWS = 200
"""Rows of any other list."""


@dataclass(frozen=True)
class _Member:
    url: str
    role: str
    page: Mapping[str, Any]
    resemblance: float | None
    is_identical: bool
    rows: Sequence[Row] | None
    """The text beside the keeper's; None if it is not shown."""


@dataclass(frozen=True)
class _Group:
    id: str
    kind: str
    pattern: str
    evidence: str
    confidence: str
    members: Sequence[_Member]
    n_members: int


def report_html(tables: Mapping[str, pd.DataFrame], meta: Mapping[str, Any]) -> str:
    """The report as one HTML document."""
    environment = Environment(
        loader=PackageLoader("mardok.deliver"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    home = _home(tables["pages"])
    environment.filters.update(
        percent=percent, figure=_figure, gain=gain_text, local=lambda url: url.removeprefix(home) if home != url else url
    )
    environment.globals.update(count=count)
    plan = tables["plan"]
    steps = {str(proposal): part.to_dict("records") for proposal, part in tables["steps"].groupby("proposal", sort=False)}
    unread, checks = tables["unread"], tables["checks"]
    groups = list(_groups(tables))
    thin = tables["pages"][tables["pages"]["thin"] == "yes"].sort_values(["own_words", "url"])
    return environment.get_template("report.html.j2").render(
        site=urlsplit(home).netloc or "site",
        home=home,
        made=datetime.fromisoformat(meta["made"]).strftime("%d %B %Y"),
        meta=meta,
        totals=meta["totals"],
        bands=BANDS,
        proposals=plan.head(_MOST_PROPOSALS).to_dict("records"),
        n_proposals=len(plan),
        by_gain=_by_gain(plan),
        steps=steps,
        most=_MOST_ROWS,
        groups=groups,
        n_groups=tables["groups"]["group"].nunique(),
        checks=[
            (check, CHECKS[str(check)], part.head(_MOST_ROWS).to_dict("records"), len(part))
            for check, part in checks.groupby("check")
        ],
        thin=thin.head(_MOST_ROWS).to_dict("records"),
        n_thin=len(thin),
        unread=unread.head(_MOST_ROWS).to_dict("records"),
        n_unread=len(unread),
    )


def _by_gain(plan: pd.DataFrame) -> list[dict[str, Any]]:
    """Proposals that bring clicks, those that bring most in all first; of those that are shown."""
    shown = plan.head(_MOST_PROPOSALS)
    known = shown.assign(middle=(shown["gain_low"] + shown["gain_high"]) / 2)
    gaining = known[(known["gain_unit"] == "clicks/month") & (known["middle"] > 0)]
    ordered = gaining.sort_values(["middle", "rank"], ascending=[False, True]).head(_MOST_BY_GAIN)
    return [{str(name): value for name, value in row.items()} for row in ordered.to_dict("records")]


def _home(pages: pd.DataFrame) -> str:
    """Scheme and host of most indexable pages, which need not be repeated on every line."""
    urls = pages.loc[pages["indexable"], "url"] if pages["indexable"].any() else pages["url"]
    origins = urls.str.extract(r"^(https?://[^/]+)")[0]
    return str(origins.mode().iloc[0])


def _groups(tables: Mapping[str, pd.DataFrame]) -> Iterator[_Group]:
    rank = {proposal: number for number, proposal in enumerate(tables["plan"]["proposal"])}
    pages = tables["pages"].set_index("url", drop=False)
    pairs = {
        (a, b): value
        for a, b, value in tables["pairs"][["url_a", "url_b", "resemblance"]].itertuples(index=False, name=None)
    }
    by_group = [(str(group), part) for group, part in tables["groups"].groupby("group")]
    by_group.sort(key=lambda item: (item[1]["kind"].iloc[0] == "variants", rank.get(item[0], len(rank)), item[0]))
    views_left = _MOST_PAIR_VIEWS
    for group, part in by_group[:_MOST_GROUPS]:
        # A series has no keeper; its pages are seen beside the first.
        keeper = str(part.sort_values("role")["url"].iloc[0])
        kept = pages.loc[keeper]
        is_alike = part["kind"].iloc[0] in ("variants", "copies")
        members = []
        for url, role in (
            part.sort_values(["role", "url"]).head(_MOST_MEMBERS)[["url", "role"]].itertuples(index=False, name=None)
        ):
            page = pages.loc[url]
            is_identical = url != keeper and page["text_hash"] == kept["text_hash"]
            rows = None
            if is_alike and url != keeper and not is_identical and views_left > 0:
                rows = side_by_side(difference(str(kept["main_text"]), str(page["main_text"])))
                views_left -= 1
            resemblance = pairs.get((min(url, keeper), max(url, keeper)))
            members.append(_Member(url, role, page.to_dict(), resemblance, is_identical, rows))
        first = part.iloc[0]
        yield _Group(group, first["kind"], first["phrase"], first["evidence"], first["confidence"], members, len(part))


def _figure(value: float, decimals: int = 0) -> str:
    return "" if pd.isna(value) else f"{value:,.{decimals}f}".replace("-", "\u2212")


def gain_text(proposal: Mapping[str, Any]) -> str:
    """The gain of a proposal as it is said: clicks as a range, link weight as a share, or that there is no evidence."""
    low, high = proposal["gain_low"], proposal["gain_high"]
    if not low and not high:
        return "no evidence"
    if proposal["gain_unit"] == "link weight":
        return f"{percent(high)} link weight"
    return f"{_signed(low)} to {_signed(high)} clicks/month"


def _signed(value: float) -> str:
    rounded = round(value)
    return "0" if rounded == 0 else f"{rounded:+,d}".replace("-", "\u2212")
