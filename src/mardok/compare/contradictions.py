"""Sentences that say the same with another number, price, date, hour, telephone number or unit.

In:  texts, one line a block.
Out: for each such sentence what each text says in its place.

A sentence is taken apart into words; figures with their units, numbers in words, names of months and of days are its slots,
and slots that stand together are one. Two texts contradict each other where all other words are the same, in their order,
and a slot is not. A sentence that one text says twice with two figures, as rows of a table do, is no statement of one fact
and is left out.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache, lru_cache

from mardok.text.number_words import NUMBER_WORDS, is_number
from mardok.text.words import folded_line
from mardok.vocabulary import SlotKind

_PIECE = re.compile(r"[£$€¥]?\d+(?:[.,:/]\d+)*[^\W\d_]*%?|[^\W\d_]+(?:['’\-][^\W\d_]+)*", re.UNICODE)
_END = re.compile(r"(?<=[.!?;])\s+|\n")
_LEAST_WORDS = 3
"""Words beside the slots from which a sentence says what its figure is about."""
_SLOT = "…"
UNITS = frozenset(
    (
        "mm", "cm", "m", "km", "in", "inch", "inches", "ft", "feet", "yd", "yards", "mi", "miles", "g", "kg", "mg",
        "lb", "lbs", "oz", "ml", "cl", "l", "litre", "litres", "liter", "liters", "hz", "khz", "mhz", "kb", "mb", "gb",
        "tb", "w", "kw", "v", "percent", "prozent", "euro", "euros", "eur", "pounds", "gbp", "dollars", "usd", "chf",
        "franken", "pence", "cent", "cents", "second", "seconds", "minute", "minutes", "hour", "hours", "day", "days",
        "week", "weeks", "month", "months", "year", "years", "sekunde", "sekunden", "minuten", "stunde", "stunden",
        "tag", "tage", "tagen", "woche", "wochen", "monat", "monate", "monaten", "jahr", "jahre", "jahren", "uhr",
        "am", "pm", "meter", "gramm", "kilo", "grad",
    )
)  # fmt: skip
"""Units that belong to the figure before them."""
_AFTER_A_FIGURE = re.compile(r"[\s\u00a0\u202f\-]*")
_PRICE = re.compile(r"[£$€¥]|\b(?:eur|euro|euros|gbp|usd|chf|franken|pounds|dollars|pence)\b", re.IGNORECASE)
_HOUR = re.compile(r"\b\d{1,2}[:.]\d\d\b(?!\.\d)|\b\d{1,2}\s?(?:am|pm|uhr)\b", re.IGNORECASE)
_PHONE = re.compile(r"\+?\d[\d /()\-]{6,}\d")
_DATE = re.compile(r"\b\d{1,2}[./]\d{1,2}[./]\d{2,4}\b|\b(?:19|20)\d\d-\d\d-\d\d\b")
_PHONE_DIGITS = 7
_CURRENCY_AFTER = re.compile(r"\s?[£$€¥]")


@dataclass(frozen=True)
class Contradiction:
    """One sentence that texts end differently."""

    text: str
    """The sentence as the first text has it, with the sign … in the place of each slot that differs."""
    values: tuple[str, ...]
    """What each text says in those places, with commas; ``""`` where it does not say the sentence."""
    sentences: tuple[str, ...]
    """The sentence as each text has it; ``""`` likewise."""


def contradictions(texts: Sequence[str], language: str = "") -> list[Contradiction]:
    """Sentences that two or more of some texts say with different figures, in the order of the first text.

    Parameters
    ----------
    texts : sequence of str
        Texts, one line a block.
    language : str
        Their language, ISO 639-1, whose names of months and days count as figures.

    Examples
    --------
    >>> found = contradictions(["Hire costs £36 a month.", "Hire costs £38 a month."], "en")
    >>> found[0].text, found[0].values
    ('Hire costs … a month.', ('£36', '£38'))
    """
    names = calendar_names(language)
    said: dict[tuple[str, ...], dict[int, list[Statement]]] = defaultdict(lambda: defaultdict(list))
    for number, text in enumerate(texts):
        for statement in _remembered(text, names):
            said[statement.key][number].append(statement)
    result = []
    for by_text in said.values():
        once = {number: own[0] for number, own in by_text.items() if len({one.values for one in own}) == 1}
        if len(once) < len(by_text) or len({one.values for one in once.values()}) < 2:
            continue
        first = once[min(once)]
        differs = [k for k in range(len(first.values)) if len({one.values[k] for one in once.values()}) > 1]
        shown = tuple(
            ", ".join(once[number].written[k] for k in differs) if number in once else "" for number in range(len(texts))
        )
        written = tuple(once[number].sentence if number in once else "" for number in range(len(texts)))
        result.append(Contradiction(first.with_slots(differs), shown, written))
    return result


def slot_kind(values: Sequence[str], language: str) -> SlotKind:
    """What a sentence ends differently: told by the values that pages give.

    Examples
    --------
    >>> str(slot_kind(["£36", "£38"], "en")), str(slot_kind(["0117 496 0123", "0117 496 0124"], "en"))
    ('price', 'telephone')
    """
    if any(map(_PRICE.search, values)):
        return SlotKind.PRICE
    if any(map(_DATE.search, values)):
        return SlotKind.DATE
    if any(map(_HOUR.search, values)):
        return SlotKind.HOUR
    if any(_PHONE.search(value) is not None and sum(map(str.isdigit, value)) >= _PHONE_DIGITS for value in values):
        return SlotKind.TELEPHONE
    names = calendar_names(language)
    if any(word in names for value in values for word in folded_line(value).replace(",", " ").split()):
        return SlotKind.DATE
    return SlotKind.NUMBER


@lru_cache(maxsize=1024)
def _remembered(text: str, names: frozenset[str]) -> tuple[Statement, ...]:
    """The statements of a text; that of a page that stays is asked for with each page that goes."""
    return tuple(statements(text, names))


def sentences_of(text: str) -> list[str]:
    """The sentences of a text, one line a block."""
    return [one for one in map(str.strip, _END.split(text)) if one]


@dataclass(frozen=True)
class Statement:
    """A sentence with slots."""

    key: tuple[str, ...]
    """Its words, folded, with the same sign for every slot."""
    values: tuple[str, ...]
    """What stands in the slots, folded."""
    written: tuple[str, ...]
    """The same as written."""
    spans: tuple[tuple[int, int], ...]
    """Where the slots stand in the sentence."""
    sentence: str

    def word_before(self, slot: int) -> str:
        """The word before a slot, folded; ``""`` if it begins the sentence."""
        place = [at for at, word in enumerate(self.key) if word == _SLOT][slot]
        return self.key[place - 1] if place else ""

    def with_slots(self, differs: Sequence[int]) -> str:
        """The sentence with a sign in the place of some slots."""
        text = self.sentence
        for at in sorted(differs, reverse=True):
            begin, end = self.spans[at]
            text = text[:begin] + _SLOT + text[end:]
        return text


def statements(text: str, names: frozenset[str]) -> Iterator[Statement]:
    """The sentences of a text that have a slot, and enough words beside it to say what it is about.

    Parameters
    ----------
    names : frozenset of str
        Names of months and days in its language.
    """
    for sentence in sentences_of(text):
        pieces = list(_PIECE.finditer(sentence))
        folded = [folded_line(match[0]) for match in pieces]
        are_figures = [_is_figure(match[0], one, names) for match, one in zip(pieces, folded, strict=True)]
        if not any(are_figures):  # as of most
            continue
        key: list[str] = []
        spans: list[tuple[int, int]] = []
        n_words = 0
        for match, one, is_figure in zip(pieces, folded, are_figures, strict=True):
            if is_figure:
                if key and key[-1] == _SLOT and not re.search(r"\w", sentence[spans[-1][1] : match.start()]):
                    spans[-1] = (spans[-1][0], match.end())
                else:
                    key.append(_SLOT)
                    spans.append((match.start(), _end_of_figure(sentence, match)))
            elif spans and key[-1] == _SLOT and _is_unit(sentence, spans[-1][1], match):
                spans[-1] = (spans[-1][0], match.end())
            elif match.start() >= (spans[-1][1] if spans else 0):
                key.append(one)
                n_words += 1
        if spans and n_words >= _LEAST_WORDS:
            written = tuple(sentence[begin:end] for begin, end in spans)
            yield Statement(tuple(key), tuple(map(folded_line, written)), written, tuple(spans), sentence)


def _end_of_figure(sentence: str, match: re.Match[str]) -> int:
    """Where a figure ends, with the sign of a currency behind it."""
    sign = _CURRENCY_AFTER.match(sentence, match.end())
    return sign.end() if sign is not None else match.end()


def _is_unit(sentence: str, end: int, match: re.Match[str]) -> bool:
    """Whether a piece is the unit of the figure that ends before it."""
    between = _AFTER_A_FIGURE.fullmatch(sentence, end, match.start())
    return between is not None and folded_line(match[0]) in UNITS


def _is_figure(piece: str, folded: str, names: frozenset[str]) -> bool:
    return any(map(str.isdigit, piece)) or folded in names or is_number(folded)


@cache
def figure_cues(language: str) -> frozenset[str]:
    """What stands between white space where a figure is stated in words, or a month or day is named."""
    cues = calendar_names(language) | NUMBER_WORDS
    return frozenset(f"{form}{sign}" for cue in cues for form in (cue, cue.capitalize()) for sign in ("", *".,;:!?)"))


@cache
def calendar_names(language: str) -> frozenset[str]:
    """Names of months and days in a language, folded; none where it is not known."""
    from babel import Locale, UnknownLocaleError  # only here: it takes longer to import than some commands to run

    try:
        locale = Locale.parse(language, sep="-")
    except (UnknownLocaleError, ValueError, TypeError):
        return frozenset()
    tables = (locale.months["format"]["wide"], locale.days["format"]["wide"])
    # "may" and "march" are verbs as well: as words of a sentence they are the same in both texts anyway.
    return frozenset(folded_line(str(name)) for table in tables for name in table.values())
