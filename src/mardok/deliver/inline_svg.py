"""Figures as SVG to stand in the middle of a page.

In:  a figure drawn with matplotlib.
Out: an ``svg`` element without scripts and style attributes, which a strict content security policy forbids; its ink is
     that of the page, so that it can be read in the dark, too; the same figure gives the same bytes.
"""

from __future__ import annotations

import io
import re
from html import escape
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from matplotlib.figure import Figure, SubFigure

_INK = "#000000"
"""What matplotlib draws axes with."""
_STYLE = re.compile(r' style="([^"]*)"')
_AS_ATTRIBUTE = frozenset(
    [
        "fill", "fill-opacity", "fill-rule", "opacity", "stroke", "stroke-dasharray", "stroke-dashoffset", "stroke-linecap",
        "stroke-linejoin", "stroke-miterlimit", "stroke-opacity", "stroke-width", "font-size", "text-anchor",
    ]
)  # fmt: skip
_SHORT_FONT = re.compile(r"^(?:[\d.]+ )?([\d.]+px)\b")


def inline_svg(figure: Figure | SubFigure, alternative: str) -> str:
    """The element, with the text that stands for it where it is not seen."""
    import matplotlib  # only here: it takes longer to import than some commands to run

    buffer = io.StringIO()
    with matplotlib.rc_context({"svg.fonttype": "none", "svg.hashsalt": "mardok"}):
        figure.get_figure(root=True).savefig(buffer, format="svg", metadata={"Date": None}, transparent=True)
    drawn = buffer.getvalue()
    drawn = drawn[drawn.index("<svg") :]
    drawn = re.sub(r"<defs>\s*<style[^>]*>.*?</style>\s*</defs>", "", drawn, flags=re.DOTALL)
    drawn = re.sub(r"<metadata>.*?</metadata>", "", drawn, flags=re.DOTALL)
    drawn = _STYLE.sub(lambda match: _attributes(match[1]), drawn)
    drawn = drawn.replace(_INK, "currentColor")
    return drawn.replace("<svg ", f'<svg role="img" aria-label="{escape(alternative)}" ', 1)


def _attributes(style: str) -> str:
    """Declarations of a style attribute as attributes of their own."""
    result = []
    for declaration in style.split(";"):
        name, _, value = (part.strip() for part in declaration.partition(":"))
        if name == "font":
            size = _SHORT_FONT.match(value)
            name, value = "font-size", size[1] if size else "12px"
        if name in _AS_ATTRIBUTE:
            result.append(f' {name}="{value}"')
    return "".join(result)
