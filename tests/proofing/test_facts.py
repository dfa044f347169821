"""Figures that pages of a site disagree about, and those that only differ."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

import mardok
from mardok.compare.contradictions import slot_kind

HOST = "https://host.example"
Table = Callable[[list[dict[str, Any]]], Path]
OWN = (
    "rosin", "varnish", "pegs", "bridges", "tuners", "mutes", "cases", "bows", "straps", "stands", "lamps", "books", "shoes",
    "gloves", "clamps", "gauges", "files", "brushes", "benches", "stools", "scrolls", "posts",
)  # fmt: skip


def audit(page_table: Table, sentences: list[str], titles: list[str] | None = None) -> mardok.Audit:
    """An audit of pages that each have words of their own, and one sentence."""
    rows = []
    for number, said in enumerate(sentences):
        own = " ".join(
            f"The {OWN[(number + k) % len(OWN)]} lie on shelf {OWN[(number * 3 + k) % len(OWN)]}." for k in range(9)
        )
        title = titles[number] if titles else f"All about {OWN[number % len(OWN)]} of kind {number}"
        html = f"<html lang=en><title>{title}</title><main><h1>{title}</h1><p>{own}</p><p>{said}</p></main>"
        rows.append({"url": f"{HOST}/{number}/", "html": html})
    return mardok.audit(page_table(rows))


def told(audit: mardok.Audit) -> list[tuple[str, str, str]]:
    table = audit.tables["contradictions"]
    return [(str(a), str(b), str(c)) for a, b, c in zip(table["slot"], table["value"], table["other_value"], strict=True)]


PRICE = "Every new hire of a violin costs {} a month in our shop."
# (what it is about, figures of the pages, what is told)
CASES: list[tuple[str, list[str], list[tuple[str, str, str]]]] = [
    ("one of many", ["£36"] * 9 + ["£38"], [("price", "£36", "£38")]),
    ("two of many, with one figure", ["£36"] * 9 + ["£38"] * 2, [("price", "£36", "£38")]),
    ("another currency", ["36 €"] * 9 + ["36 $"], [("price", "36 €", "36 $")]),
    ("another unit", ["3 kg"] * 9 + ["3 lb"], [("number", "3 kg", "3 lb")]),
    ("an hour in words", ["9 am"] * 9 + ["10 am"], [("hour", "9 am", "10 am")]),
    ("a day", ["from Monday"] * 9 + ["from Friday"], [("date", "Monday", "Friday")]),
    ("a number in words", ["twelve"] * 9 + ["twenty-two"], [("number", "twelve", "twenty-two")]),
    ("two opinions", ["£36"] * 5 + ["£38"] * 5, []),
    ("too few pages to tell", ["£36"] * 3 + ["£38"], []),
    ("each page its own", [f"£{20 + n}" for n in range(10)], []),
    ("all agree", ["£36"] * 10, []),
]


@pytest.mark.parametrize(("figures", "expected"), [case[1:] for case in CASES], ids=[case[0] for case in CASES])
def test_what_disagrees_over_a_site(figures: list[str], expected: list[tuple[str, str, str]], page_table: Table) -> None:
    made = audit(page_table, [PRICE.format(figure) for figure in figures])
    assert told(made) == expected
    checks = made.checks[made.checks["check"] == "text-contradicts"]
    assert len(checks) == sum(other in figure for _, _, other in expected for figure in figures)


def test_a_price_or_a_number_to_call_comes_first_in_the_plan(page_table: Table) -> None:
    made = audit(page_table, [PRICE.format("£36")] * 9 + [PRICE.format("£38")])
    first = made.plan.iloc[0]
    assert (first["band"], first["action"], first["rule"]) == (1, "repair", "repair-blocking")
    assert first["summary"] == "Settle 1 figure that pages state differently: £38 on /9/, £36 elsewhere"
    case = "The case of every violin weighs {} small stones."
    later = audit(page_table, [case.format(9)] * 9 + [case.format(8)])
    assert told(later) == [("number", "9", "8")]
    assert later.plan[later.plan["action"] == "repair"]["band"].tolist()[0] == 3


def test_the_slot_of_a_series_and_a_figure_in_the_title_are_no_contradictions(page_table: Table) -> None:
    sizes = ["4/4"] * 9 + ["3/4"]
    said = [f"Our violin of size {size} fits most players of that age well." for size in sizes]
    titles = [f"Violin {size} number {OWN[n]}" for n, size in enumerate(sizes)]
    assert told(audit(page_table, said, titles)) == []


def test_pages_whose_language_nobody_can_tell_are_looked_at_as_well(page_table: Table) -> None:
    said = [f"Zzq xxv (12) qqk vvx zzk: {n} kkq xvz qxk zvk xqz." for n in ["£36"] * 9 + ["£38"]]
    pages = [f"<main><h1>{OWN[n]} {n}</h1><p>{text}</p><p>Lorem ipsum</p>" for n, text in enumerate(said)]
    rows = [{"url": f"{HOST}/{n}/", "html": html} for n, html in enumerate(pages)]
    made = mardok.audit(page_table(rows))
    assert set(made.pages["language"]) == {""}
    assert told(made) == [("price", "£36", "£38")]
    assert "Lorem ipsum" in made.tables["slips"]["written"].tolist()


def test_references_are_no_facts(page_table: Table) -> None:
    said = ["For more about the care of bows see section 4.2 of our book."] * 9
    assert told(audit(page_table, [*said, "For more about the care of bows see section 4.3 of our book."])) == []


def test_rows_of_a_table_are_no_contradictions(page_table: Table) -> None:
    said = ["The hire of one small case costs £2 here. The hire of one small case costs £3 here."] * 9
    assert told(audit(page_table, [*said, "The hire of one small case costs £4 here."])) == []


def test_planted_contradictions_are_found(page_table: Table) -> None:
    rng = random.Random(3)
    facts: dict[str, tuple[Callable[[], str], str]] = {
        "price": (lambda: f"£{rng.randrange(20, 90)}", "The yearly care of a {} violin costs {{}} with all its strings."),
        "hour": (
            lambda: f"{rng.randrange(8, 12)}:{rng.choice(('00', '15', '30'))}",
            "The {} room of our house opens at {{}} on each day of work.",
        ),
        "telephone": (lambda: f"01632 960{rng.randrange(100, 999)}", "Ring the {} desk of our house on {{}} before noon."),
        "date": (
            lambda: f"{rng.randrange(1, 28)} {rng.choice(('May', 'June', 'August'))}",
            "The {} course for the winter ends on {{}} with a small feast.",
        ),
        "number": (lambda: str(rng.randrange(2, 99)), "There are {{}} seats in the {} hall behind our house."),
    }
    sentences: list[list[str]] = [[] for _ in range(20)]
    planted = set()
    for kind, (make, pattern) in facts.items():
        for name in OWN[:20]:
            right, wrong = make(), make()
            while wrong == right:
                wrong = make()
            odd = rng.randrange(20)
            for page in range(20):
                sentences[page].append(pattern.format(name).format(wrong if page == odd else right))
            planted.add((kind, right, wrong))
    made = audit(page_table, [" ".join(own) for own in sentences])
    found = set(told(made))
    assert len(found & planted) >= 0.95 * len(planted)
    assert not {one for one in found - planted if one[0] != "number"}


def test_pages_that_are_merged_settle_first_what_they_disagree_about(page_table: Table) -> None:
    text = " ".join(f"The {word} lie on the shelf beside the window and wait for spring." for word in OWN)
    head = "<html lang=en><title>Care of strings</title><main><h1>Care of strings</h1>"
    said = "A new set of strings costs {} in our shop."
    rows = [
        {"url": f"{HOST}/{n}/", "html": f"{head}<p>{text} {said.format(price)}</p></main>"}
        for n, price in enumerate(("£36", "£38"))
    ]
    made = mardok.audit(page_table(rows))
    assert [one[0] for one in told(made)] == ["price"]
    moves = made.tables["steps"]
    redirect = moves[moves["step"] == "redirect"].iloc[0]
    assert "first settle which figure is right" in redirect["detail"]
    assert "£36" in redirect["detail"]
    assert "£38" in redirect["detail"]
    assert not ((made.plan["action"] == "repair") & made.plan["summary"].str.contains("figure")).any()


@pytest.mark.parametrize(
    ("values", "kind"),
    [
        (["£36", "£38"], "price"), (["36 Euro", "38 Euro"], "price"), (["9:00", "9:30"], "hour"),
        (["9 Uhr", "10 Uhr"], "hour"), (["01632 960142", "01632 960124"], "telephone"),
        (["12.05.2031", "13.05.2031"], "date"),
        (["May", "June"], "date"), (["12", "13"], "number"), (["3 kg", "3 lb"], "number"),
    ],
)  # fmt: skip
def test_what_differs_is_named(values: list[str], kind: str) -> None:
    assert slot_kind(values, "en") == kind
