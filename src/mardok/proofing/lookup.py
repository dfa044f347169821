"""Words looked up in the dictionaries of their language.

In:  texts of one language, words that are right by somebody's word.
Out: :class:`Looked`: misspelt words and words of another variant with their places, words that no dictionary knows, all.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import NamedTuple

from mardok.errors import SettingsError
from mardok.proofing.dictionary import Dictionary, Speller, find_dictionaries, opened, stems_of
from mardok.proofing.pieces import Pieces
from mardok.proofing.spelling import NOUNS_WITH_CAPITALS, Judges, Place, check_spelling, count_words
from mardok.proofing.variants import Variants, counterparts, find_variants
from mardok.settings import Proof
from mardok.vocabulary import CheckId

_LARGEST_LIST = 10_000_000


class LanguageTexts(NamedTuple):
    """Texts of one language."""

    language: str
    """ISO 639-1."""
    texts: Sequence[str]
    """Each different one once."""
    pieces: Pieces
    """Their pieces."""


class Found(NamedTuple):
    """A slip at one place of one text."""

    check: CheckId
    written: str
    right: str
    """What it should be; ``""`` where only a person can tell."""
    place: Place
    uses_of_right: int = -1
    """How often the right word stands on the site; -1 where that is not asked."""


class Looked(NamedTuple):
    """What dictionaries say of the texts of one language."""

    found: list[Found]
    unknown: Mapping[str, Sequence[int]]
    """Words that no dictionary knows and nothing speaks against, with the texts that they stand in."""
    words: list[tuple[str, int, bool]]
    """Each word with its uses, and whether a dictionary knows it."""
    variants: Variants | None
    """In which variant of the language the site is written, where two are mixed."""


def own_words(settings: Proof) -> frozenset[str]:
    """Words that are right by the file in the settings, in lower case.

    Raises
    ------
    SettingsError
        If it cannot be read.
    """
    if not settings.words:
        return frozenset()
    path = Path(settings.words)
    try:
        if path.stat().st_size > _LARGEST_LIST:
            raise SettingsError(f"proof.words: {path}: is larger than 10 MB; name a list of words")
        lines = path.read_text("utf-8-sig").splitlines()
    except (OSError, UnicodeError) as error:
        raise SettingsError(f"proof.words: {path}: cannot be read ({error}); name a UTF-8 file, one word a line") from error
    return frozenset(word.strip().lower() for word in lines if word.strip() and not word.startswith("#"))


def look_up(
    asked: LanguageTexts,
    right: Collection[str],
    other_languages: Iterable[str],
    settings: Proof,
    *,
    elsewhere: Mapping[str, int] | None = None,
    is_technical: bool = False,
) -> Looked | None:
    """Look up the words of texts; None if there is no dictionary of their language.

    Parameters
    ----------
    asked : LanguageTexts
        The texts.
    right : collection of str
        Words that are right by somebody's word, in lower case.
    other_languages : iterable of str
        Languages from which the texts may take words.
    settings : Proof
        Where dictionaries lie, and how much evidence a word needs.
    elsewhere : mapping of str to int, optional
        How often words stand on the site that the texts belong to, without these.
    is_technical : bool
        Whether they are about code.

    Raises
    ------
    DictionaryError
        If a dictionary cannot be used.
    """
    language, texts, pieces = asked
    dictionaries = find_dictionaries(language, settings.dictionaries)
    if not dictionaries:
        return None
    with ExitStack() as stack:
        known = _Dictionaries(dictionaries, stack, settings)
        foreign = [
            one
            for other in sorted({*other_languages} - {language, ""})
            for one in find_dictionaries(other, settings.dictionaries)
        ]
        others = _Dictionaries(foreign, stack, settings)
        has_variants = len(dictionaries) > 1 or language != "en"
        judges = Judges(known.knows, others.knows, right, known.stems, is_technical, has_variants)
        own = count_words(pieces, language)
        spelling = check_spelling(texts, pieces, own, judges, settings, elsewhere=elsewhere)
        found = [
            Found(CheckId.TEXT_MISSPELT, one.word, one.right, place, one.uses_of_right)
            for one in spelling.wrong
            for place in one.places
        ]
        uses = own.uses + (Counter(elsewhere) if elsewhere else Counter())
        has_capitals = language in NOUNS_WITH_CAPITALS  # elsewhere what has one is a name
        weighed = [word for word in uses if word not in right and (has_capitals or word[0].islower())]
        variants = None
        if len(dictionaries) > 1:
            first = known.by_variant(weighed)
            uneven = frozenset.union(*first.values()) - frozenset.intersection(*first.values())
            by_variant = known.by_variant([*uneven, *counterparts(uneven)])
            variants = find_variants({word: uses[word] for word in sorted(uneven)}, by_variant, settings.variants)
        if variants is not None and not _is_mixed(variants, settings):
            variants = None
        if variants is not None:
            found += _odd_words(texts, pieces, own.pieces, variants)
        words = sorted(own.uses)
        told = [(word, own.uses[word], is_known) for word, is_known in zip(words, known.knows(words), strict=True)]
    return Looked(found, spelling.unknown, told, variants)


class _Dictionaries:
    """Dictionaries that are asked together.

    Parameters
    ----------
    dictionaries : sequence of Dictionary
        They are opened when they are asked first.
    stack : ExitStack
        Closes them.
    """

    def __init__(self, dictionaries: Sequence[Dictionary], stack: ExitStack, settings: Proof) -> None:
        self._dictionaries, self._stack, self._settings = dictionaries, stack, settings
        self._open: dict[Dictionary, Speller] = {}
        self._known: dict[Dictionary, dict[str, bool]] = {one: {} for one in dictionaries}

    def knows(self, words: Sequence[str]) -> list[bool]:
        """For each word whether any of them knows it."""
        left = list(words)
        for one in self._dictionaries:
            answers = self._asked(one, left)
            left = [word for word in left if not answers[word]]
        unknown = frozenset(left)
        return [word not in unknown for word in words]

    def stems(self) -> Iterator[str]:
        """Words that they list, without their forms."""
        return (word for one in self._dictionaries for word in stems_of(one))

    def by_variant(self, words: Sequence[str]) -> dict[str, frozenset[str]]:
        """By the tag of each dictionary the words that it knows."""
        result = {}
        for one in self._dictionaries:
            answers = self._asked(one, words)
            result[one.variant] = frozenset(word for word in words if answers[word])
        return result

    def _asked(self, one: Dictionary, words: Sequence[str]) -> Mapping[str, bool]:
        known = self._known[one]
        new = [word for word in dict.fromkeys(words) if word not in known]
        if new:
            if one not in self._open:
                self._open[one] = self._stack.enter_context(opened(one, self._settings.dictionary_s))
            known.update(zip(new, self._open[one].knows(new), strict=True))
        return known


def _is_mixed(variants: Variants, settings: Proof) -> bool:
    """Whether a site writes words in a variant that is not its own, if it has one."""
    return bool(variants.odd) and (bool(variants.words) or variants.main in settings.variants)


def _odd_words(
    texts: Sequence[str], cut: Pieces, pieces: Mapping[str, Sequence[str]], variants: Variants
) -> Iterator[Found]:
    """Where the words of the other variant stand."""
    sought = {piece: word for word in variants.odd for piece in pieces.get(word, ())}
    for number in cut.holding(cut.among(sought)).tolist():
        text = texts[number]
        own = text.split()
        at = 0
        for piece in own:
            at = text.index(piece, at)
            word = sought.get(piece)
            start = text.lower().find(word.lower(), at) if word is not None else -1
            if word is not None and start >= 0:
                place = Place(number, start, start + len(word))
                yield Found(CheckId.TEXT_VARIANTS_MIXED, word, variants.odd[word], place)
            at += len(piece)
