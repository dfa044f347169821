"""Every setting with its default, bound, unit and meaning; read from a ``mardok.toml`` file or given as ``key=value``.

In:  TOML tables named as the sections below, or strings such as ``copies.resemblance=0.9``.
Out: one frozen :class:`Settings`; what is out of bounds is refused here and not checked again.
"""

from __future__ import annotations

import math
import tomllib
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel, ConfigDict, Field, ValidationError, ValidationInfo, field_validator
from selectolax.lexbor import LexborHTMLParser, SelectolaxError

from mardok.errors import SettingsError

SearchColumn = Literal["query", "page", "clicks", "impressions", "position", "date", "country", "device"]


class Section(BaseModel):
    """A group of settings."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    @field_validator("*", mode="before")
    @classmethod
    def _one_or_more(cls, value: object, info: ValidationInfo) -> object:
        """One text where several may stand, as written with ``--set``."""
        annotation = cls.model_fields[info.field_name].annotation if info.field_name else None
        is_list = get_origin(annotation) is tuple and get_args(annotation)[1:] == (...,)
        return (value,) if is_list and isinstance(value, str) else value


class Sources(Section):
    """What is read."""

    rendered: bool = False
    """Read pages as their scripts leave them, where the crawl was made with ``crawl.render``."""
    max_body_mb: float = Field(default=64, gt=0, le=2048)
    """Largest decoded page, in megabytes; a larger one is listed as unread. Bounds what a compressed body can grow to."""


class Work(Section):
    """How an audit with a working folder is cut into parts."""

    part_pages: int = Field(default=1000, ge=1)
    """Pages of a part that is read at once. What is done is kept part by part."""
    wait_s: float = Field(default=60, gt=0)
    """Seconds that a cluster may be without any worker before the audit ends."""


class Crawl(Section):
    """How pages are collected from a server."""

    contact: str = ""
    """Address or e-mail of whoever answers for the crawl; it is told to the server in the user agent."""
    hosts: tuple[str, ...] = ()
    """Further hosts that belong to the site, beside those of the start addresses with and without ``www.``."""
    include: tuple[str, ...] = ()
    """Address patterns (``*`` allowed). If there are any, only what fits one is fetched."""
    exclude: tuple[str, ...] = ()
    """Address patterns (``*`` allowed) of what is not fetched."""
    drop_parameters: tuple[str, ...] = ()
    """Parameters (``*`` allowed) taken off every address before it is fetched."""
    sitemaps: bool = True
    """Fetch the sitemaps that robots.txt names, else ``/sitemap.xml``, and the pages they list."""
    images: bool = False
    """Ask for the status of images (HEAD), to find broken ones."""
    render: bool = False
    """Open each page in a browser too, and keep what its scripts make of it."""
    max_pages: int = Field(default=100_000, ge=1)
    """Most addresses fetched as pages."""
    max_depth: int = Field(default=100, ge=0)
    """Most links to follow one after the other from a start address; ends calendars that never end."""
    max_page_mb: float = Field(default=16, gt=0, le=2048)
    """Largest body, in megabytes; what is larger is not read to its end."""
    timeout_s: float = Field(default=30, gt=0)
    """Most seconds for one answer, from the request to its last byte."""
    delay_s: float = Field(default=0.5, ge=0)
    """Least seconds from one request to the next. The pace slows down as the server does; 0 lets go of all restraint."""
    concurrency: int = Field(default=1, ge=1, le=64)
    """Requests under way at once."""
    retries: int = Field(default=2, ge=0)
    """Times an address is asked again after an answer of 429 or 5xx."""
    longest_wait_s: float = Field(default=120, ge=0)
    """Most seconds to wait when the server asks for it (Retry-After, crawl-delay)."""
    keep_cookies: bool = False
    """Keep the values of cookies that the server sets; a session's cookie may open what is closed to others."""
    allow_bad_certificates: tuple[str, ...] = ()
    """Hosts whose certificate may be bad, such as a test server; of any other host with a bad one nothing is asked."""
    stop_after_failures: int = Field(default=20, ge=1)
    """Failures in a row after which the server is left in peace."""
    repeats: int = Field(default=20, ge=1)
    """Pages in a row, of one path with changing parameters, that say nothing new, after which no more are fetched."""


class Extract(Section):
    """What is taken from one page."""

    robots_agents: tuple[str, ...] = ("googlebot",)
    """Robots whose own directives count, beside those for all robots, when a page is asked whether it is indexable."""
    disregard: tuple[Literal["noindex", "robots.txt", "canonical"], ...] = ()
    """What is not to keep pages out of the audit, as of a site that is not public yet or a copy of it: ``noindex``,
    ``robots.txt``, ``canonical`` (one that names another host)."""
    max_depth: int = Field(default=512, ge=32, le=512)
    """Most elements within each other, as in browsers; the tags of deeper ones are passed over, not their text."""
    max_attributes: int = Field(default=256, ge=1, le=4096)
    """Most attributes of an element; further ones are passed over."""
    max_blocks: int = Field(default=50_000, ge=1)
    """Most blocks of text of a page; what follows is passed over."""
    max_links: int = Field(default=10_000, ge=1)
    """Most links of a page; further ones are passed over."""
    max_images: int = Field(default=10_000, ge=1)
    """Most images of a page; further ones are passed over."""
    max_seconds: float = Field(default=20, gt=0)
    """Most seconds of one processor for reading one page; a page that takes longer is listed as unread."""


class Text(Section):
    """What counts as the main text."""

    only: tuple[str, ...] = ()
    """CSS selectors. On a page where one matches, only what it matches is main text, chrome or not."""
    ignore: tuple[str, ...] = ()
    """CSS selectors of what is never main text."""

    recurring_pages: int = Field(default=5, ge=2)
    """Least number of pages on which something stands in the same place for it to recur."""
    recurring_share: float = Field(default=0.2, gt=0, le=1)
    """Least share of all pages on which it does; or"""
    recurring_section_share: float = Field(default=0.5, gt=0, le=1)
    """least share of the pages of a section, which has menus of its own."""
    template_share: float = Field(default=0.8, gt=0, le=1)
    """Share of all pages from which what stands in one place, outside the element with a page's own words, is furniture."""
    link_share: float = Field(default=0.5, gt=0, le=1)
    """Share of words in links from which what recurs may be a menu."""
    running_words: int = Field(default=25, ge=1)
    """Words of running text from which a block among a page's own words is never furniture. Numbers are masked in shorter
    ones only."""
    edges: bool = True
    """Take lines of links, dates and copyright at both ends of a page's own part for furniture."""

    @field_validator("only", "ignore")
    @classmethod
    def _are_selectors(cls, selectors: tuple[str, ...]) -> tuple[str, ...]:
        page = LexborHTMLParser("<p>")
        for selector in selectors:
            try:
                page.css(selector)
            except (SelectolaxError, ValueError) as error:
                raise ValueError(f"{selector!r} is not a CSS selector") from error
        return selectors


class Language(Section):
    """How the language of a page is settled."""

    function_word_share: float = Field(default=0.12, ge=0, le=1)
    """Share of function words from which the declared language is believed."""
    minimum_words: int = Field(default=20, ge=1)
    """Below this many words the declared language is believed without a check."""


class Variants(Section):
    """When two addresses are written variants of one page."""

    index_files: tuple[str, ...] = (
        "index", "index.html", "index.htm", "index.php", "index.shtml", "index.asp", "index.aspx", "index.jsp",
        "default.htm", "default.html", "default.asp", "default.aspx",
    )  # fmt: skip
    """File names that stand for their folder."""
    reachable_parameters: tuple[str, ...] = (
        "utm_*", "gclid", "fbclid", "msclkid", "yclid", "gbraid", "wbraid", "mc_cid", "mc_eid", "mtm_*", "pk_*", "igshid",
        "ref", "sort", "sort_by", "sortby", "orderby", "order", "dir", "view", "display", "print", "printable", "printer",
        "sid", "sessionid", "session_id", "phpsessid", "jsessionid", "aspsessionid*", "cfid", "cftoken",
    )  # fmt: skip
    """Parameters (``*`` allowed) that sort, view, track or print a page: the address must go on working."""
    pagination_parameters: tuple[str, ...] = ("page", "p", "pg", "paged", "start", "offset")
    """Parameters that turn the pages of a listing: such addresses are never variants."""
    print_paths: tuple[str, ...] = ("print", "printable", "printer", "druck", "drucken", "imprimer", "imprimir", "stampa")
    """Path segments that mark a print view."""


class Kinds(Section):
    """What pages are for."""

    home: tuple[str, ...] = ()
    """Address patterns (``*`` allowed) of pages of each kind: what stands here wins over all signs."""
    article: tuple[str, ...] = ()
    """Running text."""
    product: tuple[str, ...] = ()
    """One thing on offer."""
    service: tuple[str, ...] = ()
    """Something to hire, book or order that is not one product."""
    listing: tuple[str, ...] = ()
    """Links to pages of the site with little of its own."""
    utility: tuple[str, ...] = ()
    """What a site needs beside its contents: contact, login, basket, legal texts."""
    tool: tuple[str, ...] = ()
    """Something to work with, such as a calculator."""
    media: tuple[str, ...] = ()
    """Pictures, films or sound."""
    utility_words: tuple[str, ...] = (
        "contact", "kontakt", "imprint", "impressum", "legal", "privacy", "datenschutz", "terms", "agb", "conditions",
        "cookie", "cookies", "login", "logout", "signin", "signup", "register", "registration", "anmelden", "account",
        "konto", "cart", "basket", "warenkorb", "checkout", "kasse", "wishlist", "merkzettel", "thank", "thanks", "danke",
        "search", "suche", "sitemap", "404", "unsubscribe", "newsletter", "widerruf", "withdrawal", "accessibility",
        "barrierefreiheit", "disclaimer", "password", "passwort", "careers", "career", "jobs", "vacancies", "karriere",
        "stellenangebote", "recherche", "panier", "connexion", "compte", "mentions", "légales", "confidentialité",
        "carrière", "emplois", "contacto", "buscar", "carrito", "cuenta", "aviso", "privacidad", "empleo", "contatti",
        "cerca", "carrello", "accesso", "lavora", "winkelwagen", "zoeken", "inloggen", "voorwaarden", "vacatures",
    )  # fmt: skip
    """Words that make an address, or a title, one of a utility page, if it says nothing else."""
    service_words: tuple[str, ...] = (
        "services", "service", "leistungen", "leistung", "dienstleistungen", "hire", "rental", "rentals", "verleih",
        "vermietung", "booking", "bookings", "buchung", "repairs", "repair", "reparatur", "courses", "kurse", "lessons",
        "prestations", "servicios", "servizi", "diensten",
    )  # fmt: skip
    """Folders of pages that offer something to hire, book or order."""
    article_words: tuple[str, ...] = (
        "blog", "news", "magazine", "magazin", "articles", "article", "posts", "post", "stories", "ratgeber", "aktuelles",
        "journal", "guides", "guide",
    )  # fmt: skip
    """Folders of articles."""
    tag_words: tuple[str, ...] = (
        "tag", "tags", "category", "categories", "kategorie", "schlagwort", "topic", "topics", "archive", "author",
    )  # fmt: skip
    """Folders of listings made by tag, category, date or author."""
    words_a_link: float = Field(default=30, gt=0)
    """Most words of main text for each page of the site that a listing links to in titles and teasers."""
    listing_links: int = Field(default=3, ge=1)
    """Least pages of the site that it links to so."""
    prose_share: float = Field(default=0.5, gt=0, le=1)
    """Share of a page's words in running text from which links do not make it a listing."""
    words_a_field: float = Field(default=80, gt=0)
    """Most words of main text for each form field, for a tool."""
    tool_fields: int = Field(default=2, ge=1)
    """Least form fields of a tool."""
    media_words: int = Field(default=100, ge=0)
    """Most words of a page that is there for its film or pictures."""
    media_images: int = Field(default=5, ge=1)
    """Least pictures of its own of such a page, where it plays nothing."""


class Copies(Section):
    """When two pages count as copies."""

    resemblance: float = Field(default=0.85, ge=0.5, le=1)
    """Share of common shingles, 0 to 1, from which two pages are near duplicates."""
    minimum_words: int = Field(default=30, ge=0)
    """Pages with fewer words are copies only when their text is identical."""
    all_pages: bool = False
    """Compare pages that are not indexable too, to see what a crawler is made to read in vain."""


class Pairs(Section):
    """Which pairs of pages are kept for looking at."""

    resemblance: float = Field(default=0.5, ge=0.1, le=1)
    """Least resemblance of a kept pair."""
    containment: float = Field(default=0.8, ge=0.5, le=1)
    """Least containment of a kept pair that resembles less."""
    containment_words: int = Field(default=30, ge=1)
    """Least words of the shorter page of a pair kept for its containment."""
    containment_pairs: int = Field(default=20, ge=1)
    """Most pairs of one page kept for their containment only."""
    family: int = Field(default=50, ge=2)
    """Of a family of more pages than this, only the nearest pairs and a spanning forest are kept."""
    nearest: int = Field(default=20, ge=1)
    """Pairs kept for each page of a large family."""


class Boilerplate(Section):
    """Which text of many pages is boilerplate."""

    pages: int = Field(default=5, ge=2)
    """Least pages that carry a block, or a run of eight words, for it to be boilerplate."""
    section_pages: int = Field(default=3, ge=2)
    """The same where the pages are a good part of their section, the first folder of their addresses."""
    section_share: float = Field(default=0.1, ge=0, le=1)
    """Share of the section's pages above which that is so."""


class Phrases(Section):
    """Which phrases are told."""

    words: tuple[int, int] = (2, 4)
    """Fewest and most words of a phrase, 1 to 6."""
    uses: int = Field(default=3, ge=1)
    """Least number of uses for a phrase to be told; of pages with few words all are."""
    use_share: float = Field(default=0.0005, ge=0, le=1)
    """Least number of uses for each page asked about: on a large site what is said now and then is no phrase of it."""
    stop_words: tuple[str, ...] = ()
    """Words of the site that no phrase may begin or end with, beside the function words of its languages."""

    def least_uses(self, n_pages: int) -> int:
        """Uses from which on a phrase of so many pages is told."""
        return max(self.uses, math.ceil(self.use_share * n_pages))

    @field_validator("words")
    @classmethod
    def _is_range(cls, words: tuple[int, int]) -> tuple[int, int]:
        if not 1 <= words[0] <= words[1] <= 6:
            raise ValueError("give the fewest and the most words, from 1 to 6, such as [2, 4]")
        return words


class Links(Section):
    """Link weight, and links that wait to be made."""

    damping: float = Field(default=0.85, gt=0, lt=1)
    """Damping of PageRank."""
    most: int = Field(default=10, ge=1)
    """Most links that are planned to one page, the best first."""
    few: int = Field(default=3, ge=1)
    """Pages that link to a page from their text, below which it gets few links."""
    first_position: float = Field(default=4, ge=1)
    """Mean position from which on links may help a page that search shows; before that nothing has to be done."""
    last_position: float = Field(default=20, ge=1)
    """Mean position beyond which links within the site are not what a page lacks."""
    deep: int = Field(default=3, ge=1)
    """Links from the home page beyond which a page with clicks lies deep."""


class Search(Section):
    """Search data."""

    columns: dict[SearchColumn, str] = {}
    """Headings of a search file, for columns that it names otherwise, such as ``query = "Search term"``."""
    date_format: str = ""
    """How its days are written, such as ``%d/%m/%Y``; found out where the days leave no doubt."""
    days: int = Field(default=90, ge=1)
    """Days that an undated search file covers. Dated files tell their own span."""
    minimum_share: float = Field(default=0.1, gt=0, lt=1)
    """Least share of a query's impressions from which a page has a real part in it."""
    minimum_slot_impressions: float = Field(default=10, ge=0)
    """Impressions a month, for queries that name a town, size or model, from which searchers ask for it."""
    unanswered_impressions: float = Field(default=10, ge=0)
    """Impressions a month from which a query that no page answers is told."""
    unanswered_position: float = Field(default=3, ge=1)
    """Mean position down to which the page that is shown is taken for an answer, whatever its words."""


class Rivals(Section):
    """When pages compete for one phrase or query."""

    generic_words: tuple[str, ...] = (
        "guide", "guides", "tips", "tip", "explained", "introduction", "overview", "complete", "ultimate", "definitive",
        "best", "top", "everything", "basics", "beginner", "beginners", "advice", "faq", "questions", "updated", "new",
        "ratgeber", "tipps", "anleitung", "einführung", "überblick", "erklärt", "fragen", "grundlagen", "neu",
    )  # fmt: skip
    """Words that tell two titles apart no more than a year does."""
    minimum_impressions: float = Field(default=10, ge=0)
    """Least impressions a month, of both pages on their common queries, for pages to be rivals by search data."""
    trivial_share: float = Field(default=0.2, ge=0, lt=1)
    """Share of those impressions below which a second page is no rival of a leader in the first two places."""
    overlap: float = Field(default=0.5, gt=0, le=1)
    """Share of the weaker page's clicks (else impressions) on common queries from which the two are one page's work."""
    last_position: float = Field(default=30, ge=1)
    """Mean position beyond which a page without clicks is no rival."""
    clear_places: float = Field(default=1, ge=0)
    """Places by which a page is clearly ahead of another."""
    least_turns: int = Field(default=2, ge=1)
    """Changes of the leader, in one country and on one device, from which pages take turns."""
    chance: float = Field(default=0.05, gt=0, lt=0.5)
    """Greatest probability of chance for turns, and for any loss of clicks among all that are looked at."""
    steady_lead: float = Field(default=0.8, gt=0.5, le=1)
    """Share of the weeks with a clear leader that one page leads, for it to be in front."""
    lost_share: float = Field(default=0.1, gt=0, lt=1)
    """Share of its clicks that a query or page has lost against the span before, from which it counts as lost."""
    lost_clicks: float = Field(default=5, ge=0)
    """Least clicks a month that are gone then: less is chance."""
    first_page_share: float = Field(default=0.5, gt=0, le=1)
    """Share of the impressions at moments when both pages stand in the first ten places, from which both are left there."""


class Thin(Section):
    """Which pages say too little of their own."""

    home: tuple[int, int] = (50, 50)
    """Least own words of a home page: half the median of the site's pages of the kind, but within these bounds; the lower
    one where there are few such pages."""
    article: tuple[int, int] = (60, 150)
    """The same of an article."""
    product: tuple[int, int] = (40, 120)
    """The same of a product page."""
    service: tuple[int, int] = (60, 150)
    """The same of a page that offers a service."""
    listing: tuple[int, int] = (40, 40)
    """The same of a listing that searchers are shown."""
    pages: int = Field(default=20, ge=1)
    """Least pages of a kind whose median says what is usual."""
    minimum_impressions: float = Field(default=10, ge=0)
    """Impressions a month from which a page is asked for."""
    good_position: float = Field(default=5, ge=1)
    """Mean position down to which a listing does well as it is, and which expanding a page is to bring."""
    expand_position: float = Field(default=8, ge=1)
    """Mean position from which on a thin page is expanded; before that what works is not touched."""
    last_position: float = Field(default=30, ge=1)
    """Mean position beyond which being shown is no demand for the page."""
    months: float = Field(default=12, ge=1)
    """Months of search data from which no demand is a finding."""

    @field_validator("home", "article", "product", "service", "listing")
    @classmethod
    def _are_bounds(cls, bounds: tuple[int, int]) -> tuple[int, int]:
        if not 0 <= bounds[0] <= bounds[1]:
            raise ValueError("give the least and the greatest limit in words, such as [60, 150]")
        return bounds


class Checks(Section):
    """From when on something on a page is a trouble."""

    title_px: float = Field(default=600, gt=0)
    """Widest title that is shown whole, in pixels at a letter size of 20 pixels."""
    title_words: int = Field(default=2, ge=1)
    """Least words of the page's part of a title."""
    description_px: float = Field(default=960, gt=0)
    """Widest description that is shown whole, in pixels at a letter size of 14 pixels."""
    description_words: int = Field(default=5, ge=1)
    """Least words of a description."""
    description_repeats: int = Field(default=4, ge=2)
    """Times a word stands in a description, in any form, from which the description is stuffed; and"""
    description_repeat_share: float = Field(default=0.2, gt=0, le=1)
    """the least share of the description's words that makes."""
    flat_words: int = Field(default=600, ge=1)
    """Words of a page from which on it needs headings below its H1."""
    h2_words: int = Field(default=300, ge=1)
    """Words of a page from which on it needs an H2 above its lower headings."""
    h2_characters: int = Field(default=90, ge=10)
    """Longest H2."""
    social_share: float = Field(default=0.05, gt=0, le=1)
    """Share of pages with the elements that networks show a page by, from which a page without them is told."""
    template_pages: int = Field(default=5, ge=2)
    """Least pages with one trouble for it to be one of a template."""
    template_share: float = Field(default=0.5, gt=0, le=1)
    """Least share of the pages of a kind that have it then."""
    empty_titles: tuple[str, ...] = (
        "home", "homepage", "home page", "start", "startseite", "welcome", "willkommen", "about", "about us", "über uns",
        "untitled", "untitled document", "new page", "page", "index", "default", "document", "services", "products",
    )  # fmt: skip
    """Titles that say nothing of a page, beside the site's name."""
    empty_link_texts: tuple[str, ...] = (
        "click here", "click", "here", "read more", "more", "learn more", "find out more", "more info", "more information",
        "details", "link", "this", "this page", "continue", "continue reading", "go", "hier", "hier klicken", "klicken",
        "mehr", "mehr erfahren", "weiterlesen", "weiter", "mehr lesen", "mehr dazu",
    )  # fmt: skip
    """Words of links that say nothing of their targets."""


class Proof(Section):
    """What is looked at in words and facts."""

    spelling: bool = False
    """Whether words are looked up in dictionaries; needs the extra ``mardok[proof]`` and a dictionary of each language."""
    dictionaries: str = ""
    """Folder of dictionaries (``.aff`` and ``.dic``) that is looked into before those of the system."""
    variants: tuple[str, ...] = ()
    """Variants of languages that the site is to be written in, such as ``["en-GB"]``; else the one it mostly uses."""
    words: str = ""
    """A file of words that are right, one a line, UTF-8."""
    dictionary_s: float = Field(default=120, gt=0)
    """Longest time that a dictionary may take for one answer."""
    far_more: int = Field(default=8, ge=2)
    """Times that the site uses another word as often as one that no dictionary knows, from which that is a slip of it."""
    least_uses: int = Field(default=4, ge=2)
    """Least uses of the other word then."""
    least_letters: int = Field(default=6, ge=4)
    """Letters of a word from which a dictionary alone may speak against it."""
    most_alone: int = Field(default=2, ge=1)
    """Most places on which a word stands then; a word that is used more often is one of the trade."""
    most_candidates: int = Field(default=3, ge=1)
    """Most words that it could be meant to be then."""
    technical_share: float = Field(default=0.04, gt=0, le=1)
    """Share of a site's different long words that no dictionary knows and that are like no known word, from which on it is
    full of terms: short words are left alone then."""
    most_asked: int = Field(default=20_000, ge=0)
    """Most unknown words whose neighbours are looked up in a dictionary."""
    doubled_words: bool = True
    """Whether words that stand twice in a row are told."""
    commas: bool = True
    """Whether a space before a comma, or none after it, is told."""
    brackets: bool = True
    """Whether brackets and quotation marks that are not closed, or not opened, are told."""
    articles: bool = True
    """Whether "a" before a vowel, and "an" before none, is told in English."""
    capitals: bool = True
    """Whether sentences that begin without a capital are told."""
    leftovers: bool = True
    """Whether filler text, notes to oneself and placeholders that were not filled are told."""
    contradictions: bool = True
    """Whether sentences that pages say with different figures are told."""
    contradiction_pages: int = Field(default=4, ge=3)
    """Pages that say a sentence with one figure, from which on another figure elsewhere contradicts it."""
    contradiction_share: float = Field(default=0.2, gt=0, lt=0.5)
    """Largest share of the pages with the sentence that say it with other figures then."""
    contradiction_words: int = Field(default=5, ge=3)
    """Least words of such a sentence beside its figures."""


class Effort(Section):
    """Hours of work by kind."""

    proposal: float = Field(default=0.25, ge=0)
    """To look at a proposal and settle it."""
    pattern: float = Field(default=0.5, ge=0)
    """One redirect or canonical rule that covers a pattern of addresses."""
    redirect: float = Field(default=0.05, ge=0)
    """One redirect of a single address."""
    canonical: float = Field(default=0.1, ge=0)
    """One canonical of a single address."""
    move_text: float = Field(default=0.5, ge=0)
    """Moving what is unique from one page to its keeper."""
    rewrite: float = Field(default=2.0, ge=0)
    """Rewriting one page."""
    expand: float = Field(default=2.0, ge=0)
    """Writing what a page lacks."""
    retitle: float = Field(default=0.25, ge=0)
    """A new title, H1 and description for one page."""
    noindex: float = Field(default=0.1, ge=0)
    """Taking one page out of the index."""
    investigate: float = Field(default=0.25, ge=0)
    """Looking into one page."""
    translate: float = Field(default=1.0, ge=0)
    """Translating one page."""
    retire: float = Field(default=0.1, ge=0)
    """Letting one address answer 410."""
    repair: float = Field(default=0.1, ge=0)
    """Repairing one thing on one page, or in one template."""
    sitemap: float = Field(default=0.05, ge=0)
    """Taking one address out of the sitemap."""
    relink: float = Field(default=0.05, ge=0)
    """Changing one link, or one template that carries it."""
    trim: float = Field(default=0.1, ge=0)
    """Taking a pasted text out of one page."""


class Plan(Section):
    """How actions are chosen and ranked."""

    keep_reachable: tuple[str, ...] = ()
    """Address patterns (``*`` allowed) of pages that must stay reachable: their copies get a canonical, no redirect."""
    leave: tuple[str, ...] = ()
    """Address patterns (``*`` allowed) of pages that are fine as they are: nothing is proposed to move or rewrite them."""
    trim_share: float = Field(default=0.5, gt=0, lt=1)
    """Share of a page's words in boilerplate from which on the page is to be trimmed."""
    trim_pages: int = Field(default=5, ge=2)
    """Least number of such pages with one text for a proposal."""
    duties: tuple[str, ...] = (
        "terms and conditions", "right of withdrawal", "privacy", "liability", "warranty", "safety", "delivery time",
        "shipping", "AGB", "Widerruf", "Datenschutz", "Haftung", "Gewährleistung", "Sicherheitshinweis", "Lieferzeit",
        "Versand",
    )  # fmt: skip
    """Wordings that mark a text as owed to customers by law, for their safety or for the delivery: it is never trimmed."""
    pattern_proposals: int = Field(default=3, ge=2)
    """Proposals whose pages differ in one part of their addresses, in one way, from which they are one proposal."""
    single_proposals: int = Field(default=100, ge=1)
    """Proposals of one action that are told one by one, the best first; the rest are one proposal for each section."""
    series_days: int = Field(default=120, ge=1)
    """Days of search data from which a series that nobody asks for by name may be merged."""
    merged_reach: float = Field(default=0.5, gt=0, lt=1)
    """What a merged page reaches on the mean, an assumption. 0: it stands where the better of its pages stands at each
    moment today, and half of what only a page that goes is found for is lost. 1: it stands where one of them stood while it
    led, and nothing is lost."""
    mentions: int = Field(default=5, ge=0)
    """Most pages that mention what a keeper is about, in a proposal, to get a link to it."""
    confidence_low: float = Field(default=0.3, ge=0, le=1)
    """Weight of low confidence in the order of the plan."""
    confidence_medium: float = Field(default=0.6, ge=0, le=1)
    """Weight of medium confidence in the order of the plan."""
    confidence_high: float = Field(default=0.9, ge=0, le=1)
    """Weight of high confidence in the order of the plan."""
    effort: Effort = Effort()
    """Hours of work by kind."""


class Recheck(Section):
    """When a step counts as done, and what is claimed of its effect."""

    moved_share: float = Field(default=0.8, gt=0, le=1)
    """Share of the words of passages that were to be moved from which on they have arrived."""
    lost_share: float = Field(default=0.1, ge=0, lt=1)
    """Share up to which none of them has."""
    alike: float = Field(default=0.5, gt=0, le=1)
    """Resemblance from which on two pages that were to be told apart are still alike."""
    unchanged: float = Field(default=0.9, gt=0, le=1)
    """Resemblance of a page to what it was before from which on it was not rewritten."""
    grown_share: float = Field(default=0.1, gt=0)
    """Share by which the own words of a page have to grow for it to be expanded at all."""
    trimmed_share: float = Field(default=0.5, gt=0, lt=1)
    """Share of words that also stand on other pages up to which a page was trimmed."""
    least_untouched: int = Field(default=20, ge=20)
    """Untouched pages with which an effect is compared; with fewer nothing is claimed."""
    least_days: int = Field(default=28, ge=7)
    """Days of search data after the change from which on an effect is told."""


class Settings(Section):
    """All settings of an audit."""

    sources: Sources = Sources()
    """What is read."""
    work: Work = Work()
    """How an audit with a working folder is cut into parts."""
    crawl: Crawl = Crawl()
    """How pages are collected from a server."""
    extract: Extract = Extract()
    """What is taken from one page."""
    text: Text = Text()
    """What counts as the main text."""
    language: Language = Language()
    """How the language of a page is settled."""
    variants: Variants = Variants()
    """When two addresses are written variants of one page."""
    kinds: Kinds = Kinds()
    """What pages are for."""
    copies: Copies = Copies()
    """When two pages count as copies."""
    pairs: Pairs = Pairs()
    """Which pairs of pages are kept."""
    boilerplate: Boilerplate = Boilerplate()
    """Which text of many pages is boilerplate."""
    phrases: Phrases = Phrases()
    """Which phrases are told."""
    links: Links = Links()
    """Link weight, and links that wait to be made."""
    search: Search = Search()
    """Search data."""
    rivals: Rivals = Rivals()
    """When pages compete for one phrase or query."""
    thin: Thin = Thin()
    """Which pages say too little of their own."""
    checks: Checks = Checks()
    """From when on something on a page is a trouble."""
    proof: Proof = Proof()
    """What is looked at in words and facts."""
    plan: Plan = Plan()
    """How actions are chosen and ranked."""
    recheck: Recheck = Recheck()
    """When a step counts as done, and what is claimed of its effect."""


def read_settings(
    path: Path | None = None, assignments: Iterable[str] = (), *, base: Mapping[str, Any] | None = None
) -> Settings:
    """Settings from defaults, then `base`, then a TOML file, then ``key=value`` strings; the later wins.

    Parameters
    ----------
    path : Path, optional
        A TOML file with tables named as the sections of :class:`Settings`.
    assignments : iterable of str
        Such as ``"copies.resemblance=0.9"``; the value is read as TOML where it is that, else as text.
    base : mapping, optional
        Settings that an earlier audit was made with.

    Raises
    ------
    SettingsError
        If the file cannot be read, a key does not exist, or a value is out of its bounds.

    Examples
    --------
    >>> read_settings(assignments=["text.ignore=.promo", "copies.resemblance=0.9"]).text.ignore
    ('.promo',)
    """
    values: dict[str, Any] = _merged({}, base or {})
    if path is not None:
        try:
            values = _merged(values, tomllib.loads(path.read_text("utf-8-sig")))
        except (OSError, ValueError, RecursionError) as error:
            raise SettingsError(f"{path}: cannot be read as a TOML settings file: {error}") from error
    for assignment in assignments:
        key, equals, text = assignment.partition("=")
        if not equals or not key.strip():
            raise SettingsError(f"--set {assignment!r}: expected key=value, for example copies.resemblance=0.9")
        values = _merged(values, _nested(key.strip().split("."), _toml_value(text.strip())))
    try:
        return Settings.model_validate(values)
    except ValidationError as error:
        raise SettingsError(_explain(error, path)) from error


def _toml_value(text: str) -> Any:
    try:
        return tomllib.loads(f"value = {text}")["value"]
    except (ValueError, RecursionError):  # no TOML, or a number or nesting beyond all bounds
        return text


def _nested(keys: list[str], value: Any) -> dict[str, Any]:
    for key in reversed(keys):
        value = {key: value}
    return dict(value)


def _merged(below: Mapping[str, Any], above: Mapping[str, Any]) -> dict[str, Any]:
    merged = dict(below)
    for key, value in above.items():
        under = merged.get(key)
        merged[key] = _merged(under, value) if isinstance(value, Mapping) and isinstance(under, Mapping) else value
    return merged


def _explain(error: ValidationError, path: Path | None) -> str:
    first = error.errors()[0]
    key = ".".join(str(part) for part in first["loc"] if not isinstance(part, int))
    where = f"{path}, setting {key!r}" if path else f"setting {key!r}"
    if first["type"] == "extra_forbidden":
        parent: Any = Settings
        for part in first["loc"][:-1]:
            parent = parent.model_fields[part].annotation
        return f"{where}: there is no such setting; choose from {', '.join(sorted(parent.model_fields))}"
    message = first["msg"].removeprefix("Value error, ")
    return f"{where}: {message[0].lower()}{message[1:]}; got {first['input']!r}"
