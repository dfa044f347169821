"""How wide a text is when it is set, since a search result is cut off by width and not by the number of letters.

In:  a text and the size of its letters.
Out: pixels.

Widths are those of Helvetica in thousandths of the letter size (Adobe Core 14 AFM files), which the fonts of search results
share; letters it does not have count as a digit, or as a square in scripts whose letters are that wide.
"""

from __future__ import annotations

import unicodedata
from functools import cache

import numpy as np
from numpy.typing import NDArray

_SPACE_TO_TILDE = (
    278, 278, 355, 556, 556, 889, 667, 191, 333, 333, 389, 584, 278, 333, 278, 278, 556, 556, 556, 556, 556, 556, 556, 556,
    556, 556, 278, 278, 584, 584, 584, 556, 1015, 667, 667, 722, 722, 667, 611, 778, 722, 278, 500, 667, 556, 833, 722, 778,
    667, 778, 722, 667, 611, 722, 667, 944, 667, 667, 611, 278, 278, 278, 469, 556, 333, 556, 556, 500, 556, 556, 278, 556,
    556, 222, 222, 500, 222, 833, 556, 556, 556, 556, 333, 500, 278, 556, 500, 722, 500, 500, 500, 334, 260, 334, 584,
)  # fmt: skip
_KNOWN = {chr(32 + place): width for place, width in enumerate(_SPACE_TO_TILDE)}


def width_px(text: str, letter_px: float) -> float:
    """Width of a text in pixels.

    Examples
    --------
    >>> round(width_px("Violin hire", 20)), round(width_px("WWWWWWWWWWW", 20))
    (88, 208)
    """
    if text.isascii():
        return int(_ascii_widths()[np.frombuffer(text.encode("ascii"), np.uint8)].sum()) * letter_px / 1000
    return sum(_KNOWN.get(letter) or _width(letter) for letter in text) * letter_px / 1000


@cache
def _ascii_widths() -> NDArray[np.int64]:
    return np.array([_KNOWN.get(chr(code)) or _width(chr(code)) for code in range(128)], np.int64)


def _width(letter: str) -> int:
    if unicodedata.combining(letter):
        return 0
    if unicodedata.east_asian_width(letter) in "WF":
        return 1000
    base = unicodedata.normalize("NFD", letter)[0]
    return _KNOWN.get(base, 556)
