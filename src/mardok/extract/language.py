"""In which language a page is written.

In:  the language it declares, and its text.
Out: an ISO 639-1 code.

A declared language is checked by the share of the text's words that are function words of it, which costs next to
nothing; only a text whose declaration is missing or contradicted is classified, on a short piece.
"""

from __future__ import annotations

import re
import sys
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from functools import lru_cache
from itertools import chain, repeat
from string import ascii_lowercase

import stopwordsiso

from mardok.settings import Language

_WORD = re.compile(r"[^\W\d_]+")
_SCRIPTS = {
    "zh": re.compile("[\u3400-\u9fff]"),
    "ja": re.compile("[\u3040-\u30ff\u3400-\u9fff]"),
    "ko": re.compile("[\uac00-\ud7af]"),
    "th": re.compile("[\u0e00-\u0e7f]"),
}
"""Letters of languages whose words are not told by spaces."""
_SCRIPT_SHARE = 0.3
_ONLY_LETTERS = bytes(code if chr(code) in ascii_lowercase else ord(" ") for code in range(256))
CHECKED_CHARACTERS = 1000
"""Of a text, what is looked at."""
_CLASSIFIED_CHARACTERS = 300
_CLASSIFIER = "py3langid"


def language_of(text: str, declared: str, settings: Language) -> str:
    """Language of the text; ``""`` if nothing is declared and the words do not tell: unknown is better than wrong.

    Parameters
    ----------
    text : str
        Main text of a page.
    declared : str
        Language that the page declares, ``""`` for none.

    Examples
    --------
    >>> language_of("the bow of the violin is in the case and it is yours " * 3, "de-AT", Language())
    'en'
    >>> language_of("x-12 y-30 z-44 " * 20, "", Language())
    ''
    """
    declared = re.split(r"[-_]", declared)[0].lower()
    checked = text[:CHECKED_CHARACTERS].casefold()
    words = checked.encode().translate(_ONLY_LETTERS).decode().split() if checked.isascii() else _WORD.findall(checked)
    if len(words) < settings.minimum_words:
        return declared
    if declared and _is_believable(declared, words, settings):
        return declared
    # A list of part numbers is in no language: a guess without its function words, or its script, is worth nothing.
    if _CLASSIFIER not in sys.modules and not _can_be_shown(checked, words, settings):
        return declared  # the classifier takes half a second to load, which whatever it said would not be worth
    result = _classified(" ".join(words)[:_CLASSIFIED_CHARACTERS])
    return result if _is_shown(result, checked, words, settings) else declared


def _is_believable(language: str, words: Sequence[str], settings: Language) -> bool:
    """Whether enough of the words are function words of the language, or nothing can be said against it."""
    known = function_words(language)
    return known is None or sum(map(known.__contains__, words)) >= settings.function_word_share * len(words)


def _is_shown(language: str, text: str, words: Sequence[str], settings: Language) -> bool:
    """Whether a text gives evidence of a language: its function words, or its script."""
    if language in _SCRIPTS:
        letters = sum(map(str.isalpha, text))
        return len(_SCRIPTS[language].findall(text)) >= _SCRIPT_SHARE * max(letters, 1)
    return function_words(language) is not None and _is_believable(language, words, settings)


def _can_be_shown(text: str, words: Sequence[str], settings: Language) -> bool:
    """Whether a text gives evidence of any language."""
    if any(_is_shown(language, text, words, settings) for language in _SCRIPTS):
        return True
    met = Counter(chain.from_iterable(map(_languages_of().get, words, repeat(()))))
    return max(met.values(), default=0) >= settings.function_word_share * len(words)


@lru_cache(maxsize=1)
def _languages_of() -> Mapping[str, Sequence[str]]:
    """Languages of which each word is a function word."""
    result: defaultdict[str, list[str]] = defaultdict(list)
    for language in sorted(stopwordsiso.langs()):
        for word in function_words(language) or ():
            result[word].append(language)
    return dict(result)


@lru_cache(maxsize=256)
def function_words(language: str) -> frozenset[str] | None:
    """Function words of a language; None if there is no list, or its words are not written apart."""
    if not stopwordsiso.has_lang(language) or language in ("zh", "ja", "th", "ko"):
        return None
    return frozenset(stopwordsiso.stopwords(language))


@lru_cache(maxsize=1 << 12)
def _classified(text: str) -> str:
    import py3langid  # loads its model for most of a second: only where a page needs it

    code, _ = py3langid.classify(text)
    return str(code)
