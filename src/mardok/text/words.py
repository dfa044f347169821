"""Which words a text consists of.

In:  text as it is shown on a page.
Out: its words in order, normalised; or the pieces in which it is shown when two texts stand side by side.

A word is a run of letters, digits and combining marks after NFKC normalisation (Unicode Standard Annex 15) and case
folding (Unicode, section 3.13); inner apostrophes and hyphens join; soft hyphens, zero-width and direction characters
vanish. In scripts that put no spaces between words (Han, Kana, Thai, Lao, Khmer, Myanmar ...) each letter with its marks
is a word.
"""

from __future__ import annotations

import re
import unicodedata
from bisect import bisect_right
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cache

import numpy as np
import xxhash
from numpy.typing import NDArray

from mardok.compiled import compiled

_INVISIBLE_RANGES = (range(0x200B, 0x2010), range(0x202A, 0x202F), range(0x2060, 0x2065), range(0x2066, 0x2070))
_INVISIBLE = "\u00ad\u061c\u180e\ufeff" + "".join(chr(code) for codes in _INVISIBLE_RANGES for code in codes)
_VANISHING = re.compile(f"[{_INVISIBLE}]")
_SPACELESS_RANGES = (
    (0x0E00, 0x0EFF), (0x1000, 0x109F), (0x1780, 0x17FF), (0x1950, 0x19FF), (0x1A20, 0x1AAF), (0x3005, 0x3007),
    (0x3040, 0x30FF), (0x31F0, 0x31FF), (0x3400, 0x4DBF), (0x4E00, 0x9FFF), (0xA9E0, 0xA9FF), (0xAA60, 0xAADF),
    (0xF900, 0xFAFF), (0x1B000, 0x1B16F), (0x20000, 0x3FFFF),
)  # fmt: skip
_SPACELESS_STARTS = [first for first, _ in _SPACELESS_RANGES]


def is_spaceless(code: int) -> bool:
    """Whether a code point belongs to a script that puts no spaces between words."""
    at = bisect_right(_SPACELESS_STARTS, code) - 1
    return at >= 0 and code <= _SPACELESS_RANGES[at][1]


def _character_classes(codes: Iterable[int]) -> tuple[str, str, str]:
    """Letters and digits, letters of scripts without spaces, and marks: each as the inside of a regex bracket."""
    letters: list[int] = []
    spaceless: list[int] = []
    marks: list[int] = []
    for code in codes:
        category = unicodedata.category(chr(code))[0]
        if category == "M":
            marks.append(code)
        elif category in "LN":
            (spaceless if category == "L" and is_spaceless(code) else letters).append(code)
    return _ranges(letters), _ranges(spaceless), _ranges(marks)


def _ranges(codes: Iterable[int]) -> str:
    runs: list[list[int]] = []
    for code in codes:
        if runs and runs[-1][1] == code - 1:
            runs[-1][1] = code
        else:
            runs.append([code, code])
    return "".join(f"\\U{first:08x}-\\U{last:08x}" for first, last in runs)


@cache
def letter_kinds(n: int = 0x110000) -> NDArray[np.uint8]:
    """For each of the first code points 1 letter or digit, 2 apostrophe or hyphen, 3 letter of a spaceless script, 4 mark,
    0 other."""
    kinds = np.zeros(n, np.uint8)
    for code in (*range(min(_LAST_LETTER, n)), *range(_VARIATION_SELECTORS[0], min(_VARIATION_SELECTORS[1], n))):
        category = unicodedata.category(chr(code))
        if category[0] == "M":
            kinds[code] = 4
        elif category[0] in "LN":
            kinds[code] = 3 if category[0] == "L" and is_spaceless(code) else 1
    kinds[[ord("'"), ord("-")]] = 2
    return kinds


@cache
def clause_signs() -> NDArray[np.uint8]:
    """For each code point 1 if it ends a clause, 2 if it does where white space follows, else 0."""
    signs = np.zeros(0x110000, np.uint8)
    signs[[ord(sign) for sign in '!?;()[]{}"\u00a1\u00ab\u00bb\u00bf\u2013\u2014\u201c\u201d\u201e\u2022\u2026\u203a|']] = 1
    signs[[ord(sign) for sign in "\u060c\u061b\u061f\u06d4\u0964\u3001\u3002\uff01\uff08\uff09\uff0c\uff1a\uff1b\uff1f"]] = 1
    signs[[ord(sign) for sign in ".,:"]] = 2
    return signs


@dataclass(frozen=True)
class _Patterns:
    word: re.Pattern[str]
    shown_piece: re.Pattern[str]


@cache
def _patterns(last_code: int) -> _Patterns:
    """Patterns for texts whose characters do not go beyond a code."""
    codes = range(min(last_code + 1, _LAST_LETTER))
    letters, spaceless, marks = _character_classes([*codes, *range(*_VARIATION_SELECTORS)] if last_code > _BASIC else codes)
    # A mark may begin a run: it must not be lost.
    word = f"[{spaceless}][{marks}]*|[{letters}{marks}]+(?:['\\-][{letters}{marks}]+)*"
    return _Patterns(re.compile(word), re.compile(f"[{spaceless}][{marks}]*|[^\\s{spaceless}]+"))


def _patterns_for(text: str) -> _Patterns:
    # Beyond the basic plane the regular expression engine tests range by range, seven times slower as measured.
    return _patterns(_BASIC if max(text) <= chr(_BASIC) else 0x10FFFF)


_BASIC = 0xFFFF
_LAST_LETTER = 0x32400  # behind these there are only variation selectors
_VARIATION_SELECTORS = (0xE0100, 0xE01F0)
_ASCII_WORD = re.compile(r"[a-z0-9]+(?:['\-][a-z0-9]+)*")
_ASCII_SIGN_OF_WORD = re.compile("[A-Za-z0-9]")


def words(text: str) -> list[str]:
    """Words of a text, in order.

    Examples
    --------
    >>> words("The Violin\u2019s E\u2011string\u2014CO\u00adOP \u6f22\u5b57")
    ['the', "violin's", 'e-string', 'coop', '漢', '字']
    """
    return folded_words(folded(text))


def ascii_words(text: str) -> Iterator[re.Match[str]]:
    """Where the words of a folded text in ASCII stand.

    Examples
    --------
    >>> [word.span() for word in ascii_words("violin's e-string")]
    [(0, 8), (9, 17)]
    """
    return _ASCII_WORD.finditer(text)


def has_words(text: str) -> bool:
    """Whether there is any word in a text.

    Examples
    --------
    >>> has_words("\u2192 \u2014"), has_words("Bow")
    (False, True)
    """
    return _ASCII_SIGN_OF_WORD.search(text) is not None or (not text.isascii() and bool(words(text)))


def is_invisible(text: str) -> bool:
    """Whether nothing of a text can be seen: folded, it is empty.

    Examples
    --------
    >>> is_invisible("\u200b\u00ad"), is_invisible("\u200bbow")
    (True, False)
    """
    return not text.strip(_INVISIBLE)


@compiled("hashing")
def without_invisible(text: str) -> str:
    """The text without signs that nobody sees.

    Examples
    --------
    >>> without_invisible("vio\u00adlin\u200b")
    'violin'
    """
    return _VANISHING.sub("", text)


def folded(text: str) -> str:
    """The text normalised and case-folded, without invisible characters, with one apostrophe and one hyphen."""
    if text.isascii():
        return text.lower()
    normal = unicodedata.normalize("NFKC", without_invisible(text)).casefold()
    return unicodedata.normalize("NFKC", normal).replace("\u2019", "'").replace("\u2010", "-")


def folded_line(text: str) -> str:
    """What a text says, however it is written: folded, on one line, with one space between its pieces.

    Examples
    --------
    >>> folded_line("Violin  HIRE\\nin town ")
    'violin hire in town'
    """
    return " ".join(folded(text).split())


def folded_words(text: str) -> list[str]:
    """Words of a text that is folded already."""
    if text.isascii():
        return _ASCII_WORD.findall(text)
    return _patterns_for(text).word.findall(text)


def shown_pieces(text: str) -> list[str]:
    """The pieces a text is cut into to be shown beside another: words with their punctuation, as written.

    Examples
    --------
    >>> shown_pieces("Hire, then buy.")
    ['Hire,', 'then', 'buy.']
    """
    return text.split() if text.isascii() else _patterns_for(text).shown_piece.findall(text)


def text_hash(characters: bytes, words: NDArray[np.uint64]) -> str:
    """XXH3 in 128 bits that is equal for texts with the same words and punctuation in the same order; ``""`` without words.

    Parameters
    ----------
    characters : bytes
        A digest of the folded text without white space.
    words : ndarray of uint64
        Hashes of its words. White space alone makes no difference, but it parts words: "self-made" is one, "self - made"
        two.
    """
    return xxhash.xxh3_128_hexdigest(characters + words.tobytes()) if len(words) else ""
