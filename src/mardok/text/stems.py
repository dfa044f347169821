"""What words are forms of, and which of them only hold a sentence together.

In:  the words of texts, and the language of each text.
Out: for each word the hash of its stem, and whether it is a function word.

Stems are those of Snowball (M. F. Porter, "Snowball: A language for stemming algorithms", 2001); a word of a language
without a stemmer, and one with a digit in it, is its own stem. Function words are those of a list of its language,
but for the words in it that name or describe something, such as "free" or "home".
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from hashlib import blake2b
from typing import Any

import numpy as np
import snowballstemmer
from numpy.typing import NDArray

from mardok.extract.language import function_words
from mardok.large import gathered, large_empty, offsets_of, stretches
from mardok.text.distinct import distinct
from mardok.text.hashes import Corpus, Hashes
from mardok.text.known_hashes import KnownHashes
from mardok.text.words import is_spaceless

_ALGORITHMS = {
    "ar": "arabic", "ca": "catalan", "cs": "czech", "da": "danish", "de": "german", "el": "greek", "en": "english",
    "es": "spanish", "et": "estonian", "eu": "basque", "fa": "persian", "fi": "finnish", "fr": "french", "ga": "irish",
    "hi": "hindi", "hu": "hungarian", "hy": "armenian", "id": "indonesian", "it": "italian", "lt": "lithuanian",
    "nb": "norwegian", "ne": "nepali", "nl": "dutch", "nn": "norwegian", "no": "norwegian", "pl": "polish",
    "pt": "portuguese", "ro": "romanian", "ru": "russian", "sr": "serbian", "sv": "swedish", "ta": "tamil", "tr": "turkish",
    "yi": "yiddish",
}  # fmt: skip

_TELLING_WORDS = {
    "en": (
        "area areas best big bill buy case cases computer copy cry date empty face faces fill fire free full good "
        "goods great group groups help high higher highest home homepage hundred index information interest invention "
        "large last late latest low lower man men member members mill mine mug net new newer newest number numbers "
        "old older oldest open opening order ordering orders page pages part parts place places problem problems "
        "research results ring room rooms second section sections shed shell side sides site small smaller smallest "
        "state states system test text thick thin thousand today top value web webpage website welcome width work "
        "working works world year years young younger youngest b c d e f g h j k l m n o p q r s t u v w x y z "
    ),
    "de": (
        "beispiel ende gott groß große großen großer großes gut gute guter gutes jahr jahre jahren kleine kleinen "
        "kleiner kleines kurz lang lange leicht mann mensch menschen morgen neue neuen offen ordnung recht rechte "
        "richtig rund sache startseite tag tage tagen teil zeit uhr a b c d e f g h i j k l m n o p q r s t u v w x y "
        "z "
    ),
}
"""Words of the lists of function words that name or describe something, and letters that are names."""


@dataclass(frozen=True)
class Stemmed:
    """The words of texts with their stems."""

    corpus: Corpus
    number: NDArray[np.int32]
    """Number of the stem of each word; equal for forms of one word."""
    hashes: Hashes
    """Hash of each stem."""
    is_function: NDArray[np.bool_]
    """Whether each word is a function word."""
    languages: tuple[str, ...]
    """Languages of the texts, each once."""
    bare: Hashes
    """Hashes of words that say nothing by themselves, in order."""

    @property
    def stems(self) -> Hashes:
        """Hash of the stem of each word."""
        return self.hashes[self.number]


_KNOWN: dict[str, dict[str, str]] = {}
_MOST_KNOWN = 1 << 18
_WORDS_AT_ONCE = 1 << 18


@lru_cache(maxsize=64)
def _stemmer(language: str) -> Any:
    name = _ALGORITHMS.get(language, "")
    if name not in snowballstemmer.algorithms():
        return None
    stemmer = snowballstemmer.stemmer(name)
    if hasattr(stemmer, "maxCacheSize"):
        stemmer.maxCacheSize = 0  # what it keeps is kept here, too, and to keep it there takes twice as long as to find it
    return stemmer


def has_stemmer(language: str) -> bool:
    """Whether words of a language have forms; else each is its own stem."""
    return _stemmer(language) is not None


@lru_cache(maxsize=256)
def plain_words(language: str) -> frozenset[str]:
    """Function words of a language without those that name or describe something."""
    return (function_words(language) or frozenset()) - set(_TELLING_WORDS.get(language, "").split())


def stems(words: Sequence[str], language: str) -> list[str]:
    """Stem of each folded word.

    Examples
    --------
    >>> stems(["violins", "rented", "4-4s"], "en")
    ['violin', 'rent', '4-4s']
    """
    stemmer = _stemmer(language)
    if stemmer is None:
        return list(words)
    # Titles, addresses and texts of a site are stemmed one after the other, and mostly use the same words.
    known = _KNOWN.setdefault(language, {})
    if len(known) > _MOST_KNOWN:
        known.clear()
    new = list({word for word in words if word not in known})
    known.update(zip(new, _stemmed_by(stemmer, new), strict=True))
    return [known[word] for word in words]


def _stemmed_by(stemmer: Any, words: Sequence[str]) -> list[str]:
    """Stem of each word; one with a figure in it is its own."""
    result = list(words)
    plain = [at for at, word in enumerate(words) if word.isalpha() or not any(map(str.isdigit, word))]
    for at, stem in zip(plain, stemmer.stemWords([words[at] for at in plain]), strict=True):
        result[at] = stem or words[at]
    return result


def stem_hashes(words: Sequence[str], language: str) -> Hashes:
    """A 64-bit hash of the stem of each of some different folded words."""
    stemmer = _stemmer(language)
    each = words if stemmer is None else _stemmed_by(stemmer, words)
    digests = [blake2b(stem.encode("utf-8", "surrogatepass"), digest_size=8).digest() for stem in each]
    return np.frombuffer(b"".join(digests), "<u8").astype(np.uint64)


def stemmed(corpus: Corpus, languages: Sequence[str], stop_words: Collection[str]) -> Stemmed:
    """The words of texts with their stems.

    Parameters
    ----------
    languages : sequence of str
        Language of each text.
    stop_words : collection of str
        Folded words that are function words in any language.
    """
    number = large_empty(len(corpus.words), np.int32)
    is_function = large_empty(len(corpus.words), bool)
    names = sorted(set(languages))
    of_text = np.array([names.index(language) for language in languages], np.int64)
    parts = []
    n_stems = 0
    for code, language in enumerate(names):
        texts = np.flatnonzero(of_text == code)
        # Sorting the vocabulary is quicker than finding out which words a language uses, where there is only one.
        if len(names) == 1:
            different = np.array(sorted(corpus.vocabulary), np.uint64)
        else:
            different = np.zeros(0, np.uint64)
            for places in _words_of(corpus, texts):
                different = distinct(np.concatenate([different, corpus.words[places]]))
        written = list(map(corpus.vocabulary.__getitem__, different.tolist()))
        hashes = stem_hashes(written, language)
        known = distinct(hashes)
        parts.append(known)
        stem_of = (np.searchsorted(known, hashes) + n_stems).astype(np.int32)
        n_stems += len(known)
        functions = plain_words(language)
        of_function = np.array([word in functions or word in stop_words for word in written], bool)
        sought = KnownHashes(different)
        for places in _words_of(corpus, texts):
            at = sought.numbers(corpus.words[places])
            number[places], is_function[places] = stem_of[at], of_function[at]
    # Languages have stems in common.
    every = np.concatenate([np.zeros(0, np.uint64), *parts])
    once = distinct(every)
    bare = np.array(sorted(word for word, written in corpus.vocabulary.items() if is_bare(written)), np.uint64)
    number = gathered(np.searchsorted(once, every).astype(np.int32), number)
    return Stemmed(corpus, number, once, is_function, tuple(names), bare)


def _words_of(corpus: Corpus, texts: NDArray[np.int64]) -> Iterator[NDArray[np.int64] | slice]:
    """Places of the words of some texts, some at a time."""
    offsets = offsets_of(corpus.n_words[texts])
    for first, last in stretches(offsets, _WORDS_AT_ONCE):
        ends = offsets[first : last + 1]
        if len(texts) == corpus.n_texts:
            yield slice(ends[0], ends[-1])
        else:
            moved = np.repeat(corpus.offsets[texts[first:last]] - ends[:-1], np.diff(ends))
            yield moved + np.arange(ends[0], ends[-1])


def is_bare(word: str) -> bool:
    """Whether a word is a number or a single letter, which by itself says nothing.

    Examples
    --------
    >>> is_bare("2022"), is_bare("4-4"), is_bare("e"), is_bare("e-string"), is_bare("琴")
    (True, True, True, False, False)
    """
    if word.isascii() and word.isalpha():  # as most are
        return len(word) == 1
    letters = [sign for sign in word if not sign.isnumeric() and sign not in "'-"]
    return not letters or (len(letters) == 1 and not is_spaceless(ord(letters[0])))


def joined(words: Iterable[str]) -> str:
    """Words in a row, with spaces where their scripts put them.

    Examples
    --------
    >>> joined(["violin", "hire"]), joined(["小", "提", "琴"])
    ('violin hire', '小提琴')
    """
    out = ""
    for word in words:
        out += word if not out or (is_spaceless(ord(out[-1])) and is_spaceless(ord(word[0]))) else f" {word}"
    return out
