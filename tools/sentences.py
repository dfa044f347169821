"""Writes ``docs/sentences.md``: one of each sentence that readers may be shown. Usage: ``python tools/sentences.py``."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path
from string import Formatter
from typing import Any

import numpy as np

from mardok.sentences import keys, sentence
from mardok.sentences.sentence import _templates

OUT = Path(__file__).parent.parent / "docs" / "sentences.md"
_NUMBERS = {"whole", "tenths", "signed_tenths", "short", "percent", "fine_percent"}
_SHARES = {"percent", "fine_percent"}
_SAMPLES: Mapping[str, Any] = {
    "above": 1, "action": "merge", "addresses": "4 addresses", "all": 14, "anchor": "violin rental",
    "asked": "'violin hire'", "because": "they are noindex", "before": "in the same 13 weeks of the year before",
    "begins": "You pay by the month", "below": 3, "cases": 12, "changes": "16 times", "chapters": "6 pages",
    "characters": 71, "checks": "h1-missing", "columns": "'html' or 'text'", "confidence": "medium",
    "day": "2031-03-03", "context": "We also do violin rental.",
    "copied": "31 pages", "copies": "2 copies", "date": "2030-05-01",
    "decisions": "2 decisions", "detail": "near copy", "differences": "only /a/ says '36'",
    "end": "https://host.example/b/", "example": "/a?x=1 shows /a", "examples": "/trumpet-hire/", "expected": "+13",
    "fault": "1 broken link", "faults": "1 broken link and 1 redirect loop", "few": "30 of its 200 words are its own",
    "field": "headings and images", "fields": "title and h1", "file": "drafts/001.md",
    "first": "Both pages appear for 2 queries.", "gain": "+13 clicks/month (+3 to +22)",
    "gaps": "2 linked addresses were not read", "groups": "9 groups of rivals", "here": "/a?x=1", "high": "+22",
    "hours": "2.5 hours", "how": "stopped by Ctrl-C", "id": "0123456789", "items": "/a/, /b/", "kept": "/keeper/",
    "kind": "an article", "known": "there is no search data", "language": "de", "last": "/c/", "least": 60,
    "length": "13 weeks", "line": "fix 1 broken link", "low": "+3", "manual": "/manual/all/", "mark": "slash",
    "matter": "Merge /a/ into /b/", "mentions": "12 mentions", "more": "2 more kinds of fault",
    "name": "Wyndale Violin Hire", "named": "Merge /a/ into /b/", "near": "'violin rental'", "new": "/b/",
    "next": "6.2", "now": "in the last 13 weeks", "number": "2 queries", "obstacle": "a home page is never moved",
    "old": "/a/", "one": "/a/", "original": "/en/a/", "other": "/other/", "other_place": "at position 10.3",
    "others": "/a/", "own": 30, "owner": "the editor", "owners": "2 proposals for the editor (3 hours)",
    "page": "/a/", "pages": "/a/ and /b/", "parameter": "sort", "parts": ": 404", "passages": "31 passages",
    "path": "audit/plan.csv", "pattern": "Violin hire in ...", "phrase": "violin hire", "phrases": "20 phrases",
    "place": "at position 4.1", "position": "at position 4.1", "proposals": "12 proposals", "px": 600,
    "queries": "'violin hire' and 'hire a violin'", "range": "+3 to +22", "reason": "it is the home page",
    "requests": "40 requests", "rivals": "8 groups of rivals", "rules": "host a to b", "section": "/blog/",
    "setting": "noindex", "share": "0.2%", "shares": "86% to 92%", "shown": "/a/",
    "since": np.datetime64("2030-07-01"), "site": "www.host.example", "slot": "Aldbrunn",
    "slots": "'Aldbrunn' and 'Cawsleigh'", "span": "in the last 13 weeks", "summary": "Merge /a/ into /b/",
    "sure": "medium", "target": "/b/", "text": "Hire a violin by the month.", "texts": "2 texts", "there": "/a",
    "thin": "18 thin pages", "tickets": "5 tickets", "title": "Violin hire", "titles": "101 titles",
    "told": "1 proposal", "trouble": "the page has no H1", "unit": "clicks", "unless": "both must stay reachable",
    "url": "https://host.example/a/", "uses": "3 uses", "value": "404", "variants": "18 written variants",
    "weeks": "130 weekly comparisons", "what": "footer", "where": "all are in a.csv", "why": "no text to compare",
    "word": "violin", "words": "'36'", "words_a": "142 words", "words_b": "140 words",
}  # fmt: skip
"""Values by name; what a template has written as a figure is one of those below."""
_OF_KEY: Mapping[str, Mapping[str, Any]] = {
    "thin.reason": {"words": 200},
    "brief.words": {"words": "200 words"},
    "rivals": {"path": "the other page"},
    "shares": {"least": "86%", "most": "92%"},
    "kind-sign": {"value": "repairs"},
    "variant-rule": {"value": "sort"},
    "template": {"pages": 12, "kind": "product"},
    "handoff.template": {"pages": 128},
    "decision": {"changes": "clicks 12 to 30", "name": "clicks"},
    "translate": {"pages": "3 pages"},
    "answer.since-part": {"subject": "thin pages", "changes": "5 gone"},
    "answer.since-left-out": {"what": "thin pages", "why": "the audits differ in thin.pages"},
    "answer.since": {"changes": "thin pages: 5 gone"},
    "recheck": {
        "end": "/b/",
        "target": "/b/",
        "way": "/on/ and /b/",
        "hops": "2 hops",
        "words": "130 words",
        "was": "30 words of its own",
        "now": "80 words of its own",
        "asked": "2 queries",
        "missing": "'Wind the string so that it climbs.'",
        "pages": "6 pages",
        "found": "still answers with a page of its own",
        "told": "The 6 pages get 240 clicks a month.",
        "reason": "noindex",
        "canonicals": "https://host.example/a/, https://host.example/b/",
        "values": "404",
        "length": "15 weeks",
        "before": "2030-03-04",
        "after": "2031-03-03",
        "until": "2031-03-24",
        "since": "2030-03-04",
        "how": "leads to",
        "error": "later.csv: there is no such search file",
        "names": "thin.pages",
        "what": "thin pages",
        "subject": "Thin pages",
        "parts": "5 gone",
        "steps": "201 steps",
        "proposals": "27 proposals",
        "kind": "copies",
        "path": "recheck/recheck.html",
        "changes": "5 gone",
    },
    "recheck.found.links-as-before": {"was": "2 links", "where": ": on /a/ and /b/"},
    "recheck.found.linked-partly": {"where": ": on /a/"},
    "recheck.coverage.version": {"before": "0.1", "after": "0.2"},
    "folded": {"pages": "12 pages", "others": "4 others"},
    "copies.left": {"pages": "4 pages"},
    "thin.left": {"pages": "4 thin pages"},
    "answer": {"pages": "164 pages"},
    "letter": {"pages": "164 pages", "rivals": "8 groups", "variants": "18 addresses"},
    "trim": {"pages": "12 pages"},
    "contained.summary.pairs": {"pages": "3 pages"},
    "not-computed": {"path": "pages.csv"},
    "filter": {"example": "/shop/?colour=red"},
}
"""The same for the templates whose keys begin so; the longest beginning counts."""
_FIGURES: Mapping[str, float] = {
    "position": 8.4, "months": 14.9, "hours": 2.5, "n": 3, "low": 28, "high": 65, "expected": 46, "first": 12, "own": 30,
    "good": 5,
}  # fmt: skip


def sentences() -> str:
    """The document as Markdown."""
    lines = [
        "# Sentences",
        "",
        "One of each sentence that readers may be shown, made by `tools/sentences.py` from `src/mardok/sentences/en.toml`.",
        "A translation is another file of that form.",
    ]
    section = ""
    for key in keys():
        if key.partition(".")[0] != section:
            section = key.partition(".")[0]
            lines += ["", f"## {section}", ""]
        lines += [f"- `{key}`: {text}" for text in _shown(key)]
    return "\n".join(lines) + "\n"


def _shown(key: str) -> Iterator[str]:
    template = _templates()[key]
    forms = template if isinstance(template, dict) else {"": template}
    named = {
        name: (spec or "", conversion)
        for form in forms.values()
        for _, name, spec, conversion in Formatter().parse(form)
        if name
    }
    for form in forms:
        values = {name: _sample(key, name, spec) for name, (spec, _) in named.items()}
        yield str(sentence(key, **{**values, "n": 1 if form == "one" else 3}))


def _sample(key: str, name: str, spec: str) -> Any:
    """A value as a template has it written."""
    beginnings = sorted((one for one in _OF_KEY if key.startswith(one)), key=len, reverse=True)
    for beginning in beginnings:
        if name in _OF_KEY[beginning] and not spec:
            return _OF_KEY[beginning][name]
    if spec == "day":
        return _SAMPLES["since"]
    if spec in _SHARES:
        return 0.43
    if spec in _NUMBERS:
        return _FIGURES.get(name, 1234.0 if spec == "whole" else 12.5)
    return _SAMPLES.get(name, 12)


if __name__ == "__main__":
    OUT.write_text(sentences(), "utf-8")
