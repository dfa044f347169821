"""Gains and hours as a reader sees them.

In:  a proposal's figures.
Out: text.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from mardok.sentences.figures import FIRST_WORDS, short, whole
from mardok.sentences.sentence import counted, sentence
from mardok.vocabulary import Band, GainUnit

_MINUS = "\u2212"


def signed(value: float) -> str:
    """A number without decimals and with its sign.

    Examples
    --------
    >>> signed(-4.4), signed(19.6), signed(0.2)
    ('−4', '+20', '0')
    """
    rounded = round(value)
    if rounded == 0:
        return "0"
    return f"{'+' if rounded > 0 else _MINUS}{whole(abs(rounded))}"


def gain_text(proposal: Mapping[str, Any]) -> str:
    """The gain of a proposal as it is said: clicks with their interval, link weight as a share, that there is no evidence,
    or that something is broken, which needs none."""
    if proposal["band"] == Band.BROKEN:
        return str(sentence("gain.broken"))
    expected, low, high = proposal["gain"], proposal["gain_low"], proposal["gain_high"]
    if not expected and not low and not high:
        return str(sentence("gain.none"))
    if proposal["gain_unit"] == GainUnit.LINK_WEIGHT:
        return str(sentence("gain.link-weight", share=expected))
    return str(sentence("gain.clicks", expected=signed(expected), range=gain_range(low, high)))


def gain_range(low: float, high: float) -> str:
    """The two ends of the interval of a gain in clicks.

    Examples
    --------
    >>> gain_range(-4.4, 19.6), gain_range(0, 12.2)
    ('−4 to +20', '0 to +12')
    """
    return str(sentence("gain.range", low=signed(low), high=signed(high)))


def hours(value: float) -> str:
    """Hours of work.

    Examples
    --------
    >>> hours(1), hours(2.5)
    ('1 hour', '2.5 hours')
    """
    return str(sentence("hours", n=int(value) if value == int(value) else value))


def topic_text(phrase: str, fields: str, uses: int, first_word: int | None, n_words: int) -> str:
    """A page's target phrase, which fields say all of it, and how its text uses it; ``""`` if there is no phrase.

    Parameters
    ----------
    phrase, fields : str
        The target phrase, and the fields that say all of it, with commas.
    uses : int
        Times the main text uses it.
    first_word : int or None
        Words before the first of these; None where there is none.
    n_words : int
        Words of the main text.

    Examples
    --------
    >>> topic_text("violin hire", "title, h1", 3, 4, 600)
    'violin hire: in title, h1; 3 uses in the main text, 5 per 1,000 words; stands in the first 100 words'
    """
    if not phrase:
        return ""
    is_early = first_word is not None and first_word < FIRST_WORDS
    return str(
        sentence(
            "topic.early" if is_early else "topic.late",
            phrase=phrase,
            fields=fields or sentence("topic.no-field"),
            uses=counted("use", uses),
            rate=short(round(1000 * uses / max(n_words, 1), 1)),
            first=FIRST_WORDS,
        )
    )
