"""Drafts against the audited demo: what is told of planted cases, of odd files, and what the command answers."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

import mardok
from mardok.demo import troubles
from mardok.vocabulary import DraftAdvice, DraftRule

HOST = troubles.HOST
ALONE = (
    "/blog/buzzing-violin/", "/blog/choosing-a-teacher/", "/blog/holding-the-violin/", "/blog/learning-as-an-adult/",
    "/blog/practising-in-a-flat/", "/repairs/bridge-fitting/", "/repairs/pegs/",
)  # fmt: skip
"""Pages in no group, with texts of their own."""
SEARCHED = ALONE[:2] + ("/blog/learning-as-an-adult/",)
"""Those for which search shows them when it is asked for what their titles say, and no more."""
MODELS = {
    "/instruments/harrow-student-violin/": "harrow", "/instruments/lindgren-advanced-violin/": "lindgren",
    "/instruments/marlow-viola/": "marlow", "/instruments/oblong-case/": "oblong", "/instruments/ottery-cello/": "ottery",
    "/instruments/penhallow-cello/": "penhallow", "/instruments/tolland-double-bass/": "tolland",
}  # fmt: skip
"""Instruments with the names of their models."""
OTHERS = dict(zip(ALONE, (*ALONE[1:], ALONE[0]), strict=True))
"""For each another one."""


def body_of(demo: mardok.Audit, path: str) -> list[str]:
    """Paragraphs of a page without its H1."""
    page = demo.pages.iloc[demo.row_of(path)]
    return [line for line in page["main_text"].split("\n") if line != page["h1"]]


def markdown(title: str, lines: list[str], **fields: str) -> str:
    head = "".join(f"{name}: {value}\n" for name, value in {"title": title, **fields}.items())
    return f"---\n{head}---\n\n# {title}\n\n" + "\n\n".join(lines) + "\n"


def edited(lines: list[str], every: int) -> list[str]:
    """The same with every so many words exchanged."""
    result, n = [], 0
    for line in lines:
        words = line.split()
        for at in range(len(words)):
            n += 1
            if n % every == 0:
                words[at] = f"plover{n}"
        result.append(" ".join(words))
    return result


def title_of(demo: mardok.Audit, path: str) -> str:
    return str(demo.pages.iloc[demo.row_of(path)]["h1"])


ONCE = "At the lighthouse the keeper lent us a ladder, and the heron on the seventh rung would not move for anyone."
NEW = [
    "The ferry to the island takes eleven passengers, a goat and one double bass, in whatever order they arrive.",
    "Nobody sells tickets. You hand the captain something to read, and he decides while the gulls decide about your lunch.",
    ONCE,
]
GERMAN = [
    "Die Fähre zur Insel fährt nur, wenn der Wind aus Westen kommt und der Kapitän gefrühstückt hat.",
    "Wer ein Instrument dabei hat, sitzt innen und zahlt nicht, denn die Überfahrt ist ohnehin feucht genug.",
]


def case(kind: str, path: str, demo: mardok.Audit) -> tuple[str, dict[str, str], DraftAdvice, DraftRule | None, str]:
    """A draft, how it is asked about, and what must be told: advice, rule, page."""
    title, lines, other = title_of(demo, path), body_of(demo, path), OTHERS.get(path, "")
    go_on = (DraftAdvice.GO_ON, None, "")
    if kind == "a copy":
        return markdown(title, edited(lines, 60)), {}, DraftAdvice.EXTEND, DraftRule.COPY, path
    if kind == OTHER_PROMISE:
        another = re.sub(MODELS[path], "Greywether", markdown(title, lines), flags=re.IGNORECASE)
        return another, {}, DraftAdvice.TELL_APART, DraftRule.COPY_OF_OTHER, path
    if kind == "two pages made one":
        text = markdown("Two old stories in one", [*lines, ONCE, *body_of(demo, other)])
        return text, {}, DraftAdvice.EXTEND, DraftRule.HOLDS_TWO, ""
    if kind == "rewritten enough":
        return markdown("Ferries, goats and what they cost", [*NEW, *edited(lines, 4)]), {}, *go_on
    if kind == "the same promise in other words":
        turned = " ".join(re.sub(r"[?:,]", "", title).split()[::-1])
        if path not in SEARCHED:
            return markdown(turned, NEW), {}, DraftAdvice.TELL_APART, DraftRule.PROMISED, path
        return markdown(turned, NEW), {}, DraftAdvice.EXTEND, DraftRule.PROMISED_AND_SHOWN, path
    if kind == "another language":
        return markdown(title, GERMAN * 3, lang="de"), {}, *go_on
    if kind == "a phrase that we are found for":
        queries = {"/blog/holding-the-violin/": "how to hold a violin", "/repairs/pegs/": "violin pegs slipping"}
        if path in queries:  # asked in other words than any page promises
            return "", {"phrase": queries[path]}, DraftAdvice.EXTEND, DraftRule.SHOWN, path
        if path not in SEARCHED:
            return "", {"phrase": title}, DraftAdvice.TELL_APART, DraftRule.PROMISED, path
        return "", {"phrase": title}, DraftAdvice.EXTEND, DraftRule.PROMISED_AND_SHOWN, path
    if kind == "nothing alike":
        return markdown(f"Ferries and {path.strip('/').rpartition('/')[2][:3]} goats", NEW), {}, *go_on
    assert kind == "the page itself"
    return markdown(title, edited(lines, 40)), {"url": path}, *go_on


OTHER_PROMISE = "a copy that promises something else"
KINDS = (
    "a copy", OTHER_PROMISE, "two pages made one", "rewritten enough",
    "the same promise in other words", "another language", "a phrase that we are found for", "nothing alike",
    "the page itself",
)  # fmt: skip


CASES = [(kind, path) for kind in KINDS for path in (MODELS if kind == OTHER_PROMISE else ALONE)]


@pytest.mark.parametrize(("kind", "path"), CASES)
def test_planted_drafts_are_told_rightly(kind: str, path: str, demo: mardok.Audit, tmp_path: Path) -> None:
    text, asked, advice, rule, page = case(kind, path, demo)
    file = tmp_path / "draft.md"
    file.write_text(text)
    report = mardok.check_draft(
        demo, *([file] if text else []), phrases=[asked["phrase"]] if "phrase" in asked else (),
        urls=[asked["url"]] if "url" in asked else (),
    )  # fmt: skip
    (one,) = report.drafts
    assert (one.advice, report.is_clear) == (advice, advice == DraftAdvice.GO_ON), str(one.sentence)
    if rule is not None:
        assert one.findings[0].rule == rule
        assert one.findings[0].url in ([f"{HOST}{page}"] if page else [f"{HOST}{path}", f"{HOST}{OTHERS[path]}"])
    if kind == "two pages made one":
        shown = {relative.url for relative in one.alike.relatives if relative.page_in_draft > 0.8}
        assert shown == {f"{HOST}{path}", f"{HOST}{OTHERS[path]}"}
    if kind == "the page itself":
        assert one.draft.url == f"{HOST}{path}"
        assert f"{HOST}{path}" not in {relative.url for relative in one.alike.relatives}
        assert f"{HOST}{path}" not in json.dumps(one.queries)
