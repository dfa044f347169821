"""Pages that are mostly text of other pages: what to take out of them.

In:  the boilerplate texts with the pages that carry them, what each page is a copy of.
Out: one proposal for each set of pages that share such text.

Copies are settled elsewhere. A text that customers are owed, by law, for their safety or for the delivery, stays.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from mardok.findings.groups import group_id
from mardok.findings.wording import CarriedText, section_name
from mardok.plan.context import PlanContext, gain_basis
from mardok.plan.effort import effort_hours
from mardok.plan.proposal import Proposal, Step
from mardok.sentences import clipped, counted, path_of, reasoned, sentence
from mardok.sentences import shares as shares_text
from mardok.text.hashes import Corpus
from mardok.text.words import words
from mardok.urls import is_home, matches
from mardok.vocabulary import Action, Confidence, Evidence, OtherRule, StepKind

_LEAST_WORDS = 20
"""Words of a text from which pages that share it belong together, and from which it is worth a page of its own."""


def trim_proposals(
    texts: Sequence[CarriedText], may_trim: NDArray[np.bool_], locales: Sequence[str], context: PlanContext
) -> list[Proposal]:
    """Proposals to trim pages.

    Parameters
    ----------
    may_trim : ndarray of bool, shape (n_pages,)
        Pages whose words count and that are in no group.
    locales : sequence of str
        Language and region that each page is for: what stands untranslated on pages for several is not pasted.
    """
    site, settings = context.site, context.settings
    rules = settings.plan
    duties = [" ".join(words(wording)) for wording in rules.duties]
    kept = [text for text in texts if text.n_words >= _LEAST_WORDS and not _says_any(text.written, duties)]
    for row in np.flatnonzero(may_trim).tolist():
        url = site.pages[row].url
        may_trim[row] = not is_home(url, settings.variants) and not matches(url, rules.leave)
    of_locale = np.array(locales, object)
    return [
        proposal
        for locale in sorted(set(locales))
        for proposal in _of_locale(kept, np.asarray(of_locale == locale), may_trim, context)
    ]


def _of_locale(
    texts: Sequence[CarriedText], is_there: NDArray[np.bool_], may_trim: NDArray[np.bool_], context: PlanContext
) -> list[Proposal]:
    """Proposals to trim pages for one language and region, by the texts that several of these carry."""
    rules = context.settings.plan
    kept = [text for text in texts if int(is_there[text.pages].sum()) >= rules.trim_pages]
    if not kept:
        return []
    pasted = _covered(context.site.corpus, kept)
    is_heavy = may_trim & is_there & (pasted > rules.trim_share * context.site.corpus.n_words)
    return [
        _proposal(rows, [kept[number] for number in numbers], pasted, context)
        for rows, numbers in _together(is_heavy, kept)
        if len(rows) >= rules.trim_pages
    ]


def _says_any(text: str, wordings: Iterable[str]) -> bool:
    text_words = f" {' '.join(words(text))} "
    return any(f" {wording} " in text_words for wording in wordings)


def _covered(corpus: Corpus, texts: Sequence[CarriedText]) -> NDArray[np.int64]:
    """How many words of each page stand in one of the texts; where two overlap a word counts once."""
    place, n_words = (np.concatenate([getattr(text, name) for text in texts]) for name in ("stretch_place", "stretch_words"))
    order = np.argsort(place, kind="stable")
    place, end = place[order], (place + n_words)[order]
    before = np.concatenate([np.zeros(1, np.int64), np.maximum.accumulate(end)[:-1]])
    new = np.maximum(end - np.maximum(place, before), 0)
    page = np.searchsorted(corpus.offsets, place, side="right") - 1
    return np.bincount(page, new, minlength=corpus.n_texts).astype(np.int64)


def _together(is_heavy: NDArray[np.bool_], texts: Sequence[CarriedText]) -> list[tuple[list[int], list[int]]]:
    """Pages that hang together by a text of which they carry at least half, with the texts."""
    carriers = [text.pages[is_heavy[text.pages] & (2 * text.words_on >= text.n_words)] for text in texts]
    rows = np.concatenate([np.zeros(0, np.int64), *carriers])
    number = np.repeat(np.arange(len(texts)), [len(pages) for pages in carriers])
    n_pages = len(is_heavy)
    n_nodes = n_pages + len(texts)
    graph = sparse.coo_array((np.ones(len(rows), bool), (rows, number + n_pages)), shape=(n_nodes, n_nodes))
    label = connected_components(graph, directed=False)[1]
    result = []
    for component in np.unique(label[rows]).tolist():
        members = np.flatnonzero(label == component)
        result.append((members[members < n_pages].tolist(), (members[members >= n_pages] - n_pages).tolist()))
    return result


def _proposal(
    rows: Sequence[int], texts: Sequence[CarriedText], pasted: NDArray[np.int64], context: PlanContext
) -> Proposal:
    site, settings = context.site, context.settings
    n_words = site.corpus.n_words
    urls = tuple(site.pages[row].url for row in rows)
    shares = [float(pasted[row] / n_words[row]) for row in rows]
    ordered = sorted(texts, key=lambda text: (-text.n_words * text.n_pages, text.place))
    total = sum(text.n_words for text in ordered)
    steps = [
        Step(
            site.pages[row].url,
            StepKind.TRIM,
            detail=sentence("trim.step", pasted=int(pasted[row]), words=int(n_words[row]), share=share),
        )
        for row, share in zip(rows, shares, strict=True)
    ]
    sections = {section_name(url) for url in urls}
    pages = counted("page", len(rows))
    one_section = len(sections) == 1
    summary = (
        sentence("trim.summary-section", pages=pages, section=path_of(sections.pop()))
        if one_section
        else sentence("trim.summary", pages=pages)
    )
    gain = context.reach(rows)
    figures = None
    if gain.is_evident:
        figures = sentence(
            "trim.gain",
            impressions=gain.impressions,
            queries=counted("query", gain.n_queries),
            position=settings.thin.good_position,
        )
    return Proposal(
        id=group_id("boilerplate", urls), action=Action.TRIM, rule=OtherRule.PASTED_TEXT, keeper="",
        urls=urls, gain=gain, effort_hours=effort_hours(steps, settings.plan.effort), confidence=Confidence.LOW,
        evidence=Evidence.SEARCH if gain.is_evident else Evidence.TEXT, summary=summary,
        why=reasoned(
            sentence(
                "trim.why", shares=shares_text(shares), texts=counted("text", len(ordered)), words=total,
                begins=clipped(ordered[0].written, 80),
            ),
            figures,
        ),
        unless=sentence("trim.unless"), steps=tuple(steps),
        basis={
            "texts": [
                {"words": text.n_words, "pages": text.n_pages, "begins": clipped(text.written, 80)} for text in ordered
            ],
            "pasted_share": {url: round(share, 6) for url, share in zip(urls, shares, strict=True)},
            **gain_basis(gain),
        },
    )  # fmt: skip
