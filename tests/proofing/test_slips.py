"""Slips that need no dictionary: each rule tells what is wrong, and is silent where it may be right."""

from __future__ import annotations

import time
from collections import Counter
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mardok.proofing.pieces import pieces_of
from mardok.proofing.slips import Overview, Slip, _articles, _leftovers, look_over
from mardok.settings import Proof
from mardok.vocabulary import CheckId

# (what it is about, text, language, written and right of each slip)
TOLD: list[tuple[str, str, str, list[tuple[str, str]]]] = [
    ("a doubled word", "Set the the bridge upright.", "en", [("the the", "the")]),
    ("a doubled word in German", "Der Steg und und die Saiten.", "de", [("und und", "und")]),
    ("a word three times", "Set the the the bridge of of it upright.", "en", [("of of", "of"), ("the the the", "the")]),
    ("had had", "He had had the violin for years.", "en", []),
    ("that that", "We know that that bow is old.", "en", []),
    ("a relative clause", "Frauen, die die Geige lieben.", "de", []),
    ("a doubled name", "They play in Baden Baden and in New York New York.", "en", []),
    ("words over a full stop", "This is the end of the. The bow is new.", "en", []),
    ("a space before a comma", "The bow , the case and the rosin.", "en", [("bow ,", "bow,")]),
    ("a comma that glues", "We bring the bow,the case, the rosin and a string.", "en", [("bow,the", "bow, the")]),
    ("a number with a comma", "It costs 1,200 pounds, and the case 20,5 in all.", "en", []),
    ("a list of values", "The columns are url,title,text and status,words,links here.", "en", []),
    ("a bracket that is not closed", "The bow (with its case is ready for you today.", "en", [("(with", "")]),
    ("a bracket that is not opened", "The bow with its case) is ready for you today.", "en", [("case)", "")]),
    ("a list with letters", "Choose a) the bow or b) the case, and tell us then.", "en", []),
    ("a face", "We are glad that you like the bow and the case :) today.", "en", []),
    ("an interval", "The size goes from [3,4) up to the full one in steps.", "en", []),
    ("a quotation over paragraphs", "“The bow is old, he said, and the case is new to us.", "en", []),
    ("a quotation that is not opened", "The bow is old,” he said, and the case is new to us.", "en", [("old,”", "")]),
    ("an inch sign", 'The case is 30" long and the bow is 29" long in all.', "en", []),
    ("a before a vowel", "It takes a hour and a old bow to learn this well.", "en",
     [("a hour", "an hour"), ("a old", "an old")]),
    ("an before none", "This is an violin with an user in our own house.", "en",
     [("an violin", "a violin"), ("an user", "a user")]),
    ("what is spoken otherwise", "A unit, a European, a one-off, an heir, an MP and an hour of play.", "en", []),
    ("what is spoken by letters", "Open an ssh connection and send an xml file to us now.", "en", []),
    ("the letter a", "Take string a or string d, and tune a and then d first.", "en", []),
    ("a sentence without a capital", "The bow is ready. the case is not, as we see.", "en", [(". the", ". The")]),
    ("an abbreviation", "Bring bows, cases etc. the day before, and strings approx. the day after.", "en", []),
    ("a name with a point", "We use e.g. the old one and vs. the new one in tests.", "en", []),
    ("filler text", "Lorem ipsum dolor sit amet, consectetur adipiscing elit.", "en", [("Lorem ipsum", "")]),
    ("a note to oneself", "TODO: write about rosin", "en", [("TODO", "")]),
    ("a to-do list", "Our todo list is long, and to do all takes time.", "en", []),
    ("a placeholder", "Dear {first_name}, thank you for your order.", "en", [("{first_name}", "")]),
    ("a placeholder in double braces", "Welcome to {{ shop.name }} in town.", "en", [("{{ shop.name }}", "")]),
    ("what a template left", "Call [your number here] for an offer.", "en", [("[your number here]", "")]),
    ("a reference", "As was shown before [12], the bow bends.", "en", []),
    ("a set in braces", "The notes {a, c, e} make a chord.", "en", []),
]  # fmt: skip


def looked(texts: list[str], language: str = "en", settings: Proof | None = None, *, is_technical: bool = False) -> Overview:
    return look_over(texts, pieces_of(texts), language, settings or Proof(), lambda _: is_technical)


def slips(texts: list[str], language: str = "en") -> list[Slip]:
    return looked(texts, language).slips


@pytest.mark.parametrize(("text", "language", "expected"), [case[1:] for case in TOLD], ids=[case[0] for case in TOLD])
def test_what_is_a_slip_and_what_is_not(text: str, language: str, expected: list[tuple[str, str]]) -> None:
    found = slips([text], language)
    assert [(one.written, one.right) for one in found] == expected
    assert [text[one.start : one.end] for one in found if one.check != "text-capital"] == [
        written for written, right in expected if right != ". The"
    ]


@pytest.mark.parametrize(
    ("setting", "text"),
    [
        ("doubled_words", "Set the the bridge upright."),
        ("commas", "The bow , the case and the rosin."),
        ("brackets", "The bow (with its case is ready for you today."),
        ("articles", "It takes an violin and some time to learn this well."),
        ("capitals", "The bow is ready. the case is not, as we see."),
        ("leftovers", "Lorem ipsum dolor sit amet."),
    ],
)
def test_each_rule_has_a_setting(setting: str, text: str) -> None:
    assert slips([text])
    assert not looked([text], settings=Proof(**{setting: False})).slips


def test_placeholders_and_commas_are_examples_where_code_is_shown() -> None:
    texts = ["Dear {first_name}, thank you.", "TODO: write about rosin", "We talk about , and its use in this text."]
    assert not looked(texts, is_technical=True).slips


@given(
    st.lists(st.text(alphabet="aAn the,.()[]{}“”„:)lorem ipsum TODO", max_size=80), max_size=4),
    st.sampled_from(["en", "de", ""]),
)
def test_slips_stand_where_they_are_said_to(texts: list[str], language: str) -> None:
    pieces, split = pieces_of(texts), [text.split() for text in texts]
    names = list(pieces.number_of)
    assert dict(zip(names, pieces.uses.tolist(), strict=True)) == Counter(piece for own in split for piece in own)
    is_the = pieces.among(["the", "a"])
    assert pieces.holding(is_the).tolist() == [k for k, own in enumerate(split) if {"the", "a"} & {*own}]
    assert pieces.holding_pair(is_the, is_the, equal=True).tolist() == [
        k for k, own in enumerate(split) if any(one == other in ("the", "a") for one, other in pairwise(own))
    ]
    for one in slips(texts, language):
        assert 0 <= one.start < one.end <= len(texts[one.text])
        assert one.written != one.right


def test_slips_without_end_cost_no_more_than_their_text() -> None:
    n = 50_000
    for text in (
        "the the " * n,
        "a ((" * n + ".",
        "a old b (" * n + ".",
        "ab ,cd " * n,
        "{{x}} [your a " * n,
        "aaa. the b " * n,
    ):
        begun = time.process_time()
        looked([text])
        assert time.process_time() - begun < 5  # growth with the square would take minutes


WORDS = (
    "a", "A", "an", "An", "(a", "“an", "x-a", "hour", "hours,", "unit", "eulogy", "old", "owl.", "the", "this", "ssh", "bow",
    "bow's", "one-off", "umbrella", "useful", "Élan", "éa", "and", "TODO:", "TBD", "outbound", "[your", "name", "here]",
    "lorem", "Ipsum", "{first_name}", "%%SHOP%%", "end.",
)  # fmt: skip


@given(st.lists(st.lists(st.sampled_from(WORDS), min_size=1, max_size=12), max_size=6))
def test_no_text_is_passed_over_that_breaks_a_rule(pieces: list[list[str]]) -> None:
    texts = [" ".join(own) for own in pieces]
    told = {CheckId.TEXT_ARTICLE: _articles, CheckId.TEXT_LEFTOVER: _leftovers}
    found = [one for one in slips(texts) if one.check in told]
    is_long = [len(own) >= 6 for own in pieces]
    assert found == [
        slip
        for number, text in enumerate(texts)
        for check, rule in told.items()
        for slip in rule(number, text, lambda _: False)
        if check == CheckId.TEXT_LEFTOVER or is_long[number]
    ]
