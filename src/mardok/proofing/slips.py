"""Slips that need no dictionary: words written twice, commas, brackets, articles, capitals, what was left over.

In:  texts of one language, cut into pieces.
Out: :class:`Overview`: what is wrong, where, and what it should be; which texts state figures.

Each rule tells only what can be decided surely; where a rule is in doubt it is silent.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from mardok.compare.contradictions import figure_cues
from mardok.proofing.pieces import Pieces
from mardok.proofing.written import written_words
from mardok.settings import Proof
from mardok.text.distinct import distinct
from mardok.text.number_words import is_number
from mardok.vocabulary import CheckId

_DOUBLED: dict[str, tuple[str, ...]] = {
    "en": (
        "the", "a", "an", "of", "to", "and", "or", "for", "with", "from", "at", "by", "as", "this", "these", "are", "was",
        "were", "be", "been", "it", "its", "we", "you", "your", "our", "their", "will", "can", "which", "has", "have", "but",
        "not", "if", "when",
    ),
    "de": (
        "und", "oder", "für", "mit", "von", "zu", "zum", "zur", "auf", "aus", "bei", "nach", "über", "unter", "ist", "sind",
        "war", "wird", "werden", "kann", "nicht", "auch", "eine", "einen", "einem", "einer", "ein", "wir", "ihr", "ihre",
        "unser", "unsere", "aber", "wenn", "dass", "im", "am", "vom", "beim",
    ),
    "fr": ("le", "la", "les", "un", "une", "des", "du", "de", "et", "ou", "pour", "avec", "dans", "sur", "par", "est"),
    "es": ("el", "la", "los", "las", "un", "una", "de", "del", "y", "o", "para", "con", "en", "por", "es", "son"),
    "it": ("il", "lo", "la", "gli", "le", "un", "una", "di", "del", "della", "e", "o", "per", "con", "in", "è", "sono"),
    "nl": ("de", "het", "een", "van", "en", "of", "voor", "met", "op", "aan", "is", "zijn", "wordt"),
}  # fmt: skip
"""Words that no sentence has twice in a row."""
_UND_INSIDE, _SIGNS = re.compile(r"\w{3}und\w{3}"), ".,;:!?()"
_DIGIT = re.compile("[0-9]")
_RUNNING = re.compile(r"[.!?…][\"'”’»)]*$")
_TAIL = 8
"""Last characters of a text in which it is seen that it ends a sentence."""
_LEAST_WORDS = 6
"""Words of a block that is running text."""
_STOPS = ".!?"
_BEFORE_ARTICLE = '(“"'
_VOWELS = frozenset("aeio")
_COMMA_APART, _USUAL_COMMA = " , ", ", "
_SPACE_BEFORE_COMMA = re.compile(r"(?<!\S)[^\W\d_]{2,} ,(?= [^\W\d_]{2,})")
_GLUED_COMMA = re.compile(r"([^\W\d_]{3,}),([^\W\d_]{3,})[.;:!?]?")
_ARTICLE = re.compile(r"\b(?:([Aa]) (?=[aeiouh])|([Aa]n) (?=[b-df-hj-np-tv-zeou]))([a-z]+)\b")
"""An article before a word whose first letter may not go with it."""
_LIKE_YOU = re.compile(
    r"u(?:ni(?!n|mp|nt)|s[aeiu]|biq|kule|ten|topi|ran|rin|til|surp)|eu|ewe|one|once|ouija|u[bcfgkrst][aeiou]"
)
_SPOKEN = re.compile(
    r"(?:[bcdfgjklmnpqrstvwxyz]|[bcfgkps][lr]|[dt]r|[cgpstw]h|s[cklmnpqtw]|[dt]w|kn|wr|ch|qu|s[ct]r|spl)[aeiouy]"
)
"""How a word begins that is spoken as a word, and not letter by letter."""
_SPOKEN_WITH_VOWEL = re.compile(r"un(?!i|a)|under|upper|ugly|umbrella|hour|honest|hono|heir")
_AFTER_LETTER_A = (
    "and", "or", "is", "as", "in", "are", "of", "on", "at", "it", "if", "into", "off", "over", "out", "only", "also", "am",
    "an", "any", "about", "above", "after", "all", "other", "else", "even",
)  # fmt: skip
"""Words before which "a" may be a letter, and not the article."""
_LOWER_AFTER_STOP = re.compile(r"([^\W\d_]{4,})([.!?]) ([^\W\d_]+) [^\W\d_]")
_STARTERS: dict[str, tuple[str, ...]] = {
    "en": (
        "the", "this", "these", "those", "we", "you", "they", "it", "he", "she", "there", "when", "if", "our", "your", "in",
        "on", "at", "for", "with", "from", "after", "before", "because", "but", "a", "an", "all", "each", "every", "most",
    ),
    "de": (
        "der", "die", "das", "den", "dem", "wir", "ihr", "ihre", "sie", "er", "es", "ein", "eine", "einen", "wenn", "unser",
        "unsere", "bei", "mit", "für", "nach", "vor", "auf", "in", "im", "am", "aber", "alle", "jede", "jeder", "jedes",
    ),
}  # fmt: skip
"""Words that a sentence begins with."""
_ABBREVIATIONS = (
    "approx", "abbr", "dept", "incl", "resp", "assoc", "bros", "corp", "dist", "encl", "esqu", "govt", "inst", "lieut",
    "prof", "univ", "vols", "figs", "chap", "sect", "cent", "ital", "evtl", "zzgl", "inkl", "exkl", "bspw", "bzgl", "sogen",
    "allg", "entspr", "gegr", "jhdt", "jhrh", "vorm", "nachm", "verh", "sept",
)  # fmt: skip
_FILLER = re.compile(r"\blorem ipsum\b", re.IGNORECASE)
_NOTE = re.compile(r"(?:^|[\s\[(])(TODO|FIXME|TBD|TBC)(?=:|\]|\)| -| –|$)")
_PLACEHOLDER = re.compile(
    r"\{\{\s*[\w.\- ]{1,40}\s*\}\}|(?<![^\s(\"'„“])\{[A-Za-z][A-Za-z_]{2,30}\}|%%[A-Z_]{3,30}%%|(?<!\S)\$\{[a-z_.]{2,30}\}|"
    r"\[(?i:your|insert|enter|company|name|ihr|firma|hier) [\w ]{2,40}\]"
)
_SIGN_OF_LEFTOVER = re.compile(r"(?i:ipsum)|TODO|FIXME|TB[DC]|[{\[]|%%")
_PAIRS = (("(", ")"), ("[", "]"))
_QUOTES = {"en": ("“", "”"), "de": ("„", "“")}
_PAIRED_SIGNS = frozenset(sign for pair in (*_PAIRS, *_QUOTES.values()) for sign in pair)
_ENUMERATED = re.compile(r"(?:^|[\s(])(?:[ivx]{1,4}|\w{1,2}\.?)\)")
_FACES = re.compile(r"[:;=8][-o']?[()\[\]]")


@dataclass(frozen=True, slots=True)
class Slip:
    """One slip in a text."""

    text: int
    """Number of the text."""
    start: int
    end: int
    check: CheckId
    written: str
    """What stands there."""
    right: str
    """What it should be; ``""`` where only a person can tell."""


@dataclass(frozen=True)
class Overview:
    """What one look at some texts shows."""

    slips: list[Slip]
    """In the order of the texts."""
    with_figures: list[int]
    """Numbers of the texts that may state a figure, as one or in words."""


def look_over(
    texts: Sequence[str], pieces: Pieces, language: str, settings: Proof, is_technical: Callable[[int], bool]
) -> Overview:
    """Slips in texts, and which of them state figures.

    Parameters
    ----------
    texts : sequence of str
        Each different text once.
    pieces : Pieces
        Their pieces.
    language : str
        ISO 639-1.
    settings : Proof
        Which rules are asked.
    is_technical : callable
        Whether the text of a number stands on a page that shows code, where placeholders and notes are examples.
    """
    asked = _asked(pieces, language, settings)
    rules: dict[int, list[_Rule]] = defaultdict(list)
    for rule, numbers in asked:
        for number in numbers.tolist():
            rules[number].append(rule)
    slips = [
        slip for number in sorted(rules) for rule in rules[number] for slip in rule(number, texts[number], is_technical)
    ]
    return Overview(slips, _with_figures(pieces, language) if settings.contradictions else [])


_Rule = Callable[[int, str, Callable[[int], bool]], Iterator[Slip]]


def _asked(pieces: Pieces, language: str, settings: Proof) -> Iterator[tuple[_Rule, NDArray[np.int64]]]:
    """The rules that are asked, each with the texts that may break it: what can be seen from single pieces, and two."""
    doubled = frozenset(_DOUBLED.get(language, ()))
    if settings.doubled_words and doubled:
        are_doubled = pieces.among(doubled)
        yield partial(_doubled, words=doubled), pieces.holding_pair(are_doubled, are_doubled, equal=True)
    if settings.commas:
        yield _commas, pieces.holding(pieces.where(lambda piece: "," in piece))
    is_long = pieces.lengths >= _LEAST_WORDS
    if settings.brackets:
        numbers = pieces.holding(pieces.where(lambda piece: not _PAIRED_SIGNS.isdisjoint(piece)))
        for opening, closing in (*_PAIRS, *([_QUOTES[language]] if language in _QUOTES else [])):
            yield partial(_brackets, opening=opening, closing=closing), numbers[is_long[numbers]]
    starters = frozenset(_STARTERS.get(language, ()))
    if settings.capitals and starters:
        numbers = pieces.holding_pair(pieces.where(lambda piece: piece[-1] in _STOPS), pieces.among(starters))
        yield partial(_capitals, starters=starters), numbers[is_long[numbers]]
    if settings.articles and language == "en":
        wrong = [
            pieces.holding_pair(pieces.where(partial(_is_article, article=article)), pieces.where(is_wrong))
            for article, is_wrong in (("a", _wants_an), ("an", _wants_a))
        ]
        numbers = distinct(np.concatenate(wrong))
        yield _articles, numbers[is_long[numbers]]
    if settings.leftovers:
        yield _leftovers, pieces.holding(pieces.where(lambda piece: _SIGN_OF_LEFTOVER.search(piece) is not None))


def _with_figures(pieces: Pieces, language: str) -> list[int]:
    """Numbers of the texts that may state a figure."""
    cues = figure_cues(language)

    def may_be_one(piece: str) -> bool:
        return _DIGIT.search(piece) is not None or piece in cues or _is_compound_number(piece)

    result: list[int] = pieces.holding(pieces.where(may_be_one)).tolist()
    return result


def _is_compound_number(piece: str) -> bool:
    """Whether a piece is a number such as "twenty-two" or "zweiundzwanzig"."""
    return ("-" in piece or _UND_INSIDE.search(piece) is not None) and is_number(piece.strip(_SIGNS).lower())


def _is_running(text: str) -> bool:
    """Whether a text ends as a sentence does."""
    return _RUNNING.search(text, max(len(text) - _TAIL, 0)) is not None


def _doubled(number: int, text: str, _: object, words: Collection[str]) -> Iterator[Slip]:
    pieces = text.split()
    for word in sorted({one for one, other in pairwise(pieces) if one == other and one in words}):
        for found in re.finditer(rf"(?<!\S){re.escape(word)}(?:\s+{re.escape(word)})+(?!\S)", text):
            yield Slip(number, found.start(), found.end(), CheckId.TEXT_DOUBLED_WORD, found[0], word)


def _commas(number: int, text: str, is_technical: Callable[[int], bool]) -> Iterator[Slip]:
    """The first space before a comma, and the first comma that glues two words."""
    if is_technical(number):
        return
    found = _SPACE_BEFORE_COMMA.search(text) if _COMMA_APART in text else None
    if found is not None and found[0] == found[0].lower():  # behind names of menus a generator puts it
        yield Slip(number, found.start(), found.end(), CheckId.TEXT_COMMA, found[0], found[0].replace(" ,", ","))
    # A list of values is written so on purpose; who glues two words of a sentence parts others.
    n_usual = text.count(_USUAL_COMMA)
    if len(text.split()) < _LEAST_WORDS or not 0 < text.count(",") - n_usual <= n_usual + 1:
        return
    for piece in re.finditer(r"\S+", text):
        words = _GLUED_COMMA.fullmatch(piece[0])
        if words is not None and piece[0] == piece[0].lower() and written_words(words[1]):
            right = piece[0].replace(",", ", ", 1)
            yield Slip(number, piece.start(), piece.end(), CheckId.TEXT_COMMA, piece[0], right)
            return


def _brackets(number: int, text: str, _: object, opening: str, closing: str) -> Iterator[Slip]:
    """The first sign of a pair that has no counterpart."""
    if text.count(opening) == text.count(closing) or not _is_running(text):
        return
    if opening in "([":
        # An interval may be half open.
        if text.count("[") != text.count("]") and text.count("(") != text.count(")"):
            return
        if _ENUMERATED.search(text) or _FACES.search(text):
            return
    elif text.startswith(opening) or text.count(closing) < text.count(opening):
        return  # a quotation of several paragraphs opens each of them
    at = _unpaired(text, opening, closing)
    if at < 0:
        return
    start = text.rfind(" ", 0, at) + 1
    end = next((place for place in range(at, len(text)) if text[place] == " "), len(text))
    piece = text[start:end]
    beside = text[at + 1 : at + 2] if text[at] == opening else text[at - 1 : at]
    is_sign = not beside.isalnum() and not (text[at] == closing and beside in ".!?,")  # it is the sign that is spoken of
    if "\\" not in piece and not is_sign:
        yield Slip(number, start, end, CheckId.TEXT_BRACKET, piece, "")


def _unpaired(text: str, opening: str, closing: str) -> int:
    """Where the first sign stands that has no counterpart; -1 if each has one."""
    still_open: list[int] = []
    for at, sign in enumerate(text):
        if sign == opening:
            still_open.append(at)
        elif sign == closing:
            if not still_open:
                return at
            still_open.pop()
    return still_open[0] if still_open else -1


def _articles(number: int, text: str, _: object) -> Iterator[Slip]:
    if not _is_running(text):
        return
    for found in _ARTICLE.finditer(text):
        article, word = found[1] or found[2], found[3]
        before = text[found.start() - 1 : found.start()]
        if before not in ("", " ", "(", "“", '"') or len(word) < 3 or word in _AFTER_LETTER_A:
            continue
        after = text[found.end() : found.end() + 1]
        if after in ("-", "'", "’", "_", "/", "=", ":") or (
            article == "A" and text[: found.start()].rstrip()[-1:].isalnum()
        ):
            continue
        if article.lower() == "a" and _wants_an(word):
            yield Slip(number, found.start(), found.end(), CheckId.TEXT_ARTICLE, found[0], f"{article}n {word}")
        if article.lower() == "an" and _wants_a(word):
            yield Slip(number, found.start(), found.end(), CheckId.TEXT_ARTICLE, found[0], f"{article[0]} {word}")


def _is_article(piece: str, article: str) -> bool:
    return piece.lstrip(_BEFORE_ARTICLE) in (article, article.capitalize())


def _wants_an(word: str) -> bool:
    """Whether a word in small letters, or what begins with it, surely begins with the sound of a vowel."""
    return (word[0] in _VOWELS and _LIKE_YOU.match(word) is None) or _SPOKEN_WITH_VOWEL.match(word) is not None


def _wants_a(word: str) -> bool:
    """Whether it surely begins with the sound of a consonant."""
    is_consonant = _SPOKEN.match(word) is not None or _LIKE_YOU.match(word) is not None
    return is_consonant and word not in ("the", "this")


def _capitals(number: int, text: str, _: object, starters: Collection[str]) -> Iterator[Slip]:
    if not _is_running(text):
        return
    for found in _LOWER_AFTER_STOP.finditer(text):
        last, word = found[1], found[3]
        if word in starters and last == last.lower() and last not in _ABBREVIATIONS:
            written = f"{found[2]} {word}"
            right = f"{found[2]} {word.capitalize()}"
            yield Slip(number, found.start(3), found.end(3), CheckId.TEXT_CAPITAL, written, right)


def _leftovers(number: int, text: str, is_technical: Callable[[int], bool]) -> Iterator[Slip]:
    for pattern in (_FILLER, _NOTE, _PLACEHOLDER):
        found = pattern.search(text)
        if found is not None and not is_technical(number):
            start, end = found.span(1) if pattern is _NOTE else found.span()
            yield Slip(number, start, end, CheckId.TEXT_LEFTOVER, text[start:end], "")
