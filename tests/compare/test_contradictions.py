"""Sentences that say the same with another figure, and those that do not."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mardok.compare.contradictions import contradictions, sentences_of

# (what it is about, texts, language, what is found: sentence and values)
TOLD: list[tuple[str, list[str], str, list[tuple[str, tuple[str, ...]]]]] = [
    ("prices", ["Hire costs £36 a month.", "Hire costs £38 a month."], "en", [("Hire costs … a month.", ("£36", "£38"))]),
    ("numbers in words", ["A bow costs thirty-six pounds.", "A bow costs forty pounds."], "en",
     [("A bow costs ….", ("thirty-six pounds", "forty pounds"))]),
    ("hours", ["We are open 9:00 to 17:30 daily.", "We are open 9:00 to 18:00 daily."], "en",
     [("We are open 9:00 to … daily.", ("17:30", "18:00"))]),
    ("dates", ["The sale ends on 5 May at noon.", "The sale ends on 12 June 2031 at noon."], "en",
     [("The sale ends on … at noon.", ("5 May", "12 June 2031"))]),
    ("days", ["The van comes every Monday morning.", "The van comes every Friday morning."], "en",
     [("The van comes every … morning.", ("Monday", "Friday"))]),
    ("months of another language", ["Die Miete gilt bis März im Jahr.", "Die Miete gilt bis Mai im Jahr."], "de",
     [("Die Miete gilt bis … im Jahr.", ("März", "Mai"))]),
    ("three texts", ["It takes 2 whole days now."] * 2 + ["It takes 3 whole days now."], "en",
     [("It takes … whole days now.", ("2", "2", "3"))]),
    ("one text does not say it", ["It takes 2 whole days now.", "Nothing.", "It takes 3 whole days now."], "en",
     [("It takes … whole days now.", ("2", "", "3"))]),
    ("the same figures", ["Hire costs £36 a month."] * 2, "en", []),
    ("other words", ["Hire costs £36 a month.", "Hire costs £38 a year."], "en", []),
    ("rows of a table", ["Size 4: 30 pounds each month\nSize 5: 40 pounds each month", "Size 4: 31 pounds each month"],
     "en", []),
    ("too few words to say what it is about", ["Only £36.", "Only £38."], "en", []),
    ("a month that is a verb", ["You may leave at noon today.", "You may leave at noon today."], "en", []),
]  # fmt: skip


@pytest.mark.parametrize(("texts", "language", "expected"), [case[1:] for case in TOLD], ids=[case[0] for case in TOLD])
def test_what_contradicts_and_what_does_not(
    texts: list[str], language: str, expected: list[tuple[str, tuple[str, ...]]]
) -> None:
    assert [(one.text, one.values) for one in contradictions(texts, language)] == expected


@given(st.lists(st.text(alphabet="ab 12.\n…", max_size=60), min_size=2, max_size=3))
def test_any_texts_are_compared_with_their_own_sentences(texts: list[str]) -> None:
    for one in contradictions(texts, "en"):
        assert len(one.values) == len(one.sentences) == len(texts)
        assert len({value for value in one.values if value}) > 1
        for text, sentence in zip(texts, one.sentences, strict=True):
            assert not sentence or sentence in sentences_of(text)
