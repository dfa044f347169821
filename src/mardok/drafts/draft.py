"""What a draft says, read as pages of the site are.

In:  drafts as HTML, the site they are for.
Out: a :class:`Draft` each: title, headings, main text without the site's furniture, links, phrases.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from mardok.beside.phrase import TopicPhrase
from mardok.compare.fingerprints import fingerprints
from mardok.compare.titles import letters_of, split_title
from mardok.compare.topics import Stemmer, topic_of
from mardok.drafts.known import KnownSite
from mardok.drafts.reading import DraftFile
from mardok.errors import SelectionError, SourceError
from mardok.extract.batch import batch_of
from mardok.extract.extraction import extract_pages
from mardok.extract.page import Page
from mardok.sources.raw import RawPage
from mardok.text.columns import columns_of
from mardok.text.hashes import Hashes
from mardok.text.site import Site, site_of
from mardok.text.words import folded_line
from mardok.urls import bare_host, is_path, normal_url
from mardok.vocabulary import BlockReason

_MOST_TEMPLATES = 3
"""Pages by whose furniture that of a draft is told."""
_UNNAMED = "https://draft.invalid/"
"""Address of a draft that has none yet (RFC 2606)."""
_HTML = (("content-type", "text/html"),)


@dataclass(frozen=True)
class Draft:
    """A draft, read."""

    name: str
    url: str
    """Where it is to stand; ``""`` if nobody says."""
    own_rows: frozenset[int]
    """Rows of the pages of the audit that it takes the place of."""
    site: Site
    """The draft as a site of one page."""
    own_title: str
    """The page's part of the title."""
    site_name: str
    """The site's part of the title."""
    language: str
    phrases: tuple[TopicPhrase, ...]
    """What it promises: what a person says it is about, else by title and H1."""
    is_asked: bool
    """Whether a person says what it is about."""
    file: DraftFile
    is_planned: bool
    """Whether there is no text yet."""

    @property
    def page(self) -> Page:
        """The draft as a page."""
        return self.site.pages[0]

    @cached_property
    def text(self) -> str:
        """Main text, one line a block."""
        return self.site.main_text(0)

    @property
    def words(self) -> Hashes:
        """Hashes of the words of the main text."""
        return self.site.corpus.words_of(0)

    @cached_property
    def blocks(self) -> list[tuple[int, str]]:
        """Heading level (0 for none) and text of each block of main text."""
        blocks = self.site.blocks
        at = blocks.at[self.site.main_places]
        return [
            (blocks.contexts[context].level, str(blocks.texts[text]))
            for context, text in zip(blocks.context[at].tolist(), blocks.text[at].tolist(), strict=True)
        ]

    @cached_property
    def linked(self) -> frozenset[str]:
        """Addresses that it links to."""
        links = self.site.links
        return frozenset(str(links.urls[number]) for number in links.placed_url.tolist())


def read_drafts(
    known: KnownSite, files: Sequence[DraftFile], urls: Sequence[str], phrases: Sequence[str], *, is_planned: bool = False
) -> list[Draft]:
    """Drafts as they are compared.

    Parameters
    ----------
    files : sequence of DraftFile
        The drafts.
    urls : sequence of str
        Where each is to stand, ``""`` where only the file may say.
    phrases : sequence of str
        What they are about, if a person says it.
    is_planned : bool
        Whether there is no text yet.

    Raises
    ------
    SelectionError
        If an address is not one of the site.
    SourceError
        If a draft cannot be read as a page, or has neither words nor phrase.
    """
    settings = known.audit.meta.settings
    addresses = [_address(known, file, url) for file, url in zip(files, urls, strict=True)]
    raws = [
        RawPage(address or f"{_UNNAMED}{number}", file.name, 200, _HTML, file.html)
        for number, (file, address) in enumerate(zip(files, addresses, strict=True))
    ]
    doubled = {raw.url for raw in raws if sum(other.url == raw.url for other in raws) > 1}
    if doubled:
        raise SelectionError(f"{min(doubled)}: two drafts cannot stand there")
    by_url = {page.url: page for page in extract_pages(raws, settings)}
    for raw in raws:
        page = by_url.get(raw.url)
        if page is None:
            raise SourceError(f"{raw.source}: cannot be read within {settings.extract.max_seconds:g} seconds")
        if page.trouble or not page.is_html:
            raise SourceError(f"{raw.source}: cannot be read as a page: {page.trouble or 'it holds no HTML'}")
    return [
        _draft(known, file, address, by_url[raw.url], phrases, is_planned=is_planned)
        for file, address, raw in zip(files, addresses, raws, strict=True)
    ]


def _address(known: KnownSite, file: DraftFile, given: str) -> str:
    """Where a draft is to stand, as an address of the site."""
    stated = given or file.address
    if not stated:
        return ""
    url = normal_url(known.home.rstrip("/") + stated if is_path(stated) else stated)
    if url is not None and bare_host(url) in known.hosts:
        return url
    if given:
        raise SelectionError(f"--url {given}: is no address of this site ({known.home})")
    return ""  # what a file says of itself may be of another machine


def _draft(
    known: KnownSite, file: DraftFile, address: str, page: Page, phrases: Sequence[str], *, is_planned: bool
) -> Draft:
    settings = known.audit.meta.settings
    if not address and page.canonical_url and bare_host(page.canonical_url) in known.hosts:
        address = page.canonical_url
    own_rows = _own_rows(known, address)
    site = site_of(columns_of([batch_of([page])]), settings)
    if file.is_page:
        templates = _templates(known, site, own_rows)
        kept = tuple(block for block in page.blocks if folded_line(block.text) not in templates or block.context.level)
        site = site_of(columns_of([batch_of([replace(page, blocks=kept)])]), settings)
    page = site.pages[0]
    language = page.language or known.language
    own, name = split_title(page.title, [letters_of(name) for name in known.audit.meta.totals["site_names"]])
    if not (own or page.h1 or phrases or len(site.corpus.words)):
        raise SourceError(f"{file.name}: holds no word that could be compared")
    promised = tuple(map(TopicPhrase, phrases)) or _promised(own, page.h1, language, settings.rivals.generic_words)
    return Draft(
        file.name, address, own_rows, site, own or page.h1, name, language, promised, bool(phrases), file, is_planned
    )


def _own_rows(known: KnownSite, address: str) -> frozenset[int]:
    """The page at an address, its variants, and what leads there."""
    row = known.tables.find("pages", "url", address) if address else -1
    if row < 0:
        return frozenset()
    columns = (known.tables.column("pages", name).tolist() for name in ("final_url", "variant_of"))
    leading = (at for column in columns for at, url in enumerate(column) if url == address)
    return frozenset([row, *leading])


def _templates(known: KnownSite, site: Site, own_rows: Collection[int]) -> set[str]:
    """Furniture of pages that a draft shares its template with, most likely: itself, those most like it, the home page."""
    counts = Counter(row for rows in known.pages_with(fingerprints(site.corpus.words_of(0))) for row in rows)
    nearest = sorted(counts, key=lambda row: (-counts[row], row))[:_MOST_TEMPLATES]
    home = known.tables.find("pages", "url", known.home)
    result: set[str] = set()
    for row in dict.fromkeys([*sorted(own_rows), *nearest, *([home] if home >= 0 else [])]):
        blocks = known.tables.of_page("blocks", row)
        result |= {
            folded_line(text)
            for text, is_main, reason in zip(blocks["text"], blocks["main"], blocks["reason"], strict=True)
            if not is_main and reason != BlockReason.BOILERPLATE
        }
    return result


def _promised(title: str, h1: str, language: str, generic: Collection[str]) -> tuple[TopicPhrase, ...]:
    """What a draft is about by its title and H1, each once."""
    stemmer = Stemmer(generic)
    stemmer.learn({language: [title, h1]})
    phrases: dict[frozenset[str], TopicPhrase] = {}
    topic = topic_of(stemmer, language, {"title": title, "h1": h1, "address": "", "links": ""})
    for text in (topic.phrase, title, h1):
        telling = stemmer.telling(text, language)
        if telling:
            phrases.setdefault(telling, TopicPhrase(text))
    return tuple(phrases.values())
