"""Troubles of headings, images and texts.

In:  the blocks and images of pages.
Out: troubles of the pages that are asked.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from html import unescape
from itertools import pairwise

import numpy as np

from mardok.findings.head_checks import duplicates
from mardok.findings.page_check import Check, and_more
from mardok.sentences import sentence
from mardok.settings import Checks
from mardok.text.site import Site
from mardok.vocabulary import CheckId

_ESCAPED = re.compile(
    r"&(?:amp|nbsp|quot|apos|lt|gt|[lr][sd]quo|ndash|mdash|hellip|[aouAOU]uml|szlig|[aeiou]acute|#0?39|#160|#82\d\d);"
)
_REFERENCE = ("&",)
"""What stands in each text that shows escaped characters."""
_LOST = re.compile(
    "\ufffd|\u00c3[\u0080-\u00bf\u0178\u0153\u2013\u0161]|\u00e2\u20ac[\u0153\u009d\u2122\u02dc\u201c\u201d\u00a6]|\u00c2[\u00a0-\u00bf]"
)
_MISREAD = ("\ufffd", "\u00c3", "\u00e2\u20ac", "\u00c2")
"""Of which one stands in each text that lost characters."""
_CODE = ("pre", "code", "listing", "xmp", "samp", "kbd")
_ABOUT_CODES = re.compile(
    r"\b(?:html|xml|sgml|entit|escap|charset|encod|utf-?8|unicode|latin-?1|ampersand|mojibake|character reference|"
    r"zeichensatz|kodier|maskier)",
    re.IGNORECASE,
)
"""What is said where characters are shown as codes on purpose."""
_QUOTES = tuple("\"'`()[]<>\u2018\u2019\u201c\u201d\u201e\u00ab\u00bb\u2039\u203a")
_SHOWN = 60


@dataclass(frozen=True)
class _Heading:
    level: int
    text: str
    is_main: bool
    is_hidden: bool


def check_bodies(site: Site, rows: Sequence[int], meant_for: Sequence[str], settings: Checks) -> Iterator[Check]:
    """Troubles of headings, images and texts of some pages.

    Parameters
    ----------
    meant_for : sequence of str
        Language that each page is meant for.
    """
    headings = _headings(site)
    for row in (row for row in rows if site.pages[row].bytes_hash):
        yield from _h1_troubles(site, row, headings[row])
        yield from _outline_troubles(site, row, headings[row], settings)
        yield from _h2_troubles(site, row, headings[row], settings)
    yield from duplicates(site, rows, CheckId.H1_DUPLICATE, lambda row: site.pages[row].h1, meant_for)
    yield from _repeated(rows, headings, settings)
    yield from _images_without_alt(site, set(rows))
    yield from _garbled(site, rows)


def _headings(site: Site) -> dict[int, list[_Heading]]:
    """Headings of each page in their order."""
    blocks = site.blocks
    level = np.array([context.level for context in blocks.contexts], np.int64)[blocks.context]
    places = np.flatnonzero((level > 0)[blocks.at] & blocks.has_text[blocks.at])
    pages = blocks.page[places]
    at = blocks.at[places]
    contexts, texts = blocks.context[at].tolist(), blocks.texts[blocks.text[at]].tolist()
    result: dict[int, list[_Heading]] = defaultdict(list)
    for page, number, text, is_main in zip(pages.tolist(), contexts, texts, site.main_places[places].tolist(), strict=True):
        context = blocks.contexts[number]
        result[page].append(_Heading(context.level, text, is_main, context.chrome in ("hidden", "noscript")))
    return result


def _h1_troubles(site: Site, row: int, headings: Sequence[_Heading]) -> Iterator[Check]:
    page = site.pages[row]
    shown = [heading.text for heading in headings if heading.level == 1 and not heading.is_hidden]
    hidden = [heading.text for heading in headings if heading.level == 1 and heading.is_hidden]
    if len(shown) > 1:
        yield Check(row, CheckId.H1_SEVERAL, str(len(shown)), " | ".join(text[:_SHOWN] for text in shown))
    if shown or page.h1:
        return
    if page.signs.h1_images:
        yield Check(row, CheckId.H1_IMAGE, "")
    elif hidden:
        yield Check(row, CheckId.H1_HIDDEN, hidden[0][:_SHOWN])
    else:
        yield Check(row, CheckId.H1_MISSING, "")


def _outline_troubles(site: Site, row: int, headings: Sequence[_Heading], settings: Checks) -> Iterator[Check]:
    main = [heading for heading in headings if heading.is_main]
    for above, heading in pairwise(main):
        if heading.level > above.level + 1:
            yield Check(
                row,
                CheckId.HEADING_SKIPPED,
                str(sentence("check-detail.skipped", above=above.level, below=heading.level)),
                heading.text[:_SHOWN],
            )
            break
    n_words = int(site.corpus.n_words[row])
    if n_words >= settings.flat_words and not any(heading.level > 1 for heading in main) and main:
        yield Check(row, CheckId.HEADING_FLAT, str(n_words), str(sentence("check-detail.flat")))


def _h2_troubles(site: Site, row: int, headings: Sequence[_Heading], settings: Checks) -> Iterator[Check]:
    texts = [heading.text for heading in headings if heading.level == 2 and heading.is_main]
    has_others = any(heading.level > 2 and heading.is_main for heading in headings)
    if not texts and has_others and int(site.corpus.n_words[row]) >= settings.h2_words:
        yield Check(row, CheckId.H2_MISSING, "", str(sentence("check-detail.h2-missing")))
    for text, n in Counter(texts).items():
        if n > 1:
            yield Check(row, CheckId.H2_DUPLICATE, str(n), text[:_SHOWN])
    long = [text for text in texts if len(text) > settings.h2_characters]
    if long:
        yield Check(row, CheckId.H2_LONG, str(len(max(long, key=len))), max(long, key=len)[: settings.h2_characters])


def _repeated(rows: Sequence[int], headings: dict[int, list[_Heading]], settings: Checks) -> Iterator[Check]:
    """Headings in the furniture of most pages."""
    pages_of: dict[str, list[int]] = defaultdict(list)
    for row in rows:
        for text in {heading.text for heading in headings[row] if not heading.is_main and not heading.is_hidden}:
            pages_of[text].append(row)
    for text, pages in sorted(pages_of.items()):
        if len(pages) >= settings.template_pages and len(pages) >= settings.template_share * len(rows):
            shared = str(sentence("template.furniture", pages=len(pages), what=text[:_SHOWN]))
            for row in pages:
                yield Check(
                    row, CheckId.HEADING_REPEATED, text[:_SHOWN], "", n_pages=len(pages), pattern=text, template=shared
                )


def _images_without_alt(site: Site, rows: Collection[int]) -> Iterator[Check]:
    images = site.images
    bare = np.flatnonzero(~images.has_alt)
    by_page: dict[int, Counter[str]] = defaultdict(Counter)
    for page, number in zip(images.page[bare].tolist(), images.url[bare].tolist(), strict=True):
        if page in rows:
            by_page[page][str(images.urls[number])] += 1
    for row, urls in by_page.items():
        yield Check(row, CheckId.IMAGE_ALT_MISSING, str(urls.total()), and_more(min(urls), len(urls) - 1))


def _garbled(site: Site, rows: Sequence[int]) -> Iterator[Check]:
    """Texts that show escaped characters as code, or that lost characters in a wrong encoding.

    Who explains such characters shows them on purpose: in code, in quotation marks or in a sentence about codes.
    """
    blocks = site.blocks
    is_code = blocks.where(lambda context: context.tag in _CODE)
    wanted = set(rows)
    for check, pattern, pieces in (
        (CheckId.TEXT_DOUBLE_ESCAPED, _ESCAPED, _REFERENCE),
        (CheckId.TEXT_ENCODING_BROKEN, _LOST, _MISREAD),
    ):
        first: dict[int, str] = {}
        for row in rows:
            page = site.pages[row]
            hit = _unexplained(pattern, page.title, page.signs.shown_code) or _unexplained(
                pattern, page.description, page.signs.shown_code
            )
            if hit:
                first[row] = _around(hit)
        is_text_hit = np.zeros(len(blocks.texts), bool)
        asked = blocks.texts.holding(pieces)  # which spares most texts the search
        is_text_hit[asked] = [pattern.search(text) is not None for text in blocks.texts.some(asked)]
        is_hit = is_text_hit[blocks.text] & ~is_code
        places = np.flatnonzero(is_hit[blocks.at] & site.main_places)
        for page_row, place in zip(blocks.page[places].tolist(), places.tolist(), strict=True):
            if page_row not in first and page_row in wanted:
                text = str(blocks.texts[blocks.text[blocks.at[place]]])
                hit = _unexplained(pattern, text, site.pages[page_row].signs.shown_code)
                if hit:
                    first[page_row] = _around(hit)
        for row in sorted(first):
            yield Check(row, check, first[row])


def _unexplained(pattern: re.Pattern[str], text: str, shown_code: Sequence[str]) -> re.Match[str] | None:
    """The first hit in a text that is not shown on purpose."""
    if pattern.search(text) is None or pattern.fullmatch(text.strip()) or _ABOUT_CODES.search(text):
        return None
    for hit in pattern.finditer(text):
        before, after = text[: hit.start()].rstrip()[-1:], text[hit.end() :].lstrip()[:1]
        is_quoted = before in _QUOTES and after in _QUOTES and bool(before or after)
        piece = text[text.rfind(" ", 0, hit.start()) + 1 :].partition(" ")[0]
        is_quoted |= piece[:1] in _QUOTES and piece.rstrip(".,;:")[-1:] in _QUOTES
        # "& is written as &amp;" has both.
        has_both = unescape(hit[0]) != hit[0] and unescape(hit[0]) in text.replace(hit[0], "")
        if not (is_quoted or has_both or any(hit[0] in code for code in shown_code)):
            return hit
    return None


def _around(hit: re.Match[str]) -> str:
    """What was found with the words beside it."""
    return " ".join(hit.string[max(hit.start() - 30, 0) : hit.end() + 30].split())
