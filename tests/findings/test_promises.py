"""Copies that promise different things are never merged: titles, patterns, and what pages say of their own promise."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from small_sites import ORIGIN, demand_of, site_with, strength_of

import mardok
from mardok.findings.groups import GroupRow, group_id, groups_table
from mardok.findings.promise import (
    Promise,
    asked_for_each,
    pattern_of,
    promise_different_things,
    series_patterns,
    shown_slot,
)
from mardok.vocabulary import Confidence, Evidence, GroupKind

PLAIN = frozenset(["a", "the", "in", "of", "to", "how", "your", "for", "and"])
TEXT = (
    "Our violins are set up by hand in the shop at the mill, with fresh strings and a new bridge for each player. Whoever "
    "outgrows one brings it back in any month and takes the next size home for the same price. Cracks that come from frost "
    "are mended free of charge, scratches are not counted at all, and a lost chin rest costs what the carver asks. In June "
    "the whole stock returns for a week, is oiled, weighed, tuned and photographed, and goes out again before August. "
)


def promise(title: str, text: str = "", **more: Any) -> Promise:
    return Promise(
        title, tuple(title.casefold().split()), frozenset(text.casefold().split()), PLAIN, more.pop("language", "en"), **more
    )


# (title and text of one page, of the other, whether they promise different things)
TWO_TITLES: list[tuple[tuple[str, str], tuple[str, str], bool]] = [
    (("Cleaning a violin", ""), ("How to clean your violin", ""), False),
    (("Violin hire in Aldmoor", "we hire in aldmoor"), ("Violin hire in Brackwell", "we hire in brackwell"), True),
    (("Violin hire in Aldmoor", "we hire"), ("Violin hire in Brackwell", "we hire"), True),  # names, whatever is pasted
    (("Cappings and slumgum", "wax"), ("Melting what is left", "wax"), False),  # one thing in two ways
    (("The aldmoor shop", "in aldmoor"), ("The brackwell shop", "in aldmoor"), False),
    (("The aldmoor shop", "aldmoor and brackwell"), ("The brackwell shop", "aldmoor and brackwell"), False),
    (("The violin unit", "a unit is new"), ("The violin absolute", "all absolute"), True),
    (("Violin hire in aldmoor", "we hire in aldmoor"), ("Violin hire", "we hire"), True),  # one title holds the other
    (("Violin hire in aldmoor", "we hire"), ("Violin hire", "we hire"), False),
    (("Violin hire in aldmoor", "in aldmoor"), ("Violin hire", "from aldmoor"), False),
    (("Strings for a 3/4 violin", ""), ("Strings for a 1/2 violin", ""), True),
    (("A box of six drawers", ""), ("A box of nine drawers", ""), True),
    (("Model V12 violin", ""), ("Model V14 violin", ""), True),
    (("Violin V12", "the v12 is"), ("Violin", "it is"), True),
    (("Violin V12", "it is"), ("Violin", "it is"), False),
    (("Violin prices 2025", ""), ("Violin prices 2026", ""), False),  # what comes out every year belongs on one address
    (("Violin prices 2025", ""), ("Violin prices", ""), False),
    (("Violin prices 2025 for 30 players", ""), ("Violin prices 2026 for 40 players", ""), True),
    (("Function template operator+", ""), ("Function template operator-", ""), True),
    (("Bows: how to hold one", ""), ("Bows - how to hold one", ""), False),
    (("Class template set", "a set"), ("Class template sg_set", "a set"), True),
    (("r.rescale.eq", "rescales"), ("r.rescale", "rescales"), True),
    (("join_if", ""), ("join_if", ""), False),
    (("Hire without a deposit", ""), ("Hire for a deposit", ""), True),  # one word turns the sense
    (("Aubergines outdoors", "in the bed"), ("Purple fruit without glass", "in the bed"), False),
    (("Violin hire", "x"), ("Violin hire", "y"), False),
    (("The violin", ""), ("A violin", ""), False),  # function words promise nothing
    (("", ""), ("Violin", "violin"), True),
    (("", ""), ("Violin", "bow"), False),
]


@pytest.mark.parametrize(("one", "other", "differ"), TWO_TITLES)
def test_two_titles_promise_the_same_or_not(one: tuple[str, str], other: tuple[str, str], differ: bool) -> None:
    a, b = promise(*one), promise(*other)
    assert promise_different_things(a, b) == differ
    assert promise_different_things(b, a) == differ


def test_pages_that_speak_of_each_other_differ_by_how_they_begin() -> None:
    text = "diff-index diff-files compares"
    assert not promise_different_things(promise("diff-index", text), promise("diff-files", text))
    a = promise("diff-index", text, opening=frozenset(["diff-index", "compares"]))
    b = promise("diff-files", text, opening=frozenset(["diff-files", "compares"]))
    assert promise_different_things(a, b)


def test_h1_and_address_decide_where_titles_are_equal() -> None:
    """A title that a template repeats says less than the H1 below it; addresses are asked last."""
    index = {"headings": frozenset(["members"]), "text_hash": "x"}
    of_x = promise("Members", "names that begin with x", address=("globals", "x"), **index)
    of_e = promise("Members", "names that begin with e", address=("globals", "e"), **index)
    assert promise_different_things(of_x, of_e)
    assert not promise_different_things(of_x, promise("Members", "names that begin with x", address=("other",), **index))
    one, other = promise("Terms", "six weeks", h1="Hire in Aldmoor"), promise("Terms", "ten weeks", h1="Hire in Brackwell")
    assert not promise_different_things(one, other)
    assert promise_different_things(
        promise("Terms", "in aldmoor", h1="Hire in Aldmoor"), promise("Terms", "in brackwell", h1="Hire in Brackwell")
    )


def test_two_products_differ_by_their_names_alone() -> None:
    tube, easel = "Postal tube", "Chalk easel"
    assert not promise_different_things(promise(tube, "sent by post"), promise(easel, "sent by post"))
    one, other = (promise(title, "made by hand", is_product=True) for title in (tube, easel))
    assert promise_different_things(one, other)


def test_searchers_ask_for_each_or_for_none() -> None:
    names = ("violin hire aldmoor", "violin hire brackwell", "violin hire")
    pages = {0: promise("Violin hire aldmoor"), 1: promise("Violin hire brackwell")}

    def asked(*shown: tuple[int, int]) -> bool:
        day = np.datetime64("2030-01-07")
        rows = [(row, query, day, 0, 100) for row, query in shown]
        demand = demand_of([*rows, (1, 2, day, 0, 100)], queries=names, months=1.0, is_brand=np.zeros(3, bool))
        return asked_for_each(pages, demand, 10)

    assert asked((0, 0), (1, 1))
    assert not asked((0, 0))  # nobody asks for the other by its name
    assert not asked((0, 0), (1, 0))
    assert not asked((0, 2), (1, 2))
    assert not asked_for_each({0: pages[0], 1: pages[0]}, demand_of([(0, 0, np.datetime64("2030-01-07"), 0, 100)]), 10)


def test_a_pattern_of_three_pages_is_a_series_and_of_two_is_none() -> None:
    towns = [promise(f"violin hire in {town}") for town in ("aldmoor", "brackwell", "castle combe")]
    of_three = series_patterns([(towns[0], towns[1]), (towns[1], towns[2])])
    assert of_three == {("violin", "hire", "in", "...")}
    assert promise_different_things(towns[0], towns[2], of_three)
    of_two = series_patterns([(towns[0], towns[1])])
    assert not of_two
    assert not promise_different_things(towns[0], towns[1], of_two)
    again = promise("violin hire in aldmoor")
    assert not series_patterns([(towns[0], towns[1]), (again, towns[1])])  # two of them fill it in one way
    assert shown_slot(towns[2], towns[0]) == ("violin hire in ...", "castle combe")
    assert shown_slot(promise("Bows"), promise("Cases")) == ("", "bows")


WORDS = st.lists(st.sampled_from(["violin", "hire", "in", "ost", "west", "the"]), max_size=6)


@given(WORDS, WORDS)
def test_a_pattern_fits_both_titles_and_is_the_same_from_both_sides(a: list[str], b: list[str]) -> None:
    pattern = pattern_of(a, b, PLAIN)
    assert pattern == pattern_of(b, a, PLAIN)
    if pattern is None:
        return
    slot = pattern.index("...")
    head, tail = pattern[:slot], pattern[slot + 1 :]
    assert set(head + tail) - PLAIN
    for title in (a, b):
        assert tuple(title[:slot]) == head
        assert tuple(title[len(title) - len(tail) :]) == tail
        assert len(title) > len(head) + len(tail)
    assert a != b


def page(title: str, text: str = TEXT, head: str = "", lang: str = "en") -> str:
    return f"<html lang={lang}><head><title>{title}</title>{head}</head><body><h1>{title}</h1><p>{text}</p>"


def groups_of(pages: dict[str, str], page_table: Callable[..., Path], kind: str = "copies") -> list[tuple[str, ...]]:
    """Pages of each group, its keeper first; and what is proposed about them."""
    audit = mardok.audit(page_table([{"url": ORIGIN + path, "html": html} for path, html in pages.items()]))
    groups = audit.groups[audit.groups["kind"] == kind].sort_values(["group", "role", "url"])
    result = []
    for _, rows in groups.groupby("group", sort=False, observed=True):
        urls = [str(url).removeprefix(ORIGIN) for url in rows["url"]]
        action = audit.plan.loc[audit.plan["keeper"] == ORIGIN + urls[0], "action"]
        result.append((*urls, str(action.iloc[0]) if len(action) else ""))
    return sorted(result)


def test_copies_are_a_star_around_the_page_that_stays_and_no_chain(page_table: Callable[..., Path]) -> None:
    sentences = [
        f"Sentence {n} says what the maker at bench {n} did with plank {n} on day {n} of spring. " for n in "abcdefghijkl"
    ]
    # Each page shares five sixths with the next; the first and the last share too little.
    pages = {f"/{n}/": page("Planks and benches", "".join(sentences[2 * n : 2 * n + 8])) for n in range(3)}
    pairs = mardok.find_copies(["".join(sentences[2 * n : 2 * n + 8]) for n in range(3)], minimum=0.4)
    near = {(int(a), int(b)) for a, b in zip(pairs["a"], pairs["b"], strict=True)}
    assert (0, 2) not in near
    for group in groups_of(pages, page_table):
        keeper = int(group[0].strip("/"))
        for member in group[1:-1]:
            assert tuple(sorted((keeper, int(member.strip("/"))))) in near


# (pages, groups of copies with the action on their keeper)
SITES: list[tuple[str, dict[str, str], Sequence[tuple[str, ...]]]] = [
    ("identical text", {"/a/": page("Setting up violins"), "/b/": page("Setting up violins")}, [("/a/", "/b/", "merge")]),
    (
        "towns",
        {
            f"/{town}/": page(f"Violin hire in {town}", TEXT + f"We bring it to your door in {town}.")
            for town in ("ost", "nord", "sud")
        },
        [("/ost/", "/nord/", "/sud/", "leave")],  # without search data nobody can tell whether each is asked for
    ),
    (
        "another text",
        {"/a/": page("Violins"), "/b/": page("Cellos", "A cello is played sitting, its spike set into the floor. " * 6)},
        [],
    ),
    (
        "two languages",
        {"/en/a/": page("Setting up violins"), "/de/a/": page("Geigen einrichten", lang="de")},
        [],
    ),
    (
        "alternates for two regions",
        {
            path: page(
                "Setting up violins",
                head="".join(f"<link rel=alternate hreflang=en-{code} href=/{code}/>" for code in ("gb", "us")),
            )
            for path in ("/gb/", "/us/")
        },
        [("/gb/", "/us/", "leave")],
    ),
    (
        "a page that is not indexable",
        {"/a/": page("Setting up violins"), "/b/": page("Setting up violins", head="<meta name=robots content=noindex>")},
        [],
    ),
    (
        "a page that names the other as its canonical",
        {
            "/a/": page("Setting up violins"),
            "/b/": page("Setting up violins", head=f"<link rel=canonical href={ORIGIN}/a/>"),
        },
        [],
    ),
]


@pytest.mark.parametrize(("pages", "expected"), [site[1:] for site in SITES], ids=[site[0] for site in SITES])
def test_what_is_a_group_of_copies_and_what_becomes_of_it(
    pages: dict[str, str], expected: Sequence[tuple[str, ...]], page_table: Callable[..., Path]
) -> None:
    assert groups_of(pages, page_table) == list(expected)
    assert groups_of(dict(reversed(pages.items())), page_table) == list(expected)


def test_the_table_of_groups_names_each_group_by_its_pages_alone() -> None:
    site = site_with({path: page(path) for path in ("/a/", "/b/", "/c/")})
    rows = [
        GroupRow(GroupKind.COPIES, (0, 2), 2, "violin ...", Evidence.TEXT, Confidence.HIGH, {0: 0.9}),
        GroupRow(GroupKind.RIVALS, (0, 1), -1, "violin", Evidence.SEARCH, Confidence.LOW, {}),
    ]
    table = groups_table(site, rows, strength_of(site))
    urls = [f"{ORIGIN}/a/", f"{ORIGIN}/c/"]
    copies = table[table["kind"] == "copies"].sort_values("url")
    assert copies["resemblance"].tolist() == pytest.approx([0.9, float("nan")], nan_ok=True)
    assert copies["clicks"].isna().all()
    assert copies[["url", "role"]].values.tolist() == [[urls[0], "member"], [urls[1], "keeper"]]
    assert set(table.loc[table["kind"] == "rivals", "role"]) == {"member"}
    assert set(copies["group"]) == {group_id("copies", urls)}
    assert group_id("copies", urls) == group_id("copies", urls) == group_id("copies", urls[::-1])
    assert group_id("rivals", urls) != group_id("copies", urls)
    assert len(group_id("copies", urls)) == 10
