"""Arrays in files are those in memory, and texts as bytes are the texts; a whole audit does not depend on where they lie."""

from __future__ import annotations

import gc
import os
import pickle
import random
import tempfile
from collections.abc import Iterator, Sequence
from itertools import cycle, pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from conftest import DEMO_SEARCH, DEMO_WARC
from hypothesis import HealthCheck, given
from hypothesis import settings as hypothesis_settings
from hypothesis import strategies as st
from random_sites import ADDRESSES, TEXTS, TITLES, write_site
from small_parts import at_once, hold_as_columns
from small_sites import site_with

import mardok
from mardok.compare import join
from mardok.compare.fingerprints import all_fingerprints
from mardok.compare.join import shingle_sets, shingles_of_several
from mardok.compare.page_phrases import phrases_by_page
from mardok.compare.phrases import counted_phrases
from mardok.compare.relations import Relations, Traits, page_sets, relations_of
from mardok.compare.runs import repeated_runs
from mardok.errors import FolderError
from mardok.hash_ranges import in_ranges
from mardok.large import (
    Growing,
    Texts,
    United,
    counted_between,
    gathered,
    kept_where,
    laid_down,
    large_empty,
    n_of_each,
    numbers_of_equal,
    places_where,
    running_counts,
    stretches,
    worked_out,
)
from mardok.mapped import large_arrays_in
from mardok.memory import arrow_beside_python
from mardok.processes import Lost
from mardok.sharing import Called, Distributed, forked, shared_by
from mardok.text.elements import met_on_pages
from mardok.text.hashes import corpus_of
from mardok.text.stems import stemmed

ANY_TEXT = st.text(st.characters(), max_size=9)


@pytest.fixture
def tiny(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Path:
    """A folder for arrays of a few numbers, which count as large and are gone through a few at a time."""
    return at_once(7, monkeypatch, tmp_path)


@pytest.fixture
def small(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Path:
    """The same with thousands of numbers."""
    return at_once(4_000, monkeypatch, tmp_path)


many = hypothesis_settings(deadline=None, max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])


@many
@given(st.lists(st.lists(ANY_TEXT, max_size=8, unique=True), max_size=6), st.booleans())
def test_texts_are_what_they_were_made_of(tiny: Path, columns: list[list[str]], in_files: bool) -> None:
    with large_arrays_in(tiny if in_files else None):
        united = United()
        begins = [united.add(Texts.of(column)) for column in columns]
        names, number = united.finished()
        listed = [text for column in columns for text in column]
        assert begins == [sum(map(len, columns[:at])) for at in range(len(columns))]
        assert names.tolist() == list(dict.fromkeys(listed))
        assert [names[code] for code in number.tolist()] == listed
        assert numbers_of_equal([Texts.of(column) for column in columns] or [Texts.of([])]).tolist() == number.tolist()
        texts = Texts.of(listed)
        assert list(texts) == texts[: len(listed)].tolist() == listed
        assert texts.lengths.tolist() == list(map(len, listed))
        stored = [text.encode("utf-8", "surrogatepass") for text in listed]
        assert texts.are_empty.tolist() == [not text for text in listed]
        for place in (0, 1, 2, -1, -3):
            expected = [raw[place] if -len(raw) <= place < len(raw) else 0 for raw in stored]
            assert texts.bytes_at(place).tolist() == expected
        at = np.arange(len(listed))[::-2]
        assert list(texts.some(at)) == listed[::-2]
        assert texts.selected(at).tolist() == texts[at].tolist() == listed[::-2]
        assert Texts.stored(texts.as_bytes()).tolist() == listed
        replaced = [text.encode("utf-8", "replace").decode() for text in listed]
        assert texts.as_strings().to_pylist() == replaced
        if listed:
            assert texts[-1] == listed[-1]
        with pytest.raises(IndexError):
            texts[len(listed)]


@pytest.mark.usefixtures("tiny")
@many
@given(st.lists(st.text("ab\u00c3\u20ac", max_size=5), max_size=20), st.lists(st.text("ab\u00c3", min_size=1, max_size=3)))
def test_texts_that_hold_a_piece_are_found(listed: list[str], pieces: list[str]) -> None:
    begin = len(listed) // 3
    texts = Texts.of(listed).between(begin, len(listed))
    expected = [at for at, text in enumerate(listed[begin:]) if any(piece in text for piece in pieces)]
    assert texts.holding(pieces).tolist() == expected


@many
@given(
    st.lists(st.integers(0, (1 << 64) - 1) | st.integers(0, 50), max_size=60),
    st.integers(1, 9),
    st.lists(st.integers(0, 9), max_size=9),
    st.booleans(),
)
def test_arrays_do_not_depend_on_where_they_lie(
    tiny: Path, listed: list[int], step: int, sizes: list[int], in_files: bool
) -> None:
    numbers = np.array(listed, np.uint64)
    codes, marked = (numbers % np.uint64(11)).astype(np.int64), numbers % np.uint64(3) == 0
    offsets = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    places = np.zeros(offsets[-1], bool)
    places[::2] = True
    with large_arrays_in(tiny if in_files else None):
        pieces = [numbers[first : first + step] for first in range(0, len(numbers), step)]
        parts = list(in_ranges(np.copy, pieces, len(numbers), np.ndarray.tolist))
        assert [number for part in parts for number in part] == sorted(listed)
        growing = Growing(np.uint64)
        for piece in pieces:
            growing.add(piece)
        assert growing.finished().tolist() == laid_down(numbers).tolist() == listed
        assert gathered(numbers, np.arange(len(numbers))[::-1]).tolist() == listed[::-1]
        assert worked_out(np.bitwise_xor, np.uint64, numbers, numbers[::-1]).tolist() == (numbers ^ numbers[::-1]).tolist()
        on_pages = np.sort(codes).astype(np.int32)
        met = met_on_pages(on_pages, (codes % 4).astype(np.int32), 4)
        assert met.tolist() == sorted(
            {page * 4 + code % 4 for page, code in zip(sorted(codes.tolist()), codes.tolist(), strict=True)}
        )
        assert kept_where(numbers, marked).tolist() == numbers[marked].tolist()
        assert places_where(marked).tolist() == np.flatnonzero(marked).tolist()
        assert n_of_each(codes, 13).tolist() == np.bincount(codes, minlength=13).tolist()
        assert running_counts(marked, codes == 1).tolist() == [
            int((marked | (codes == 1))[:at].sum()) for at in range(len(numbers) + 1)
        ]
        assert counted_between(places, offsets).tolist() == [
            int(places[begin:end].sum()) for begin, end in pairwise(offsets.tolist())
        ]
        found = [row for first, last in stretches(offsets, step) for row in range(first, last)]
        assert found == list(range(len(sizes)))


WORDS = st.lists(st.sampled_from(["violin", "violins", "bow", "琴弓", "of", "hire."]), max_size=30).map(" ".join)


@hypothesis_settings(many, max_examples=40)
@given(st.lists(WORDS, min_size=1, max_size=8))
def test_any_cut_into_ranges_gives_the_same_shingles_runs_and_phrases(tiny: Path, texts: list[str]) -> None:
    def found() -> Iterator[list[list[Any]]]:
        corpus = corpus_of(texts)
        several = shingles_of_several(shingle_sets(corpus.words, corpus.offsets))
        yield [several.text.tolist(), several.shingle.tolist()]
        runs = repeated_runs(corpus, np.ones(len(texts), bool))
        yield [runs.places.tolist(), runs.number.tolist(), runs.pages.tolist()]
        words = stemmed(corpus, ["en"] * len(texts), ())
        phrases = counted_phrases(words, np.ones(len(corpus.words), bool), range(1, 5), 2)
        yield [phrases[name].tolist() for name in phrases.columns]
        of_pages = phrases_by_page(words, range(1, 5), 3)
        yield [of_pages[name].tolist() for name in ("page", "phrase", "words", "uses")]
        hashes = list(all_fingerprints(corpus, np.arange(len(texts))))
        yield [np.concatenate(column).tolist() for column in zip(*hashes, strict=True)]

    expected = list(found())
    with large_arrays_in(tiny):
        assert list(found()) == expected
    with large_arrays_in(tiny, are_shared=True), shared_by(Distributed(elsewhere)):
        assert list(found()) == expected
        assert not lying_about(tiny)


def elsewhere(calls: Sequence[Called]) -> Iterator[tuple[Called, bytes | Lost]]:
    """Calls as another machine would do them: the last first, each only by what it is given as bytes; one is lost."""
    for number, call in reversed(list(enumerate(calls))):
        yield call, Lost(9) if number == 1 else pickle.loads(pickle.dumps(call))()


def lying_about(folder: Path) -> list[Path]:
    """Files of arrays that nobody has any more."""
    gc.collect()
    return list((folder / "arrays").iterdir())


def test_furniture_is_the_same_whoever_finds_it(tiny: Path) -> None:
    chance = random.Random(6)
    words = [f"word{n}" for n in range(300)]

    def page(n: int) -> str:
        boxes = "".join(f"<li><a href=/{chance.randrange(40)}>{' '.join(chance.choices(words, k=3))}</a>" for _ in range(4))
        own = "".join(f"<p>{' '.join(chance.choices(words, k=30))}." for _ in range(chance.randrange(1, 4)))
        return (
            f"<title>Violin {n} of the house</title>"
            f"<div class=top><a href=/>Home</a> <a href=/{n % 3}>Part {n % 3}</a></div>"
            f"<div class=all><div class=text><h1>Violin {n}</h1>{own}<p>Seen on {n % 28 + 1} May 2030</div>"
            f"<ul class=related>{boxes}</ul></div><div>Open from nine to five, by the bridge of the town</div>"
        )

    pages = {f"/{n % 4}/{n}": page(n) for n in range(40)}

    def found() -> list[Any]:
        site = site_with(pages)
        return [site.reasons.names, site.reasons.of.tolist(), list(site.text_hashes), [*map(site.main_text, range(40))]]

    expected = found()
    assert len(set(expected[1])) > 3
    with large_arrays_in(tiny), shared_by(forked(2)):
        assert found() == expected
    with large_arrays_in(tiny, are_shared=True), shared_by(Distributed(elsewhere)):
        assert found() == expected


def test_families_a_crowd_and_a_page_that_contains_hundreds_are_the_same_in_files(
    small: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(join, "_FAMILY_ROWS_SHARED", 300)
    chance = random.Random(4)
    words = [f"word{n}" for n in range(900)]

    def family(n_pages: int) -> list[str]:
        pasted = chance.choices(words, k=60)
        each = ((chance.choice(words) if chance.random() < 0.04 else word for word in pasted) for _ in range(n_pages))
        return list(map(" ".join, each))

    others = [" ".join(chance.choices(words, k=40)) for _ in range(400)]
    families = [text for n_pages in (2_100, 90, 400, 80) for text in family(n_pages)]
    texts = [*families, *[" ".join(chance.choices(words, k=50))] * 120, *others, " ".join(others)]
    number = {text: code for code, text in enumerate(dict.fromkeys(texts))}

    def found() -> Relations:
        corpus = corpus_of(texts)
        same = np.array([number[text] for text in texts], np.int64)
        traits = Traits(np.zeros(len(texts), np.int64), same, np.ones(len(texts), bool), 0.8)
        return relations_of(page_sets(corpus, np.arange(len(texts))), corpus, traits, mardok.Settings().pairs)

    held = found()
    for are_shared in (False, True):
        sharer = Distributed(elsewhere) if are_shared else forked(2)
        with large_arrays_in(small, are_shared=are_shared), shared_by(sharer):
            filed = found()
        pd.testing.assert_frame_equal(held.pairs, filed.pairs)
        for name in ("cluster_of", "cluster_copies", "representative_of"):
            assert (getattr(held, name) == getattr(filed, name)).all(), name
    contained = held.pairs[held.pairs["b"] == len(texts) - 1]
    assert int((contained["a_in_b"] > 0.9).sum()) == len(others)
    assert (np.bincount(held.cluster_of[held.cluster_of >= 0]) >= 120).sum() == 2


def of_files(tiny: Path, source: Path, **asked: Any) -> None:
    """An audit, the same with large arrays in files, and once more of what was kept, in tables and files of its folder."""
    with pytest.MonkeyPatch.context() as undone:
        hold_as_columns(undone, 1 << 40)
        held = mardok.audit(source, **asked)
    filed, again = (mardok.audit(source, work=tiny / "work", **asked) for _ in range(2))
    for name in held.tables:
        pd.testing.assert_frame_equal(held.tables[name], filed.tables[name], obj=name)
        pd.testing.assert_frame_equal(held.tables[name], again.tables[name], obj=name)
    held.save(tiny / "held")
    filed.save(tiny / "filed")
    for path in sorted((tiny / "held").glob("*.csv")):
        assert path.read_bytes() == (tiny / "filed" / path.name).read_bytes(), path.name


def test_an_audit_whose_arrays_lie_in_files_is_the_audit(small: Path) -> None:
    of_files(small, DEMO_WARC, search=DEMO_SEARCH)


def test_so_is_that_of_a_site_in_two_languages(tiny: Path) -> None:
    told = zip(ADDRESSES, cycle(TEXTS), cycle(TITLES), cycle(["en", "en", "de"]), strict=False)
    plain = {"status": 200, "target": "", "canonical": None, "robots": "", "links": ADDRESSES[:3]}
    pages = {url: {**plain, "text": text, "title": title, "lang": lang} for url, text, title, lang in told}
    of_files(tiny, write_site(tiny / "site.jsonl", pages))


def test_what_the_disk_does_not_take_is_said_in_one_line(tiny: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "posix_fallocate", full)
    with large_arrays_in(tiny), pytest.raises(FolderError, match=r"has no room for 0\.0 GB more: No space left on device"):
        large_empty(100, np.int64)
    monkeypatch.setattr(tempfile, "TemporaryFile", lambda **_: open("/dev/full", "wb", buffering=0))  # noqa: SIM115
    with large_arrays_in(tiny), pytest.raises(FolderError, match="has no room for"):
        Growing(np.int64).add(np.arange(100))
    assert not list(tiny.iterdir())


def test_arrow_takes_memory_beside_python_only_meanwhile() -> None:
    before = pa.default_memory_pool().backend_name
    with arrow_beside_python():
        assert pa.default_memory_pool().backend_name == "system"
    assert pa.default_memory_pool().backend_name == before
