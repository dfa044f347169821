"""What of two audits can be compared.

In:  what two audits know of themselves.
Out: the findings that cannot be compared, each with the reason; errors where nothing can.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel

from mardok.meta import AuditMeta
from mardok.proofing.job import spelling_names
from mardok.sentences import Sentence, listing, sentence
from mardok.vocabulary import CheckId, NotComputed, Subject

_ALL = frozenset(Subject)
_DEPENDING: Mapping[str, frozenset[Subject]] = {
    "crawl": frozenset(),
    "links": frozenset([Subject.GROUP, Subject.RIVALS, Subject.PROPOSAL]),
    "phrases": frozenset([Subject.RIVALS, Subject.PROPOSAL]),
    "search": frozenset([Subject.RIVALS, Subject.THIN, Subject.PROPOSAL]),
    "rivals": frozenset([Subject.RIVALS, Subject.THIN, Subject.PROPOSAL]),
    "thin": frozenset([Subject.THIN, Subject.RIVALS, Subject.PROPOSAL]),
    "checks": frozenset([Subject.CHECK, Subject.PROPOSAL]),
    "plan": frozenset([Subject.PROPOSAL]),
    "proof": frozenset([Subject.CHECK, Subject.PROPOSAL]),
    "recheck": frozenset(),
}
"""Findings that another setting of a section changes; all of them where a section is not named."""
_NEEDED: tuple[tuple[str, NotComputed], ...] = (
    ("title-", NotComputed.TITLES), ("description-", NotComputed.TEXTS), ("h1-", NotComputed.TEXTS),
    ("h2-", NotComputed.TEXTS), ("heading-", NotComputed.TEXTS), ("text-", NotComputed.TEXTS),
    ("link-", NotComputed.LINKS), ("page-orphan", NotComputed.LINKS), ("page-orphan", NotComputed.SITEMAPS),
    ("image-broken", NotComputed.IMAGES), ("sitemap-", NotComputed.SITEMAPS), ("redirect-", NotComputed.STATUS),
)  # fmt: skip
"""What checks need, by the beginnings of their names."""
_ASKED_FOR: Mapping[str, str] = {
    CheckId.TEXT_MISSPELT: "spelling", CheckId.TEXT_VARIANTS_MIXED: "spelling", CheckId.TEXT_DOUBLED_WORD: "doubled_words",
    CheckId.TEXT_COMMA: "commas", CheckId.TEXT_BRACKET: "brackets", CheckId.TEXT_ARTICLE: "articles",
    CheckId.TEXT_CAPITAL: "capitals", CheckId.TEXT_LEFTOVER: "leftovers", CheckId.TEXT_CONTRADICTS: "contradictions",
}  # fmt: skip
"""Settings of proofreading without which checks are not made."""
_WHOLE = frozenset([CheckId.PAGE_ORPHAN])
"""Checks that only a whole crawl allows."""


def differing_settings(before: AuditMeta, after: AuditMeta) -> list[str]:
    """Settings that two audits differ in, by name."""
    return sorted(_differences("", before.settings, after.settings))


def _differences(prefix: str, one: BaseModel, other: BaseModel) -> list[str]:
    result = []
    for name in type(one).model_fields:
        a, b = getattr(one, name), getattr(other, name)
        if isinstance(a, BaseModel) and isinstance(b, BaseModel):
            result += _differences(f"{prefix}{name}.", a, b)
        elif a != b:
            result.append(f"{prefix}{name}")
    return result


def not_comparable(before: AuditMeta, after: AuditMeta) -> dict[Subject, Sentence]:
    """Findings that cannot be compared, with the reason."""
    result: dict[Subject, Sentence] = {}
    names = differing_settings(before, after)
    for subject in Subject:
        mattering = [name for name in names if _matters(name, subject)]
        if mattering:
            result[subject] = sentence("recheck.left-out.settings", names=listing(mattering, most=4))
    if bool(before.totals["search"]) != bool(after.totals["search"]):
        for subject in (Subject.RIVALS, Subject.THIN, Subject.PROPOSAL):
            result.setdefault(subject, sentence("recheck.left-out.search"))
    for what in (NotComputed.TEXTS, NotComputed.LINKS):
        if lacks(before, what) != lacks(after, what):
            for subject in _ALL - {Subject.CHECK}:
                result.setdefault(subject, sentence("recheck.left-out.columns", what=sentence(f"not-computed.what.{what}")))
    return result


def _matters(name: str, subject: Subject) -> bool:
    section = name.partition(".")[0]
    # Of what is asked for or not each check tells by itself whether it can be compared.
    is_own = section == "proof" and name.rpartition(".")[2] in _ASKED_FOR.values()
    is_effort = name.startswith(("plan.effort.", "plan.confidence_"))
    return not is_effort and not is_own and subject in _DEPENDING.get(section, _ALL)


def can_check(check: str, meta: AuditMeta) -> bool:
    """Whether an audit could find a trouble at all."""
    if check in _WHOLE and not meta.totals["crawl"]["whole"]:
        return False
    if check in _ASKED_FOR and not getattr(meta.settings.proof, _ASKED_FOR[check]):
        return False
    if _ASKED_FOR.get(check) == "spelling" and not spelling_names(meta.totals["languages"]).isdisjoint(meta.not_computed):
        return False
    return not any(check.startswith(begin) and lacks(meta, what) for begin, what in _NEEDED)


def lacks(meta: AuditMeta, what: NotComputed) -> bool:
    """Whether an audit could not compute something."""
    return str(sentence(f"not-computed.what.{what}")) in meta.not_computed


def coverage_notes(before: AuditMeta, after: AuditMeta) -> list[Sentence]:
    """What differs in how much of the site was read."""
    notes = []
    crawls: list[dict[str, Any]] = [one.totals["crawl"] for one in (before, after)]
    if crawls[0]["whole"] and not crawls[1]["whole"]:
        notes.append(sentence("recheck.coverage.part", gaps="; ".join(crawls[1]["gaps"])))
    a, b = (one.settings.crawl for one in (before, after))
    if (a.include, a.exclude, a.max_pages) != (b.include, b.exclude, b.max_pages):
        notes.append(sentence("recheck.coverage.scope"))
    if before.mardok != after.mardok:
        notes.append(sentence("recheck.coverage.version", before=before.mardok, after=after.mardok))
    return notes
