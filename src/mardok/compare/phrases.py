"""Which phrases texts use, and how often.

In:  the words of texts with their stems, and which of the texts are asked about.
Out: phrases with their exact counts: uses, pages, and how typical they are of the selection.

A phrase is a run of words inside one block, and inside one clause of it: "to your door, set up" holds no phrase "door set".
Inflected forms are one phrase, since stems are counted; it is shown in its
commonest form. A phrase that begins or ends with a function word is none, and one of numbers and single letters only says
nothing. One of n words cannot be used more often than the
two of n - 1 words in it, so that only those need counting of which both are used often enough (R. Agrawal, R. Srikant, "Fast
Algorithms for Mining Association Rules", VLDB 1994). How typical a phrase is of a selection against the rest of the site is
the log-likelihood ratio (T. Dunning, "Accurate Methods for the Statistics of Surprise and Coincidence", Computational
Linguistics 19, 1993), negative where the selection uses it less.

Phrases of one length are told apart by a 64-bit polynomial of the hashes of their stems. Two different ones agree with a
probability of 2^-54 at most (the greatest power of two in any sum of powers of the base that could meet a stem, all signs
tried for up to six words, is 2^10), and of 2^-64 where a stem stands in one of them only, and once there.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.hash_ranges import in_ranges, parts_of_places
from mardok.large import Growing, laid_down, large_empty, stretches
from mardok.sharing import shared_out
from mardok.text.distinct import distinct, first_of_equal, order_of_equal
from mardok.text.hashes import Corpus, Hashes, Ints
from mardok.text.known_hashes import KnownHashes
from mardok.text.stems import Stemmed, joined

LONGEST = 6
"""Words of the longest phrase."""
_FOLDED_SHARE = 0.9
"""Share of a phrase's uses inside a longer one from which it is told by that one."""
_BASE = np.uint64(0xC2B2AE3D27D4EB4F)
_PLACES_AT_ONCE, _CLAUSES_AT_ONCE, _COUNTED_AT_ONCE = 1 << 18, 1 << 15, 1 << 22


def gram_hashes(words: Hashes, n: int) -> Hashes:
    """A hash for the n words at each place, whatever block they are in; shape (n_words - n + 1,), or (0,) for fewer."""
    if len(words) < n:
        return np.zeros(0, np.uint64)
    result = words[: len(words) - n + 1].copy()
    for k in range(1, n):
        result *= _BASE
        result += words[k : k + len(result)]
    return result


def gram_hashes_at(words: Hashes, places: Ints, n: int) -> Hashes:
    """A hash for the n words at some places.

    Parameters
    ----------
    words : ndarray of uint64, shape (n_words,)
        Hashes of the words of all texts.
    places : ndarray of int64, shape (n_places,)
        Places of first words; at least n words are left at each.
    n : int
        Words of a gram.
    """
    result = words[places]
    for k in range(1, n):
        result *= _BASE
        result += words[places + k]
    return result


def words_left(stemmed: Stemmed) -> NDArray[np.int32]:
    """For each word how many there are from it to the end of its clause, itself too."""
    clauses, n_words = stemmed.corpus.clause_offsets, len(stemmed.corpus.words)
    left = large_empty(n_words, np.int32)
    for first in range(0, len(clauses), _CLAUSES_AT_ONCE):
        ends = np.append(clauses[first : first + _CLAUSES_AT_ONCE + 1], n_words)[: _CLAUSES_AT_ONCE + 1]
        left[ends[0] : ends[-1]] = np.repeat(ends[1:], np.diff(ends)) - np.arange(ends[0], ends[-1])
    return left


@dataclass(frozen=True)
class _Level:
    """The phrases of one length that a selection uses often enough."""

    n: int
    known: Hashes
    """Hash of each, in order."""
    begins: NDArray[np.bool_]
    """Whether one of them begins at each word; used again for the next length."""
    number: NDArray[np.int32]
    """Which of them begins where one does."""


def phrases_of(
    stemmed: Stemmed,
    selected: NDArray[np.bool_],
    rest: NDArray[np.bool_],
    sizes: range,
    least_uses: int,
    left_out: NDArray[np.bool_] | None = None,
) -> pd.DataFrame:
    """Phrases that some texts use.

    Parameters
    ----------
    selected, rest : ndarray of bool, shape (n_texts,)
        The texts that are asked about, and those they are held against.
    sizes : range
        Numbers of words, from 1 to 6.
    least_uses : int
        Phrases that the selection uses less often are left out.
    left_out : ndarray of bool, shape (n_words,), optional
        Words that count for nobody, such as what is pasted again and again.

    Returns
    -------
    DataFrame
        Columns ``phrase``, in its commonest form, ``words``, ``pages``, ``uses``, ``typical``, and ``place``, where one of
        its uses begins among the words of the corpus; ``typical`` is 0 if there is no rest. No order.
    """
    part_of = np.where(selected, 0, np.where(rest, 1, -1))
    return phrases_of_parts(stemmed, part_of, sizes, [least_uses], left_out)[0]


def phrases_of_parts(
    stemmed: Stemmed,
    part_of: Ints,
    sizes: range,
    least_uses: Sequence[int],
    left_out: NDArray[np.bool_] | None = None,
) -> list[pd.DataFrame]:
    """Phrases of several parts of the texts, each as :func:`phrases_of` tells them, held against all the others.

    Parameters
    ----------
    part_of : ndarray of int64, shape (n_texts,)
        Part of each text; a number without `least_uses` for those that are in none, -1 for those that do not count.
    least_uses : sequence of int
        Phrases that each part uses less often are left out.
    left_out : ndarray of bool, shape (n_words,), optional
        Words that count for no part.
    """
    left_out = np.zeros(len(stemmed.corpus.words), bool) if left_out is None else left_out
    parts = []
    for part, least in enumerate(least_uses):
        counted = words_of_texts(stemmed.corpus, part_of == part)
        parts.append(counted_phrases(stemmed, np.greater(counted, left_out, out=counted), sizes, least))
    for result in parts:
        result.insert(0, "phrase", written(stemmed, result))
        result.insert(4, "typical", 0.0)
    if len(distinct(part_of[part_of >= 0])) > 1:
        left = _left_unmarked(stemmed, left_out)
        for n in sizes:
            _add_typical(stemmed, left, part_of, parts, n)
    return [_told_once(result) for result in parts] if len(stemmed.languages) > 1 else parts


def words_of_texts(corpus: Corpus, is_chosen: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """For each word whether it is one of some texts; the caller may change it."""
    result = large_empty(len(corpus.words), bool)
    for first, last in stretches(corpus.offsets, _PLACES_AT_ONCE):
        result[corpus.offsets[first] : corpus.offsets[last]] = np.repeat(is_chosen[first:last], corpus.n_words[first:last])
    return result


def _left_unmarked(stemmed: Stemmed, marked: NDArray[np.bool_], until: bool = True) -> NDArray[np.int32]:
    """For each word how many there are to the end of its clause or, before that, the next that is marked, or is not."""
    left = words_left(stemmed)
    for first in range(0, len(left), _PLACES_AT_ONCE):
        part = left[first : first + _PLACES_AT_ONCE]
        # No clause goes on so long that it matters: phrases have a few words.
        its = marked[first : first + len(part) + LONGEST] == until
        at = np.arange(len(its), dtype=np.int32)
        ends = np.minimum.accumulate(np.where(its, at, np.int32(len(its) + LONGEST))[::-1])[::-1]
        np.minimum(part, (ends - at)[: len(part)], out=part)
    return left


def uses_within(stemmed: Stemmed, result: pd.DataFrame, where: NDArray[np.bool_]) -> Ints:
    """How often each of some phrases, as :func:`phrases_of` gives them, is used within marked words.

    Parameters
    ----------
    where : ndarray of bool, shape (n_words,)
    """
    left = _left_unmarked(stemmed, where, until=False)
    uses = np.zeros(len(result), np.int64)
    place, n_words = result["place"].to_numpy(), result["words"].to_numpy()
    for n in np.unique(n_words).tolist():
        rows = np.flatnonzero(n_words == n)
        asked = _stem_grams_at(stemmed, place[rows], n)
        known = distinct(asked)
        sought, counts = KnownHashes(known), np.zeros(len(known), np.int64)
        for first in range(0, len(left), _PLACES_AT_ONCE):
            begins = np.flatnonzero(left[first : first + _PLACES_AT_ONCE] >= n) + first
            begins = begins[~(stemmed.is_function[begins] | stemmed.is_function[begins + n - 1])]
            for _, hashes in stem_grams(stemmed, begins, n):
                number = sought.numbers(hashes)
                counts += np.bincount(number[number >= 0], minlength=len(known))
        uses[rows] = counts[np.searchsorted(known, asked)]
    return uses


def counted_phrases(stemmed: Stemmed, is_selected: NDArray[np.bool_], sizes: range, least_uses: int) -> pd.DataFrame:
    """Phrases that some words hold, as :func:`phrases_of` tells them, but for ``phrase`` and ``typical``.

    Parameters
    ----------
    is_selected : ndarray of bool, shape (n_words,)
    """
    parts = []
    for level in _levels(stemmed, is_selected, sizes, least_uses):
        parts.append(_counted(stemmed, level, least_uses))
        del level  # the next is made while the one at hand would still fill the memory
    result = pd.concat([part.frame for part in parts], ignore_index=True)
    is_none = _is_told_by_longer(stemmed, result, [part.hashes for part in parts]) | _says_nothing(stemmed, result)
    return result[~is_none].reset_index(drop=True)


def written(stemmed: Stemmed, result: pd.DataFrame) -> list[str]:
    """Phrases as they stand at their places."""
    vocabulary, words = stemmed.corpus.vocabulary, stemmed.corpus.words
    return [
        joined(vocabulary[word] for word in words[place : place + n].tolist())
        for place, n in zip(result["place"].tolist(), result["words"].tolist(), strict=True)
    ]


def _told_once(result: pd.DataFrame) -> pd.DataFrame:
    """Phrases that languages spell alike as one, ``typical`` as it is in the language that uses it most.

    A page has one language, so that pages and uses add up.
    """
    if not result["phrase"].duplicated().any():
        return result
    ordered = result.sort_values(["uses", "place"], ascending=[False, True])
    of_phrase = ordered.groupby("phrase", sort=False)
    once = ordered[~ordered["phrase"].duplicated()]
    return once.assign(**{name: of_phrase[name].transform("sum")[once.index] for name in ("pages", "uses")})


def _says_nothing(stemmed: Stemmed, result: pd.DataFrame) -> NDArray[np.bool_]:
    """Whether phrases hold numbers and single letters only."""
    corpus, bare = stemmed.corpus, KnownHashes(stemmed.bare)
    place, n_words = result["place"].to_numpy(), result["words"].to_numpy()
    says_none = np.ones(len(result), bool)
    for k in range(LONGEST):
        rows = np.flatnonzero(n_words > k)
        says_none[rows] &= bare.numbers(corpus.words[place[rows] + k]) >= 0
    return says_none


def _levels(stemmed: Stemmed, is_selected: NDArray[np.bool_], sizes: range, least_uses: int) -> Iterator[_Level]:
    """Phrases by length, function words at their ends included, that are used often enough."""
    left = words_left(stemmed)
    uses = np.zeros(len(stemmed.hashes), np.int64)
    for first in range(0, len(left), _PLACES_AT_ONCE):
        part = slice(first, first + _PLACES_AT_ONCE)
        uses += np.bincount(stemmed.number[part][is_selected[part]], minlength=len(uses))
    is_usual = uses >= least_uses
    # Whether a phrase of the length at hand begins at each word; as places they would take many times the memory.
    begins = large_empty(len(left), bool)
    for first in range(0, len(left), _PLACES_AT_ONCE):
        part = slice(first, first + _PLACES_AT_ONCE)
        np.logical_and(is_selected[part], is_usual[stemmed.number[part]], out=begins[part])
    hashes = gram_hashes(stemmed.hashes[is_usual], 1)
    order = np.argsort(hashes)
    rank = np.zeros(len(is_usual), np.int32)
    rank[np.flatnonzero(is_usual)[order]] = np.arange(len(order))
    if 1 in sizes:
        numbers = Growing(np.int32)
        for first in range(0, len(left), _PLACES_AT_ONCE):
            part = slice(first, first + _PLACES_AT_ONCE)
            numbers.add(rank[stemmed.number[part][begins[part]]])
        yield _Level(1, hashes[order], begins, numbers.finished())
    bare = replace(stemmed, corpus=replace(stemmed.corpus, vocabulary={}))
    parts = parts_of_places(len(left))
    for n in range(2, sizes[-1] + 1):
        for first in range(0, len(left), _PLACES_AT_ONCE):
            its = begins[first : first + _PLACES_AT_ONCE]
            after = begins[first + 1 : first + 1 + len(its)]
            its[: len(after)] &= after  # both parts of the longer phrase
            its &= left[first : first + len(its)] >= n
        grams, n_begun = _Grams(bare, begins, n), int(np.count_nonzero(begins))
        recurring = Growing(np.uint64)
        for its in in_ranges(grams.hashes, parts, n_begun, partial(_recurring, least=least_uses)):
            recurring.add(its)
        known = recurring.finished()
        numbers = Growing(np.int32)
        for others, number in shared_out(partial(grams.numbers, KnownHashes(laid_down(known))), parts):
            begins[others] = False
            numbers.add(number)
        if n in sizes:
            yield _Level(n, known, begins, numbers.finished())


def _recurring(keys: Hashes, least: int) -> Hashes:
    """Of hashes in order those that stand there so many times, each once."""
    # Of equal ones, all but the last few have one of them as many places on as they are asked to be.
    known = keys[: max(len(keys) - least + 1, 0)]
    known = known[known == keys[least - 1 :]]
    once: Hashes = known[first_of_equal(known)]
    return once


@dataclass(frozen=True)
class _Grams:
    """The n words in a row that begin where something holds."""

    stemmed: Stemmed
    begins: NDArray[np.bool_]
    n: int

    def hashes(self, part: tuple[int, int]) -> Hashes:
        """Their hashes from one place on to another."""
        return np.concatenate([np.zeros(0, np.uint64), *(hashes for _, hashes in self._of(part))])

    def numbers(self, sought: KnownHashes, part: tuple[int, int]) -> tuple[Ints, NDArray[np.int32]]:
        """Places of those there that are not known, and the numbers of the others."""
        others, numbers = Growing(np.int64), Growing(np.int32)
        for places, hashes in self._of(part):
            number = sought.numbers(hashes)
            others.add(places[number < 0])
            numbers.add(number[number >= 0])
        return others.finished(), numbers.finished()

    def _of(self, part: tuple[int, int]) -> Iterator[tuple[Ints, Hashes]]:
        for first in range(*part, _PLACES_AT_ONCE):
            at = np.flatnonzero(self.begins[first : min(first + _PLACES_AT_ONCE, part[1])]) + first
            yield from stem_grams(self.stemmed, at, self.n)


def stem_grams(stemmed: Stemmed, places: Ints, n: int) -> Iterator[tuple[Ints, Hashes]]:
    """Hashes of the n words at some places, in order, a part at a time, which stays in the processor's cache.

    Parameters
    ----------
    places : ndarray of int64, shape (n_places,)
        Places of first words, ascending; at least n words are left at each.
    n : int
        Words of a gram.
    """
    for first in range(0, len(places), _PLACES_AT_ONCE):
        part = places[first : first + _PLACES_AT_ONCE]
        begin, end = int(part[0]), int(part[-1]) + n
        if end - begin < 2 * len(part):  # most places of a stretch: it is looked up as a whole
            yield part, gram_hashes(stemmed.hashes[stemmed.number[begin:end]], n)[part - begin]
        else:
            yield part, _stem_grams_at(stemmed, part, n)


def _stem_grams_at(stemmed: Stemmed, places: Ints, n: int) -> Hashes:
    """Hashes of the n words at some places."""
    result = stemmed.hashes[stemmed.number[places]]
    for k in range(1, n):
        result *= _BASE
        result += stemmed.hashes[stemmed.number[places + k]]
    return result


@dataclass(frozen=True)
class _Counted:
    frame: pd.DataFrame
    hashes: Hashes
    """Hash of each row's phrase."""


def _counted(stemmed: Stemmed, level: _Level, least_uses: int) -> _Counted:
    """Counts of the phrases of one length that neither begin nor end with a function word."""
    n, n_known, offsets = level.n, len(level.known), stemmed.corpus.offsets
    uses, pages, forms, n_begun = np.zeros(n_known, np.int64), np.zeros(n_known, np.int64), _NO_FORMS, 0
    for first, last in stretches(offsets, _COUNTED_AT_ONCE):
        places = np.flatnonzero(level.begins[offsets[first] : offsets[last]]) + offsets[first]
        number = level.number[n_begun : n_begun + len(places)].astype(np.int64)
        n_begun += len(places)
        is_phrase = ~(stemmed.is_function[places] | stemmed.is_function[places + n - 1])
        places, number = places[is_phrase], number[is_phrase]
        uses += np.bincount(number, minlength=n_known)
        page = np.repeat(np.arange(last - first), np.diff(np.searchsorted(places, offsets[first : last + 1])))
        pages += np.bincount(distinct(number * (last - first) + page) // (last - first), minlength=n_known)
        forms = forms.and_of(stemmed.corpus.words, places, number, n)
    # Whether a word is a function word may depend on the language: only uses that are phrases count.
    rows = np.flatnonzero(uses >= least_uses)
    frame = pd.DataFrame(
        {
            "words": n,
            "pages": pages[rows],
            "uses": uses[rows],
            "place": forms.commonest(n_known)[rows],
        }
    )
    return _Counted(frame, level.known[rows])


@dataclass(frozen=True)
class _Forms:
    """The forms of phrases, in the order of the phrases; all arrays have one entry a form.

    Two forms of one phrase agree in the 40 bits that are kept with a probability of 2^-40; it would only be shown wrong.
    """

    key: Hashes
    """Number of the phrase, and 40 bits of a hash of the words of the form."""
    uses: Ints
    first: Ints
    """Where each first begins."""

    def and_of(self, words: Hashes, places: Ints, number: Ints, n: int) -> _Forms:
        """These and those of phrases of n words that begin at places behind theirs."""
        keys = gram_hashes_at(words, places, n) >> np.uint64(24)
        keys |= number.astype(np.uint64) << np.uint64(40)
        order, ordered = order_of_equal(keys)
        begins = np.flatnonzero(first_of_equal(ordered))
        own = _Forms(ordered[begins], np.diff(begins, append=len(ordered)), places[order[begins]])
        if not len(self.key) or not len(own.key):
            return own if len(own.key) else self
        keys = np.concatenate([self.key, own.key])
        order = np.argsort(keys, kind="stable")
        begins = np.flatnonzero(first_of_equal(keys[order]))
        uses = np.add.reduceat(np.concatenate([self.uses, own.uses])[order], begins)
        return _Forms(keys[order[begins]], uses, np.concatenate([self.first, own.first])[order[begins]])

    def commonest(self, n_phrases: int) -> Ints:
        """Where the commonest form of each phrase first begins; of equally common ones that which comes first."""
        of_form = (self.key >> np.uint64(40)).astype(np.int64)
        most = np.zeros(n_phrases, np.int64)
        np.maximum.at(most, of_form, self.uses)
        is_best = self.uses == most[of_form]
        result = np.full(n_phrases, np.iinfo(np.int64).max)
        np.minimum.at(result, of_form[is_best], self.first[is_best])
        return result


_NO_FORMS = _Forms(np.zeros(0, np.uint64), np.zeros(0, np.int64), np.zeros(0, np.int64))


def _add_typical(stemmed: Stemmed, left: NDArray[np.int32], part_of: Ints, parts: Sequence[pd.DataFrame], n: int) -> None:
    """Tell the signed log-likelihood ratio of the phrases of n words; all texts are gone through once for all parts."""
    rows = [result["words"].to_numpy() == n for result in parts]
    places = [result["place"].to_numpy()[its] for result, its in zip(parts, rows, strict=True)]
    of_part = [_stem_grams_at(stemmed, at, n) for at in places]
    known = distinct(np.concatenate(of_part))
    if not len(known):
        return
    sought = KnownHashes(known)
    uses, n_runs = np.zeros(len(known), np.int64), np.zeros(len(parts) + 1, np.int64)
    for at, part in _counted_runs(stemmed.corpus, left, part_of, n):
        n_runs += np.bincount(np.minimum(part, len(parts)), minlength=len(n_runs))
        is_phrase = ~(stemmed.is_function[at] | stemmed.is_function[at + n - 1])
        for _, hashes in stem_grams(stemmed, at[is_phrase], n):
            number = sought.numbers(hashes)
            uses += np.bincount(number[number >= 0], minlength=len(known))
    for result, its, hashes, n_here in zip(parts, rows, of_part, n_runs.tolist(), strict=False):
        here = result["uses"].to_numpy()[its]
        elsewhere = uses[sought.numbers(hashes)] - here
        result.loc[its, "typical"] = log_likelihood_ratio(here, elsewhere, n_here, int(n_runs.sum()) - n_here)


def _counted_runs(corpus: Corpus, left: NDArray[np.int32], part_of: Ints, n: int) -> Iterator[tuple[Ints, Ints]]:
    """Places where n words of one clause of a text that counts begin, with the part of the text; some texts at a time."""
    first = 0
    while first < corpus.n_texts:
        last = int(np.searchsorted(corpus.offsets, corpus.offsets[first] + _PLACES_AT_ONCE, side="right")) - 1
        last = min(max(last, first + 1), corpus.n_texts)
        begin, end = int(corpus.offsets[first]), int(corpus.offsets[last])
        part = np.repeat(part_of[first:last], corpus.n_words[first:last])
        is_run = (left[begin:end] >= n) & (part >= 0)
        yield np.flatnonzero(is_run) + begin, part[is_run]
        first = last


def log_likelihood_ratio(uses: Ints, uses_in_rest: Ints, n_here: int, n_in_rest: int) -> NDArray[np.float64]:
    """How surely a selection uses phrases more (positive) or less (negative) than the rest does.

    Parameters
    ----------
    uses, uses_in_rest : ndarray of int64, shape (n_phrases,)
        Uses of each phrase here and there.
    n_here, n_in_rest : int
        All runs of as many words here and there.

    Examples
    --------
    >>> log_likelihood_ratio(np.array([10, 1]), np.array([1, 10]), 100, 100).round(2).tolist()
    [8.98, -8.98]
    """
    from scipy.special import xlogy  # only here: it takes longer to import than the phrases of a site to read

    total = n_here + n_in_rest
    share = (uses + uses_in_rest) / max(total, 1)
    observed = [(uses, n_here * share), (uses_in_rest, n_in_rest * share)]
    observed += [(n_here - uses, n_here * (1 - share)), (n_in_rest - uses_in_rest, n_in_rest * (1 - share))]
    ratio = np.maximum(2 * sum(xlogy(seen, seen) - xlogy(seen, expected) for seen, expected in observed), 0)
    more = uses * max(n_in_rest, 1) >= uses_in_rest * max(n_here, 1)
    return np.asarray(np.where(more, ratio, -ratio), np.float64)


def _is_told_by_longer(stemmed: Stemmed, result: pd.DataFrame, hashes: list[Hashes]) -> NDArray[np.bool_]:
    """Phrases nearly all of whose uses are inside a longer phrase of the table."""
    stated = np.zeros(len(result), bool)
    uses, place = result["uses"].to_numpy(), result["place"].to_numpy()
    first_rows = np.cumsum([0, *map(len, hashes)])
    by_size = {
        int(result["words"].iloc[row]): (row, known) for row, known in zip(first_rows, hashes, strict=False) if len(known)
    }
    known_of = {size: KnownHashes(known) for size, (_, known) in by_size.items()}
    for long, (first_long, longer) in by_size.items():
        rows = np.arange(first_long, first_long + len(longer))
        for short, (first_short, _) in by_size.items():
            for offset in range(long - short + 1 if short < long else 0):
                number = known_of[short].numbers(_stem_grams_at(stemmed, place[rows] + offset, short))
                inner = first_short + number[number >= 0]
                is_inside = uses[rows[number >= 0]] >= _FOLDED_SHARE * uses[inner]
                stated[inner[is_inside]] = True
    return stated
