"""Sentences as values, written out when they are shown.

In:  keys of templates, and the values they name.
Out: text in the language of the templates.
"""

from __future__ import annotations

import tomllib
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from string import Formatter
from typing import Any

from mardok.sentences.figures import FORMATS, LANGUAGE, clipped

LONGEST_REASON = 400
"""Characters of the longest reason: more is not read, and stands in tables."""
_COUNT = "n"
"""Value that a template with plural forms counts."""


@dataclass(frozen=True, slots=True)
class Sentence:
    """A template with its values, some of which may be sentences again."""

    key: str
    values: Mapping[str, Any]

    def __str__(self) -> str:
        template = _templates()[self.key]
        if isinstance(template, dict):
            template = template[_plural_form(self.values[_COUNT])]
        written = []
        for literal, name, form, is_repr in _parsed(template):
            if literal:
                written.append(literal)
            if name is not None:
                value = self.values[name]
                if isinstance(value, _WRITTEN_OUT):
                    value = str(value)
                written.append(repr(value) if is_repr else form(value))
        return "".join(written)


@dataclass(frozen=True, slots=True)
class Listing:
    """Things in a sentence, the rest as a number."""

    items: Sequence[Text]
    most: int
    n_beside: int = 0
    """Things beside these, which are not named."""

    def __str__(self) -> str:
        items = [str(item) for item in self.items if item]
        n_items = len(self.items) + self.n_beside
        if n_items > self.most:
            return str(sentence("list.more", items=", ".join(items[: self.most]), n=n_items - self.most))
        if len(items) < 2:
            return "".join(items)
        return str(sentence("list.all", items=", ".join(items[:-1]), last=items[-1]))


@dataclass(frozen=True, slots=True)
class Paragraph:
    """Sentences that follow one another."""

    sentences: Sequence[Text]
    separator: str = " "

    def __str__(self) -> str:
        return self.separator.join(filter(None, map(str, self.sentences)))


@dataclass(frozen=True, slots=True)
class Reason:
    """Sentences that give a reason, as many as one reads at a time."""

    opening: Sequence[Text]
    """Each is told if there is room for it."""
    closing: Sequence[Text]
    """What is told in any case, after these."""
    last: Text
    """What is told at the end if there is room left."""

    def __str__(self) -> str:
        closing = [text for text in map(str, self.closing) if text]
        kept: list[str] = []
        for text in filter(None, map(str, self.opening)):
            if len(" ".join([*kept, text, *closing])) <= LONGEST_REASON:
                kept.append(text)
        told, last = " ".join([*kept, *closing]), str(self.last)
        has_room = last and len(told) + 1 + len(last) <= LONGEST_REASON
        return f"{told} {last}" if has_room else clipped(told, LONGEST_REASON)


class Shown(ABC):
    """What is put together when it is shown, from what is in memory anyway."""

    __slots__ = ()

    @abstractmethod
    def __str__(self) -> str: ...


_WRITTEN_OUT = (Sentence, Listing, Paragraph, Reason, Shown)
Text = str | Sentence | Listing | Paragraph | Reason | Shown
"""What a reader sees in the end."""


def sentence(key: str, **values: Any) -> Sentence:
    """A sentence by the key of its template.

    Examples
    --------
    >>> str(sentence("count.page", n=1)), str(sentence("count.page", n=1200))
    ('1 page', '1,200 pages')
    """
    return Sentence(key, values)


def counted(noun: str, n: int) -> Sentence:
    """A number with its noun, one of the table ``count`` of the templates."""
    return Sentence(f"count.{noun}", {_COUNT: n})


def quoted(text: str) -> Sentence:
    """A text in quotation marks."""
    return Sentence("quoted", {"text": text})


def listing(items: Iterable[Text], most: int = 3, n_beside: int = 0) -> Listing:
    """Things in a sentence, the rest as a number.

    Parameters
    ----------
    n_beside : int
        Things beside these, which are not named.

    Examples
    --------
    >>> str(listing(["a", "b"])), str(listing(["a", "b", "c", "d", "e"]))
    ('a and b', 'a, b, c and 2 more')
    """
    return Listing(tuple(items), most, n_beside)


def paragraph(*sentences: Text | None) -> Paragraph:
    """Sentences that follow one another; what is None or empty is left out."""
    return Paragraph(tuple(one for one in sentences if one))


def reasoned(*opening: Text | None, closing: Iterable[Text | None] = (), last: Text | None = None) -> Reason:
    """Sentences that give a reason; of the opening ones, and the last, those that leave room for the closing ones.

    Examples
    --------
    >>> str(reasoned("A fact.", "x" * 390 + ".", closing=["So we act."]))
    'A fact. So we act.'
    """
    return Reason(tuple(one for one in opening if one), tuple(one for one in closing if one), last or "")


def clauses(*parts: Text | None) -> Paragraph:
    """Parts of a sentence with semicolons between them; what is None or empty is left out."""
    return Paragraph(tuple(one for one in parts if one), "; ")


def shares(values: Sequence[float]) -> Sentence:
    """The least and the greatest of some shares.

    Examples
    --------
    >>> str(shares([0.9, 0.86])), str(shares([0.9]))
    ('86% to 90%', '90%')
    """
    least, most = FORMATS["percent"](min(values)), FORMATS["percent"](max(values))
    return Sentence("shares.single" if least == most else "shares.range", {"least": least, "most": most})


def keys() -> list[str]:
    """Keys of all templates."""
    return list(_templates())


@cache
def _templates() -> dict[str, str | dict[str, str]]:
    """Templates by key; one with plural forms has one for each category."""
    text = files("mardok.sentences").joinpath(f"{LANGUAGE}.toml").read_text(encoding="utf-8")
    return dict(_flattened("", tomllib.loads(text)))


def _flattened(prefix: str, table: Mapping[str, Any]) -> Iterator[tuple[str, str | dict[str, str]]]:
    for name, value in table.items():
        key = f"{prefix}{name}"
        if isinstance(value, str):
            yield key, value
        elif "other" in value and all(isinstance(form, str) for form in value.values()):
            yield key, dict(value)
        else:
            yield from _flattened(f"{key}.", value)


@cache
def _parsed(template: str) -> tuple[tuple[str, str | None, Callable[[Any], str], bool], ...]:
    """Parts of a template: a text, the name of the value behind it, how that is written, whether as Python writes it."""
    parts = Formatter().parse(template)
    return tuple((literal, name, FORMATS[spec or ""], conversion == "r") for literal, name, spec, conversion in parts)


@cache
def _plural_form(n: float) -> str:
    """Plural category of a number by the rules of the CLDR."""
    from babel import Locale  # only here: it takes longer to import than some commands to run

    return str(Locale.parse(LANGUAGE).plural_form(n))
