"""The two pictures on the report's first screen, as SVG that stands in the middle of a page.

In:  the plan; words by section.
Out: ``svg`` elements without scripts and style attributes, which a strict content security policy forbids. They take ink and
     colours from the page's own classes, so that they can be read in the dark, too; what differs by colour differs by shape
     or hatch beside.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from html import escape

import pandas as pd

from mardok.vocabulary import Action

_MARKS: dict[str, str] = {
    Action.MERGE: "M-4 0a4 4 0 1 0 8 0a4 4 0 1 0 -8 0z",
    Action.CANONICAL: "M-4 -4H4V4H-4z",
    Action.REWRITE: "M0 -5L5 4H-5z",
    Action.RETITLE: "M0 5L5 -4H-5z",
    Action.EXPAND: "M0 -5L5 0L0 5L-5 0z",
    Action.TRIM: "M-2 -5H2V-2H5V2H2V5H-2V2H-5V-2H-2z",
    Action.LINK: "M0 -6L1.6 -2H6L2.6 1L4 6L0 3L-4 6L-2.6 1L-6 -2H-1.6z",
}
_OTHER_MARK = "M-5 -3L-3 -5L0 -2L3 -5L5 -3L2 0L5 3L3 5L0 2L-3 5L-5 3L-2 0z"
_WIDTH, _HEIGHT = 560, 300
_LEFT, _RIGHT, _TOP, _BOTTOM = 66, 440, 12, 246
"""The axes of the picture of gains; its legend stands to the right of them."""
_TICKS = 6
_NAMED = 3
_BAR, _ROW, _NAMES = 16, 26, 130
"""Heights of a bar and of its row, and the width of what stands before it."""
_LONGEST_NAME = 18
_PARTS = (("own", "own"), ("shared", "shared"), ("boilerplate", "pasted"))
"""Parts of the words of a section, with the classes of the report."""
_HATCHES = {"shared": "shared-lines", "pasted": "pasted-dots"}


def gain_picture(gaining: pd.DataFrame, alternative: str) -> str:
    """What proposals bring against the work they take: a bar from the least to the greatest gain at the hours each takes.

    Parameters
    ----------
    gaining : DataFrame
        Rows of the plan with a gain in clicks, one at least; the greatest are named by their rank.
    alternative : str
        What stands for the picture where it is not seen.
    """
    hours = ticks(0.0, float(gaining["effort_hours"].max()))
    clicks = ticks(min(0.0, float(gaining["gain_low"].min())), float(gaining["gain_high"].max()))

    def x(value: float) -> float:
        return _LEFT + value / hours[-1] * (_RIGHT - _LEFT)

    def y(value: float) -> float:
        return _BOTTOM - (value - clicks[0]) / (clicks[-1] - clicks[0]) * (_BOTTOM - _TOP)

    drawn = [
        f'<path d="M{_LEFT} {_TOP}V{_BOTTOM}H{_RIGHT}" fill="none" stroke="currentColor"/>',
        f'<path d="M{_LEFT} {y(0):.1f}H{_RIGHT}" stroke="currentColor" stroke-opacity=".4"/>',
        *(_text(x(value), _BOTTOM + 18, f"{value:g}", "middle") for value in hours),
        *(_text(_LEFT - 7, y(value) + 4, f"{value:,g}".replace("-", "\u2212"), "end") for value in clicks),
        _text((_LEFT + _RIGHT) / 2, _BOTTOM + 40, "hours of work", "middle"),
        f'<g transform="rotate(-90 14 {(_TOP + _BOTTOM) / 2:g})">'
        f"{_text(14, (_TOP + _BOTTOM) / 2, 'clicks a month', 'middle')}</g>",
    ]
    told = gaining[["action", "effort_hours", "gain", "gain_low", "gain_high"]]
    for action, at, gain, low, high in told.itertuples(index=False, name=None):
        drawn.append(f'<path d="M{x(at):.1f} {y(low):.1f}V{y(high):.1f}" stroke="currentColor" stroke-opacity=".5"/>')
        drawn.append(_mark(str(action), x(at), y(gain)))
    greatest = gaining.nlargest(_NAMED, "gain")
    for rank, at, gain in greatest[["rank", "effort_hours", "gain"]].itertuples(index=False, name=None):
        drawn.append(_text(x(at) + 9, y(gain) - 5, f"rank {rank}"))
    for row, action in enumerate(sorted(set(map(str, gaining["action"])))):
        drawn += [_mark(action, _RIGHT + 28, 60 + 22 * row), _text(_RIGHT + 42, 64 + 22 * row, action)]
    return _svg(_WIDTH, _HEIGHT, drawn, alternative)


def words_picture(sections: pd.DataFrame, alternative: str) -> str:
    """Where the words come from, a bar for each section: the pages' own, shared with other pages, boilerplate.

    Parameters
    ----------
    sections : DataFrame
        As :func:`mardok.figures.section_words` gives them, one row at least.
    alternative : str
        What stands for the picture where it is not seen.
    """
    bottom = 10 + _ROW * len(sections)
    most = float(sections[[name for name, _ in _PARTS]].sum(axis=1).max())
    words = ticks(0.0, most)
    scale = (_WIDTH - _NAMES - 24) / words[-1]
    drawn = [
        "<defs>"
        '<pattern id="shared-lines" width="6" height="6" patternUnits="userSpaceOnUse">'
        '<path d="M-1 7L7 -1" stroke="#fff" stroke-width="1.4"/></pattern>'
        '<pattern id="pasted-dots" width="6" height="6" patternUnits="userSpaceOnUse">'
        '<circle cx="3" cy="3" r="1" fill="#fff"/></pattern></defs>',
        f'<path d="M{_NAMES} 4V{bottom}H{_WIDTH - 24}" fill="none" stroke="currentColor"/>',
        *(_text(_NAMES + value * scale, bottom + 18, f"{value:,g}", "middle") for value in words),
        _text((_NAMES + _WIDTH) / 2, bottom + 38, "words", "middle"),
    ]
    for row, section in enumerate(sections.to_dict("records")):
        top, left = 8 + _ROW * row, float(_NAMES)
        name = str(section["section"])
        shown = name if len(name) <= _LONGEST_NAME else f"{name[: _LONGEST_NAME - 1]}\u2026"
        drawn.append(_text(_NAMES - 7, top + 12, shown, "end"))
        for part, look in _PARTS:
            width = float(section[part]) * scale
            drawn.append(_bar(left, top, width, _BAR, look))
            left += width
    left = float(_NAMES)
    for part, look in _PARTS:
        drawn += [_bar(left, bottom + 48, 14, 14, look), _text(left + 20, bottom + 60, part)]
        left += 100
    return _svg(_WIDTH, bottom + 68, drawn, alternative)


def ticks(low: float, high: float) -> list[float]:
    """Round numbers that an axis is marked with, from below the least value to above the greatest.

    Examples
    --------
    >>> ticks(0, 3.75), ticks(-12, 81)
    ([0.0, 1.0, 2.0, 3.0, 4.0], [-20.0, 0.0, 20.0, 40.0, 60.0, 80.0, 100.0])
    """
    rough = (high - low or 1.0) / (_TICKS - 1)
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(power * one for one in (1, 2, 5, 10) if power * one >= rough)
    first, last = math.floor(low / step), math.ceil((high or low + step) / step)
    return [round(step * at, 10) for at in range(first, max(last, first + 1) + 1)]


def _mark(action: str, x: float, y: float) -> str:
    look = "shared" if action == Action.MERGE else "own"
    return f'<path d="{_MARKS.get(action, _OTHER_MARK)}" class="{look}" transform="translate({x:.1f} {y:.1f})"/>'


def _bar(left: float, top: float, width: float, height: float, look: str) -> str:
    place = f'<rect x="{left:.1f}" y="{top:g}" width="{width:.1f}" height="{height:g}"'
    hatch = _HATCHES.get(look)
    return f'{place} class="{look}"/>' + (f'{place} fill="url(#{hatch})"/>' if hatch else "")


def _text(x: float, y: float, text: str, anchor: str = "start") -> str:
    return f'<text x="{x:.1f}" y="{y:.1f}" font-size="12" text-anchor="{anchor}">{escape(text)}</text>'


def _svg(width: int, height: int, drawn: Sequence[str], alternative: str) -> str:
    return (
        f'<svg role="img" aria-label="{escape(alternative)}" width="{width}" height="{height}" '
        f'viewBox="0 0 {width} {height}">{"".join(drawn)}</svg>'
    )
