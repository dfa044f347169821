"""Gains and hours as a reader sees them.

In:  a proposal's figures.
Out: text.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from mardok.sentences.figures import whole
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
    """The gain of a proposal as it is said: clicks with their interval, link weight as a share, that it is not estimated,
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


def topic_text(phrase: str, fields: str, uses: int, first_word: int | None) -> str:
    """A page's target phrase, which fields say all of it, and how its text uses it; ``""`` if there is no phrase.

    Parameters
    ----------
    phrase, fields : str
        The target phrase, and the fields that say all of it, with commas.
    uses : int
        Times the main text uses it.
    first_word : int or None
        Words before the first of these; None where there is none.

    Examples
    --------
    >>> topic_text("violin hire", "title, h1", 3, 4)
    'violin hire: in title, h1; 3 uses in the main text, first said at word 5'
    """
    if not phrase:
        return ""
    said = {"phrase": phrase, "fields": fields or sentence("topic.no-field")}
    if first_word is None:
        return str(sentence("topic.unsaid", **said))
    return str(sentence("topic.said", uses=counted("use", uses), first=first_word + 1, **said))
