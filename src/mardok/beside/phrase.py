"""One phrase, and where texts hold it.

In:  a phrase, and texts with their language.
Out: whether a text holds all its words in any form and order, at which word, and patterns that find such texts quickly.

Words are compared by their stems; function words do not count, unless the phrase has no others.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from functools import cached_property

from mardok.errors import SelectionError
from mardok.text.stems import has_stemmer, plain_words, stems
from mardok.text.words import words

_ENDING = frozenset(["ca", "cs", "da", "de", "en", "es", "fr", "it", "nb", "nl", "nn", "no", "pt", "ru", "sv"])
"""Languages whose stemmers do no more than cut off or change the end of a word, and umlauts; the tests hold them to it."""
_INVISIBLE = r"[\x{00AD}\x{200B}-\x{200F}\x{2060}\x{FEFF}\p{Mn}]*"
"""What may stand between two letters and is not seen, and marks of letters that are written in two signs."""
_ALIKE = {"a": "aàáâãä", "c": "cç", "e": "eèéêë", "i": "iìíîï", "o": "oòóôõö", "u": "uùúûü"}
"""Letters that forms of one word have in each other's place (Haus, Häuser; conveniente, conveniência)."""
_LEAST_LETTERS = 2
_IN_WORD = r"[\p{L}\p{N}\p{M}'\x{2019}\x{00AD}\x{200B}-\x{200F}\x{2060}\x{FEFF}\-]"
_ANY_WORD, _BETWEEN = f"{_IN_WORD}+", rf"{_IN_WORD}*[^\p{{L}}\p{{N}}]*"
"""A word, and what may stand from the beginning of one on to that of the next."""


class TopicPhrase:
    """A phrase to look for.

    Raises
    ------
    SelectionError
        If it holds no word.
    """

    def __init__(self, text: str) -> None:
        self.text = " ".join(text.split())
        self.words = words(text)
        if not self.words:
            raise SelectionError(f"{text!r}: holds no word to look for")
        self._stems: dict[str, tuple[str, ...]] = {}

    def stems(self, language: str) -> tuple[str, ...]:
        """Stems of its words, each once, function words left out.

        Parameters
        ----------
        language : str
            ISO 639-1.
        """
        if language not in self._stems:
            self._stems[language] = told_stems(self.words, language) or tuple(dict.fromkeys(stems(self.words, language)))
        return self._stems[language]

    def is_in(self, text: str, language: str) -> bool:
        """Whether a text holds all of its words, in any form and order.

        Examples
        --------
        >>> TopicPhrase("hire a violin").is_in("Violins for hire", "en"), TopicPhrase("violin hire").is_in("Violins", "en")
        (True, False)
        """
        return set(self.stems(language)) <= set(stems(words(text), language))

    def says_no_more(self, text: str, language: str) -> bool:
        """Whether a text holds all of its words and no others, function words apart.

        Examples
        --------
        >>> [TopicPhrase("violin hire").says_no_more(query, "en") for query in ("hire a violin", "violin hire prices")]
        [True, False]
        """
        return set(self.stems(language)) == set(told_stems(words(text), language))

    def place(self, text: str, language: str) -> int:
        """Number of the word, from 1, at which the shortest stretch of a text begins that holds all of its words; 0 if none.

        Examples
        --------
        >>> TopicPhrase("violin hire").place("For schools: the hire of violins", "en")
        4
        """
        wanted = set(self.stems(language))
        last: dict[str, int] = {}
        best = (0, 0)
        for at, stem in enumerate(stems(words(text), language), start=1):
            if stem in wanted:
                last[stem] = at
                if len(last) == len(wanted):
                    first = min(last.values())
                    if not best[0] or at - first < best[1] - best[0]:
                        best = first, at
        return best[0]

    def patterns(self, languages: Sequence[str]) -> list[str]:
        """Regular expressions (RE2) that every text fits that holds the phrase; none where that is not to be had.

        Parameters
        ----------
        languages : sequence of str
            Languages of the texts.
        """
        result: list[str] = []
        if any(language not in _ENDING and has_stemmer(language) for language in languages):
            return result
        for word in self._told:
            starts = {_start(word, language) for language in languages}
            if all(starts):
                result.append(f"(?i){'|'.join(map(_pattern, sorted(starts)))}")
        return result

    def mention_patterns(self, language: str, *, is_ascii: bool = False) -> list[str]:
        """Regular expressions (RE2) that every text fits that says the phrase's words one after the other, in any form.

        Parameters
        ----------
        language : str
            Language of the texts.
        is_ascii : bool
            Whether the texts are ASCII, of which the expressions are four times quicker.
        """
        if language not in _ENDING and has_stemmer(language):
            return []
        starts = [_start(word, language) for word in self.words]
        if not any(starts):
            return []
        if is_ascii:
            return [f"(?i){'[a-z0-9-]*[^a-z0-9]*'.join(_plain(start) if start else '[a-z0-9]+' for start in starts)}"]
        return [f"(?i){_BETWEEN.join(_pattern(start) if start else _ANY_WORD for start in starts)}"]

    @cached_property
    def _told(self) -> list[str]:
        return list(dict.fromkeys(self.words))


def told_stems(text_words: Sequence[str], language: str) -> tuple[str, ...]:
    """Stems of words, each once, those of function words left out.

    Parameters
    ----------
    text_words : sequence of str
        Folded words.
    language : str
        ISO 639-1.
    """
    plain = plain_words(language)
    pairs = zip(text_words, stems(text_words, language), strict=True)
    return tuple(dict.fromkeys(stem for word, stem in pairs if word not in plain))


def _start(word: str, language: str) -> str:
    """What all forms of a word begin with; ``""`` for function words, which need not stand in a text, and short ones."""
    if word in plain_words(language):
        return ""
    if not has_stemmer(language):
        return word
    stem = stems([word], language)[0]
    n = next((at for at, (a, b) in enumerate(zip(word, stem, strict=False)) if a != b), min(len(word), len(stem)))
    # Stems give the last letter back that a form has lost or changed: hiring, hire; dirty, dirtied; dying, die.
    start = word[:n].removesuffix("ie") if word[:n].endswith("ie") else word[: n - (n > _LEAST_LETTERS)]
    return start if len(start) >= _LEAST_LETTERS else ""


def _bare(sign: str) -> str:
    """A letter without its marks."""
    return unicodedata.normalize("NFD", sign)[0]


def _plain(start: str) -> str:
    """A pattern for the beginning of a word in ASCII."""
    told = re.sub("s+", "s", start)
    return "".join("s+" if sign == "s" else _bare(sign) if _bare(sign) in _ALIKE else re.escape(sign) for sign in told)


def _pattern(start: str) -> str:
    """A pattern for the beginning of a word, whatever stands between its letters unseen."""
    told = re.sub("s+", "s", start)  # a sharp s is folded to two, of which the last may have been cut off
    letters = [
        f"[sß](?:{_INVISIBLE}[sß])*" if sign == "s"
        else f"[{_ALIKE[_bare(sign)]}]" if _bare(sign) in _ALIKE
        else re.escape(sign)
        for sign in told
    ]  # fmt: skip
    return _INVISIBLE.join(letters)
