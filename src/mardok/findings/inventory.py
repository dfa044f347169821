"""The inventory: one row a page, and the kept pairs of pages.

In:  pages, destinations, strength, copies.
Out: the tables of pages and of pairs.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.contention import Shown
from mardok.compare.demand import Demand
from mardok.compare.kept_pairs import shared_words
from mardok.compare.topics import PagePromises
from mardok.findings.attribution import WordAttribution
from mardok.findings.facts import SiteFacts
from mardok.findings.head_checks import description_px, title_px
from mardok.findings.phrase_analysis import PhraseAnalysis
from mardok.findings.thin_analysis import ThinAnalysis
from mardok.sentences import sentence
from mardok.sources.page_lists import Signal
from mardok.tables import PAGES, PAIRS, QUERIES, Recurring
from mardok.text.site import Site
from mardok.vocabulary import Answer, Failure, GroupKind

_PAGES_AT_ONCE = 1 << 11
"""Pages whose rows are made together."""


def pairs_table(site: Site, pairs: pd.DataFrame) -> pd.DataFrame:
    """The table of pairs, from pairs of rows."""
    rows = list(zip(pairs["a"].tolist(), pairs["b"].tolist(), strict=True))
    return PAIRS.frame(
        {
            "url_a": [site.pages[a].url for a, _ in rows],
            "url_b": [site.pages[b].url for _, b in rows],
            "resemblance": pairs["resemblance"],
            "a_in_b": pairs["a_in_b"],
            "b_in_a": pairs["b_in_a"],
            "shared_words": shared_words(site.corpus, rows),
        }
    )


def queries_table(shown: Shown | None, demand: Demand | None) -> pd.DataFrame:
    """The table of queries, empty without search data."""
    if shown is None or demand is None:
        return QUERIES.frame([])
    spans = demand.spans
    nothing = np.zeros(len(demand.rows), bool)
    now = _in_span(shown, demand, demand.is_now if spans is not None else nothing)
    before = _in_span(shown, demand, demand.was_before if spans is not None else nothing)
    return QUERIES.frame(
        {
            "page": shown.row,
            "query": Recurring(shown.query, demand.queries),
            "clicks": shown.clicks,
            "impressions": shown.impressions,
            "position": shown.position,
            "clicks_now": now[0],
            "impressions_now": now[1],
            "position_now": now[2],
            "clicks_before": before[0],
            "impressions_before": before[1],
            "position_before": before[2],
            "share": shown.share,
            "competing": shown.competing,
            "brand": demand.is_brand[shown.query],
        }
    )


def _in_span(shown: Shown, demand: Demand, is_there: NDArray[np.bool_]) -> tuple[NDArray[np.float64], ...]:
    """Clicks and impressions a month, and the position, of each query and page in a span; NaN where none is compared."""
    n = len(shown.row)
    if demand.spans is None:
        return (np.full(n, np.nan),) * 3
    n_queries = max(len(demand.queries), 1)
    rows = demand.rows.select(np.flatnonzero(is_there & (demand.rows.row < demand.n_pages)))
    at = np.searchsorted(shown.row * n_queries + shown.query, rows.row.astype(np.int64) * n_queries + rows.query)
    clicks, impressions, placed = (
        np.bincount(at, weights=values, minlength=n)
        for values in (rows.clicks, rows.impressions, rows.impressions * rows.position)
    )
    position = np.where(impressions > 0, placed / np.maximum(impressions, 1e-9), np.nan)
    return clicks / demand.spans.months, impressions / demand.spans.months, position


@dataclass(frozen=True)
class PageFindings:
    """What was found out about the pages of a site."""

    promises: PagePromises
    attribution: WordAttribution
    phrases: PhraseAnalysis
    thin: ThinAnalysis


def pages_frames(site: Site, facts: SiteFacts, findings: PageFindings) -> Iterator[pd.DataFrame]:
    """The table of pages, some pages at a time.

    Parameters
    ----------
    findings : PageFindings
        What pages promise, whose their words are, their phrases, which are thin.
    """
    n, settings, strength, coverage = len(site.pages), facts.settings, facts.strength, facts.coverage
    copies, accounted = findings.attribution.copies, findings.attribution.words
    is_counted, noindex_reasons, verdicts = copies.is_compared, facts.noindex_reasons, findings.thin.verdicts
    n_words, grouping, of_topic = site.corpus.n_words, copies.grouping, findings.phrases.of_topic
    keeper_of = grouping.keeper_of
    # Of variants of the page itself nobody need be told that they are near.
    nearest = _nearest(copies.kept, [keeper_of.get(row, row) for row in range(n)])
    searched = strength.demand is not None
    nan = np.full(n, np.nan)
    clicks_before = strength.demand.before("clicks") if strength.demand is not None else nan
    main_queries, positions = strength.demand.main_queries() if strength.demand is not None else ([""] * n, nan)
    variant_of = {
        row: group.keeper for group in grouping.groups if group.kind == GroupKind.VARIANTS for row in group.members
    }
    for begin in range(0, n, _PAGES_AT_ONCE):
        part = slice(begin, min(begin + _PAGES_AT_ONCE, n))
        rows, pages = range(part.start, part.stop), site.pages[part]
        of_pages, counts, topics = n_words[part], is_counted[part], findings.promises.topics[part]
        yield PAGES.frame(
            {
                "url": [page.url for page in pages],
                "status": [pd.NA if page.status is None else page.status for page in pages],
                "final_url": [facts.destinations[row].url for row in rows],
                "indexable": [not noindex_reasons[row] for row in rows],
                "reason": [
                    str(reason.text)
                    if reason
                    else _comparison_limit(site, row, facts.failures[row], settings.copies.minimum_words)
                    for row, reason in zip(rows, noindex_reasons[part], strict=True)
                ],
                "variant_of": [site.pages[variant_of[row]].url if row in variant_of else "" for row in rows],
                "language": [page.language for page in pages],
                "kind": facts.kinds.kind[part],
                "depth": [depth if depth >= 0 else pd.NA for depth in coverage.depth[part].tolist()],
                "title": [page.title for page in pages],
                "site_name": list(facts.titles.site[part]),
                "description": [page.description for page in pages],
                "h1": [page.h1 for page in pages],
                "title_characters": [len(page.title) for page in pages],
                "title_px": [round(title_px(page.title)) for page in pages],
                "description_characters": [len(page.description) for page in pages],
                "description_px": [round(description_px(page.description)) for page in pages],
                "target_phrase": [topic.phrase for topic in topics],
                "main_query": main_queries[part],
                "position": positions[part],
                "words": of_pages,
                "own_words": pd.arrays.IntegerArray(accounted.own[part], ~counts),
                "shared_words": pd.arrays.IntegerArray(accounted.shared[part], ~counts),
                "boilerplate_words": pd.arrays.IntegerArray(accounted.boilerplate[part], ~counts),
                "boilerplate_share": np.where(
                    counts & (of_pages > 0), accounted.boilerplate[part] / np.maximum(of_pages, 1), np.nan
                ),
                "copies": grouping.n_copies[part],
                "nearest_url": [site.pages[row].url if row >= 0 else "" for row, _ in nearest[part]],
                "nearest_resemblance": [value for _, value in nearest[part]],
                "inlinks": strength.inlinks[part],
                "link_weight": np.where(strength.link_weight[part] > 0, strength.link_weight[part], np.nan),
                "clicks": strength.clicks[part] if searched else nan[part],
                "clicks_before": clicks_before[part],
                "impressions": strength.impressions[part] if searched else nan[part],
                "thin": [_answer(verdict.is_thin if verdict is not None else None) for verdict in verdicts[part]],
                "thin_reason": ["" if verdict is None else str(verdict.reason) for verdict in verdicts[part]],
                "noindex_reason": [reason.reason if reason is not None else "" for reason in noindex_reasons[part]],
                "kind_reason": facts.kinds.reason[part],
                "topic_fields": [", ".join(topic.fields) for topic in topics],
                "topic_uses": of_topic.uses[part],
                "topic_first_word": pd.arrays.IntegerArray(of_topic.first[part], of_topic.first[part] < 0),
                "external_links": [_told(facts.signals.get(page.url), "external_links") for page in pages],
                "conversions": [_told(facts.signals.get(page.url), "conversions") for page in pages],
                "sessions": [_told(facts.signals.get(page.url), "sessions") for page in pages],
                "index_state": [facts.signals[page.url].index_state if page.url in facts.signals else "" for page in pages],
                "declared_language": [page.declared_language for page in pages],
                "canonical_url": [page.canonical_url for page in pages],
                "canonical_is_relative": [page.signs.canonical_is_relative for page in pages],
                "redirect_url": [page.redirect_url for page in pages],
                "robots": [", ".join(": ".join(filter(None, directive)) for directive in page.robots) for page in pages],
                "bytes_hash": [page.bytes_hash for page in pages],
                "text_hash": site.text_hashes[part],
                "main_text": [site.main_text(row) for row in rows],
                "source": [page.source for page in pages],
                "in_sitemap": [_answer(bool(coverage.is_listed[row]) if coverage.has_sitemap else None) for row in rows],
                "script_words": [pd.NA if page.script_words is None else page.script_words for page in pages],
                "stated_day": [page.signs.stated_day for page in pages],
            }
        )


def _answer(holds: bool | None) -> Answer:
    return Answer.NONE if holds is None else Answer.YES if holds else Answer.NO


def _told(signal: Signal | None, name: str) -> float:
    value = getattr(signal, name) if signal is not None else None
    return float("nan") if value is None else float(value)


def _comparison_limit(site: Site, row: int, failing: Failure, minimum_words: int) -> str:
    if failing:
        return str(sentence("comparison.not-compared", why=sentence(f"failure.{failing}")))
    n_words = int(site.corpus.n_words[row])
    if n_words >= minimum_words:
        return ""
    return str(sentence("comparison.few-words" if n_words else "comparison.no-text", least=minimum_words))


def _nearest(pairs: pd.DataFrame, page_of: Sequence[int]) -> list[tuple[int, float]]:
    """For each page the page that resembles it most with how much; -1 and NaN where there is none."""
    best: list[tuple[int, float]] = [(-1, float("nan"))] * len(page_of)
    for a, b, resemblance in zip(pairs["a"].tolist(), pairs["b"].tolist(), pairs["resemblance"].tolist(), strict=True):
        if page_of[a] != page_of[b]:
            for one, other in ((a, page_of[b]), (b, page_of[a])):
                known, value = best[one]
                if known < 0 or (-resemblance, other) < (-value, known):
                    best[one] = (other, resemblance)
    return best
