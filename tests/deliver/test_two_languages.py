"""What is written both in Python and in the script of the report gives one answer: the cases of ``golden.json``."""

from __future__ import annotations

import json
import sys
import unicodedata
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path
from typing import Any

import pytest

from mardok.cells import neutral_cell
from mardok.sentences import counted, gain_text, percent
from mardok.sentences.gains import signed
from mardok.text.words import folded

GOLDEN: dict[str, list[list[Any]]] = json.loads((Path(__file__).parents[1] / "golden.json").read_text("utf-8"))
IN_PYTHON: dict[str, Callable[..., str]] = {
    "percent": percent,
    "signed": signed,
    "count": lambda n, noun: str(counted(noun, n)),
    "folded": folded,
    "neutral": neutral_cell,
    "gain": gain_text,
}
IN_SCRIPT = {"gain": "gainText"}
SCRIPT = (files("mardok.deliver") / "templates" / "report" / "words.js").read_text("utf-8")


@pytest.mark.parametrize("name", GOLDEN)
def test_python_writes_the_golden_cases(name: str) -> None:
    for *given, expected in GOLDEN[name]:
        assert IN_PYTHON[name](*given) == expected, given


@pytest.fixture
def page(browser: Any) -> Any:
    page = browser.new_page()
    yield page
    page.close()


@pytest.mark.parametrize("name", GOLDEN)
def test_the_script_writes_the_golden_cases(page: Any, name: str) -> None:
    call = f"cases => {{ {SCRIPT}; return cases.map((one) => {IN_SCRIPT.get(name, name)}(...one)); }}"
    found = page.evaluate(call, [given for *given, _ in GOLDEN[name]])
    for (*given, expected), written in zip(GOLDEN[name], found, strict=True):
        assert written == expected, given


def test_every_share_is_written_alike(page: Any) -> None:
    shares = [n / 2000 for n in range(2001)] + [10.0**-n for n in range(12)]
    assert page.evaluate(f"all => {{ {SCRIPT}; return all.map(percent); }}", shares) == list(map(percent, shares))
    gains = [n / 4 - 30 for n in range(300)]
    assert page.evaluate(f"all => {{ {SCRIPT}; return all.map(signed); }}", gains) == list(map(signed, gains))


def test_every_letter_that_both_know_is_folded_alike(page: Any) -> None:
    letters = [chr(code) for code in range(sys.maxunicode + 1) if unicodedata.category(chr(code))[0] in "LMN"]
    found = page.evaluate(f"all => {{ {SCRIPT}; return all.map(folded); }}", letters)
    differing = [letter for letter, written in zip(letters, found, strict=True) if written != folded(letter)]
    # Letters of Cherokee are folded to capitals by the standard; what newer Unicode added, one side does not know.
    known = [letter for letter in differing if "CHEROKEE" not in unicodedata.name(letter, "CHEROKEE")]
    assert len(known) <= 30, [f"{letter} {ord(letter):x}" for letter in known][:40]
