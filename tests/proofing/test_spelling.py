"""Misspelt words are told with what is meant, and what only looks misspelt is not."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from planted_words import planted_pages

import mardok
from mardok.proofing.dictionary import DictionaryError, find_dictionaries, opened
from mardok.proofing.edits import LetterRuns, Neighbours, edit_between
from mardok.proofing.written import written_words
from mardok.settings import Settings

HOST = "https://host.example"
PLAIN = "We hire every good violin for a month and send the player to our workshop with the new strings."
Table = Callable[[list[dict[str, Any]]], Path]


def audit(page_table: Table, texts: list[str], **proof: Any) -> mardok.Audit:
    """An audit of pages with one paragraph each, words looked up."""
    rows = [
        {"url": f"{HOST}/{n}", "html": f"<html lang=en><title>Page {n}</title><main><h1>Page {n}</h1><p>{text}</p></main>"}
        for n, text in enumerate(texts)
    ]
    settings = mardok.read_settings(None, ["proof.spelling=true", *(f"proof.{key}={value}" for key, value in proof.items())])
    return mardok.audit(page_table(rows), settings=settings)


def misspelt(audit: mardok.Audit) -> dict[str, str]:
    slips = audit.tables["slips"]
    found = slips[(slips["check"] == "text-misspelt") & (slips["decision"] == "")]
    return dict(zip(found["written"], found["right"], strict=True))


@pytest.mark.parametrize(("language", "seed"), [("en", 1), ("de", 1)])
def test_planted_errors_are_found_and_traps_are_not(
    language: str, seed: int, is_word: Callable[[str, str], bool], page_table: Table
) -> None:
    planted = planted_pages(language, 200, lambda word: is_word(language, word), seed)
    assert len(planted.errors) == 200
    assert planted.n_traps == 200
    rows = [{"url": HOST + path, "html": html} for path, html in planted.pages.items()]
    made = mardok.audit(page_table(rows), settings=mardok.read_settings(None, ["proof.spelling=true"]))
    told = {written.lower(): right.lower() for written, right in misspelt(made).items()}
    errors = {wrong.lower(): right.lower() for wrong, right in planted.errors.items()}
    hit = errors.keys() & told.keys()
    assert len(hit) >= 0.8 * len(errors), sorted(errors.keys() - hit)
    assert len(hit) >= 0.95 * len(told), sorted(told.keys() - errors.keys())
    assert sum(told[wrong] == errors[wrong] for wrong in hit) >= 0.8 * len(hit)
    if language == "en":
        checks = made.checks[made.checks["check"] == "text-variants-mixed"]
        assert checks["value"].tolist()[0].startswith("en-GB ")
        assert "en-US: color" in checks["detail"].tolist()[0]


# What a page says once, on a site that says PLAIN on ten: (text, misspelt words with what is meant)
TOLD: list[tuple[str, str, dict[str, str]]] = [
    ("two letters swapped", "We hire the voilin for a month.", {"voilin": "violin"}),
    ("a letter missing", "We hire the violn for a month.", {"violn": "violin"}),
    ("a letter doubled", "We send the playerr to our workshop.", {"playerr": "player"}),
    ("at the begin of a sentence", "Workshp and violin, we care for every player.", {"Workshp": "workshop"}),
    ("a name", "We send Playar to our workshop with Vilion.", {}),
    ("a word in capitals", "We hire the VOILIN for a month.", {}),
    ("a word with digits or signs", "We hire the voilin2 and voi_lin and voilin.html for a month.", {}),
    ("an address", "We hire www.voilin.example or voilin@host.example for a month.", {}),
    ("a word in quotation marks", "We hire the “voilin” for a month.", {}),
    ("code", "We hire the <code>voilin</code> for a month.", {}),
    ("another language", "We hire the <i lang=fr>voilin</i> for a month.", {}),
    ("what is not to be translated", "We hire the <b translate=no>voilin</b> for a month.", {}),
    ("a block of code", "We hire for a month.</p><pre>hire the voilin with voilin</pre><p>", {}),
    ("a part of a word with hyphens", "We hire the voilin-player for a month.", {}),
    ("a sentence in another language", "Wir hiren eine violen und bringan sie zurock.", {}),
    ("an unknown word like no other", "We hire the pochette for a month.", {}),
    ("a form of a word", "We hire the workshops and workshoped in care.", {}),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), [case[1:] for case in TOLD], ids=[case[0] for case in TOLD])
def test_what_is_misspelt_and_what_is_not(text: str, expected: dict[str, str], only_these: Path, page_table: Table) -> None:
    texts = [*(f"{PLAIN} In care of number {n}." for n in range(10)), text]
    assert misspelt(audit(page_table, texts, dictionaries=f"'{only_these}'", least_letters=4)) == expected


def test_a_word_of_the_trade_is_no_error_however_like_another(only_these: Path, page_table: Table) -> None:
    said = ("We bring the violon back.", "Every violon in care.", "Hire a violon for a month.", "Our good violon and bow.")
    texts = [*(f"{PLAIN} In care of number {n}." for n in range(40)), *said]
    made = audit(page_table, texts, dictionaries=f"'{only_these}'")
    assert misspelt(made) == {}
    assert "violon" in made.tables["unknown_words"]["word"].tolist()


def test_an_error_in_a_template_is_one_row_and_the_work_of_a_developer(only_these: Path, page_table: Table) -> None:
    towns = ["Ashby", "Barton", "Corfe", "Denby", "Elham", "Fordham"]
    texts = [PLAIN, *(f"In {town} we hire every good voilin for a month, and send it back to {town}." for town in towns)]
    made = audit(page_table, [*texts, "We bring the good instruemnt to our workshop."], dictionaries=f"'{only_these}'")
    slips = made.tables["slips"].set_index("written")
    assert slips.loc["voilin", ["where", "pages"]].tolist() == ["template", 6]
    assert slips.loc["instruemnt", ["where", "pages"]].tolist() == ["page", 1]
    places = made.tables["slip_places"]
    texts_of = made.tables["blocks"].set_index(["page", "block"])["text"]
    marked = [
        str(texts_of[page, block])[start:end]
        for page, block, start, end in places[["page", "block", "start", "end"]].itertuples(index=False, name=None)
    ]
    assert sorted(marked) == ["instruemnt", *["voilin"] * 6]
    steps = made.tables["steps"]
    owners = steps[steps["rule"] == "text-misspelt"].groupby("owner").size().to_dict()
    assert owners == {"developer": 1, "editor": 1}


def test_words_that_a_person_accepted_or_lists_are_right(only_these: Path, page_table: Table, tmp_path: Path) -> None:
    wrong = ["We hire the voilin for a month.", "We bring a stirng back with the bow."]
    texts = [*(f"{PLAIN} In care of number {n}." for n in range(10)), *wrong]
    source = page_table([
        {"url": f"{HOST}/{n}", "html": f"<html lang=en><main><p>{text}</p></main>"} for n, text in enumerate(texts)
    ])  # fmt: skip
    settings = mardok.read_settings(None, ["proof.spelling=true", f"proof.dictionaries='{only_these}'"])
    mardok.audit(source, settings=settings).save(tmp_path / "audit")
    slips = tmp_path / "audit" / "slips.csv"
    lines = slips.read_text("utf-8").splitlines()
    slips.write_text("\n".join(line + "accept" if ",voilin," in line else line for line in lines) + "\n", "utf-8")
    again = mardok.audit(source, settings=settings, decisions=tmp_path / "audit" / "plan.csv")
    assert misspelt(again) == {"stirng": "string"}
    kept = again.tables["slips"].set_index("written")["decision"]
    assert kept["voilin"] == "accept"
    assert "voilin" not in again.checks["value"].tolist()
    words = tmp_path / "words.txt"
    words.write_text("# ours\nStirng\n", "utf-8")
    own = settings.model_copy(update={"proof": settings.proof.model_copy(update={"words": str(words)})})
    assert misspelt(mardok.audit(source, settings=own)) == {"voilin": "violin"}
    missing = settings.model_copy(update={"proof": settings.proof.model_copy(update={"words": str(tmp_path / "none")})})
    with pytest.raises(mardok.SettingsError, match="one word a line"):
        mardok.audit(source, settings=missing)


def test_what_is_missing_is_named_in_one_line(
    only_these: Path, page_table: Table, monkeypatch: pytest.MonkeyPatch, run_here: Any, tmp_path: Path
) -> None:
    made = audit(page_table, [PLAIN])
    assert made.meta.not_computed["spelling (en)"].startswith(
        "there is no dictionary of 'en'; install one (Debian: apt install hunspell-en-gb;"
    )
    monkeypatch.setattr("mardok.proofing.job.is_library_there", lambda: False)
    made = audit(page_table, [PLAIN], dictionaries=f"'{only_these}'")
    assert "pip install 'mardok[proof]'" in made.meta.not_computed["spelling"]
    source = page_table([{"url": HOST, "html": f"<html lang=en><p>{PLAIN}"}])
    answer = run_here("audit", source, "-o", tmp_path / "out", "--set", "proof.spelling=true")
    assert answer.returncode == 0
    assert "Not looked at: spelling: the library" in answer.stdout


HOSTILE: dict[str, tuple[bytes, bytes]] = {
    "empty": (b"", b""),
    "noise": (bytes(range(256)) * 50, bytes(range(256)) * 50),
    "a number of words that is none": (b"SET UTF-8\n", b"99999999999999\nbow\n"),
    "an encoding that is none": (b"SET nonsense\n", b"1\nbow\n"),
    "affixes without end": (b"SET UTF-8\nSFX A Y 9999999\n" + b"SFX A 0 a .\n" * 20_000, b"1\nbow/A\n"),
    "a rule for itself": (
        b"SET UTF-8\nFLAG long\nSFX AA Y 1\nSFX AA 0 a/AA .\nCOMPOUNDRULE 1\nCOMPOUNDRULE (AA)*\n",
        b"1\nbow/AA\n",
    ),
    "a word of a million letters": (b"SET UTF-8\n", b"1\n" + b"b" * 1_000_000 + b"\n"),
}


@pytest.mark.parametrize("case", HOSTILE)
def test_a_hostile_dictionary_does_no_harm(case: str, only_these: Path, page_table: Table) -> None:
    affixes, words = HOSTILE[case]
    (only_these / "en_GB.aff").write_bytes(affixes)
    (only_these / "en_GB.dic").write_bytes(words)
    begun = time.monotonic()
    made = audit(page_table, [PLAIN, f"{'x' * 1_000_000} {PLAIN}"], dictionaries=f"'{only_these}'", dictionary_s=5)
    assert len(made.pages) == 2
    assert time.monotonic() - begun < 60


def _abort(_library: object, _word: str) -> bool:
    os.kill(os.getpid(), signal.SIGKILL)
    return True


def _wait(_library: object, _word: str) -> bool:
    time.sleep(60)
    return True


def test_a_dictionary_that_ends_its_process_is_an_error_of_one_line(
    dictionaries: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("mardok.proofing.dictionary._is_known", _abort)
    found = [one for one in find_dictionaries("en", str(dictionaries)) if one.folder == dictionaries]
    with opened(found[0], 5) as speller, pytest.raises(DictionaryError, match="put a sound one in its place"):
        speller.knows(["bow"])


def test_a_dictionary_that_gives_no_answer_is_given_up(dictionaries: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("mardok.proofing.dictionary._is_known", _wait)
    found = [one for one in find_dictionaries("en", str(dictionaries)) if one.folder == dictionaries]
    with opened(found[0], 0.2) as speller, pytest.raises(DictionaryError, match="no answer within"):
        speller.knows(["bow"])


def test_dictionaries_of_the_named_folder_come_first(dictionaries: Path) -> None:
    found = {one.name: one.folder for one in find_dictionaries("en", str(dictionaries))}
    assert found["en_GB"] == dictionaries
    assert find_dictionaries("xx") == []


@given(st.text("abcdé", max_size=7), st.text("abcdé", max_size=7))
def test_one_edit_is_what_the_definition_says(a: str, b: str) -> None:
    # Every word one slip from `a`, made by hand.
    letters = "abcdé"
    made = {a[:k] + a[k + 1 :] for k in range(len(a))}
    made |= {a[:k] + letter + a[k:] for k in range(len(a) + 1) for letter in letters}
    made |= {a[:k] + letter + a[k + 1 :] for k in range(len(a)) for letter in letters}
    made |= {a[:k] + a[k + 1] + a[k] + a[k + 2 :] for k in range(len(a) - 1)}
    assert (edit_between(a, b) is not None) == (b in made - {a})
    if a and b:
        assert (b in Neighbours([b]).of(a)) == (b in made - {a})


@given(st.text("abcd", min_size=2, max_size=6))
def test_what_may_be_a_word_is_among_its_edits(word: str) -> None:
    runs = LetterRuns([word, word[::-1], "abcd", "ab-cd", "a'b"])
    made = set(runs.edits(word))
    # Every word one slip from it that begins with its letter, or whose first two are swapped, made by hand.
    every = {word[:k] + word[k + 1 :] for k in range(1, len(word))}
    every |= {word[:k] + letter + word[k:] for k in range(1, len(word) + 1) for letter in "abcd"}
    every |= {word[:k] + letter + word[k + 1 :] for k in range(1, len(word)) for letter in "abcd"}
    every |= {word[:k] + word[k + 1] + word[k] + word[k + 2 :] for k in range(len(word) - 1)}
    assert made == {one for one in every - {word} if runs.may_be(one)}


@given(st.text(max_size=40))
def test_words_stand_where_they_are_said_to(piece: str) -> None:
    for found in written_words("".join(piece.split())):
        shown = "".join(piece.split())[found.start : found.end]
        assert shown.replace("’", "'").replace("‐", "-") == found.word


def test_spelling_is_off_by_default(demo: mardok.Audit) -> None:
    assert not Settings().proof.spelling
    assert demo.tables["site_words"].empty
    assert misspelt(demo) == {}
