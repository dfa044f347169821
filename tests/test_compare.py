"""Page against page: every figure against a slow, obvious computation."""

from __future__ import annotations

from itertools import combinations, pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import mardok
from mardok.compare.copies import pairs_of
from mardok.compare.difference import LINE_BREAK, difference
from mardok.compare.kept_pairs import kept_pairs, shared_words
from mardok.compare.links import page_rank
from mardok.compare.variants import components
from mardok.deliver.side_by_side import side_by_side
from mardok.settings import Pairs
from mardok.text.shingles import corpus_of
from mardok.text.words import words

TEXTS = st.lists(st.lists(st.sampled_from("abcde"), max_size=14).map(" ".join), max_size=12)


def shingles(text: str) -> set[tuple[str, ...]]:
    found = words(text)
    return {tuple(found[k : k + 3]) for k in range(max(len(found) - 2, 1))} if found else set()


def slow_pairs(texts: list[str], minimum: float) -> dict[tuple[int, int], tuple[float, float, float]]:
    """All pairs, one after the other, with Python's sets."""
    sets = [shingles(text) for text in texts]
    found = {}
    for a, b in combinations(range(len(texts)), 2):
        common = len(sets[a] & sets[b])
        if common and common / len(sets[a] | sets[b]) >= minimum:
            found[a, b] = (common / len(sets[a] | sets[b]), common / len(sets[a]), common / len(sets[b]))
    return found


@settings(deadline=None)
@given(TEXTS, st.sampled_from([0.01, 0.5, 0.8, 0.9, 1.0]))
def test_copies_are_those_of_the_definition(texts: list[str], minimum: float) -> None:
    found = mardok.find_copies(texts, minimum=minimum)
    assert list(found.columns) == ["a", "b", "resemblance", "a_in_b", "b_in_a"]
    fast = {(row.a, row.b): (row.resemblance, row.a_in_b, row.b_in_a) for row in found.itertuples()}
    assert fast == slow_pairs(texts, minimum)


@settings(deadline=None)
@given(TEXTS, st.randoms(use_true_random=False))
def test_copies_do_not_depend_on_the_order_of_pages(texts: list[str], random) -> None:  # type: ignore[no-untyped-def]
    order = list(range(len(texts)))
    random.shuffle(order)
    one = {frozenset((order[a], order[b])): r for a, b, r in _triples(mardok.find_copies([texts[k] for k in order]))}
    assert one == {frozenset((a, b)): r for a, b, r in _triples(mardok.find_copies(texts))}


def _triples(frame) -> list[tuple[int, int, float]]:  # type: ignore[no-untyped-def]
    return list(frame[["a", "b", "resemblance"]].itertuples(index=False, name=None))


@pytest.mark.parametrize("minimum", [0, -0.5, 1.01])
def test_a_minimum_out_of_bounds_is_refused(minimum: float) -> None:
    with pytest.raises(ValueError, match="above 0 and at most 1"):
        mardok.find_copies(["a"], minimum=minimum)


@settings(max_examples=50, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([0.5, 0.7, 0.85]))
def test_what_is_kept_of_a_family_hangs_together_as_all_of_it_did(seed: int, threshold: float) -> None:
    random = np.random.default_rng(seed)
    base = [f"w{n}" for n in range(40)]
    texts = []
    for _ in range(30):
        edited = list(base)
        for place in random.integers(0, 40, random.integers(0, 5)):
            edited[place] = f"x{random.integers(3)}"
        texts.append(edited)
    corpus = corpus_of(texts)
    pairs = pairs_of(corpus, 0.5, 0.8)
    rules = Pairs(family=5, nearest=2, containment_pairs=1, containment_words=1)
    kept = kept_pairs(pairs, corpus, rules)
    assert len(kept) < len(pairs)

    def groups(frame) -> list[list[int]]:  # type: ignore[no-untyped-def]
        return components(len(texts), [(a, b) for a, b, r in _triples(frame) if r >= threshold])

    assert groups(kept) == groups(pairs)
    for page in range(len(texts)):
        own = [r for a, b, r in _triples(pairs) if page in (a, b) and r >= 0.5]
        kept_own = [r for a, b, r in _triples(kept) if page in (a, b)]
        assert sorted(kept_own, reverse=True)[:2] == sorted(own, reverse=True)[:2]


def test_a_chapter_is_kept_with_the_manual_that_contains_it() -> None:
    chapters = [[f"c{c}w{n}" for n in range(40)] for c in range(6)]
    corpus = corpus_of([*chapters, [word for chapter in chapters for word in chapter]])
    kept = kept_pairs(pairs_of(corpus, 0.5, 0.8), corpus, Pairs())
    assert kept[["a", "b", "a_in_b"]].to_numpy().tolist() == [[c, 6, 1.0] for c in range(6)]
    assert shared_words(corpus, 0, 6) == 40


@given(st.lists(st.lists(st.sampled_from("abcd"), max_size=12), min_size=2, max_size=2))
def test_shared_words_are_those_in_common_shingles(texts: list[list[str]]) -> None:
    corpus = corpus_of(texts)
    short, other = sorted(texts, key=len)
    common = shingles(" ".join(short)) & shingles(" ".join(other))
    covered = {
        k + n for k in range(len(short)) for n in range(3) if tuple(short[k : k + 3]) in common and k + n < len(short)
    }
    assert shared_words(corpus, 0, 1) == len(covered)


@given(st.text(alphabet="ab \n"), st.text(alphabet="ab \n"))
def test_a_difference_put_together_is_the_two_texts(a: str, b: str) -> None:
    runs = difference(a, b)
    for text, pieces in ((a, [run.a for run in runs]), (b, [run.b for run in runs])):
        assert "".join(piece for run in pieces for piece in run) == "".join(text.replace("\n", LINE_BREAK).split(" "))
    assert all(run.a == run.b for run in runs if run.is_same)
    assert all(one.is_same != two.is_same for one, two in pairwise(runs))


def test_a_difference_is_small_where_texts_differ_little() -> None:
    base = [f"word{n % 97}" for n in range(4000)]
    edited = [*base[:50], "new", *base[50:2000], *base[2003:]]
    runs = difference(" ".join(base), " ".join(edited))
    assert [(run.a, run.b) for run in runs if not run.is_same] == [((), ("new",)), (tuple(base[2000:2003]), ())]
    rows = side_by_side(runs)
    assert sum(row.n_left_out for row in rows) > 3900


@settings(deadline=None)
@given(
    st.integers(1, 8).flatmap(
        lambda n: st.tuples(st.just(n), st.sets(st.tuples(st.integers(0, n - 1), st.integers(0, n - 1))))
    )
)
def test_page_rank_solves_its_equation(graph: tuple[int, set[tuple[int, int]]]) -> None:
    n, pairs = graph
    edges = np.array(sorted((a, b) for a, b in pairs if a != b), dtype=np.int64).reshape(-1, 2)
    transition = np.zeros((n, n))
    for a, b in edges:
        transition[b, a] = 1 / (edges[:, 0] == a).sum()
    transition[:, transition.sum(axis=0) == 0] = 1 / n
    exact = np.linalg.solve(np.eye(n) - 0.85 * transition, np.full(n, 0.15 / n))
    found = page_rank(n, edges, 0.85)
    assert found == pytest.approx(exact, abs=1e-10)
    assert found.sum() == pytest.approx(1)
