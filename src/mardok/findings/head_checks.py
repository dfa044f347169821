"""Troubles of titles and descriptions.

In:  what pages say in their head, and the names of the site.
Out: troubles of the pages that are asked.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence

from mardok.compare.topics import Stemmer
from mardok.findings.facts import SiteFacts
from mardok.findings.letter_widths import width_px
from mardok.findings.page_check import Check, and_more
from mardok.sentences import sentence
from mardok.settings import Checks
from mardok.text.site import Site
from mardok.text.stems import plain_words
from mardok.text.words import folded_line, words
from mardok.vocabulary import CheckId, PageKind

_TITLE_LETTER_PX = 20
_DESCRIPTION_LETTER_PX = 14
_FOREIGN_WORDS = 8
"""Words of a description from which its language can be told."""
_OWN_SHARE, _FOREIGN_SHARE = 0.08, 0.25
"""Shares of function words: fewer of the page's own language, and more of another, is another language."""


def title_px(title: str) -> float:
    """Width of a title in a result of a search on a computer, in px."""
    return width_px(title, _TITLE_LETTER_PX)


def description_px(description: str) -> float:
    """Width of a meta description there, in px."""
    return width_px(description, _DESCRIPTION_LETTER_PX)


def check_heads(
    site: Site, rows: Sequence[int], facts: SiteFacts, stemmer: Stemmer, meant_for: Sequence[str]
) -> Iterator[Check]:
    """What is wrong with titles and descriptions of some pages.

    Parameters
    ----------
    meant_for : sequence of str
        Language that each page is meant for.
    """
    settings, titles, kinds = facts.settings.checks, facts.titles, facts.kinds
    spoken = sorted({site.pages[row].language for row in rows} - {""})
    empty = {" ".join(words(text)) for text in settings.empty_titles}
    descriptions: dict[str, set[str]] = defaultdict(set)
    for row in rows:
        descriptions[site.pages[row].language].add(site.pages[row].description)
    stemmer.learn(descriptions)
    for row in rows:
        page = site.pages[row]
        has_html = bool(page.bytes_hash)  # a table of pages may not tell what a page lacks
        yield from title_troubles(row, has_html, page.title, titles.own[row], kinds.kind[row], empty, stemmer, settings)
        yield from description_troubles(row, has_html, page.description, page.language, spoken, stemmer, settings)
    yield from _social_troubles(site, rows, settings)
    yield from duplicates(site, rows, CheckId.TITLE_DUPLICATE, lambda row: site.pages[row].title, meant_for)
    yield from duplicates(site, rows, CheckId.DESCRIPTION_DUPLICATE, lambda row: site.pages[row].description, meant_for)


def _social_troubles(site: Site, rows: Sequence[int], settings: Checks) -> Iterator[Check]:
    """Pages without the elements that networks show a page by, on a site that has them elsewhere."""
    for name in ("og:title", "og:image"):
        having = {row for row in rows if name in site.pages[row].signs.social}
        if len(having) >= max(settings.social_share * len(rows), 1):
            for row in rows:
                if row not in having and site.pages[row].bytes_hash:
                    yield Check(row, CheckId.SOCIAL_MISSING, name, pattern=name)


def title_troubles(
    row: int, has_html: bool, title: str, own: str, kind: PageKind, empty: Iterable[str], stemmer: Stemmer, settings: Checks
) -> Iterator[Check]:
    """What is wrong with the title of a page by itself.

    Parameters
    ----------
    row : int
        The page.
    has_html : bool
        Whether a title that is missing is a trouble.
    title, own : str
        The title, and the page's part of it.
    kind : PageKind
        What the page is for.
    empty : iterable of str
        Titles that say nothing.
    stemmer : Stemmer
        Cuts texts into words.
    """
    if not title:
        if has_html:
            yield Check(row, CheckId.TITLE_MISSING, "")
        return
    width = title_px(title)
    if width > settings.title_px:
        detail = str(sentence("check-detail.title-long", characters=len(title), px=settings.title_px, title=title))
        yield Check(row, CheckId.TITLE_LONG, f"{width:.0f}", detail)
    text_words = stemmer.words_of(own)
    if " ".join(text_words) in empty:
        yield Check(row, CheckId.TITLE_EMPTY_WORDS, title)
    elif len(text_words) < settings.title_words and kind not in (PageKind.UTILITY, PageKind.HOME, PageKind.TOOL):
        yield Check(row, CheckId.TITLE_SHORT, title)


def description_troubles(
    row: int, has_html: bool, description: str, language: str, spoken: Sequence[str], stemmer: Stemmer, settings: Checks
) -> Iterator[Check]:
    """What is wrong with the description of a page by itself.

    Parameters
    ----------
    row : int
        The page.
    has_html : bool
        Whether a description that is missing is a trouble.
    description, language : str
        The description, and the language of the page.
    spoken : sequence of str
        Languages of the site.
    stemmer : Stemmer
        Has learned the words of the description.
    """
    if not description:
        if has_html:
            yield Check(row, CheckId.DESCRIPTION_MISSING, "")
        return
    width = description_px(description)
    if width > settings.description_px:
        detail = str(sentence("check-detail.description-long", characters=len(description), px=settings.description_px))
        yield Check(row, CheckId.DESCRIPTION_LONG, f"{width:.0f}", detail)
    text_words = stemmer.words_of(description)
    if len(text_words) < settings.description_words:
        yield Check(row, CheckId.DESCRIPTION_SHORT, description)
    stems = Counter(stem for stem in stemmer.stems_of(text_words, language) if stem)
    word, n = max(stems.items(), key=lambda item: (item[1], item[0]), default=("", 0))
    if n >= settings.description_repeats and n >= settings.description_repeat_share * len(text_words):
        yield Check(row, CheckId.DESCRIPTION_STUFFED, str(sentence("check-detail.stuffed", n=n, word=word)), description)
    other = _other_language(text_words, language, spoken)
    if other:
        yield Check(
            row,
            CheckId.DESCRIPTION_LANGUAGE,
            other,
            str(sentence("check-detail.language", language=language, text=description)),
        )


def _other_language(text_words: Sequence[str], language: str, spoken: Sequence[str]) -> str:
    """The language of the site that a description is in, if that is not the page's."""
    own = plain_words(language)
    if (
        spoken == [language]
        or len(text_words) < _FOREIGN_WORDS
        or not own
        or sum(word in own for word in text_words) >= _OWN_SHARE * len(text_words)
    ):
        return ""
    shares = {code: sum(word in (plain_words(code)) for word in text_words) / len(text_words) for code in spoken}
    best = max(sorted(shares), key=lambda code: shares[code], default="")
    return best if best != language and shares.get(best, 0.0) >= _FOREIGN_SHARE else ""


def duplicates(
    site: Site, rows: Iterable[int], check: CheckId, text_of: Callable[[int], str], meant_for: Sequence[str]
) -> Iterator[Check]:
    """Pages meant for one language that say the same, one trouble a page.

    Parameters
    ----------
    rows : iterable of int
        Pages that are asked about.
    check : CheckId
        The trouble that a duplicate is.
    text_of : callable
        What a page, by row, says; ``""`` for nothing.
    meant_for : sequence of str, one a page
        Language that each page is meant for.
    """
    same: dict[tuple[str, str], list[int]] = defaultdict(list)
    for row in rows:
        text = folded_line(text_of(row))
        if text:
            same[meant_for[row], text].append(row)
    for pages in same.values():
        for row in pages if len(pages) > 1 else ():
            other = next(other for other in pages if other != row)
            yield Check(row, check, text_of(row), and_more(site.pages[other].url, len(pages) - 2))
