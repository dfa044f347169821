"""Which phrases each page uses most.

In:  the words of texts with their stems.
Out: for each text the phrases it uses more than once, counted as :mod:`mardok.compare.phrases` counts those of a site.

A stem of one text is taken for another than the same stem of another text: then one count over all texts is a count of each.
"""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.phrases import counted_phrases, written
from mardok.large import stretches
from mardok.sharing import shared_out
from mardok.text.distinct import first_of_equal, order_of_numbers
from mardok.text.hashes import Corpus, mixed
from mardok.text.stems import Stemmed

_WORDS_AT_ONCE = 1 << 19
_LEAST_USES = 2
_APART = np.uint64(0x9FB21C651E98DF25)


def phrases_by_page(stemmed: Stemmed, sizes: range, most: int) -> pd.DataFrame:
    """The phrases that each text uses most.

    Parameters
    ----------
    sizes : range
        Numbers of words, from 1 to 6.
    most : int
        Phrases of one text.

    Returns
    -------
    DataFrame
        Columns ``page``, ``phrase``, ``words``, ``uses``; by page, the most used first, of equally used ones the longer,
        then in the order of the alphabet.

    Examples
    --------
    >>> from mardok.text.hashes import corpus_of
    >>> from mardok.text.stems import stemmed
    >>> words = stemmed(corpus_of(["violin hire: a violin for hire. violin hire by the month."]), ["en"], ())
    >>> phrases_by_page(words, range(2, 3), 1)
       page       phrase  words  uses
    0     0  violin hire      2     2
    """
    of_some = partial(_of_some, replace(stemmed, corpus=replace(stemmed.corpus, vocabulary={})), sizes, most)
    parts = [
        _first_ones(stemmed, pd.DataFrame(part), most)
        for part in shared_out(of_some, [*stretches(stemmed.corpus.offsets, _WORDS_AT_ONCE)])
    ]
    if not parts:
        return pd.DataFrame({"page": [], "phrase": [], "words": [], "uses": []})
    return pd.concat(parts, ignore_index=True)


def _first_ones(stemmed: Stemmed, likely: pd.DataFrame, most: int) -> pd.DataFrame:
    """Of the phrases that may be among the first of each text those that are: where phrases tie, the alphabet decides."""
    result = likely.assign(phrase=written(stemmed, likely))
    result = result.sort_values(["page", "uses", "words", "phrase"], ascending=[True, False, False, True])
    place = np.arange(len(result)) - np.searchsorted(result["page"].to_numpy(), result["page"].to_numpy())
    kept: pd.DataFrame = result.loc[place < most, ["page", "phrase", "words", "uses"]]
    return kept


def _apart(stemmed: Stemmed, first: int, last: int) -> Stemmed:
    """Some texts, with stems that no two of them have in common."""
    corpus = stemmed.corpus
    begin, end = int(corpus.offsets[first]), int(corpus.offsets[last])
    clauses = corpus.clause_offsets[
        np.searchsorted(corpus.clause_offsets, begin) : np.searchsorted(corpus.clause_offsets, end)
    ]
    own = Corpus(
        words=corpus.words[begin:end],
        offsets=corpus.offsets[first : last + 1] - begin,
        block_offsets=np.zeros(1, np.int64),
        first_blocks=np.zeros(last - first + 1, np.int64),
        clause_offsets=clauses - begin,
        vocabulary=corpus.vocabulary,
    )
    text = np.repeat(np.arange(last - first), own.n_words)
    key = text * len(stemmed.hashes) + stemmed.number[begin:end]
    order, ordered = order_of_numbers(key)
    is_first = first_of_equal(ordered)
    number = np.empty(len(key), np.int32)
    number[order] = np.cumsum(is_first) - 1
    known = order[is_first]
    hashes = mixed(stemmed.hashes[stemmed.number[begin:end][known]] + _APART * (text[known] + 1).astype(np.uint64))
    return replace(stemmed, corpus=own, number=number, hashes=hashes, is_function=stemmed.is_function[begin:end])


def _of_some(stemmed: Stemmed, sizes: range, most: int, some: tuple[int, int]) -> dict[str, NDArray[Any]]:
    """The phrases of some texts that may be among the first of each, by page and the most used first."""
    own = _apart(stemmed, *some)
    result = counted_phrases(own, np.ones(len(own.corpus.words), bool), sizes, _LEAST_USES)
    place = result["place"].to_numpy()
    result["page"] = np.searchsorted(own.corpus.offsets, place, side="right") - 1 + some[0]
    result["place"] = place + stemmed.corpus.offsets[some[0]]
    result = result.sort_values(["page", "uses", "words"], ascending=[True, False, False], kind="stable", ignore_index=True)
    page, uses, words = (result[name].to_numpy() for name in ("page", "uses", "words"))
    begins = np.flatnonzero(first_of_equal(page))
    sizes_of = np.diff(begins, append=len(page))
    least = np.repeat(begins + np.minimum(sizes_of, most) - 1, sizes_of)
    may_be = (uses > uses[least]) | ((uses == uses[least]) & (words >= words[least]))
    return {str(name): result[name].to_numpy()[may_be] for name in result.columns}
