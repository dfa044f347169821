"""Figures of an audit, for notebooks and slides.

In:  the tables of an audit (``audit.tables``).
Out: matplotlib axes, drawn on those given or on a new figure; what differs by colour differs by mark, line or hatch, too.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from mardok.errors import SelectionError
from mardok.urls import split_url
from mardok.vocabulary import GainUnit

if TYPE_CHECKING:
    from matplotlib.axes import Axes

INK, DEEP, AMBER, SOFT = "#1d2422", "#2a7f80", "#b8741a", "#8c948f"
_MARKS = {"merge": "o", "canonical": "s", "rewrite": "^", "retitle": "v", "expand": "D", "trim": "P", "link": "*"}
_LINES = ("-", "--", ":", "-.")
_SECTIONS = 10
_NAMED = 3
_BINS = 25
_LEAST_SHARE = 0.5

Tables = Mapping[str, pd.DataFrame]


def gain_against_effort(tables: Tables, ax: Axes | None = None) -> Axes:
    """What proposals bring against the work they take: a bar from the least to the greatest gain at the hours each takes.

    Only proposals with a gain in clicks are drawn; the greatest are named by their rank in the plan.

    Examples
    --------
    >>> import mardok
    >>> audit = mardok.load("audit")  # doctest: +SKIP
    >>> mardok.figures.gain_against_effort(audit.tables).figure.savefig("gain.png")  # doctest: +SKIP
    """
    ax = _axes(ax)
    plan = tables["plan"]
    shown = plan[(plan["gain_unit"] == GainUnit.CLICKS) & (plan["gain"] != 0)]
    ax.axhline(0, color=SOFT, linewidth=0.8)
    for action, part in shown.groupby("action"):
        at = part["gain"]
        reach = np.array([at - part["gain_low"], part["gain_high"] - at])
        ax.errorbar(part["effort_hours"], at, yerr=reach, fmt="none", ecolor=SOFT, elinewidth=1.2)
        ax.plot(
            part["effort_hours"], at, linestyle="none", marker=_MARKS.get(str(action), "X"), markersize=7,
            color=AMBER if action == "merge" else DEEP, label=str(action),
        )  # fmt: skip
    for row in shown.nlargest(_NAMED, "gain").itertuples():
        at_point = (float(row.effort_hours), float(row.gain))  # type: ignore[arg-type]
        ax.annotate(f"rank {row.rank}", at_point, xytext=(7, 4), textcoords="offset points", fontsize=9)
    ax.set_xlabel("hours of work")
    ax.set_ylabel("clicks a month")
    if len(shown):  # beside the points, of which it would cover some
        ax.legend(frameon=False, fontsize=9, loc="center left", bbox_to_anchor=(1.0, 0.5))
    return ax


def resemblance_distribution(tables: Tables, threshold: float, ax: Axes | None = None) -> Axes:
    """How much the kept pairs of pages resemble each other, and from where on two pages are copies.

    Parameters
    ----------
    threshold : float
        Resemblance from which on two pages are copies, 0 to 1; the audit's is ``meta["settings"]["copies"]["resemblance"]``.
    """
    ax = _axes(ax)
    values = tables["pairs"]["resemblance"].to_numpy()
    ax.hist(
        values[values >= _LEAST_SHARE], bins=_BINS, range=(_LEAST_SHARE, 1.0), color=DEEP, edgecolor="white", linewidth=0.5
    )
    ax.axvline(threshold, color=AMBER, linewidth=2, linestyle="--")
    ax.annotate(
        f"copies from {threshold:.0%}", (threshold, 0.97), xycoords=("data", "axes fraction"), xytext=(-6, 0),
        textcoords="offset points", ha="right", va="top", fontsize=9,
    )  # fmt: skip
    ax.xaxis.set_major_formatter(lambda value, _: f"{value:.0%}")
    ax.locator_params(axis="y", integer=True)
    ax.set_xlabel("resemblance of two pages")
    ax.set_ylabel("pairs of pages")
    return ax


def words_by_section(tables: Tables, ax: Axes | None = None) -> Axes:
    """Where the words come from, section by section: the pages' own, shared with other pages, boilerplate."""
    ax = _axes(ax)
    summed = section_words(tables["pages"]).iloc[::-1]
    left = np.zeros(len(summed))
    for name, colour, hatch in (("own", DEEP, ""), ("shared", AMBER, "//"), ("boilerplate", SOFT, "..")):
        values = summed[name].to_numpy(float)
        ax.barh(
            summed["section"], values, left=left, color=colour, hatch=hatch, edgecolor="white", linewidth=0.5, label=name
        )
        left += values
    ax.xaxis.set_major_formatter(lambda value, _: f"{value:,.0f}")
    ax.set_xlabel("words of main text")
    ax.legend(frameon=False, fontsize=9, loc="lower right")
    return ax


def section_words(pages: pd.DataFrame) -> pd.DataFrame:
    """Words by section: columns ``section``, ``pages``, ``own``, ``shared``, ``boilerplate``; the largest first.

    Only pages whose words are accounted for count. Beyond ten sections the smaller ones are one, ``other``.
    """
    counted = pages[pages["own_words"].notna()]
    frame = pd.DataFrame(
        {
            "section": counted["url"].map(section_of).to_numpy(object),
            "pages": 1,
            **{name: counted[f"{name}_words"].to_numpy(np.int64) for name in ("own", "shared", "boilerplate")},
        }
    )
    summed = frame.groupby("section", as_index=False).sum()
    total = summed["own"] + summed["shared"] + summed["boilerplate"]
    summed = summed.assign(total=total).sort_values(["total", "section"], ascending=[False, True], ignore_index=True)
    summed = summed.drop(columns=["total"])
    if len(summed) <= _SECTIONS:
        return summed
    rest = summed.iloc[_SECTIONS - 1 :].drop(columns=["section"]).sum()
    return pd.concat([summed.head(_SECTIONS - 1), pd.DataFrame([{"section": "other", **rest.to_dict()}])], ignore_index=True)


def positions_over_time(tables: Tables, query: str, ax: Axes | None = None) -> Axes:
    """Who of the rivals for a query held which position, week by week; the top of the page is up.

    Parameters
    ----------
    tables : mapping of str to DataFrame
        The tables of an audit.
    query : str
        A query that rivals compete for.
    ax : Axes, optional
        Where to draw; a new figure if None.

    Raises
    ------
    SelectionError
        If the audit holds no positions for the query: it is none that rivals compete for, or the search data has no days.
    """
    stated = tables["positions"]
    rows = stated[stated["query"] == query]
    if rows.empty:
        there = ", ".join(map(repr, stated["query"].value_counts().index[:5])) or "none: dated search data tells of them"
        raise SelectionError(f"{query!r}: is no query that rivals compete for; such queries are {there}")
    ax = _axes(ax)
    urls = tables["pages"]["url"]
    weeks = sorted(rows["week"].unique())
    place = {week: at for at, week in enumerate(weeks)}
    for number, (page, part) in enumerate(rows.groupby("page")):
        at = np.array([place[week] for week in part["week"]])
        line = np.full(len(weeks), np.nan)
        line[at] = part["position"]
        ax.plot(
            range(len(weeks)), line, linestyle=_LINES[number % len(_LINES)], linewidth=1.8,
            color=(DEEP, AMBER, INK, SOFT)[number % 4], label=_path(str(urls.iloc[int(str(page))])),
        )  # fmt: skip
    ax.invert_yaxis()
    shown = np.unique(np.linspace(0, len(weeks) - 1, min(6, len(weeks))).astype(int))
    ax.set_xticks(shown, [weeks[at] for at in shown])
    ax.set_ylabel("mean position")
    ax.set_title(f"'{query}'", fontsize=10)
    ax.legend(frameon=False, fontsize=9)
    return ax


def _axes(ax: Axes | None) -> Axes:
    if ax is None:
        try:
            from matplotlib.figure import Figure  # only here: nothing else needs it
        except ImportError as error:
            raise SelectionError("figures are drawn by matplotlib; install it: pip install 'mardok[figures]'") from error

        ax = Figure(figsize=(6.4, 3.4), layout="constrained").add_subplot()
    ax.spines[["top", "right"]].set_visible(False)
    return ax


def section_of(url: str) -> str:
    """The folder that a path begins with, ``/`` for pages in none."""
    parts = split_url(url)
    first = parts.path.split("/", 2)
    return f"/{first[1]}/" if len(first) > 2 else "/"


def _path(url: str) -> str:
    parts: Any = split_url(url)
    return str(parts.path + (f"?{parts.query}" if parts.query else ""))
