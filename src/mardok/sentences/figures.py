"""Figures, addresses and quotations as a reader sees them.

In:  numbers and texts.
Out: short text, the same for the same input.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from decimal import Decimal
from functools import lru_cache
from typing import Any

from mardok.urls import split_url

LANGUAGE = "en"
_LEAST_PERCENT = 0.001
"""Percent below which a share is told to be less."""
_DOTS = " ..."
_PATTERNS = {"whole": "#,##0", "tenths": "0.0", "thousandths": "0.000"}


@lru_cache(maxsize=65536)
def _number(value: float, pattern: str) -> str:
    from babel.numbers import format_decimal  # only here: it takes longer to import than some commands to run

    # The exact value of a float: its shortest writing would round other numbers up.
    return format_decimal(Decimal(value), format=pattern, locale=LANGUAGE)


def whole(value: float) -> str:
    """A number without decimals, thousands apart.

    Examples
    --------
    >>> whole(1234.5), whole(1)
    ('1,234', '1')
    """
    return _number(value, _PATTERNS["whole"])


def tenths(value: float) -> str:
    """A number with one decimal.

    Examples
    --------
    >>> tenths(12.34), tenths(12)
    ('12.3', '12.0')
    """
    return _number(value, _PATTERNS["tenths"])


def signed_tenths(value: float) -> str:
    """A change with one decimal and its sign.

    Examples
    --------
    >>> signed_tenths(12.34), signed_tenths(-0.5), signed_tenths(0.01)
    ('+12.3', '\u22120.5', '0.0')
    """
    text = tenths(abs(value))
    return text if text == "0.0" else f"{'+' if value > 0 else chr(0x2212)}{text}"


def short(value: float) -> str:
    """A number with as many decimals as it needs, six digits at most."""
    return f"{value:g}"


def percent(share: float) -> str:
    """A share in percent; never "100%" unless it is all, nor "0%" unless it is nothing.

    Examples
    --------
    >>> percent(0.864), percent(0.9996), percent(1), percent(0.0004)
    ('86%', '99.9%', '100%', '0.04%')
    """
    hundred = share * 100
    if share < 1 and hundred >= 99:
        return f"{int(hundred * 10) / 10:g}%"
    if 0 < hundred < _LEAST_PERCENT:
        return f"<{_LEAST_PERCENT}%"
    if 0 < hundred < 1:
        return f"{hundred:.1g}%"
    return f"{hundred:.0f}%"


def fine_percent(share: float) -> str:
    """A share in percent with three decimals, for shares of a whole site."""
    return _number(100 * share, _PATTERNS["thousandths"]) + "%"


def day(date: Any) -> str:
    """A day as it is written in a sentence.

    Examples
    --------
    >>> import numpy as np
    >>> day(np.datetime64("2030-07-01"))
    '1 July 2030'
    """
    from babel.dates import format_date  # only here: it takes longer to import than some commands to run

    return format_date(date.astype("datetime64[D]").item(), format="d MMMM y", locale=LANGUAGE)


def language_name(code: str) -> str:
    """The name of a language, or its code where no name is known.

    Examples
    --------
    >>> language_name("de"), language_name("pt-BR"), language_name("x?")
    ('German', 'Portuguese (Brazil)', "'x?'")
    """
    from babel import Locale, UnknownLocaleError  # only here: it takes longer to import than some commands to run

    try:
        return Locale.parse(code, sep="-").get_display_name(LANGUAGE) or f"{code!r}"
    except (UnknownLocaleError, ValueError, TypeError):
        return f"{code!r}"


FORMATS: Mapping[str, Callable[[Any], str]] = {
    "": str,
    "whole": whole,
    "tenths": tenths,
    "signed_tenths": signed_tenths,
    "short": short,
    "percent": percent,
    "fine_percent": fine_percent,
    "day": day,
    "language": language_name,
}
"""How a template may have a value written: ``{name:whole}``."""


def path_of(url: str) -> str:
    """An address without scheme and host, as it is spoken of within one site."""
    parts = split_url(url)
    return parts.path + (f"?{parts.query}" if parts.query else "")


def page_name(url: str, most: int = 56) -> str:
    """An address without scheme and host, a long one without its middle.

    Examples
    --------
    >>> page_name("https://host.example/blog/how-to-tune-a-violin-for-the-very-first-time-in-your-life/")
    '/blog/how-to-tune-…for-the-very-first-time-in-your-life/'
    """
    path = path_of(url)
    if len(path) <= most:
        return path
    head = most // 3
    return f"{path[:head]}…{path[head + 1 - most :]}"


def clipped(text: str, most: int = 160) -> str:
    """The beginning of a text, cut between words; the dots that stand for the rest are within the limit."""
    if len(text) <= most:
        return text
    return text[: most - len(_DOTS)].rsplit(" ", 1)[0] + _DOTS
