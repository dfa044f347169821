"""Fingerprints: what eight words in common leave in both texts, and that many texts leave what each leaves alone."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from mardok.compare import fingerprints as module
from mardok.compare.fingerprints import all_fingerprints, fingerprints, texts_with
from mardok.text.hashes import Corpus, corpus_of, word_hashes

WORDS = st.lists(st.sampled_from([f"word{n}" for n in range(9)]), max_size=40)
RUN = st.lists(st.sampled_from([f"word{n}" for n in range(9)]), min_size=8, max_size=8)


def of(words: list[str]) -> set[int]:
    return set(fingerprints(word_hashes([" ".join(words)])[0]).tolist())


def together(corpus: Corpus) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    hashes, owners = zip(*all_fingerprints(corpus, np.arange(corpus.n_texts)), strict=True)
    return np.concatenate(hashes), np.concatenate(owners)


@settings(deadline=None, max_examples=300)
@given(WORDS, WORDS, WORDS, WORDS, RUN)
def test_eight_words_in_common_leave_a_fingerprint_in_both(
    a: list[str], b: list[str], c: list[str], d: list[str], run: list[str]
) -> None:
    assert of([*a, *run, *b]) & of([*c, *run, *d])


@settings(deadline=None, max_examples=200)
@given(st.lists(WORDS, max_size=8), st.integers(1, 60))
def test_texts_together_leave_what_each_leaves_alone(texts: list[list[str]], at_once: int) -> None:
    before, module._WORDS_AT_ONCE = module._WORDS_AT_ONCE, at_once
    try:
        corpus = corpus_of(" ".join(text) for text in texts)
        hashes, owners = together(corpus)
    finally:
        module._WORDS_AT_ONCE = before
    assert [set(hashes[owners == number].tolist()) for number in range(len(texts))] == [of(text) for text in texts]
    assert (np.diff(hashes.astype(np.int64)) >= 0).all()
    for text in texts:
        asked = np.array(sorted(of(text)), np.int32)
        having = [set(rows.tolist()) for rows in texts_with(hashes, owners, asked)]
        assert having == [{n for n, other in enumerate(texts) if one in of(other)} for one in asked.tolist()]


def test_few_runs_are_kept_and_of_what_many_texts_have_the_first() -> None:
    chance = np.random.default_rng(5)
    text = [f"word{n}" for n in chance.integers(0, 10_000, 20_000)]
    assert 0.36 < len(of(text)) / len(text) < 0.44  # 2 / (windows of 4 + 1), the expectation of winnowing
    corpus = corpus_of(["one text that a hundred pages carry word for word"] * 100)
    hashes, owners = together(corpus)
    assert np.bincount(owners).tolist() == [len(set(hashes.tolist()))] * 64
    assert of(["four", "words", "are", "none"]) == set()
