"""The comparison as one HTML file, in the look of the report: it asks for nothing, runs nothing, and prints.

In:  compared sites.
Out: HTML; what pages say is escaped.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Any

import pandas as pd

from mardok.beside.compared import ComparedSites, cause_text, chance_text, measure_name, value_text
from mardok.deliver.templating import page_style, rendered
from mardok.sentences import listing, sentence
from mardok.vocabulary import MeasureUnit

_MOST_PAGES = 25
"""Pages of a measure and site that are shown; the others stand in the file of pages."""
_WIDTH, _HEIGHT, _EDGE = 420, 46, 12
"""Of the track on which the sites are dots, in pixels; and how far its ends are from its borders."""
_CLOSE = 14
"""Pixels between two dots below which their numbers would run into each other."""
_STEPS = (1, 2, 2.5, 5, 10)


def versus_html(result: ComparedSites) -> str:
    """The page."""
    values = {
        "sites": result.sites,
        "measures": list(_measures(result)),
        "without": str(listing([*result.without, *result.without_section], most=6)),
        "has_parts": not all(site.is_whole for site in result.sites),
        "version": result.sites[0].mardok,
        "width": _WIDTH,
        "height": _HEIGHT,
        "edge": _EDGE,
        "middle": _HEIGHT - 22,
        "most": _MOST_PAGES,
        **page_style("versus.css"),
    }
    return rendered("versus.html.j2", {"figure": lambda n: f"{n:,.0f}"}, values)


def _measures(result: ComparedSites) -> Iterator[dict[str, Any]]:
    """One row a measure: its dots, and what opens below it."""
    listed = {key: rows["url"].tolist() for key, rows in result.pages.groupby(["measure", "of", "site"])}
    for rows in result.by_measure():
        unit = rows[0]["unit"]
        top = _top([row[name] for row in rows for name in ("value", "high", "quarter_high", "adjusted")], unit)
        dots = [_dot(row, top) for row in rows if not pd.isna(row["value"])]
        yield {
            "name": _capital(str(measure_name(rows[0]))),
            "top": str(value_text(top, unit)),
            "none": str(value_text(0.0, unit)),
            "dots": dots,
            "labels": _labels(dots),
            "rows": [_told(row, listed.get((row["measure"], row["of"], row["site"]), [])) for row in rows],
            "ours": str(value_text(rows[0]["value"], unit)),
            "has_quartiles": not pd.isna(rows[0]["quarter_low"]),
            "has_adjusted": result.is_adjusted,
        }


def _capital(text: str) -> str:
    return text[0].upper() + text[1:]


def _top(values: Sequence[float], unit: str) -> float:
    """The end of a scale: a round number that no value is above."""
    most = max((value for value in values if not pd.isna(value)), default=0.0)
    if most <= 0:
        return 1.0 if unit == MeasureUnit.SHARE else 10.0
    power = 10.0 ** math.floor(math.log10(most))
    top = next(step * power for step in _STEPS if step * power >= most * (1 - 1e-9))
    return min(top, 1.0) if unit == MeasureUnit.SHARE else top


def _dot(row: dict[str, Any], top: float) -> dict[str, Any]:
    """Where a site stands on the track, with its interval or quartiles."""
    is_median = not pd.isna(row["quarter_low"])
    low, high = (row["quarter_low"], row["quarter_high"]) if is_median else (row["low"], row["high"])
    has_reach = not pd.isna(low)
    return {
        "x": _x(row["value"], top),
        "low": _x(low, top) if has_reach else None,
        "high": _x(high, top) if has_reach else None,
        "adjusted": _x(row["adjusted"], top) if not pd.isna(row["adjusted"]) else None,
        "number": row["number"],
        "is_ours": row["number"] == 1,
        "is_grey": not row["comparable"],
        "told": f"{row['site']}: {value_text(row['value'], row['unit'])}",
    }


def _labels(dots: Sequence[dict[str, Any]]) -> list[dict[str, str]]:
    """The numbers above the dots, those of dots that stand close together in one label."""
    ordered = sorted(dots, key=lambda dot: (float(dot["x"]), dot["number"]))
    groups: list[list[dict[str, Any]]] = []
    for dot in ordered:
        if groups and float(dot["x"]) - float(groups[-1][-1]["x"]) < _CLOSE:
            groups[-1].append(dot)
        else:
            groups.append([dot])
    return [
        {
            "x": f"{sum(float(dot['x']) for dot in group) / len(group):.1f}",
            "text": ", ".join(str(dot["number"]) for dot in group),
        }
        for group in groups
    ]


def _x(value: float, top: float) -> str:
    return f"{_EDGE + (_WIDTH - 2 * _EDGE) * value / top:.1f}"


def _told(row: dict[str, Any], urls: Sequence[str]) -> dict[str, Any]:
    unit = row["unit"]
    return {
        "number": row["number"],
        "site": row["site"],
        "value": str(value_text(row["value"], unit)),
        "interval": _between(row, "", unit),
        "quartiles": _between(row, "quarter_", unit),
        "adjusted": str(value_text(row["adjusted"], unit)),
        "pages": row["pages"],
        "of_pages": row["of_pages"],
        "cause": str(cause_text(row)),
        "chance": str(chance_text(row)),
        "note": row["note"],
        "is_grey": not row["comparable"],
        "urls": urls[:_MOST_PAGES],
        "more": max(len(urls) - _MOST_PAGES, 0),
    }


def _between(row: dict[str, Any], prefix: str, unit: str) -> str:
    """Two ends of a measure in words; ``""`` where there are none."""
    low, high = row[f"{prefix}low"], row[f"{prefix}high"]
    if pd.isna(low):
        return ""
    return str(sentence("versus.value.between", low=value_text(low, unit), high=value_text(high, unit)))
