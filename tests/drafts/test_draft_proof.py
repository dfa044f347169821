"""Words and facts of drafts, beside the audited demo."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess

import mardok
from mardok.demo import troubles

FACT = "If a peg slips or a string breaks, ring {} and the answer, or the string, is on its way the same day."
BODY = (
    "Our players bring the the bow to our workshop every month. It is a old custom , and we care for every violin with it."
)


def draft(tmp_path: Path, *paragraphs: str, title: str = "What we do on Mondays") -> Path:
    path = tmp_path / "draft.md"
    path.write_text(f"---\ntitle: {title}\nlang: en\n---\n\n# {title}\n\n" + "\n\n".join(paragraphs) + "\n", "utf-8")
    return path


def test_slips_and_figures_that_the_site_states_otherwise_are_told(demo: mardok.Audit, tmp_path: Path) -> None:
    proof = mardok.check_draft(demo, draft(tmp_path, BODY, FACT.format("01632 960124"))).drafts[0].proof
    assert [(one.written, one.right) for one in proof.slips] == [
        ("the the", "the"), ("a old", "an old"), ("custom ,", "custom,"),
    ]  # fmt: skip
    (fact,) = proof.facts
    assert (fact.slot, fact.value, fact.site_value, fact.pages) == ("telephone", "01632 960124", "01632 960142", 15)
    assert fact.url.startswith(f"{troubles.HOST}/violin-hire/")


def test_what_the_site_says_as_well_is_no_contradiction(demo: mardok.Audit, tmp_path: Path) -> None:
    for said in (FACT.format("01632 960142"), "In our shop a violin costs 12 pounds and nobody else says so."):
        assert mardok.check_draft(demo, draft(tmp_path, said)).drafts[0].proof.facts == ()
    # A page that stands there already is the draft itself.
    there = f"/violin-hire/{troubles.CONTRADICTS[0].strip('/').rpartition('/')[2]}/"
    report = mardok.check_draft(demo, draft(tmp_path, FACT.format("01632 960124")), urls=[there])
    assert [one.pages for one in report.drafts[0].proof.facts] == [15]


def test_words_are_looked_up_beside_those_of_the_site(demo: mardok.Audit, only_these: Path, tmp_path: Path) -> None:
    settings = mardok.read_settings(
        None, ["proof.spelling=true", f"proof.dictionaries='{only_these}'"], base=demo.meta.settings.model_dump()
    )
    path = draft(tmp_path, "We hire the voilin for a month and send it back to our workshop.")
    proof = mardok.check_draft(demo, path, settings=settings).drafts[0].proof
    assert [(one.written, one.right) for one in proof.slips] == [("voilin", "violin")]
    (only_these / "en_GB.dic").unlink()
    lacking = mardok.check_draft(demo, path, settings=settings).drafts[0].proof
    assert lacking.slips == ()
    assert "there is no dictionary of 'en'" in lacking.lacking


def test_the_command_and_the_brief_tell_it(
    demo_folder: Path, tmp_path: Path, run_here: Callable[..., CompletedProcess[str]]
) -> None:
    path = draft(tmp_path, BODY, FACT.format("01632 960124"))
    told = run_here("draft", demo_folder, path, "-o", tmp_path / "brief.md")
    assert "you say 01632 960124; 15 pages of the site say 01632 960142" in " ".join(told.stdout.split())
    assert "'the the': a word stands twice in a row; write 'the'" in " ".join(told.stdout.split())
    brief = (tmp_path / "brief.md").read_text("utf-8")
    assert "## Figures that the site states otherwise" in brief
    assert "## Words and signs" in brief
    parts = json.loads(run_here("draft", demo_folder, path, "--json").stdout)["drafts"][0]
    assert {one["check"] for one in parts["slips"]} == {"text-doubled-word", "text-article", "text-comma"}
    assert parts["facts"][0]["site_value"] == "01632 960142"


def test_a_page_shows_where_its_words_are_wrong(
    demo_folder: Path, demo: mardok.Audit, run_here: Callable[..., CompletedProcess[str]]
) -> None:
    path = troubles.DOUBLED_WORD[0]
    shown = run_here("page", demo_folder, path, "--text").stdout
    assert "the the → the" in " ".join(shown.split())
    (slip,) = demo.page(path).slips
    block = next(one for one in demo.page(path).blocks if one["block"] == slip["block"])
    assert block["text"][slip["start"] : slip["end"]] == "the the"
    assert demo.page("/contact/").slips == []
