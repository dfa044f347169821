"""What follows for a draft: go on, extend a page instead, or tell it apart from one.

In:  what it has in common with the site, who promises the same, who is found for it.
Out: findings, the weightiest first, each with the page, the advice and the reason.

The rules are rows of the table of actions, read for a page that is not published yet: what would be merged is better written
into the page that stands; what would be rewritten or retitled is told apart before it goes out.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from mardok.drafts.alike import Alike, Relative
from mardok.drafts.draft import Draft
from mardok.drafts.known import KnownSite
from mardok.drafts.promised import Promised, best_shown, promises_differ
from mardok.sentences import Sentence, page_name, quoted, sentence
from mardok.vocabulary import DraftAdvice, DraftRule

_FIRST_PAGE = 10
"""Mean position down to which a page is found on the first page of results."""
_WHOLE_MANUAL = 3
"""Pages that a one-page manual holds at least."""


@dataclass(frozen=True)
class DraftFinding:
    """One reason not to publish a draft as it is."""

    rule: DraftRule
    advice: DraftAdvice
    url: str
    """The page in question; of another draft its name."""
    reason: Sentence
    unless: Sentence
    """What would change the advice."""


_ADVICE = {
    DraftRule.COPY: DraftAdvice.EXTEND,
    DraftRule.COPY_OF_OTHER: DraftAdvice.TELL_APART,
    DraftRule.CONTAINED: DraftAdvice.EXTEND,
    DraftRule.CONTAINED_IN_OTHER: DraftAdvice.TELL_APART,
    DraftRule.HOLDS: DraftAdvice.EXTEND,
    DraftRule.HOLDS_OTHER: DraftAdvice.TELL_APART,
    DraftRule.HOLDS_TWO: DraftAdvice.EXTEND,
    DraftRule.PATCHED: DraftAdvice.TELL_APART,
    DraftRule.NAMED: DraftAdvice.EXTEND,
    DraftRule.PROMISED_AND_SHOWN: DraftAdvice.EXTEND,
    DraftRule.SHOWN: DraftAdvice.EXTEND,
    DraftRule.PROMISED: DraftAdvice.TELL_APART,
    DraftRule.DRAFT_ALIKE: DraftAdvice.TELL_APART,
    DraftRule.DRAFT_PROMISES: DraftAdvice.TELL_APART,
}


def findings_of(known: KnownSite, draft: Draft, alike: Alike, promised: Promised) -> list[DraftFinding]:
    """Everything that speaks against publishing a draft as it is, the weightiest first.

    Parameters
    ----------
    alike : Alike
        What it has in common with the site word for word.
    promised : Promised
        Who promises what it promises.
    """
    result: dict[str, DraftFinding] = {}
    for finding in (*_of_texts(known, draft, alike), *_of_promises(known, draft, promised)):
        result.setdefault(finding.url, finding)
    return list(result.values())


def finding(rule: DraftRule, url: str, **values: object) -> DraftFinding:
    """A finding with its sentences.

    Parameters
    ----------
    rule : DraftRule
        The row that decided.
    url : str
        The page in question.
    **values : object
        Figures of the reason.
    """
    named = page_name(url) if "//" in url else url
    reason = sentence(f"draft.reason.{rule}", page=named, **values)
    return DraftFinding(rule, _ADVICE[rule], url, reason, sentence(f"draft.unless.{rule}", page=named))


def _of_texts(known: KnownSite, draft: Draft, alike: Alike) -> Iterator[DraftFinding]:
    settings = known.audit.meta.settings
    copies = [one for one in alike.relatives if one.resemblance >= settings.copies.resemblance]
    left = [one for one in alike.relatives if one not in copies]
    inside = [one for one in left if one.draft_in_page >= settings.pairs.containment]
    held = [one for one in left if one not in inside and one.page_in_draft >= settings.pairs.containment]
    for one in copies:
        rule = DraftRule.COPY_OF_OTHER if promises_differ(known, draft, one.row) else DraftRule.COPY
        yield finding(rule, one.url, share=one.resemblance)
    for one in inside:
        rule = DraftRule.CONTAINED_IN_OTHER if promises_differ(known, draft, one.row) else DraftRule.CONTAINED
        yield finding(rule, one.url, share=one.draft_in_page)
    if len(held) == 1 and not copies:
        rule = DraftRule.HOLDS_OTHER if promises_differ(known, draft, held[0].row) else DraftRule.HOLDS
        yield finding(rule, held[0].url, share=held[0].page_in_draft)
    elif 1 < len(held) < _WHOLE_MANUAL and not copies:
        kept, *others = _strongest_first(known, held)
        yield finding(DraftRule.HOLDS_TWO, kept.url, other=page_name(others[0].url), share=kept.page_in_draft)
    if not copies and not inside and not held and alike.copied_share >= settings.pairs.containment:
        most = max((one for one in alike.pasted if not one.is_boilerplate), key=lambda one: one.words)
        yield finding(DraftRule.PATCHED, most.url, share=alike.copied_share)


def _strongest_first(known: KnownSite, relatives: list[Relative]) -> list[Relative]:
    """Pages with most clicks first, then those that most pages link to."""
    pages = known.pages(np.array([one.row for one in relatives], np.int64), ("clicks", "inlinks"))
    strength = {one.row: (page["clicks"] or 0.0, page["inlinks"]) for one, page in zip(relatives, pages, strict=True)}
    return sorted(relatives, key=lambda one: (*(-figure for figure in strength[one.row]), one.url))


def _of_promises(known: KnownSite, draft: Draft, promised: Promised) -> Iterator[DraftFinding]:
    settings = known.audit.meta.settings
    least, last = settings.rivals.minimum_impressions, settings.rivals.last_position
    shown = {
        phrase: best for phrase, search in promised.shown.items()
        if (best := best_shown(known, search, draft, least, last)) is not None
    }  # fmt: skip
    rows_shown = {one.row: (phrase, one) for phrase, search in promised.shown.items() for one in search.shown}
    for one in promised.same:
        if one.is_named:
            yield finding(DraftRule.NAMED, one.url, phrase=quoted(one.phrase))
            continue
        told = rows_shown.get(one.row)
        if told is not None and told[1].exact_impressions >= least and told[1].position_now <= last:
            yield finding(
                DraftRule.PROMISED_AND_SHOWN, one.url, phrase=quoted(one.phrase),
                position=told[1].position_now, impressions=told[1].exact_impressions,
            )  # fmt: skip
        else:
            yield finding(DraftRule.PROMISED, one.url, phrase=quoted(one.phrase))
    promising = {one.row for one in promised.same}
    for phrase, best in shown.items():
        if best.row not in promising and best.position_now <= _FIRST_PAGE:
            yield finding(
                DraftRule.SHOWN, best.url, phrase=quoted(phrase), position=best.position_now,
                impressions=best.exact_impressions,
            )  # fmt: skip
