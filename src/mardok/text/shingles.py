"""Texts as arrays of word ids, and the shingles in them.

In:  texts, each as its words.
Out: a :class:`Corpus`: one int64 array of word ids with the offsets of the texts in it, and likewise of shingle ids.

A shingle is a run of three consecutive words (Broder 1997). Word ids are numbers given in order of first use and shingle
ids are the ranks of the triples of word ids, so that equal ids mean equal words: there is no hash that could collide.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Ids: TypeAlias = NDArray[np.int64]
SHINGLE_WORDS = 3


@dataclass(frozen=True)
class Corpus:
    """The words and shingles of several texts."""

    word_ids: Ids
    """Word ids of all texts, one after the other."""
    offsets: Ids
    """Where each text begins in ``word_ids``; shape (n_texts + 1,)."""
    shingle_ids: Ids
    """Id of the shingle that begins at each place of the texts, one after the other."""
    shingle_offsets: Ids
    """Where each text begins in ``shingle_ids``; shape (n_texts + 1,)."""

    @property
    def n_texts(self) -> int:
        """Number of texts."""
        return len(self.offsets) - 1

    @property
    def n_words(self) -> Ids:
        """Words of each text, shape (n_texts,)."""
        return np.diff(self.offsets)

    def shingles_of(self, text: int) -> Ids:
        """Shingle ids of one text in order, repeats included."""
        return self.shingle_ids[self.shingle_offsets[text] : self.shingle_offsets[text + 1]]


def corpus_of(texts: Iterable[Sequence[str]]) -> Corpus:
    """Words and shingles of texts given as words; one shorter than a shingle has one, itself; an empty one none."""
    ids: dict[str, int] = {}
    parts: list[Ids] = []
    for text in texts:
        parts.append(np.array([ids.setdefault(word, len(ids) + 1) for word in text], dtype=np.int64))
    offsets = np.concatenate([[0], np.cumsum([len(part) for part in parts])]).astype(np.int64)
    word_ids = np.concatenate(parts) if parts else np.zeros(0, np.int64)
    lengths = np.diff(offsets)
    n_shingles = np.where(lengths == 0, 0, np.maximum(lengths - SHINGLE_WORDS + 1, 1))
    shingle_offsets = np.concatenate([[0], np.cumsum(n_shingles)]).astype(np.int64)
    starts = np.repeat(offsets[:-1] - shingle_offsets[:-1], n_shingles) + np.arange(shingle_offsets[-1])
    ends = np.repeat(offsets[1:], n_shingles)
    # Id 0 is no word: it fills up the one shingle of a text that is too short for one.
    padded = np.append(word_ids, np.zeros(SHINGLE_WORDS, np.int64))
    triple = [np.where(starts + k < ends, padded[starts + k], 0) for k in range(SHINGLE_WORDS)]
    pairs = np.unique(triple[0] * (len(ids) + 1) + triple[1], return_inverse=True)[1]
    shingle_ids = np.unique(pairs.astype(np.int64) * (len(ids) + 1) + triple[2], return_inverse=True)[1]
    return Corpus(word_ids, offsets, shingle_ids.astype(np.int64), shingle_offsets)
