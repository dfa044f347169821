"""What a draft has in common with pages of the site, word for word.

In:  a draft, the fingerprints and texts of the pages.
Out: pages whose text it repeats, with exact resemblance and containment, and each passage that stands on the site already.

Candidates are found by fingerprints, of which eight words in a row leave one in common; every figure is counted on words.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.compare.fingerprints import fingerprints
from mardok.compare.resemblance import common_wording
from mardok.drafts.draft import Draft
from mardok.drafts.known import KnownSite
from mardok.text.hashes import RUN_WORDS, Hashes, run_hashes, word_hashes
from mardok.text.spans import WordSpans
from mardok.text.words import folded

_MOST_NEAREST, _MOST_CARRIERS = 60, 3
"""Pages with most fingerprints in common that are compared, and pages with each fingerprint that none of these has."""
_MOST_COMPARED = 400
_HALF = 0.5


@dataclass(frozen=True)
class Relative:
    """A page of the site that says much of what the draft says, or the other way."""

    row: int
    url: str
    resemblance: float
    draft_in_page: float
    """Share of the draft's wording that the page has, too."""
    page_in_draft: float
    words: int
    """Words of the page."""


@dataclass(frozen=True)
class Pasted:
    """A passage of the draft that stands on the site already."""

    text: str
    """As the draft writes it."""
    words: int
    url: str
    """A page that has it."""
    pages: int
    """Pages that were found to have it."""
    is_boilerplate: bool


@dataclass(frozen=True)
class Alike:
    """What a draft has in common with the site."""

    relatives: tuple[Relative, ...]
    """Those with most in common first."""
    pasted: tuple[Pasted, ...]
    """In the order of the draft."""
    copied_share: float
    """Share of the draft's words in such passages, boilerplate left out; 0 to 1."""


def find_alike(known: KnownSite, draft: Draft) -> Alike:
    """What a draft has in common with the pages of the site, its own left out.

    Parameters
    ----------
    draft : Draft
        With text.
    """
    rows = _candidates(known, draft)
    pages = known.pages(rows, ("url", "main_text", "words", "indexable", "variant_of"))
    settings = known.audit.meta.settings
    relatives, carriers = [], []
    for row, page in zip(rows.tolist(), pages, strict=True):
        if not page["indexable"] or page["variant_of"]:
            continue
        shared = common_wording(draft.text, page["main_text"])
        shorter = min(len(draft.words), int(page["words"]))
        is_contained = max(shared.a_in_b, shared.b_in_a) >= settings.pairs.containment
        if shared.resemblance >= _HALF or (is_contained and shorter >= settings.pairs.containment_words):
            relatives.append(Relative(row, page["url"], *shared, int(page["words"])))
        carriers.append(_Carrier(row, page["url"], word_hashes([folded(page["main_text"])])[0]))
    relatives.sort(key=lambda one: (-max(one.resemblance, one.draft_in_page, one.page_in_draft), one.url))
    pasted, is_copied = _passages(known, draft, carriers)
    n_words = len(draft.words)
    return Alike(tuple(relatives), tuple(pasted), float(is_copied.sum()) / n_words if n_words else 0.0)


def _candidates(known: KnownSite, draft: Draft) -> NDArray[np.int64]:
    """Rows of the pages to be compared: those with most in common, and some with whatever these do not have."""
    carriers = [[row for row in rows if row not in draft.own_rows] for rows in known.pages_with(fingerprints(draft.words))]
    counts = Counter(row for rows in carriers for row in rows)
    chosen = set(sorted(counts, key=lambda row: (-counts[row], row))[:_MOST_NEAREST])
    for rows in carriers:
        if rows and chosen.isdisjoint(rows) and len(chosen) < _MOST_COMPARED:
            chosen |= set(sorted(rows, key=lambda row: (-counts[row], row))[:_MOST_CARRIERS])
    return np.array(sorted(chosen), np.int64)


@dataclass(frozen=True)
class _Carrier:
    """A page that may have passages of the draft."""

    row: int
    url: str
    words: Hashes


@dataclass(frozen=True)
class _Stretch:
    """Words of the draft that follow one another and stand so on a page."""

    first: int
    end: int
    carrier: _Carrier
    there: int
    """Place of its first word in the page."""


def _passages(known: KnownSite, draft: Draft, carriers: list[_Carrier]) -> tuple[list[Pasted], NDArray[np.bool_]]:
    """Passages in the order of the draft, the longest told whole; and which of its words are copied."""
    runs = run_hashes(draft.words)
    n_words = len(draft.words)
    stretches: list[_Stretch] = []
    having: dict[int, NDArray[np.bool_]] = {}
    for carrier in carriers:
        own, there = _matches(runs, run_hashes(carrier.words))
        having[carrier.row] = own
        begins = np.flatnonzero(own & ~np.concatenate([[False], own[:-1]]))
        ends = np.flatnonzero(own & ~np.concatenate([own[1:], [False]])) + RUN_WORDS
        stretches += [
            _Stretch(first, end, carrier, int(there[first]))
            for first, end in zip(begins.tolist(), ends.tolist(), strict=True)
        ]
    is_told, is_copied = np.zeros(n_words, bool), np.zeros(n_words, bool)
    spans, told = WordSpans(draft.text), []
    for one in sorted(stretches, key=lambda one: (one.first - one.end, one.first, one.carrier.url)):
        free = np.flatnonzero(~is_told[one.first : one.end])
        if len(free) < RUN_WORDS:
            continue
        first, end = one.first + int(free[0]), one.first + int(free[-1]) + 1
        is_told[first:end] = True
        is_boilerplate = _is_boilerplate(known, one.carrier.row, one.there + first - one.first, end - first)
        is_copied[first:end] = not is_boilerplate
        middle = min(first + (end - first - RUN_WORDS) // 2, len(runs) - 1)
        n_pages = sum(bool(own[middle]) for own in having.values())
        passage = Pasted(spans.written(first, end - first), end - first, one.carrier.url, n_pages, is_boilerplate)
        told.append((first, passage))
    return [passage for _, passage in sorted(told, key=lambda one: one[0])], is_copied


def _matches(runs: Hashes, theirs: Hashes) -> tuple[NDArray[np.bool_], NDArray[np.int64]]:
    """Which runs a page has, too, and where the first of them stands there."""
    if not len(theirs):
        return np.zeros(len(runs), bool), np.zeros(len(runs), np.int64)
    order = np.argsort(theirs, kind="stable")
    at = np.minimum(np.searchsorted(theirs[order], runs), len(theirs) - 1)
    return np.asarray(theirs[order][at] == runs), order[at]


def _is_boilerplate(known: KnownSite, row: int, first: int, n_words: int) -> bool:
    """Whether most of some words of a page are boilerplate of the site."""
    stretches = known.tables.of_page("passages", row)
    inside = np.zeros(n_words, bool)
    for word, n, is_boilerplate in zip(*(stretches[name] for name in ("word", "words", "boilerplate")), strict=True):
        if is_boilerplate:
            inside[max(word - first, 0) : max(word + n - first, 0)] = True
    return bool(inside.mean() >= _HALF)
