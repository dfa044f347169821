"""Figures and lists as a client reads them.

In:  numbers and addresses.
Out: short English text, the same for the same input.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import pandas as pd

from mardok.urls import split_url

FIRST_WORDS = 100
"""Words of a page that a reader sees first."""


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
    if 0 < hundred < 1:
        return f"{hundred:.1g}%"
    return f"{hundred:.0f}%"


def percent_range(shares: Sequence[float]) -> str:
    """The least and the greatest of some shares.

    Examples
    --------
    >>> percent_range([0.9, 0.86]), percent_range([0.9])
    ('86% to 90%', '90%')
    """
    least, most = percent(min(shares)), percent(max(shares))
    return least if least == most else f"{least} to {most}"


def count(n: int, noun: str, plural: str = "") -> str:
    """A number with its noun.

    Examples
    --------
    >>> count(1, "page"), count(3, "copy", "copies")
    ('1 page', '3 copies')
    """
    return f"{n:,} {noun if n == 1 else plural or noun + 's'}"


def hours(value: float) -> str:
    """Hours of work.

    Examples
    --------
    >>> hours(1), hours(2.5)
    ('1 hour', '2.5 hours')
    """
    return f"{value:g} hour" + ("" if value == 1 else "s")


def path_of(url: str) -> str:
    """An address without scheme and host, as it is spoken of within one site."""
    parts = split_url(url)
    return parts.path + (f"?{parts.query}" if parts.query else "")


def listed(items: Sequence[str], most: int = 3) -> str:
    """Items in a sentence, the rest as a number.

    Examples
    --------
    >>> listed(["a", "b"]), listed(["a", "b", "c", "d", "e"])
    ('a and b', 'a, b, c and 2 more')
    """
    if len(items) > most:
        return f"{', '.join(items[:most])} and {len(items) - most} more"
    return " and ".join(filter(None, [", ".join(items[:-1]), *items[-1:]]))


def clipped(text: str, most: int = 160) -> str:
    """The beginning of a text, cut between words."""
    if len(text) <= most:
        return text
    return text[:most].rsplit(" ", 1)[0] + " ..."


def gain_text(proposal: Mapping[str, Any]) -> str:
    """The gain of a proposal as it is said: clicks as a range, link weight as a share, that there is no evidence, or that
    something is broken, which needs none."""
    if proposal["band"] == 1:
        return "something is broken"
    low, high = proposal["gain_low"], proposal["gain_high"]
    if not low and not high:
        return "no evidence"
    if proposal["gain_unit"] == "link weight":
        return f"{percent(high)} link weight"
    return f"{gain_range(low, high)} clicks/month"


def gain_range(low: float, high: float) -> str:
    """The two ends of a gain in clicks.

    Examples
    --------
    >>> gain_range(-4.4, 19.6), gain_range(0, 12.2)
    ('−4 to +20', '0 to +12')
    """
    return f"{_signed(low)} to {_signed(high)}"


def _signed(value: float) -> str:
    rounded = round(value)
    return "0" if rounded == 0 else f"{rounded:+,d}".replace("-", "\u2212")


def topic_told(phrase: str, fields: str, uses: int, first_word: Any, n_words: int) -> str:
    """A page's target phrase, which fields say all of it, and how its text uses it; ``""`` if there is no phrase.

    Examples
    --------
    >>> topic_told("violin hire", "title, h1", 3, 4, 600)
    'violin hire: in title, h1; 3 uses in the main text, 5 per 1,000 words; stands in the first 100 words'
    """
    if not phrase:
        return ""
    is_early = not pd.isna(first_word) and first_word < FIRST_WORDS
    rate = f"{round(1000 * uses / max(n_words, 1), 1):g} per 1,000 words"
    where = f"{'stands in' if is_early else 'not in'} the first {FIRST_WORDS} words"
    return f"{phrase}: in {fields or 'no field as a whole'}; {count(uses, 'use')} in the main text, {rate}; {where}"
