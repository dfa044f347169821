"""Which words of a site are misspelt, on evidence.

In:  the different texts of one language, dictionaries of it, words that are right by somebody's word.
Out: :class:`Spelling`: words that are wrong with what they are meant to be and where they stand; and words that no
     dictionary knows, which are a list to look through and no errors.

A word is wrong only where two things come together: no dictionary knows it, and it is one edit from a word that is far more
likely. That is one which the site uses far more often; or which stands elsewhere between the same words; or, of a word that
stands on one or two places in running text, one that a dictionary knows, if nothing else explains the word: no compound, no
form of a known word, no other language, no relative among the unknown words. Names are left alone.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field, replace

import numpy as np

from mardok.proofing.edits import Edit, LetterRuns, Neighbours, edit_between
from mardok.proofing.pieces import Pieces
from mardok.proofing.variants import counterparts
from mardok.proofing.written import Written, written_words
from mardok.settings import Proof

NOUNS_WITH_CAPITALS = frozenset({"de", "lb"})
"""Languages in which a capital makes no name."""
_SENTENCE_ENDS = ".!?:…"
_LEAST_SENTENCE = 4
"""Words of a sentence in which a word stands that a dictionary alone speaks against."""
_FOREIGN_SHARE = 0.3
_FOREIGN_WORDS = 2
_PLAIN_SHARE = 0.6
"""Share of the pieces of a block that are words, from which on it is prose."""
_PREFIXES = (
    "anti", "auto", "co", "counter", "de", "dis", "ex", "fore", "hyper", "in", "inter", "mega", "meta", "micro", "mid",
    "mini", "mis", "multi", "non", "out", "over", "per", "poly", "post", "pre", "pro", "pseudo", "quasi", "re", "self",
    "semi", "sub", "super", "trans", "ultra", "un", "under", "up",
)  # fmt: skip
_SUFFIXES = (
    "able", "al", "d", "ed", "er", "ers", "es", "ful", "ible", "ing", "ings", "ish", "ism", "ist", "ity", "ization",
    "isation", "ize", "ise", "ized", "ised", "izing", "ising", "less", "let", "like", "ly", "ment", "ness", "or", "ors",
    "r", "s", "ship", "wise", "y",
)  # fmt: skip
"""What English makes words of known words with, so that no dictionary has them all."""
_ENDINGS = frozenset("adegilmnorsty")
"""Letters that forms of a word end with."""
_LEAST_PART = 3
_SHORT, _LONG = 5, 7
"""Letters below which chance makes one word of another; and from which it hardly does."""
_MUCH_MORE, _OFTEN, _VERY_OFTEN = 3, 4, 10
"""Times as much as usual that a right word must be used, for short ones."""


@dataclass(frozen=True, slots=True)
class Place:
    """Where a word stands."""

    text: int
    """Number of the text."""
    start: int
    end: int


@dataclass(frozen=True)
class Misspelling:
    """A word that is wrong."""

    word: str
    right: str
    """What it is meant to be."""
    uses_of_right: int
    """How often the right word stands in the texts."""
    places: tuple[Place, ...]


@dataclass(frozen=True)
class Spelling:
    """What is known of the words of some texts."""

    wrong: Sequence[Misspelling] = ()
    """In the order of the words."""
    unknown: Mapping[str, Sequence[int]] = field(default_factory=dict)
    """Other words that no dictionary knows, with the texts that they stand in; names are not among them."""


@dataclass(frozen=True)
class Judges:
    """Who says that a word is right."""

    is_known: Callable[[Sequence[str]], list[bool]]
    """Whether a dictionary of the language knows each of some words."""
    is_foreign: Callable[[Sequence[str]], list[bool]]
    """The same of other languages that the site has, or quotes."""
    right: Collection[str]
    """Words that are right by somebody's word, or that are set apart on a page as code or another language; folded."""
    stems: Callable[[], Iterable[str]]
    """Words of the dictionaries of the language, without their forms."""
    is_technical: bool = False
    """Whether the texts are about code, so that they are full of terms."""
    has_variants: bool = True
    """Whether there are dictionaries of two variants or more, or the language has one."""


def check_spelling(
    texts: Sequence[str],
    cut: Pieces,
    vocabulary: Vocabulary,
    judges: Judges,
    settings: Proof,
    *,
    elsewhere: Mapping[str, int] | None = None,
) -> Spelling:
    """Misspelt and unknown words of texts in one language.

    Parameters
    ----------
    texts : sequence of str
        Each different text once, whatever number of pages it stands on.
    cut : Pieces
        Their pieces.
    vocabulary : Vocabulary
        Their words, as :func:`count_words` counts them.
    judges : Judges
        Who says that a word is right.
    settings : Proof
        How much evidence a word needs.
    elsewhere : mapping of str to int, optional
        How often words stand on the site that the texts belong to, without these.
    """
    words, language = sorted(vocabulary.uses), vocabulary.language
    if elsewhere:
        vocabulary = replace(vocabulary, uses=vocabulary.uses + Counter(elsewhere))
    known = {word for word, is_known in _asked(vocabulary.uses, judges) if is_known}
    unknown = {word for word in words if word not in known and word.lower() not in judges.right}
    suspects = _Suspects(vocabulary, known, unknown, language, judges, settings)
    candidates = suspects.candidates()
    sought = {piece for word in candidates for piece in vocabulary.pieces[word]}
    beside = {right for found in candidates.values() for right in found if vocabulary.uses[right] < settings.far_more}
    sought |= {piece for word in beside for piece in vocabulary.pieces.get(word, ())}
    contexts = _contexts(texts, cut, sought, vocabulary, unknown)
    wrong = []
    for word in sorted(candidates):
        right = suspects.verdict(word, candidates[word], contexts)
        if right:
            uses = vocabulary.uses[right]
            wrong.append(Misspelling(word, right, uses, tuple(one.place for one in contexts[word] if not one.is_foreign)))
    told = {one.word for one in wrong}
    capitals = language not in NOUNS_WITH_CAPITALS
    others = {word for word in unknown - told if not (capitals and word[0].isupper())}
    return Spelling(wrong, _texts_with(others, cut, vocabulary))


def _asked(words: Iterable[str], judges: Judges) -> Iterable[tuple[str, bool]]:
    asked = sorted(words)
    return zip(asked, judges.is_known(asked), strict=True)


@dataclass(frozen=True)
class Vocabulary:
    """The words of some texts."""

    uses: Counter[str]
    """How often each word stands there."""
    pieces: Mapping[str, Sequence[str]]
    """The pieces of text that hold it."""
    parts: frozenset[str]
    """Words that stand only as parts of others with hyphens."""
    words_of: Mapping[str, tuple[Written, ...]]
    """The words of each piece that has any."""
    language: str
    """ISO 639-1."""


def count_words(cut: Pieces, language: str) -> Vocabulary:
    """Count the words of texts by their pieces, each of which is taken apart once.

    A word with a capital is the same as without, if it stands there without, where nouns have no capitals.

    Parameters
    ----------
    cut : Pieces
        The pieces of the texts.
    language : str
        ISO 639-1.
    """
    uses: Counter[str] = Counter()
    pieces: dict[str, list[str]] = defaultdict(list)
    whole: set[str] = set()
    words_of: dict[str, tuple[Written, ...]] = {}
    for piece, n in zip(cut.number_of, cut.uses.tolist(), strict=True):
        found = written_words(piece)
        if found:
            words_of[piece] = found
        for written in found:
            uses[written.word] += n
            pieces[written.word].append(piece)
            if not written.is_part:
                whole.add(written.word)
    if language not in NOUNS_WITH_CAPITALS:
        for word in [word for word in uses if word[0].isupper() and word.lower() in uses]:
            lower = word.lower()
            uses[lower] += uses.pop(word)
            pieces[lower] += pieces.pop(word)
            if word in whole:
                whole.add(lower)
    return Vocabulary(uses, pieces, frozenset(uses.keys() - whole), words_of, language)


@dataclass(frozen=True, slots=True)
class _Context:
    place: Place
    before: str
    """The word before, folded; ``""`` at the begin of a sentence."""
    after: str
    is_first: bool
    """Whether it begins a sentence or a block."""
    n_words: int
    """Words of its sentence."""
    is_foreign: bool
    """Whether its sentence is in another language, or its block no prose."""
    is_among_capitals: bool
    """Whether a word beside it begins with a capital, too."""
    is_among_unknown: bool
    """Whether a word beside it is unknown, too."""


def _texts_with(words: Iterable[str], cut: Pieces, vocabulary: Vocabulary) -> dict[str, list[int]]:
    """In which texts each of some words stands, if in any."""
    words_in: dict[int, list[str]] = defaultdict(list)
    for word in sorted(words):
        for piece in vocabulary.pieces.get(word, ()):
            words_in[cut.number_of[piece]].append(word)
    is_asked = np.zeros(len(cut.number_of), bool)
    is_asked[list(words_in)] = True
    places, texts = cut.places(is_asked)
    result: dict[str, dict[int, None]] = {word: {} for several in words_in.values() for word in several}
    for piece, text in zip(cut.codes[places].tolist(), texts.tolist(), strict=True):
        for word in words_in[piece]:
            result[word][text] = None
    return {word: list(result[word]) for word in sorted(result)}


def _contexts(
    texts: Sequence[str], cut: Pieces, sought: Collection[str], vocabulary: Vocabulary, unknown: Collection[str]
) -> Mapping[str, list[_Context]]:
    """Where the words of some pieces stand, and between which."""
    sought = frozenset(sought)
    result: dict[str, list[_Context]] = defaultdict(list)
    folds = vocabulary.language not in NOUNS_WITH_CAPITALS
    for number in cut.holding(cut.among(sought)).tolist():
        text = texts[number]
        pieces = text.split()
        taken = [vocabulary.words_of.get(piece, ()) for piece in pieces]
        is_prose = sum(map(bool, taken)) >= _PLAIN_SHARE * len(pieces)
        at = 0
        starts = []
        for piece in pieces:
            at = text.index(piece, at)
            starts.append(at)
            at += len(piece)
        ends = [place for place, piece in enumerate(pieces) if piece.rstrip("\"'”’»)")[-1:] in _SENTENCE_ENDS]
        first = 0
        for last in [*ends, len(pieces) - 1]:
            if last < first:
                continue
            sentence = range(first, last + 1)
            first = last + 1
            if sought.isdisjoint(pieces[sentence.start : sentence.stop]):
                continue
            all_words = [one.word for place in sentence for one in taken[place]]
            strange = sum(word in unknown or (folds and word.lower() in unknown) for word in all_words)
            is_foreign = strange > _FOREIGN_WORDS and strange >= _FOREIGN_SHARE * len(all_words)
            is_foreign |= strange == _FOREIGN_WORDS and len(all_words) < _LEAST_SENTENCE
            # An abbreviation has a point, and the sentence goes on.
            goes_on = pieces[last].endswith(".") and last + 1 < len(pieces) and not pieces[last + 1][:1].isupper()
            for place in sentence:
                if pieces[place] not in sought:
                    continue
                for one in taken[place]:
                    word = one.word
                    before = _word_at(taken, place - 1) if place > sentence.start else ""
                    after = _word_at(taken, place + 1) if place + 1 < sentence.stop else ""
                    is_apart = is_foreign or not is_prose or (goes_on and place == last)
                    result[_key(word, unknown, folds=folds)].append(
                        _Context(
                            Place(number, starts[place] + one.start, starts[place] + one.end), before.lower(), after.lower(),
                            place == sentence.start, len(all_words), is_apart,
                            before[:1].isupper() or after[:1].isupper(),
                            before in unknown or after in unknown,
                        )
                    )  # fmt: skip
    return result


def _key(word: str, unknown: Collection[str], *, folds: bool) -> str:
    return word if not folds or word in unknown else word.lower() if word[0].isupper() else word


def _word_at(taken: Sequence[Sequence[object]], place: int) -> str:
    found = taken[place]
    return str(getattr(found[0], "word", "")) if found else "·"


class _Suspects:
    """Unknown words, and what they may be meant to be."""

    def __init__(
        self,
        vocabulary: Vocabulary,
        known: AbstractSet[str],
        unknown: AbstractSet[str],
        language: str,
        judges: Judges,
        settings: Proof,
    ) -> None:
        self._uses, self._known, self._unknown = vocabulary.uses, known, unknown
        self._parts = vocabulary.parts
        self._language, self._judges, self._settings = language, judges, settings
        self._has_capitals = language in NOUNS_WITH_CAPITALS
        often = [word for word, n in vocabulary.uses.items() if n >= settings.least_uses and word not in vocabulary.parts]
        self._often = Neighbours(word for word in often if word in known or n_letters(word) >= settings.least_letters)
        self._seldom = Neighbours(
            word for word in known if vocabulary.uses[word] < settings.least_uses and word not in vocabulary.parts
        )
        self._is_technical = False
        self._stems = Counter(word.lower()[: max(len(word) - 3, 5)] for word in unknown)

    def candidates(self) -> dict[str, list[str]]:
        """For each unknown word that may be a slip what it may be meant to be."""
        result: dict[str, list[str]] = {}
        left = []
        for word in sorted(self._unknown - self._parts):
            form = self._asked_form(word)
            if n_letters(form) < 3 or "'" in form:
                continue
            near = [one for one in (*self._often.of(form), *self._seldom.of(form)) if self._is_slip(form, one)]
            if near:
                result[word] = sorted(near, key=lambda one: (-self._uses[one], one))
            else:
                left.append(word)
        # All of them are asked for at once: each question is a way to another process and back.
        weighed = [*left, *(word for word in result if self._uses[word] <= self._settings.most_alone)]
        self._judges.is_known(sorted({part for word in weighed for part in self._parts_of(word.lower())[1]}))
        self._judges.is_foreign(sorted({self._asked_form(word) for word in weighed}))
        result |= self._from_dictionary([word for word in left if self._may_stand_alone(self._asked_form(word))])
        # What is like no word at all is a term, if it is long; a site that has many of them has short ones, too.
        long = [word for word in self._uses if word[0].islower() and n_letters(word) >= self._settings.least_letters]
        n_terms = sum(word in self._unknown and word not in result for word in long)
        self._is_technical = self._judges.is_technical or n_terms > self._settings.technical_share * len(long)
        return result

    def verdict(self, word: str, candidates: Sequence[str], contexts: Mapping[str, Sequence[_Context]]) -> str:
        """What a word is meant to be; ``""`` if the evidence does not do."""
        form = self._asked_form(word)
        own = [one for one in contexts[word] if not one.is_foreign]
        if not own or any(one.is_among_capitals and not self._has_capitals for one in own if word[0].isupper()):
            return ""
        if word[0].isupper() and not self._has_capitals and not all(one.is_first and one.n_words >= 3 for one in own):
            return ""  # a name
        is_foreign = self._judges.is_foreign([form])[0]
        # A template says it on every page between the same words.
        n = len({(one.before, one.after) for one in contexts[word]})
        by_use = [one for one in candidates if self._is_outweighed(form, one, n)]
        if is_foreign:
            by_use = [one for one in by_use if (edit_between(form, one) or (None, 0))[0] == Edit.SWAPPED]
        if by_use or is_foreign:
            return self._best(form, by_use)
        sides = {(one.before, one.after) for one in own if one.before and one.after}
        beside = [one for one in candidates if any((it.before, it.after) in sides for it in contexts.get(one, ()))]
        if beside and n <= self._settings.most_alone:
            return self._best(form, beside)
        if not self._may_stand_alone(form) or n > self._settings.most_alone:
            return ""
        if not any(self._is_plain(word, one) and not one.is_among_unknown for one in own):
            return ""
        return self._best(form, self._likely(form, candidates))

    def _likely(self, form: str, candidates: Sequence[str]) -> list[str]:
        """What a word may be taken for that only a dictionary speaks against."""
        known = [one for one in candidates if one[0] == form[0] or one[:2] == form[1::-1]]
        known = [one for one in known if one in self._known or one not in self._uses]
        often = [one for one in known if self._uses[one]]
        is_one_of_many = len(known) > self._settings.most_candidates
        if self._is_technical:
            return [] if is_one_of_many else [one for one in known if _is_likely(form, one)]
        length = n_letters(form)
        if length >= _LONG or (length >= self._settings.least_letters and not is_one_of_many):
            return known
        return often  # short terms have neighbours by chance

    def _is_outweighed(self, form: str, right: str, n: int) -> bool:
        """Whether a word that the site uses so much more often tells that another is a slip of it."""
        settings, edit, length, uses = self._settings, edit_between(form, right), n_letters(form), self._uses[right]
        if edit is None or uses < max(settings.far_more * n, settings.least_uses):
            return False
        if right not in self._known and uses < 2 * settings.far_more * n:
            return False
        kind, at = edit
        if at == 0 and kind in (Edit.ADDED, Edit.OTHER) and (n > 1 or uses < _MUCH_MORE * settings.far_more):
            return False  # a letter before a word makes a new one, as in "e-mail"
        if n > settings.most_alone and (length < _LONG or kind in (Edit.ADDED, Edit.OTHER)):
            return False  # used so often it is a word of the trade, unless it looks like a usual error
        if self._is_technical:
            if kind in (Edit.ADDED, Edit.OTHER) and (at == 0 or n > 1):
                return False
            if length < _SHORT:
                return kind == Edit.SWAPPED and uses >= _VERY_OFTEN * settings.far_more
            return length >= settings.least_letters or kind in (Edit.SWAPPED, Edit.DOUBLING)
        return length >= _SHORT or uses >= (_OFTEN if length == _SHORT - 1 else _VERY_OFTEN) * settings.far_more // 2

    def _is_plain(self, word: str, context: _Context) -> bool:
        """Whether a word stands in a sentence, and not as a name does."""
        if context.n_words < _LEAST_SENTENCE:
            return False
        if not word[0].isupper() or not self._has_capitals:
            return True
        before = context.before
        return before in _BEFORE_NOUNS or (before.endswith(("en", "er", "es", "em")) and len(before) >= _SHORT)

    def _best(self, form: str, candidates: Sequence[str]) -> str:
        """The likeliest of some words; ``""`` of none."""

        def key(right: str) -> tuple[object, ...]:
            edit = edit_between(form, right)
            return (-min(self._uses[right], self._settings.far_more), edit[0] if edit else 9, -self._uses[right], right)

        return min(candidates, key=key, default="")

    def _asked_form(self, word: str) -> str:
        """The word as its neighbours are written: without the capital of a sentence."""
        return word if self._has_capitals or not word[0].isupper() else word.lower()

    def _is_slip(self, form: str, right: str) -> bool:
        """Whether one word may be a slip of another; a form of it, or how another country writes it, is none."""
        edit = edit_between(form, right)
        if edit is None:
            return False
        kind, at = edit
        is_ending = at >= min(len(form), len(right)) - (0 if len(form) != len(right) else 1)
        if is_ending and kind != Edit.DOUBLING and len(form) >= len(right) and form[-1] in _ENDINGS:
            return False  # a form that the dictionary lacks: another ending
        if is_ending and right in self._uses and right not in self._known:
            return False
        if not self._judges.has_variants and right in counterparts([form]):
            return False
        return right[0] == form[0] or kind in (Edit.SWAPPED, Edit.MISSING) or self._uses[right] >= self._settings.far_more

    def _may_stand_alone(self, form: str) -> bool:
        """Whether nothing but an error explains a word."""
        if n_letters(form) < (self._settings.least_letters if self._is_technical else _SHORT - 1):
            return False
        if self._stems[form.lower()[: max(len(form) - 3, 5)]] > 1:
            return False  # a word of the trade has forms
        return not self._is_derived(form)

    def _is_derived(self, form: str) -> bool:
        """Whether a word is put together of known words, or a form of one."""
        low = form.lower()
        bases, words = self._parts_of(low)
        known = {word for word, is_known in zip(words, self._judges.is_known(words), strict=True) if is_known}
        halves = ((low[:k], low[k:]) for k in range(_LEAST_PART, len(low) - _LEAST_PART + 1))
        if any({*pair} <= known and all(len(one) > _LEAST_PART or one in self._uses for one in pair) for pair in halves):
            return True
        if self._has_capitals and self._is_german_compound(low):
            return True
        rests = {low[len(prefix) :] for prefix in _PREFIXES if low.startswith(prefix)}
        if any(rest in known and (len(rest) >= _SHORT or rest in self._uses) for rest in rests):
            return True
        if self._language != "en":
            return False
        # "occured" is no form of "occur": that doubles its letter.
        return any(
            not known.isdisjoint((base, base + "e", _plain_base(base))) and doubled not in known
            for base, doubled in bases.items()
        )

    def _parts_of(self, low: str) -> tuple[dict[str, str], list[str]]:
        """Words that a word may be put together of: by each base what it would be with its last letter doubled; and all."""
        asked = {low[k:] for k in range(_LEAST_PART, len(low) - _LEAST_PART + 1)}
        asked |= {low[:k] for k in range(_LEAST_PART, len(low) - _LEAST_PART + 1)}
        asked |= {low[len(prefix) :] for prefix in _PREFIXES if low.startswith(prefix)}
        bases = {}
        for suffix in _SUFFIXES:
            base = low.removesuffix(suffix)
            is_joined = suffix not in ("d", "r") or base.endswith("e")
            if base != low and len(base) > (_LEAST_PART if len(suffix) < _LEAST_PART else _LEAST_PART - 1) and is_joined:
                bases[base] = base + base[-1] + suffix
                asked |= {base, base + "e", base + base[-1] + suffix, _plain_base(base)}
        return bases, sorted(one for one in asked if len(one) >= _LEAST_PART)

    def _is_german_compound(self, low: str) -> bool:
        """Whether a word is two nouns with or without a joint between them."""
        halves = {
            (low[:k], low[k + len(joint) :])
            for k in range(_LEAST_PART, len(low) - _LEAST_PART)
            for joint in ("", "s", "n", "en", "es", "er")
            if low.startswith(joint, k) and len(low) - k - len(joint) >= _SHORT - 1
        }
        words = sorted({half.capitalize() for pair in halves for half in pair})
        known = {word for word, is_known in zip(words, self._judges.is_known(words), strict=True) if is_known}
        return any(first.capitalize() in known and second.capitalize() in known for first, second in halves)

    def _from_dictionary(self, words: Sequence[str]) -> dict[str, list[str]]:
        """For each of some words what a dictionary knows one edit from it."""
        if not words or len(words) > self._settings.most_asked:
            return {}
        runs = LetterRuns(word.lower() for word in (*self._known, *self._judges.stems()))
        made: dict[str, list[str]] = {}
        for word in words:
            form = self._asked_form(word)
            edits = runs.edits(form.lower())
            made[word] = [one.capitalize() if form[0].isupper() else one for one in edits]
        asked = sorted({one for several in made.values() for one in several})
        known = {word for word, is_known in zip(asked, self._judges.is_known(asked), strict=True) if is_known}
        result = {}
        for word, several in made.items():
            found = [one for one in several if one in known and self._is_slip(self._asked_form(word), one)]
            if found:
                result[word] = sorted(found)
        return result


_BEFORE_NOUNS = frozenset(
    (
        "der", "die", "das", "den", "dem", "des", "ein", "eine", "einen", "einem", "einer", "eines", "kein", "keine", "zur",
        "zum", "im", "vom", "beim", "ins", "am", "mein", "meine", "sein", "seine", "ihr", "ihre", "ihren", "ihrem",
        "ihrer", "unser", "unsere", "unseren", "unserem", "unserer", "jede", "jeder", "jedes", "jeden", "jedem", "diese",
        "dieser", "dieses", "diesen", "diesem", "alle", "viele", "einige", "mehrere", "zwei", "drei", "vier", "fünf", "ohne",
    )
)  # fmt: skip
"""Words before which a German noun stands, and hardly ever a name."""


def n_letters(word: str) -> int:
    """Letters of a word."""
    return sum(map(str.isalpha, word))


def _plain_base(base: str) -> str:
    """What a word was before an ending changed it: "plan" of "plann-able", "lossy" of "lossi-ness"."""
    if base.endswith("i"):
        return base[:-1] + "y"
    return base[:-1] if base[-1:] == base[-2:-1] else base


def _is_likely(form: str, right: str) -> bool:
    """Whether a slip is of a kind that a word may be taken for one without other evidence."""
    edit = edit_between(form, right)
    if edit is None:
        return False
    kind, at = edit
    return kind != Edit.OTHER or (0 < at < len(form) - 1 and n_letters(form) >= 7)
