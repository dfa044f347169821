"""Figures and dates as people and spreadsheets write them.

In:  the text of a cell.
Out: a number or a day, or nothing where the text is neither.
"""

from __future__ import annotations

import datetime
import math
import re
from collections.abc import Iterable, Sequence

_SPACES = re.compile(r"[\s\u00a0\u2009\u202f']+")
_GROUPED = re.compile(r"\d{1,3}(?:([.,])\d{3})(?:\1\d{3})*")
_PLAIN = re.compile(r"\d+(?:\.\d+)?(?:e[+-]?\d+)?")

DATE_FORMATS = ("%Y-%m-%d", "%Y/%m/%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%Y%m%d", "%d-%m-%Y", "%b %d, %Y", "%d %b %Y")
"""Ways to write a day that are understood, in the notation of :func:`time.strftime`."""


def whole_number(text: str) -> float | None:
    """A count: signs between thousands and a fraction of nothing but zeros are understood.

    Examples
    --------
    >>> whole_number("1,204"), whole_number("1.204"), whole_number("12.0"), whole_number("1\\u202f204"), whole_number("n/a")
    (1204.0, 1204.0, 12.0, 1204.0, None)
    """
    plain = _SPACES.sub("", text)
    grouped = _GROUPED.fullmatch(plain)
    if grouped:
        count = float(plain.replace(grouped[1], ""))
        return count if math.isfinite(count) else None
    value = decimal_number(text)
    return value if value is not None and value == int(value) else None


def decimal_number(text: str) -> float | None:
    """A figure with a decimal point or comma; signs between thousands and a percent sign at its end are understood.

    Examples
    --------
    >>> decimal_number("7,5"), decimal_number("1.204,5"), decimal_number("1,204.5"), decimal_number("12.5%")
    (7.5, 1204.5, 1204.5, 0.125)
    """
    plain = _SPACES.sub("", text).lower()
    is_percent = plain.endswith("%")
    plain = plain.rstrip("%")
    comma, point = plain.rfind(","), plain.rfind(".")
    if comma >= 0 and point >= 0:
        plain = plain.replace("," if comma < point else ".", "").replace(",", ".")
    elif plain.count(",") == 1:
        plain = plain.replace(",", ".")
    elif plain.count(",") > 1 or plain.count(".") > 1:
        grouped = _GROUPED.fullmatch(plain)
        plain = plain.replace(grouped[1], "") if grouped else ""
    if not _PLAIN.fullmatch(plain):
        return None
    value = float(plain) / (100 if is_percent else 1)
    return value if math.isfinite(value) else None


def day(text: str, form: str) -> datetime.date | None:
    """A day written in one form; a time of day after it is passed over."""
    cut = text.strip()
    if form == "%Y-%m-%d":
        cut = cut[:10] if len(cut) == 10 or cut[10:11] in ("T", " ") else cut
    try:
        return datetime.datetime.strptime(cut, form).date()
    except ValueError:
        return None


def date_formats(texts: Iterable[str]) -> Sequence[str]:
    """The forms in which most of the days can be read; more than one where the days leave it open.

    Examples
    --------
    >>> date_formats(["31/03/2026", "01/04/2026"]), date_formats(["01/02/2026"])
    (['%d/%m/%Y'], ['%d/%m/%Y', '%m/%d/%Y'])
    """
    kept = list(texts)
    fits = {form: sum(day(text, form) is not None for text in kept) for form in DATE_FORMATS}
    most = max(fits.values(), default=0)
    return [form for form in DATE_FORMATS if fits[form] == most and most]
