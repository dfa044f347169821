"""In which language a page is written.

In:  the language it declares, and its text.
Out: an ISO 639-1 code.

A declared language is checked by the share of the text's words that are function words of it, which costs next to
nothing; only a text whose declaration is missing or contradicted is classified, on a short piece.
"""

from __future__ import annotations

import re
from functools import lru_cache

import stopwordsiso

from mardok.settings import Language

_WORD = re.compile(r"[^\W\d_]+")
_CHECKED_WORDS = 300
_CLASSIFIED_CHARACTERS = 300


def language_of(text: str, declared: str, settings: Language) -> str:
    """Language of the text; ``""`` if nothing is declared and there are too few words to tell.

    Examples
    --------
    >>> language_of("the bow of the violin is in the case and it is yours " * 3, "de-AT", Language())
    'en'
    """
    declared = re.split(r"[-_]", declared)[0].lower()
    words = [found[0].casefold() for found, _ in zip(_WORD.finditer(text), range(_CHECKED_WORDS), strict=False)]
    if len(words) < settings.minimum_words:
        return declared
    known = function_words(declared)
    if known is None and declared:
        return declared
    if known and sum(word in known for word in words) >= settings.function_word_share * len(words):
        return declared
    return _classified(" ".join(words)[:_CLASSIFIED_CHARACTERS]) or declared


@lru_cache(maxsize=256)
def function_words(language: str) -> frozenset[str] | None:
    """Function words of a language; None if there is no list, or its words are not written apart."""
    if not stopwordsiso.has_lang(language) or language in ("zh", "ja", "th", "ko"):
        return None
    return frozenset(stopwordsiso.stopwords(language))


def _classified(text: str) -> str:
    import py3langid  # loads its model for most of a second: only where a page needs it

    code, _ = py3langid.classify(text)
    return str(code)
