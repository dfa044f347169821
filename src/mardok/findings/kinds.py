"""What each page is for.

In:  what pages say of themselves, their addresses, links, forms and pictures.
Out: a kind for each page, and the sign it rests on.

First match wins: the settings; the address of a home page; an address, a title or a password field of a utility page;
structured data and ``og:type``; titles and teasers of other pages beside little running text, fields and pictures beside
few words; the folder; else a page is an article. Links in sentences make no listing, and pictures that the template shows on
many pages make none of pictures.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import lru_cache
from sys import intern
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from mardok.compare.links import distinct_edges
from mardok.extract.page import Page
from mardok.sentences import sentence
from mardok.settings import Kinds, Settings
from mardok.text.distinct import distinct
from mardok.text.site import Site
from mardok.text.words import words
from mardok.urls import bare_host, is_pagination, matches, split_url, variant_form
from mardok.vocabulary import KindSign, PageKind

_FILLERS = frozenset(
    ["us", "me", "you", "policy", "of", "use", "service", "page", "form", "and", "und", "in", "our", "my", "up", "results"]
)
_SCHEMA = {
    "product": PageKind.PRODUCT, "individualproduct": PageKind.PRODUCT, "productmodel": PageKind.PRODUCT,
    "productgroup": PageKind.PRODUCT, "article": PageKind.ARTICLE, "blogposting": PageKind.ARTICLE,
    "newsarticle": PageKind.ARTICLE, "techarticle": PageKind.ARTICLE, "report": PageKind.ARTICLE,
    "howto": PageKind.ARTICLE, "recipe": PageKind.ARTICLE, "collectionpage": PageKind.LISTING,
    "itemlist": PageKind.LISTING, "searchresultspage": PageKind.LISTING, "blog": PageKind.LISTING,
    "contactpage": PageKind.UTILITY, "checkoutpage": PageKind.UTILITY, "service": PageKind.SERVICE,
    "webapplication": PageKind.TOOL, "videoobject": PageKind.MEDIA, "imagegallery": PageKind.MEDIA,
    "videogallery": PageKind.MEDIA, "mediagallery": PageKind.MEDIA,
}  # fmt: skip
_SEVERAL = 3
"""Things of one type that make a page a list of them."""
_USUAL_PAGES = 3
_TITLE_LINK_SHARE = 0.8
"""Share of a block's letters in links from which it is a title or teaser of what it links to."""
_FEW_PAGES, _FEW_SHARE = 3, 0.02
"""Pages, and share of all, that may show an image which is one of a page's own."""
_ENDING, _JOINTS = re.compile(r"\.\w{2,5}$"), re.compile(r"[-_.+]+")
_ROOT_SLASHES = 3
"""Slashes of an address without folders."""


@dataclass(frozen=True)
class PageKinds:
    """What pages are for; sequences have one entry a page."""

    kind: Sequence[PageKind]
    sign: Sequence[KindSign]
    """What it rests on."""
    reason: Sequence[str]
    """The same in words."""
    n_items: NDArray[np.int64]
    """Pages of the site that each page's main text links to."""
    is_further: NDArray[np.bool_]
    """Whether the address turns the pages of a listing."""


def page_kinds(site: Site, settings: Settings) -> PageKinds:
    """What each page is for."""
    n_items = _linked_pages(site, np.ones(len(site.blocks.text), bool))
    n_titles = _linked_pages(site, _titles_of_others(site, settings.text.running_words))
    n_images = _own_images(site)
    prose = _running_words(site, settings.text.running_words)
    usual = _usual_fields(site)
    languages = {page.language for page in site.pages if page.language}
    languages |= {code[:2] for page in site.pages for code, _ in page.alternates}
    result = []
    is_further = np.array([is_pagination(page.url, settings.variants) for page in site.pages], bool)
    for row, page in enumerate(site.pages):
        signs = _Signs(
            page,
            int(site.corpus.n_words[row]),
            int(prose[row]),
            int(n_items[row]),
            int(n_titles[row]),
            int(n_images[row]),
            page.signs.n_fields - usual[row],
            bool(is_further[row]),
        )
        is_content = page.is_html and not page.redirect_url
        result.append(_kind_of(signs, settings, languages) if is_content else _NO_KIND)
    return PageKinds(
        [one.kind for one in result], [one.sign for one in result], [one.reason for one in result], n_items, is_further
    )


@dataclass(frozen=True)
class _Judgement:
    """What kind a page is, and by which sign."""

    kind: PageKind
    sign: KindSign
    value: object = ""
    beside: int = 0
    """The number that the sign is set beside, such as words."""

    @property
    def reason(self) -> str:
        if not self.sign:
            return ""
        return intern(str(sentence(f"kind-sign.{self.sign}", value=self.value, beside=self.beside, kind=self.kind)))


_NO_KIND = _Judgement(PageKind.NONE, KindSign.NONE)


@dataclass(frozen=True)
class _Signs:
    page: Page
    n_words: int
    n_prose: int
    """Words in running text."""
    n_items: int
    n_titles: int
    """Of the linked pages those whose titles or teasers it shows, not only a word within a sentence."""
    n_images: int
    n_fields: int
    is_further: bool


def _kind_of(signs: _Signs, settings: Settings, languages: Collection[str]) -> _Judgement:
    page, rules = signs.page, settings.kinds
    named = {
        PageKind.HOME: rules.home, PageKind.ARTICLE: rules.article, PageKind.PRODUCT: rules.product,
        PageKind.SERVICE: rules.service, PageKind.LISTING: rules.listing, PageKind.UTILITY: rules.utility,
        PageKind.TOOL: rules.tool, PageKind.MEDIA: rules.media,
    }  # fmt: skip
    for kind, patterns in named.items():
        if matches(page.url, patterns):
            return _Judgement(kind, KindSign.SETTINGS)
    if _is_home(page.url, settings) or _is_language_root(page.url, languages):
        return _Judgement(PageKind.HOME, KindSign.HOME_ADDRESS)
    folders, last = _address_words(page.url)
    if is_utility_address(page.url, rules):
        return _Judgement(PageKind.UTILITY, KindSign.UTILITY_ADDRESS, " ".join(last))
    title = set(words(page.h1 or page.title))
    if title and title - _FILLERS and title - _FILLERS <= set(rules.utility_words):
        return _Judgement(PageKind.UTILITY, KindSign.TITLE, page.h1 or page.title)
    if page.signs.has_password:
        return _Judgement(PageKind.UTILITY, KindSign.PASSWORD)
    if signs.is_further:
        return _Judgement(PageKind.LISTING, KindSign.PAGINATION)
    return _stated(page) or _by_its_looks(signs, rules, folders) or _Judgement(PageKind.ARTICLE, KindSign.RUNNING_TEXT)


_PROTECTED = (PageKind.UTILITY, PageKind.TOOL, PageKind.MEDIA)


def protected_pages(site: Site, kinds: PageKinds, duties: Sequence[str]) -> NDArray[np.bool_]:
    """Pages that what they have in common with others says nothing about: they are not there for their text.

    What a site needs beside its contents, tools, media, the pages of a listing, and texts that customers are owed.

    Parameters
    ----------
    duties : sequence of str
        Wordings that mark a text as owed to customers.
    """
    wordings = [f" {' '.join(words(wording))} " for wording in duties]

    def is_owed(page: Page) -> bool:
        said = f" {' '.join(words(page.title))} / {' '.join(words(page.h1))} / {' '.join(_address_words(page.url)[1])} "
        return any(wording in said for wording in wordings)

    is_protected = np.array(
        [
            kind in _PROTECTED or (kind != PageKind.PRODUCT and is_owed(page))
            for kind, page in zip(kinds.kind, site.pages, strict=True)
        ],
        bool,
    )
    return np.asarray(kinds.is_further | is_protected)


def is_utility_address(url: str, rules: Kinds) -> bool:
    """Whether the last part of an address says that the page is one of what a site needs beside its contents."""
    text_words = set(_address_words(url)[1]) - _FILLERS
    return bool(text_words) and text_words <= set(rules.utility_words)


def _is_home(url: str, settings: Settings) -> bool:
    """Whether the address is that of the home page, however it is written."""
    if url.count("/") > _ROOT_SLASHES:
        return False
    return variant_form(url, settings.variants).identity == (bare_host(url), ())


def _stated(page: Page) -> _Judgement | None:
    """The kind that structured data or ``og:type`` states."""
    counts = Counter(name for name in page.signs.schema_types if name in _SCHEMA)
    several = next((name for name, n in counts.items() if n >= _SEVERAL), "")
    if several:
        return _Judgement(PageKind.LISTING, KindSign.SEVERAL_OF_ONE_TYPE, several, counts[several])
    for name in counts:
        return _Judgement(_SCHEMA[name], KindSign.STRUCTURED_DATA, name)
    og_type = page.signs.og_type
    for kind in (PageKind.ARTICLE, PageKind.PRODUCT):
        if og_type == kind or og_type.startswith(f"{kind}."):
            return _Judgement(kind, KindSign.OG_TYPE, og_type)
    return _Judgement(PageKind.MEDIA, KindSign.OG_TYPE, og_type) if og_type.startswith("video") else None


def _by_its_looks(signs: _Signs, rules: Kinds, folders: Collection[str]) -> _Judgement | None:
    by_tag = next((word for word in folders if word in rules.tag_words), "")
    if by_tag and signs.n_items:
        return _Judgement(PageKind.LISTING, KindSign.TAG, by_tag)
    is_prose = signs.n_prose >= rules.prose_share * signs.n_words
    if signs.n_titles >= rules.listing_links and signs.n_words <= rules.words_a_link * signs.n_titles and not is_prose:
        return _Judgement(PageKind.LISTING, KindSign.LINKED_PAGES, signs.n_words / signs.n_titles, signs.n_titles)
    if signs.n_fields >= rules.tool_fields and signs.n_words <= rules.words_a_field * signs.n_fields:
        return _Judgement(PageKind.TOOL, KindSign.FORM_FIELDS, signs.n_fields, signs.n_words)
    if signs.n_words <= rules.media_words:
        if signs.page.signs.n_players:
            return _Judgement(PageKind.MEDIA, KindSign.PLAYER, beside=signs.n_words)
        if signs.n_images >= rules.media_images:
            return _Judgement(PageKind.MEDIA, KindSign.PICTURES, signs.n_images, signs.n_words)
    service = next((word for word in folders if word in rules.service_words), "")
    if service:
        return _Judgement(PageKind.SERVICE, KindSign.FOLDER, service)
    by_folder = next((word for word in folders if word in rules.article_words), "")
    return _Judgement(PageKind.ARTICLE, KindSign.FOLDER, by_folder) if by_folder else None


def _is_language_root(url: str, languages: Collection[str]) -> bool:
    """Whether the address is the root of a language of the site, such as ``/de/``."""
    parts = split_url(url)
    named = re.fullmatch(r"/([a-z]{2})(?:[-_][a-z]{2})?/?", parts.path, re.IGNORECASE)
    return named is not None and not parts.query and named[1].lower() in languages


@lru_cache(maxsize=1)
def _address_words(url: str) -> tuple[list[str], list[str]]:
    """Folders of an address, and the words of its last part."""
    parts = [part for part in unquote(split_url(url).path).casefold().split("/") if part]
    last = _ENDING.sub("", parts[-1]) if parts else ""
    return parts[:-1], words(_JOINTS.sub(" ", last))


def _titles_of_others(site: Site, running_words: int) -> NDArray[np.bool_]:
    """Whether each block is hardly more than a link, or a teaser beside it: shorter than running text."""
    blocks = site.blocks
    share = blocks.n_linked_letters / np.maximum(blocks.n_letters, 1)
    n_words = np.fromiter((text.count(" ") + 1 for text in blocks.texts), np.int64, len(blocks.texts))[blocks.text]
    is_title = (share >= _TITLE_LINK_SHARE) | ((1 - share) * n_words < running_words)
    return np.asarray(is_title | ~blocks.has_text)  # pictures that are links, too


def _linked_pages(site: Site, in_blocks: NDArray[np.bool_]) -> NDArray[np.int64]:
    """How many other pages of the site the main text of each page links to, in some of the blocks."""
    kept = (site.link_targets >= 0) & ~site.chrome_links & (site.link_targets != site.links.page)
    kept &= in_blocks[site.blocks.at[site.links.place]]
    n_pages = len(site.pages)
    edges = distinct_edges(site.links.page[kept], site.link_targets[kept], n_pages)
    return np.bincount(edges // max(n_pages, 1), minlength=n_pages).astype(np.int64)


def _running_words(site: Site, least: int) -> NDArray[np.int64]:
    """Words of each page in blocks of running text."""
    blocks, corpus = site.blocks, site.corpus
    at = blocks.at[site.main_places]
    lengths = np.diff(corpus.block_offsets)
    linked = blocks.n_linked_letters / np.maximum(blocks.n_letters, 1)
    is_running = (lengths * (1 - linked[at])) >= least
    return np.bincount(blocks.page[site.main_places], lengths * is_running, minlength=len(site.pages)).astype(np.int64)


def _own_images(site: Site) -> NDArray[np.int64]:
    """Images of each page that few other pages show."""
    images, n_pages = site.images, len(site.pages)
    once = distinct(images.url.astype(np.int64) * n_pages + images.page)
    n_with = np.bincount(once // max(n_pages, 1), minlength=len(images.urls))
    is_own = n_with <= max(_FEW_PAGES, _FEW_SHARE * n_pages)
    return np.bincount(images.page[is_own[images.url]], minlength=n_pages)


def _usual_fields(site: Site) -> list[int]:
    """Form fields that most pages of a section have, such as those for a comment: they say nothing of one page."""
    counts: dict[int, Counter[int]] = defaultdict(Counter)
    for page, section in zip(site.pages, site.section.tolist(), strict=True):
        counts[section][page.signs.n_fields] += 1
    usual = {}
    for section, seen in counts.items():
        fields, n_pages = seen.most_common(1)[0]
        usual[section] = fields if n_pages >= _USUAL_PAGES and 2 * n_pages > seen.total() else 0
    return [usual[section] for section in site.section.tolist()]
