"""Links between a draft and the site: those that could be set to it, and those that it could set.

In:  a draft, the texts of the pages, the phrases that pages are called by.
Out: pages that mention what the draft is about; what the draft mentions of ours and does not link.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mardok.beside.linking import WaitingLink, unlinked_pages
from mardok.compare.mentions import Found, apart, mentions_at
from mardok.compare.phrases import stem_grams, words_left
from mardok.drafts.draft import Draft
from mardok.drafts.known import KnownSite
from mardok.findings.link_plan import block_links
from mardok.text.stems import stemmed
from mardok.text.words import folded


@dataclass(frozen=True)
class LinkOut:
    """A page of ours that the draft mentions and does not link to."""

    url: str
    anchor: str
    """The words to make a link of."""
    sentence: str


def links_in(known: KnownSite, draft: Draft) -> list[WaitingLink]:
    """Pages that mention what a draft is about in running text and no link, one row each, those that pass most first."""
    best: dict[str, WaitingLink] = {}
    # One telling word is said everywhere: it is looked for if a person asks for it.
    for phrase in (one for one in draft.phrases if draft.is_asked or len(one.stems(draft.language)) > 1):
        for one in unlinked_pages(known.audit, phrase, draft.language, draft.own_rows).waiting:
            best.setdefault(one.url, one)
    return sorted(best.values(), key=lambda one: (-one.link_weight, one.url))


def links_out(known: KnownSite, draft: Draft) -> list[LinkOut]:
    """What a draft mentions of ours, in its order; each page once, and none that it links to."""
    stop_words = {folded(word) for word in known.audit.meta.settings.phrases.stop_words}
    stems = stemmed(draft.site.corpus, [draft.language], stop_words)
    hashes, pages, sizes = (known.tables.column("wordings", name) for name in ("hash", "page", "words"))
    left = words_left(stems)
    parts = [np.zeros((0, 3), np.int64)]
    for n in np.unique(sizes).tolist():
        for places, grams in stem_grams(stems, np.flatnonzero(left >= n), n):
            asked = grams.view(np.int64)
            first, end = np.searchsorted(hashes, asked), np.searchsorted(hashes, asked, side="right")
            for at in np.flatnonzero(end > first).tolist():
                rows = pages[first[at] : end[at]][sizes[first[at] : end[at]] == n].astype(np.int64)
                parts.append(np.column_stack([np.full(len(rows), places[at]), np.full(len(rows), n), rows]))
    place, n_words, row = np.concatenate(parts).T
    found = Found(place, n_words, row).select(np.lexsort((row, -n_words, place)))
    found = found.select(np.array(apart(found.place, found.n_words, np.zeros(len(found.place), np.int64)), np.int64))
    result: dict[str, LinkOut] = {}
    cells = ("url", "final_url", "language", "indexable")
    told = {int(row): page for row, page in zip(found.thing, known.pages(found.thing, cells), strict=True)}
    for mention, row in zip(
        mentions_at(draft.site.corpus, block_links(draft.site), found), found.thing.tolist(), strict=True
    ):
        page = told[row]
        is_linked = page["url"] in draft.linked or mention.link >= 0
        fits = page["indexable"] and page["language"] == draft.language and row not in draft.own_rows
        if fits and not is_linked and not mention.is_heading and not mention.is_part:
            result.setdefault(page["url"], LinkOut(page["url"], mention.text, mention.sentence))
    return list(result.values())
