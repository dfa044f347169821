"""What became of single steps: each rule, and its silence, on sites of a few pages; and random work on random sites."""

from __future__ import annotations

import copy
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from random_sites import BASE, HOST, SITES, write_site

import mardok
from mardok.rechecking.hosts import Hosts
from mardok.rechecking.state import State
from mardok.rechecking.steps import verify_steps
from mardok.rechecking.verdict import PlannedStep
from mardok.vocabulary import STRUCTURAL_STEPS, Decision, Found, Outcome, StepKind

HIRE = "We hire violins by the month, bows and cases too, and bring them to your door on any weekday that you like to name."
PASSAGE = "Bring the instrument in its own case and we shall look at the bridge while you wait beside the stove."
OTHER = "Our cellos come from two small workshops in the hills, and each of them was played for a year before it goes out."
LONG = " ".join(f"{OTHER} {PASSAGE} Number {n} of the bows is made of snakewood and never warps." for n in range(3))


def page(text: str = HIRE, **more: Any) -> dict[str, Any]:
    """A page of a table; `head` and `links` go into its HTML."""
    head, links = more.pop("head", ""), more.pop("links", ())
    title, lang = more.pop("title", "Violins to hire by the month"), more.pop("lang", "en")
    anchors = "".join(f"<p><a href='{url}'>to {url[-6:]}</a></p>" for url in links)
    html = f"<html lang={lang}><head><title>{title}</title>{head}</head><body><h1>{title}</h1><p>{text}</p>{anchors}"
    return {"status": "200", "html": html, **more}


def moved(target: str, status: int = 301) -> dict[str, Any]:
    return {"status": str(status), "redirect_url": f"{HOST}{target}"}


def audited(pages: Mapping[str, dict[str, Any]]) -> mardok.Audit:
    import json

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "pages.jsonl"
        rows = [{"url": url if "//" in url else f"{HOST}{url}", **row} for url, row in pages.items()]
        path.write_text("".join(json.dumps(row) + "\n" for row in rows), "utf-8")
        return mardok.audit(path)


NOINDEX = "<meta name=robots content=noindex>"
BEFORE: dict[str, dict[str, Any]] = {
    "/": page(OTHER, title="Home of the violins"),
    "/keep/": page(HIRE),
    "/old/": page(f"{HIRE} {PASSAGE}"),
    "/old-way/": moved("/old/"),
}


def canonical(url: str) -> str:
    return f"<link rel=canonical href='{url}'>"


ADDRESS_CASES: dict[str, tuple[str, dict[str, dict[str, Any] | None], Outcome, Found]] = {
    "redirected for good": ("redirect", {"/old/": moved("/keep/")}, Outcome.DONE, Found.REDIRECT_RIGHT),
    "by 308": ("redirect", {"/old/": moved("/keep/", 308)}, Outcome.DONE, Found.REDIRECT_RIGHT),
    "for a while": ("redirect", {"/old/": moved("/keep/", 302)}, Outcome.OTHERWISE, Found.REDIRECT_TEMPORARY),
    "in two hops": ("redirect", {"/old/": moved("/on/"), "/on/": moved("/keep/")}, Outcome.OTHERWISE, Found.REDIRECT_CHAIN),
    "to the home page": ("redirect", {"/old/": moved("/")}, Outcome.OTHERWISE, Found.REDIRECT_HOME),
    "to another page": ("redirect", {"/old/": moved("/new/"), "/new/": page(OTHER)}, Outcome.OTHERWISE,
                        Found.REDIRECT_ELSEWHERE),
    "to an error": ("redirect", {"/old/": moved("/no/"), "/no/": {"status": "404"}}, Outcome.OTHERWISE,
                    Found.REDIRECT_ERROR),
    "to an empty page": ("redirect", {"/old/": moved("/no/"), "/no/": page("", title="")}, Outcome.OTHERWISE,
                         Found.REDIRECT_SOFT_404),
    "in a circle": ("redirect", {"/old/": moved("/on/"), "/on/": moved("/old/")}, Outcome.OTHERWISE, Found.REDIRECT_LOOP),
    "to where the page is gone": ("redirect", {"/old/": moved("/keep/"), "/keep/": {"status": "410"}}, Outcome.OTHERWISE,
                                  Found.TARGET_ERROR),
    "to where the page is empty": ("redirect", {"/old/": moved("/keep/"), "/keep/": page("", title="")}, Outcome.OTHERWISE,
                                   Found.TARGET_SOFT_404),
    "to where the page is noindex": ("redirect", {"/old/": moved("/keep/"), "/keep/": page(head=NOINDEX)},
                                     Outcome.OTHERWISE, Found.TARGET_NOT_INDEXABLE),
    "to where nobody looked": ("redirect", {"/old/": moved("/keep/"), "/keep/": None}, Outcome.NOT_TESTABLE,
                               Found.TARGET_UNSEEN),
    "by a refresh": ("redirect", {"/old/": page(head=f"<meta http-equiv=refresh content='0;url={HOST}/keep/'>")},
                     Outcome.OTHERWISE, Found.REDIRECT_REFRESH),
    "gone": ("redirect", {"/old/": {"status": "410"}}, Outcome.OTHERWISE, Found.GONE),
    "a canonical instead": ("redirect", {"/old/": page(head=canonical(f"{HOST}/keep/"))}, Outcome.OTHERWISE,
                            Found.CANONICAL_INSTEAD),
    "nothing": ("redirect", {}, Outcome.NOT_DONE, Found.STILL_ANSWERS),
    "not asked": ("redirect", {"/old/": None}, Outcome.NOT_TESTABLE, Found.UNSEEN),
    "canonical": ("canonical", {"/old/": page(head=canonical(f"{HOST}/keep/"))}, Outcome.DONE, Found.CANONICAL_RIGHT),
    "canonical, relative": ("canonical", {"/old/": page(head=canonical("/keep/"))}, Outcome.OTHERWISE,
                            Found.CANONICAL_RELATIVE),
    "canonical, two of them": (
        "canonical", {"/old/": page(head=canonical(f"{HOST}/keep/") + canonical(f"{HOST}/"))}, Outcome.OTHERWISE,
        Found.CANONICAL_SEVERAL),
    "canonical to another page": ("canonical", {"/old/": page(head=canonical(f"{HOST}/"))}, Outcome.OTHERWISE,
                                  Found.CANONICAL_ELSEWHERE),
    "canonical to itself": ("canonical", {"/old/": page(head=canonical(f"{HOST}/old/"))}, Outcome.NOT_DONE,
                            Found.CANONICAL_MISSING),
    "canonical and noindex": ("canonical", {"/old/": page(head=canonical(f"{HOST}/keep/") + NOINDEX)}, Outcome.OTHERWISE,
                              Found.NOT_INDEXABLE),
    "canonical to a noindex page": (
        "canonical", {"/old/": page(head=canonical(f"{HOST}/keep/")), "/keep/": page(head=NOINDEX)}, Outcome.OTHERWISE,
        Found.TARGET_NOT_INDEXABLE),
    "redirected instead": ("canonical", {"/old/": moved("/keep/")}, Outcome.OTHERWISE, Found.MOVED),
    "noindex": ("noindex", {"/old/": page(head=NOINDEX)}, Outcome.DONE, Found.NOINDEX_RIGHT),
    "noindex at a new address": ("noindex", {"/old/": moved("/new/"), "/new/": page(head=NOINDEX)}, Outcome.DONE,
                                 Found.NOINDEX_RIGHT),
    "still in the index": ("noindex", {}, Outcome.NOT_DONE, Found.STILL_INDEXABLE),
    "gone instead": ("noindex", {"/old/": {"status": "404"}}, Outcome.OTHERWISE, Found.GONE),
    "out by a canonical": ("noindex", {"/old/": page(head=canonical(f"{HOST}/keep/"))}, Outcome.OTHERWISE,
                           Found.NOT_INDEXABLE),
    "retired": ("retire", {"/old/": {"status": "410"}}, Outcome.DONE, Found.RETIRED),
    "retired by 404": ("retire", {"/old/": {"status": "404"}}, Outcome.DONE, Found.RETIRED),
    "fails": ("retire", {"/old/": {"status": "500"}}, Outcome.OTHERWISE, Found.GONE),
    "shows an empty page": ("retire", {"/old/": page("", title="")}, Outcome.OTHERWISE, Found.SOFT_404),
    "redirected away": ("retire", {"/old/": moved("/")}, Outcome.OTHERWISE, Found.MOVED),
    "still there": ("retire", {}, Outcome.NOT_DONE, Found.STILL_ANSWERS),
    "stays": ("leave", {}, Outcome.DONE, Found.STAYS),
    "stays at a new address": ("leave", {"/old/": moved("/new/"), "/new/": page()}, Outcome.DONE, Found.STAYS),
    "went": ("leave", {"/old/": moved("/keep/")}, Outcome.OTHERWISE, Found.MOVED),
    "left the index": ("leave", {"/old/": page(head=NOINDEX)}, Outcome.OTHERWISE, Found.NOT_INDEXABLE),
    "no sitemap": ("sitemap", {}, Outcome.NOT_TESTABLE, Found.NO_SITEMAP),
    "a person has to say": ("investigate", {}, Outcome.NOT_TESTABLE, Found.JUDGEMENT),
}  # fmt: skip
TEXT_CASES: dict[str, tuple[str, dict[str, dict[str, Any] | None], Outcome, Found]] = {
    "text moved": ("move_text", {"/keep/": page(f"{HIRE} {PASSAGE}")}, Outcome.DONE, Found.TEXT_ARRIVED),
    "text moved in part": ("move_text", {"/keep/": page(f"{HIRE} {' '.join(PASSAGE.split()[:9])}")}, Outcome.PARTLY,
                           Found.TEXT_PARTLY),
    "text lost": ("move_text", {}, Outcome.NOT_DONE, Found.TEXT_MISSING),
    "moved to where nobody looked": ("move_text", {"/keep/": None}, Outcome.NOT_TESTABLE, Found.UNSEEN),
    "rewritten": ("rewrite", {"/old/": page(LONG)}, Outcome.DONE, Found.APART),
    "not rewritten": ("rewrite", {}, Outcome.NOT_DONE, Found.TEXT_UNCHANGED),
    "rewritten, and still alike": ("rewrite", {"/old/": page(HIRE)}, Outcome.OTHERWISE, Found.STILL_ALIKE),
    "retitled": ("retitle", {"/old/": page(title="Cases for bows")}, Outcome.DONE, Found.RETITLED),
    "not retitled": ("retitle", {}, Outcome.NOT_DONE, Found.TITLE_UNCHANGED),
    "title taken out": ("retitle", {"/old/": page(title="")}, Outcome.OTHERWISE, Found.TITLE_MISSING),
    "title of another page": ("retitle", {"/old/": page(OTHER, title="Home of the violins")}, Outcome.OTHERWISE,
                              Found.TITLE_TAKEN),
    "linked": ("relink", {"/old/": page(links=["/keep/"])}, Outcome.DONE, Found.LINKED),
    "not linked": ("relink", {}, Outcome.NOT_DONE, Found.NOT_LINKED),
}  # fmt: skip


@pytest.fixture(scope="module")
def before() -> State:
    return State(audited(BEFORE))


@pytest.mark.parametrize("name", [*ADDRESS_CASES, *TEXT_CASES])
def test_a_step_is_told_by_what_stands_there_now(before: State, name: str) -> None:
    kind, changes, outcome, found = (ADDRESS_CASES | TEXT_CASES)[name]
    pages = {path: row for path, row in {**BEFORE, **changes}.items() if row is not None}
    step = PlannedStep(
        "p", 1, f"{HOST}/old/", kind, f"{HOST}/keep/", "", "", "", Decision.ACCEPT, {}, (f"{HOST}/keep/", f"{HOST}/old/")
    )
    verified = verify_steps([step], before, [State(audited(pages))], rules=mardok.Settings().recheck)[0]
    assert (verified.outcome, verified.verdicts[0].found) == (outcome, found)
    assert str(verified.found)


def test_a_pointer_that_leads_where_it_led_is_not_done(before: State) -> None:
    after = State(audited({**BEFORE, "/old/": moved("/keep/")}))
    step = PlannedStep("p", 1, f"{HOST}/old-way/", "redirect", f"{HOST}/keep/", "", "", "", Decision.NONE, {}, ())
    assert verify_steps([step], before, [after], rules=mardok.Settings().recheck)[0].outcome == Outcome.NOT_DONE


def test_what_was_done_and_is_not_any_more_is_undone(before: State) -> None:
    states = [State(audited({**BEFORE, "/old/": row})) for row in (moved("/keep/"), page(f"{HIRE} {PASSAGE}"))]
    step = PlannedStep("p", 1, f"{HOST}/old/", "redirect", f"{HOST}/keep/", "", "", "", Decision.NONE, {}, ())
    verified = verify_steps([step], before, states, rules=mardok.Settings().recheck)[0]
    assert verified.outcome == Outcome.UNDONE
    assert "was done on" in str(verified.found)
    unseen = State(audited({path: row for path, row in BEFORE.items() if path != "/old/"}))
    verified = verify_steps([step], before, [states[0], unseen], rules=mardok.Settings().recheck)[0]
    assert verified.outcome == Outcome.NOT_TESTABLE  # nobody asked: it may still be done


def test_a_staging_host_stands_for_the_site(before: State) -> None:
    staged = {}
    for path, row in {**BEFORE, "/old/": moved("/keep/")}.items():
        target = row.get("redirect_url", "").replace(HOST, "http://127.0.0.1:8000")
        staged[f"http://127.0.0.1:8000{path}"] = {**row, "redirect_url": target}
    hosts = Hosts.read([f"{HOST.removeprefix('https://')}=http://127.0.0.1:8000"])
    step = PlannedStep("p", 1, f"{HOST}/old/", "redirect", f"{HOST}/keep/", "", "", "", Decision.NONE, {}, ())
    after = State(audited(staged), hosts)
    assert verify_steps([step], before, [after], rules=mardok.Settings().recheck)[0].outcome == Outcome.DONE
    for wrong in ("a", "=b", "a=", "a/b=c", "https://a?b=c"):
        with pytest.raises(mardok.RecheckError):
            Hosts.read([wrong])


CARRIED_OUT = (*STRUCTURAL_STEPS, StepKind.MOVE_TEXT, StepKind.RELINK)


def carry_out(pages: dict[str, dict[str, Any]], step: Any) -> None:
    """What a person does to a site for one step."""
    row = pages[step.url]
    if step.step == StepKind.REDIRECT:
        row |= {"status": 301, "target": step.target}
    elif step.step == StepKind.CANONICAL:
        row |= {"canonical": step.target}
    elif step.step == StepKind.NOINDEX:
        row |= {"robots": "noindex"}
    elif step.step == StepKind.RETIRE:
        row |= {"status": 410}
    elif step.step == StepKind.MOVE_TEXT:
        pages[step.target]["text"] += f"</p><p>{row['text']}"
    elif step.pattern_value:
        for page in pages.values() if "edit of their template" in step.detail else [row]:
            page["links"] = [step.target if url == step.pattern_value else url for url in page["links"]]


@settings(
    deadline=None, max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture],
    phases=[Phase.explicit, Phase.reuse, Phase.generate],
)  # fmt: skip
@given(pages=SITES, data=st.data())
def test_recheck_says_exactly_what_was_carried_out(tmp_path: Path, pages: dict[str, Any], data: st.DataObject) -> None:
    before = mardok.audit(write_site(tmp_path / "before.jsonl", pages))
    asked = before.steps[before.steps["step"].isin(CARRIED_OUT)]
    asked = asked[(asked["step"] != StepKind.RELINK) | (asked["pattern_value"] != "")]
    order = asked["step"].map({StepKind.RELINK: 0, StepKind.MOVE_TEXT: 1}).fillna(2)
    asked = asked.assign(when=order).sort_values("when", kind="stable")
    steps = list(asked[["proposal", "order", "url", "step", "target", "pattern_value", "detail"]].itertuples(index=False))
    chosen = data.draw(st.lists(st.sampled_from(steps), unique=True)) if steps else []
    now = copy.deepcopy(pages)
    for step in steps:
        if step in chosen and step.url in now:
            carry_out(now, step)
    result = mardok.recheck(before, mardok.audit(write_site(tmp_path / "after.jsonl", now)))
    outcome = {(row.proposal, row.order): row.outcome for row in result.verified.itertuples()}
    structural = {step.url for step in chosen if step.step in STRUCTURAL_STEPS}
    for step in steps:
        told = outcome.get((step.proposal, step.order))
        if told is None or (step.step not in STRUCTURAL_STEPS and step.url in structural):
            continue  # a proposal to be left; a page that is gone has no links and texts
        if step.step == StepKind.MOVE_TEXT and step.target in structural:
            continue
        wanted = {Outcome.DONE} if step in chosen else {Outcome.NOT_DONE}
        if step.step == StepKind.MOVE_TEXT and not pages[step.url]["text"].replace(BASE, "").strip():
            wanted.add(Outcome.DONE)  # there was nothing to move
        if step.step in (StepKind.REDIRECT, StepKind.CANONICAL) and step.target not in now:
            continue
        assert told in wanted, (step, told)
