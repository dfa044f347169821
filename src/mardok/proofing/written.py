"""The words of a text as they are written, for a dictionary to look at.

In:  pieces of text between white space.
Out: of each piece its words with their case; none of what is no word of a language: addresses, paths, names of files,
     figures, words in capitals or with capitals inside, abbreviations, a word in quotation marks.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from mardok.text.words import is_spaceless

LONGEST_WORD = 40
"""Letters of the longest word that is looked at; what is longer is none of a person's."""
_OPENING = "(\"'¿¡„“”‘’‚«»‹›–—…"
_CLOSING = ")\"'.,;:!?…„“”‘’«»‹›–—"
_QUOTES = "\"'„“”‘’‚«»‹›"
_POSSESSIVE = re.compile(r"'s?$")
_WORD = re.compile(r"[^\W\d_]+(?:['\-][^\W\d_]+)*")


@dataclass(frozen=True, slots=True)
class Written:
    """A word of a piece of text."""

    word: str
    """Its letters as written, with one kind of apostrophe."""
    start: int
    end: int
    """Where it stands in the piece."""
    is_part: bool = False
    """Whether it is a part of a word with hyphens."""

    @property
    def is_capital(self) -> bool:
        """Whether it begins with a capital."""
        return self.word[:1].isupper()


def written_words(piece: str) -> tuple[Written, ...]:
    """Words of a piece of text.

    Examples
    --------
    >>> [one.word for one in written_words("(violin’s,")], [one.word for one in written_words("hire/index.html")]
    (['violin'], [])
    >>> [(one.word, one.is_part) for one in written_words("well-known")]
    [('well', True), ('known', True)]
    """
    inner = piece.lstrip(_OPENING)
    start = len(piece) - len(inner)
    if start and piece[start - 1] in _QUOTES and piece[start + len(inner.rstrip(_CLOSING)) :][:1] in {*_QUOTES} - {""}:
        return ()  # a word in quotation marks is quoted as it is
    inner = inner.rstrip(_CLOSING).replace("’", "'").replace("‐", "-")
    if not inner or len(inner) > 2 * LONGEST_WORD or _WORD.fullmatch(inner) is None:
        return ()
    inner = _POSSESSIVE.sub("", inner)
    if "-" not in inner:
        return (Written(inner, start, start + len(inner)),) if _is_word(inner) else ()
    result = []
    for part in re.finditer("[^-]+", inner):
        if not _is_word(part[0]):
            return ()
        result.append(Written(part[0], start + part.start(), start + part.end(), is_part=True))
    return tuple(result)


def _is_word(text: str) -> bool:
    if not 1 < len(text) <= LONGEST_WORD:
        return False
    rest = text[1:]
    return rest == rest.lower() and (text.isascii() or not any(is_spaceless(ord(letter)) for letter in text))
