"""Words, against a slow reading of their definition; shingles and text hashes."""

from __future__ import annotations

import unicodedata
from itertools import groupby

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from mardok.text.distinct import order_of_equal
from mardok.text.hashes import corpus_of, n_shingles, shingle_hashes, word_hashes
from mardok.text.spans import WordSpans
from mardok.text.words import folded, shown_pieces, text_hash, words

VANISHING = {
    0xAD,
    0x61C,
    0x180E,
    0xFEFF,
    *range(0x200B, 0x2010),
    *range(0x202A, 0x202F),
    *range(0x2060, 0x2065),
    *range(0x2066, 0x2070),
}
SPACELESS = ("CJK", "HIRAGANA", "KATAKANA", "THAI", "LAO", "KHMER", "MYANMAR")


def slow_words(text: str) -> list[str]:
    """The definition, a character at a time."""
    text = "".join(character for character in text if ord(character) not in VANISHING)
    text = unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", text).casefold())
    text = text.replace("\u2019", "'").replace("\u2010", "-")
    found: list[str] = []
    run = ""
    for place, character in enumerate(text):
        kind = unicodedata.category(character)[0]
        is_spaceless = kind == "L" and unicodedata.name(character, "").startswith(SPACELESS)
        joins = character in "'-" and run and place + 1 < len(text) and _goes_on(text[place + 1])
        if is_spaceless:
            found += [run] if run else []
            run = ""
            found.append(character)
        elif (
            kind == "M" and not run and found and place and text[place - 1] == found[-1][-1] and _is_spaceless(found[-1][0])
        ):
            found[-1] += character
        elif kind in "LNM" or (joins and run[-1] not in "'-"):
            run += character
        else:
            found += [run] if run else []
            run = ""
    return found + ([run] if run else [])


def _is_spaceless(character: str) -> bool:
    return unicodedata.category(character)[0] == "L" and unicodedata.name(character, "").startswith(SPACELESS)


def _goes_on(character: str) -> bool:
    return unicodedata.category(character)[0] in "LNM" and not _is_spaceless(character)


LETTERS = "aZ\u00e9\u00df\u0130\u0323\u0301'-\u2019\u2011\u00ad\u200b\u200d \n.,"
LETTERS += "\u0e01\u0e34\u0e01\u6f22\u3042\u0628\u0650\u0915\u093f\ufb01\u00bd\u0663\U0001f3bb\U00020000"


@settings(deadline=None)
@given(st.text(alphabet=LETTERS, max_size=30))
def test_words_are_what_the_definition_says(text: str) -> None:
    assert words(text) == slow_words(text)


@given(st.text(max_size=60))
def test_words_hold_no_space_and_folding_twice_changes_nothing(text: str) -> None:
    assert all(word and word.split() == [word] for word in words(text))
    assert words(" ".join(words(text))) == words(text)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("The player\u2019s E\u2011string", ["the", "player's", "e-string"]),
        ("sau\u00ad\u200bber", ["sauber"]),
        ("a\u0323\u0301b x", ["\u1ea1\u0301b", "x"]),
        ("\u6f22\u5b57kana", ["\u6f22", "\u5b57", "kana"]),
        ("snake_case -- 'quoted' co-", ["snake", "case", "quoted", "co"]),
        ("\U0001f3bb violin", ["violin"]),
    ],
)
def test_word_cases(text: str, expected: list[str]) -> None:
    assert words(text) == expected


def test_identical_text_means_words_and_punctuation() -> None:
    def of(text: str) -> str:
        plain = folded(text)
        return text_hash("".join(plain.split()).encode(), corpus_of([plain]).words)

    assert of("if a < b\nthen") == of("If  a < b then")
    assert len({of(text) for text in ("a < b", "a > b", "a b", "b < a", "a-b", "a - b")}) == 6
    assert of("...") == ""


@settings(deadline=None)
@given(st.lists(st.text(alphabet=LETTERS, max_size=30), max_size=5))
def test_hashed_words_are_the_words_one_by_one(texts: list[str]) -> None:
    hashes, offsets = word_hashes(map(folded, texts))
    found = [word for text in texts for word in words(text)]
    assert np.diff(offsets).tolist() == [len(words(text)) for text in texts]
    assert len(hashes) == len(found)
    pairs = set(zip(found, hashes.tolist(), strict=True))
    assert len(pairs) == len(set(found)) == len(set(hashes.tolist()))


def test_a_word_longer_than_any_batch_is_one_word() -> None:
    hashes, offsets = word_hashes(["ab" * 200_000, "ba" * 200_000, "ab" * 200_000 + " c", "\u00e9" * 300_000])
    assert offsets.tolist() == [0, 1, 2, 4, 5]
    assert len(set(hashes.tolist())) == 4


@given(st.lists(st.lists(st.sampled_from("abcd"), max_size=9), max_size=5))
def test_equal_shingle_hashes_mean_equal_runs_of_three_words(texts: list[list[str]]) -> None:
    hashes, offsets = word_hashes(" ".join(text) for text in texts)
    found = shingle_hashes(hashes, offsets)
    runs = [[tuple(text[k : k + 3]) for k in range(max(len(text) - 2, 1))] if text else [] for text in texts]
    counts = n_shingles(np.diff(offsets)).tolist()
    assert counts == [len(one) for one in runs]
    ids = [found[start : start + n].tolist() for start, n in zip(offsets.tolist(), counts, strict=False)]
    pairs = {(number, run) for one, other in zip(ids, runs, strict=True) for number, run in zip(one, other, strict=True)}
    assert len(pairs) == len({number for number, _ in pairs}) == len({run for _, run in pairs})


@given(st.text(alphabet="ab ,.\u6f22\u5b57"))
def test_shown_pieces_lose_nothing_but_white_space(text: str) -> None:
    assert "".join(shown_pieces(text)) == "".join(text.split())


@settings(deadline=None, max_examples=300)
@example("\u00bd\u3042\u00df\u3042\u00ad\u200b\u200b")  # as long when it is folded, with other places
@given(st.text(alphabet=LETTERS + " ", max_size=30))
def test_spans_cut_out_the_words_as_they_are_written(text: str) -> None:
    found = words(text)
    spans = [WordSpans(text).of(place, 1) for place in range(len(found))]
    assert all(0 <= start < end <= len(text) for start, end in spans)
    starts = [start for start, _ in spans]
    assert starts == sorted(starts)
    for (start, end), word in zip(spans, found, strict=True):
        assert word in words(text[start:end])


@settings(deadline=None, max_examples=200)
@given(st.lists(st.sampled_from([0, 1, 2, 2**63, 2**63 + 1, 2**64 - 1, 5 << 40, (5 << 40) + 3]), max_size=30))
def test_equal_hashes_follow_one_another_even_where_their_upper_bits_agree(values: list[int]) -> None:
    hashes = np.array(values, np.uint64)
    order = order_of_equal(hashes)[0].tolist()
    assert order_of_equal(hashes)[1].tolist() == [values[place] for place in order]
    assert sorted(order) == list(range(len(values)))
    runs = [list(run) for _, run in groupby(order, key=lambda place: values[place])]
    assert len(runs) == len(set(values))
    assert all(run == sorted(run) for run in runs)
