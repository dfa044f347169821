"""One phrase on our own site.

In:  an audit, and a phrase.
Out: an :class:`OnSite`: the page meant for the phrase, who promises it and where, what search shows, who mentions it and
     does not link, and the verdict.

Only the pages whose title, H1, address, description, text or links fit the phrase are read: an audit may hold a million.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Any

import numpy as np
from numpy.typing import NDArray

from mardok.audits import Audit
from mardok.beside.linking import Linking, unlinked_pages
from mardok.beside.phrase import TopicPhrase
from mardok.beside.searched import Searched, searched
from mardok.compare.contradictions import sentences_of
from mardok.compare.topics import address_words
from mardok.errors import UnknownPageError
from mardok.sentences import Text, listing, page_name, quoted, sentence
from mardok.store import Wanted
from mardok.vocabulary import Action, MeantBy, PhraseField, StepKind, TopicVerdict

_COLUMNS = (
    "url", "title", "site_name", "h1", "description", "language", "indexable", "variant_of", "inlinks", "target_phrase",
)  # fmt: skip
_PROMISING = (PhraseField.TITLE, PhraseField.H1)
_HELPING = (PhraseField.ADDRESS, PhraseField.LINKS)
"""Two of these promise as much as a title."""
_MOST_PROMISERS, _MOST_NEAR = 20, 5
_MOST_COMPARED = 20_000
"""Target phrases that are compared letter by letter."""


@dataclass(frozen=True)
class Promiser:
    """A page that promises the phrase."""

    row: int
    url: str
    title: str
    places: Mapping[PhraseField, int]
    """Number of the word, from 1, at which each field begins to hold it; of links the number of pages that link so."""
    clicks: float
    """Clicks a month for the phrase and queries that hold it; 0 without search data."""
    inlinks: int


@dataclass(frozen=True)
class OnSite:
    """How our site stands for one phrase."""

    phrase: str
    verdict: TopicVerdict
    sentence: Text
    """The verdict in one sentence."""
    meant: str
    """Address of the page meant for it; ``""`` if nobody is."""
    meant_by: MeantBy | None
    promisers: tuple[Promiser, ...]
    """Those that promise it most first."""
    n_promisers: int
    searched: Searched | None
    """What search shows; None without search data."""
    linking: Linking
    proposal: Mapping[str, Any] | None
    """Row of the plan that the page, and the others, belong to."""
    near: tuple[str, ...]
    """Where nobody promises it: the nearest target phrases, each with its page."""


@dataclass(frozen=True)
class _Standing:
    """What the verdict is told with."""

    verdict: TopicVerdict
    url: str
    by: MeantBy | None
    n_promising: int
    searched: Searched | None


def find_on_site(audit: Audit, phrase: TopicPhrase, targets: Mapping[str, str]) -> OnSite:
    """All that our site has of one phrase.

    Parameters
    ----------
    targets : mapping of str to str
        Phrases with the addresses of the pages meant for them.
    """
    tables = audit.tables
    languages = sorted(set(tables.column("pages", "language").tolist()))
    patterns = phrase.patterns(languages)

    def holds(text: str) -> bool:
        return any(phrase.is_in(text, language) for language in languages)

    wanted = patterns or holds
    in_links = _pages_by_links(audit, wanted, holds)
    in_heads = [tables.matching("pages", name, wanted) for name in ("title", "h1", "description")]
    by_address = _pages_by_address(audit, patterns, holds)
    rows = np.unique(np.concatenate([*in_heads, by_address, np.array(sorted(in_links), np.int64)])).astype(np.int64)
    pages = _own_pages(audit, rows)
    search = searched(audit, phrase, languages)
    clicks = search.clicks_of if search is not None else {}
    places = {row: _places(page, phrase, in_links.get(row, 0)) for row, page in pages.items()}
    promising = [row for row in pages if _promises(places[row])]
    promising.sort(key=lambda row: _rank(pages[row], places[row], clicks.get(row, 0.0), phrase))
    meant, by = _meant(audit, phrase, targets, promising)
    shown = [row for row in promising if row != meant][:_MOST_PROMISERS]
    shown = [meant, *shown] if meant >= 0 and meant in places else shown
    promisers = tuple(
        Promiser(
            row, str(pages[row]["url"]), str(pages[row]["title"]), told, clicks.get(row, 0.0), int(pages[row]["inlinks"])
        )
        for row, told in _with_texts(audit, phrase, {row: places[row] for row in shown}).items()
    )  # fmt: skip
    url = str(tables.row("pages", meant, ["url"])["url"]) if meant >= 0 else ""
    linking = Linking((), 0, 0)
    if meant >= 0:
        language = tables.row("pages", meant, ["language"])["language"]
        linking = unlinked_pages(audit, phrase, language, [meant])
    verdict = _verdict(meant, promising, search)
    standing = _Standing(verdict, url, by, len(promising), search)
    proposal = _proposal(audit, phrase, url, [*(one.url for one in promisers), *(search.urls if search is not None else ())])
    near = _near(audit, phrase, patterns) if verdict == TopicVerdict.NOBODY else ()
    return OnSite(
        phrase.text, verdict, _told(phrase, standing, near), url, by, promisers, len(promising), search, linking, proposal,
        near,
    )  # fmt: skip


def _own_pages(audit: Audit, rows: NDArray[np.int64]) -> dict[int, dict[str, Any]]:
    """What is known of some pages, by row; of those that are indexable and no variants."""
    cells = audit.tables.rows("pages", rows, _COLUMNS)
    pages = {row: {name: cells[name][at] for name in _COLUMNS} for at, row in enumerate(rows.tolist())}
    return {row: page for row, page in pages.items() if page["indexable"] and not page["variant_of"]}


def _pages_by_address(audit: Audit, patterns: Sequence[str], holds: Callable[[str], bool]) -> NDArray[np.int64]:
    """Rows of the pages whose addresses hold the phrase; no pattern fits an address that is escaped."""
    if not patterns:
        return audit.tables.matching("pages", "url", lambda url: holds(address_words(url)))
    escaped = audit.tables.matching("pages", "url", ["%"])
    urls = audit.tables.rows("pages", escaped, ["url"])["url"]
    fits = np.fromiter((holds(address_words(url)) for url in urls), bool, len(urls))
    return np.concatenate([audit.tables.matching("pages", "url", patterns), escaped[fits]])


def _pages_by_links(audit: Audit, wanted: Wanted, holds: Callable[[str], bool]) -> dict[int, int]:
    """For each page the number of pages that link to it with a text that holds the phrase."""
    at = audit.tables.matching("links", "anchor", wanted)
    cells = audit.tables.rows("links", at, ["page", "target_page", "anchor"])
    is_it = {anchor: holds(anchor) for anchor in set(cells["anchor"])}
    linking: dict[int, set[int]] = defaultdict(set)
    for page, target, anchor in zip(cells["page"], cells["target_page"], cells["anchor"], strict=True):
        if target >= 0 and target != page and is_it[anchor]:
            linking[target].add(page)
    return {target: len(pages) for target, pages in linking.items()}


def _own_title(page: Mapping[str, Any]) -> str:
    """The page's part of the title."""
    title, name = str(page["title"]), str(page["site_name"])
    return title.replace(name, " ") if name and title != name else title


def _places(page: Mapping[str, Any], phrase: TopicPhrase, n_linking: int) -> dict[PhraseField, int]:
    """Where title, H1, address, description and links of a page hold the phrase."""
    language = str(page["language"])
    fields = {
        PhraseField.TITLE: _own_title(page),
        PhraseField.H1: str(page["h1"]),
        PhraseField.ADDRESS: address_words(str(page["url"])),
        PhraseField.DESCRIPTION: str(page["description"]),
    }
    places = {name: phrase.place(field, language) for name, field in fields.items()}
    places[PhraseField.LINKS] = n_linking
    return {name: place for name, place in places.items() if place}


def _promises(places: Mapping[PhraseField, int]) -> bool:
    return any(name in places for name in _PROMISING) or all(name in places for name in _HELPING)


def _rank(page: Mapping[str, Any], places: Mapping[PhraseField, int], clicks: float, phrase: TopicPhrase) -> tuple[Any, ...]:
    """Order of promising pages: whether it is their target phrase, in how many fields, how little else they promise."""
    language = str(page["language"])
    is_target = phrase.says_no_more(str(page["target_phrase"]), language)
    n_fields = sum(name in places for name in (*_PROMISING, *_HELPING))
    n_told = len(TopicPhrase(f"{_own_title(page)} {phrase.text}").stems(language))
    return not is_target, -n_fields, n_told, -clicks, -int(page["inlinks"]), str(page["url"])


def _meant(
    audit: Audit, phrase: TopicPhrase, targets: Mapping[str, str], promising: Sequence[int]
) -> tuple[int, MeantBy | None]:
    """The page meant for the phrase: the one that a person named, else the one that promises it most."""
    for text, url in targets.items():
        row = _row_of(audit, url)
        language = str(audit.tables.row("pages", row, ["language"])["language"]) if row >= 0 else ""
        if row >= 0 and set(TopicPhrase(text).stems(language)) == set(phrase.stems(language)):
            return row, MeantBy.TARGETS
    return (promising[0], MeantBy.PROMISE) if promising else (-1, None)


def _row_of(audit: Audit, url: str) -> int:
    """Row of an address or path; -1 if it was not read."""
    try:
        return audit.row_of(url)
    except UnknownPageError:
        return -1


def _with_texts(
    audit: Audit, phrase: TopicPhrase, places: Mapping[int, Mapping[PhraseField, int]]
) -> dict[int, dict[PhraseField, int]]:
    """The places of some pages with those in their texts: headings and sentences that hold it, the first sentence."""
    names = ["page", "text", "level", "main"]
    cells = audit.tables.of_pages("blocks", np.array(sorted(places), np.int64), names)
    headings: dict[int, list[str]] = defaultdict(list)
    for page, text, level, is_main in zip(*(cells[name] for name in names), strict=True):
        if level > 1 and is_main:
            headings[page].append(text)
    result = {}
    for row, known in places.items():
        page = audit.tables.row("pages", row, ["language", "h1", "main_text"])
        language, sentences = str(page["language"]), sentences_of(str(page["main_text"]))
        first = next((one for one in sentences if one != page["h1"]), "")
        told = {
            **known,
            PhraseField.HEADINGS: sum(phrase.is_in(heading, language) for heading in headings[row]),
            PhraseField.FIRST_SENTENCE: phrase.place(first, language),
            PhraseField.TEXT: sum(phrase.is_in(one, language) for one in sentences),
        }
        result[row] = {name: told[name] for name in PhraseField if told.get(name)}
    return result


def _verdict(meant: int, promising: Sequence[int], search: Searched | None) -> TopicVerdict:
    if meant < 0:
        return TopicVerdict.NOBODY
    if meant not in promising:
        return TopicVerdict.UNPROMISED
    others = [row for row in promising if row != meant]
    if search is None:
        return TopicVerdict.SEVERAL_UNSEARCHED if others else TopicVerdict.ONE_UNSEARCHED
    if search.leader < 0:
        return TopicVerdict.NOT_SHOWN
    if search.leader != meant:
        return TopicVerdict.OTHER_LEADS
    return TopicVerdict.SEVERAL if others else TopicVerdict.ONE


def _told(phrase: TopicPhrase, site: _Standing, near: Sequence[str]) -> Text:
    leader = site.searched.shown[0] if site.searched is not None and site.searched.shown else None
    is_named = site.by == MeantBy.TARGETS and site.verdict == TopicVerdict.OTHER_LEADS
    return sentence(
        f"topic-answer.verdict.{site.verdict}-near" if near
        else f"topic-answer.verdict.{site.verdict}-targets" if is_named
        else f"topic-answer.verdict.{site.verdict}",
        phrase=quoted(phrase.text), page=page_name(site.url) if site.url else "", n=max(site.n_promising - 1, 0),
        leader=page_name(leader.url) if leader is not None else "",
        position=leader.position_now if leader is not None else 0.0,
        clicks=leader.clicks_now if leader is not None else 0.0, near=listing(near),
    )  # fmt: skip


def _proposal(audit: Audit, phrase: TopicPhrase, meant: str, urls: Sequence[str]) -> dict[str, Any] | None:
    """The best proposal about the phrase: it names it, or most of its pages are named here; one about our page first."""
    steps = audit.steps[["proposal", "url", "step"]]
    about = steps[~steps["step"].isin([StepKind.RELINK, StepKind.REPAIR, StepKind.SITEMAP])]
    n_about = about[about["url"].isin({*urls, meant})].groupby("proposal")["url"].nunique()
    of_meant = set(about.loc[about["url"] == meant, "proposal"])
    plan = audit.plan[(audit.plan["action"] != Action.REPAIR) & audit.plan["proposal"].isin(n_about.index)]
    languages = sorted(set(audit.tables.column("pages", "language").tolist()))
    found = []
    for row in plan[["rank", "proposal", "action", "pages", "keeper", "summary", "why"]].to_dict("records"):
        n = int(n_about[row["proposal"]])
        is_named = any(phrase.is_in(str(row["summary"]), language) for language in languages)
        if is_named or (n > 1 and 2 * n > row["pages"]) or (meant and row["keeper"] == meant):
            found.append((row["proposal"] not in of_meant, row["rank"], row))
    best = min(found, key=lambda one: one[:2], default=None)
    return {str(name): value for name, value in best[2].items()} if best is not None else None


def _near(audit: Audit, phrase: TopicPhrase, patterns: Sequence[str]) -> tuple[str, ...]:
    """Target phrases with most words in common with the phrase, else written most like it, each with its page."""
    tables = audit.tables
    alike = [tables.matching("pages", "target_phrase", [pattern]) for pattern in patterns]
    pages = _own_pages(audit, np.unique(np.concatenate([np.zeros(0, np.int64), *alike])))
    scored: dict[str, tuple[float, str]] = {}
    for page in pages.values():
        told, language = str(page["target_phrase"]), str(page["language"])
        own, wanted = set(TopicPhrase(told).stems(language)), set(phrase.stems(language))
        if own & wanted and told not in scored:
            scored[told] = (len(own & wanted) / len(own | wanted), str(page["url"]))
    if not scored:
        columns = (tables.column("pages", name).tolist() for name in ("target_phrase", "url"))
        names = dict(zip(*columns, strict=True))
        names.pop("", None)
        written = get_close_matches(phrase.text.casefold(), list(names)[:_MOST_COMPARED], n=_MOST_NEAR)
        scored = {told: (0.0, names[told]) for told in written}
    best = sorted(scored, key=lambda told: (-scored[told][0], told))[:_MOST_NEAR]
    return tuple(str(sentence("topic-answer.near", phrase=quoted(told), page=page_name(scored[told][1]))) for told in best)
