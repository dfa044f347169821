"""Page against page: every figure against a slow, obvious computation."""

from __future__ import annotations

from itertools import combinations, pairwise

import numpy as np
import pandas as pd
import pytest
from conftest import DEMO_SEARCH, DEMO_WARC
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import mardok
from mardok.compare import copies, join, relations
from mardok.compare.difference import LINE_BREAK, difference
from mardok.compare.kept_pairs import kept_pairs, shared_words
from mardok.compare.links import page_rank
from mardok.compare.relations import Relations, Traits, page_sets, relations_of
from mardok.compare.variants import components
from mardok.deliver.side_by_side import side_by_side
from mardok.settings import Pairs
from mardok.text.hashes import Corpus, corpus_of
from mardok.text.words import folded, words

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


@pytest.mark.parametrize("minimum", [0.5, 0.8, 0.9])
def test_copies_of_the_demo_are_those_of_the_definition(demo: mardok.Audit, minimum: float) -> None:
    texts = demo.pages["main_text"].tolist()
    found = mardok.find_copies(texts, minimum=minimum)
    fast = {(row.a, row.b): (row.resemblance, row.a_in_b, row.b_in_a) for row in found.itertuples()}
    assert len(fast) > 30
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


@settings(deadline=None, max_examples=100)
@given(st.lists(st.lists(st.integers(0, 12), max_size=6, unique=True), max_size=12), st.integers(1, 9))
def test_shingles_of_several_texts_are_told_from_those_of_one(sets: list[list[int]], at_once: int) -> None:
    hashes = np.array([value << 40 for own in sets for value in sorted(own)], np.uint64)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(join, "_KEYS_AT_ONCE", at_once)
        found = join.shingles_of_several(join.Sets(hashes, np.cumsum([0, *map(len, sets)])))
    texts = {value: [text for text, own in enumerate(sets) if value in own] for value in range(13)}
    several = [(text, value) for value, own in texts.items() if len(own) > 1 for text in own]
    numbers = {value: number for number, value in enumerate(dict.fromkeys(value for _, value in several))}
    assert list(zip(found.text, found.shingle, strict=True)) == [(text, numbers[value]) for text, value in several]


@settings(deadline=None, max_examples=60)
@given(st.integers(0, 2**32 - 1), st.sampled_from([0.2, 0.5, 0.8, 0.9, 1.0]), st.integers(2, 64))
def test_the_least_shingles_of_texts_tell_every_text_that_may_be_in_a_pair(seed: int, minimum: float, in_list: int) -> None:
    random = np.random.default_rng(seed)
    common = random.integers(0, 2**64, 40, np.uint64)  # shingles that any text may have
    texts: list[set[int]] = []
    for _ in range(40):
        if texts and random.random() < 0.5:  # a text like one before, longer or shorter
            model = np.array(sorted(texts[random.integers(len(texts))]), np.uint64)
            own = model[random.random(len(model)) < random.choice([0.3, 0.8, 0.95, 1.0])]
        else:
            own = np.zeros(0, np.uint64)
        new = random.integers(0, 2**64, random.choice([0, 1, 5, 60]), np.uint64)
        texts.append({*own.tolist(), *new.tolist(), *random.choice(common, random.integers(0, 6)).tolist()})
    hashes = np.array([value for own in texts for value in sorted(own)], np.uint64)
    sets = join.Sets(hashes, np.cumsum([0, *map(len, texts)]))
    slow = {}
    for a, b in combinations(range(len(texts)), 2):
        n_common = len(texts[a] & texts[b])
        if n_common and n_common >= minimum * len(texts[a] | texts[b]) - 1e-9:
            slow[a, b] = n_common / len(texts[a] | texts[b])
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(join, "_FAMILY_LIST", in_list)
        likely = join.candidates(sets, minimum)
        assert {row for pair in slow for row in pair} <= set(likely.tolist())
        assert {(a, b): r for a, b, r in _triples(copies.all_pairs(sets, minimum))} == pytest.approx(slow)


@pytest.mark.parametrize("minimum", [0, -0.5, 1.01])
def test_a_minimum_out_of_bounds_is_refused(minimum: float) -> None:
    with pytest.raises(ValueError, match="above 0 and at most 1"):
        mardok.find_copies(["a"], minimum=minimum)


def family_of(seed: int, n_pages: int = 30, n_words: int = 40) -> list[str]:
    """Edited copies of one text, some of them equal."""
    random = np.random.default_rng(seed)
    texts = []
    for _ in range(n_pages):
        edited = [f"w{n}" for n in range(n_words)]
        for place in random.integers(0, n_words, random.integers(0, 5)):
            edited[place] = f"x{random.integers(3)}"
        texts.append(" ".join(edited))
    return texts


def traits_of(texts: list[str], threshold: float = 0.85) -> Traits:
    text = np.unique(np.array(texts), return_inverse=True)[1]
    return Traits(np.arange(len(texts)) % 2, text, np.array([len(words(t)) >= 30 for t in texts]), threshold)


def related(texts: list[str], threshold: float = 0.85, **rules: object) -> tuple[Relations, Corpus]:
    corpus = corpus_of(map(folded, texts))
    pages = page_sets(corpus, np.arange(len(texts)))
    return relations_of(pages, corpus, traits_of(texts, threshold), Pairs.model_validate(rules)), corpus


def groups_at(frame: pd.DataFrame, n: int, threshold: float) -> list[list[int]]:
    return components(n, [(a, b) for a, b, r in _triples(frame) if r >= threshold - 1e-9])


@pytest.fixture(
    params=[(2000, 64, 64), (3, 2, 64), (3, 2, 2), (2000, 2, 64)], ids=["small", "large", "duplicates", "families"]
)
def sizes(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Makes a few pages count as many, so that a slow definition can follow."""
    large, in_list, duplicates = request.param
    monkeypatch.setattr(relations, "_LARGE_FAMILY", large)
    monkeypatch.setattr(relations, "_DUPLICATES", duplicates)
    monkeypatch.setattr(join, "_FAMILY_LIST", in_list)
    monkeypatch.setattr(join, "_ROWS", 7)


SLOW = settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])


@pytest.mark.usefixtures("sizes")
@SLOW
@given(st.integers(0, 10_000), st.sampled_from([0.5, 0.7, 0.85]))
def test_what_is_kept_of_a_family_hangs_together_as_all_of_it_did(seed: int, threshold: float) -> None:
    texts = family_of(seed)
    everything = mardok.find_copies(texts, minimum=0.5)
    found, corpus = related(texts, threshold, nearest=2, containment_words=1)
    kept = kept_pairs(found.pairs, corpus, Pairs(family=5, nearest=2, containment_pairs=1, containment_words=1))
    assert len(kept) < len(everything)
    assert groups_at(kept, len(texts), threshold) == groups_at(everything, len(texts), threshold)
    exact = {(a, b): r for a, b, r in _triples(everything)}
    for a, b, r in _triples(kept):
        assert r == pytest.approx(exact[a, b], abs=1e-9)
    for page in range(len(texts)):
        own = sorted((r for (a, b), r in exact.items() if page in (a, b)), reverse=True)
        kept_own = sorted((r for a, b, r in _triples(kept) if page in (a, b)), reverse=True)
        assert kept_own[:2] == pytest.approx(own[:2])


@pytest.mark.usefixtures("sizes")
@SLOW
@given(st.integers(0, 10_000), st.sampled_from([0.6, 0.85]))
def test_all_copies_are_counted_however_few_pairs_are_kept(seed: int, threshold: float) -> None:
    texts = [*family_of(seed), *family_of(seed + 1, 6, 12), "short text", "short text", "", ""]
    texts += [texts[0]] * 5 + [texts[3]] * 4
    found, _ = related(texts, threshold, nearest=2)
    traits = traits_of(texts, threshold)
    counted = found.cluster_copies.copy()
    a, b = found.pairs["a"].to_numpy(), found.pairs["b"].to_numpy()
    is_copy = traits.are_copies(found.pairs["resemblance"].to_numpy(), a, b)
    is_copy &= (found.cluster_of[a] < 0) | (found.cluster_of[a] != found.cluster_of[b])
    np.add.at(counted, np.concatenate([a[is_copy], b[is_copy]]), 1)
    expected = np.zeros(len(texts), int)
    for (a, b), (r, _, _) in slow_pairs(texts, 1e-9).items():
        if traits.are_copies(np.array([r]), np.array([a]), np.array([b]))[0]:
            expected[[a, b]] += 1
    assert counted.tolist() == expected.tolist()


@pytest.mark.usefixtures("sizes")
@SLOW
@given(st.integers(0, 10_000))
def test_relations_do_not_depend_on_the_order_of_pages(seed: int) -> None:
    texts = family_of(seed, 14)
    turned = list(reversed(texts))
    one, other = related(texts, nearest=14)[0].pairs, related(turned, nearest=14)[0].pairs
    back = {(13 - b, 13 - a): r for a, b, r in _triples(other)}
    assert {(a, b): r for a, b, r in _triples(one)} == pytest.approx(back)


@pytest.mark.usefixtures("sizes")
@SLOW
@given(st.lists(st.lists(st.sampled_from("abcdefgh"), max_size=40).map(" ".join), max_size=9), st.integers(0, 10_000))
def test_every_contained_text_is_found_with_what_contains_it(texts: list[str], seed: int) -> None:
    random = np.random.default_rng(seed)
    for _ in range(4):
        parts = random.permutation(len(texts))[:3]
        texts = [*texts, " ".join(texts[part] for part in parts)]
    found, _ = related(texts, containment_words=2, containment_pairs=50, nearest=100)  # of duplicates one stands for all
    pairs = {(a, b): max(x, y) for a, b, _, x, y in found.pairs.itertuples(index=False)}
    for a, b in combinations(range(len(texts)), 2):
        one, other = shingles(texts[a]), shingles(texts[b])
        if one and other and min(len(words(texts[a])), len(words(texts[b]))) >= 2:
            inside = max(len(one & other) / len(one), len(one & other) / len(other))
            if inside >= 0.8 and len(one & other) / len(one | other) < 0.5:
                assert pairs[a, b] == pytest.approx(inside)


def test_no_text_is_contained_in_itself_however_low_the_threshold() -> None:
    text = " ".join(f"w{n}" for n in range(60))
    found, _ = related([text, f"{text} {text.replace('w', 'v')}", "other words " * 40], containment=0.5)
    assert found.pairs[["a", "b"]].to_numpy().tolist() == [[0, 1]]


def test_a_chapter_is_kept_with_the_manual_that_contains_it() -> None:
    chapters = [" ".join(f"c{c}w{n}" for n in range(40)) for c in range(6)]
    found, corpus = related([*chapters, " ".join(chapters)])
    kept = kept_pairs(found.pairs, corpus, Pairs())
    assert kept[["a", "b", "a_in_b"]].to_numpy().tolist() == [[c, 6, 1.0] for c in range(6)]
    assert shared_words(corpus, [(0, 6)]) == [40]


@given(st.lists(st.lists(st.sampled_from("abcd"), max_size=12), min_size=2, max_size=5))
def test_shared_words_are_those_in_common_shingles(texts: list[list[str]]) -> None:
    corpus = corpus_of(" ".join(text) for text in texts)
    pairs = list(combinations(range(len(texts)), 2))
    expected = []
    for pair in pairs:
        short, other = sorted((texts[row] for row in pair), key=len)
        common = shingles(" ".join(short)) & shingles(" ".join(other))
        covered = {
            k + n for k in range(len(short)) for n in range(3) if tuple(short[k : k + 3]) in common and k + n < len(short)
        }
        expected.append(len(covered))
    assert shared_words(corpus, pairs) == expected


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


def test_a_plan_is_the_same_when_a_few_pages_count_as_a_large_family(
    demo: mardok.Audit, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(relations, "_LARGE_FAMILY", 3)
    monkeypatch.setattr(relations, "_DUPLICATES", 2)
    monkeypatch.setattr(join, "_FAMILY_LIST", 2)
    few = mardok.audit(DEMO_WARC, search=DEMO_SEARCH, settings=mardok.read_settings(assignments=["pairs.nearest=2"]))
    assert len(few.pairs) < len(demo.pairs) / 2
    for name in ("plan", "steps", "groups", "checks"):
        assert few.tables[name].equals(demo.tables[name]), name
    assert few.pages["copies"].equals(demo.pages["copies"])
