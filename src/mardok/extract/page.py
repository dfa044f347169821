"""The facts of one page.

In:  nothing; these are the records that leave this folder.
Out: plain frozen records of strings and numbers, cheap to send between processes. Of blocks, links and images a page has
     hundreds: these are tuples, which are made and sent several times faster.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple


class Context(NamedTuple):
    """What the elements around a text say about it."""

    tag: str
    """Nearest block-level element."""
    place: str
    """Nearest landmark or part: ``main``, ``nav``, ``header``, ``footer``, ``aside``, ``hidden``, ..., or ``body``."""
    level: int
    """Heading level, 0 if it is no heading."""
    chrome: str
    """Why the elements are chrome or not shown; ``""`` if they are neither."""
    in_main: bool
    """Whether it stands in a main landmark."""
    chosen: str
    """``only`` or ``ignore`` if a selector of the settings matches one of the elements, else ``""``."""
    path: str = ""
    """Labels of the block-level elements from ``body`` in, joined by ``/``: tag, classes, id and role, digits masked."""


def is_shown_h1(context: Context) -> bool:
    """Whether a text there is an H1 that is shown."""
    return context.level == 1 and context.chrome != "hidden"


class Link(NamedTuple):
    """One link to an http(s) address."""

    url: str
    """Absolute target without fragment."""
    anchor: str
    """Anchor text; of an image link the alt text."""
    rel: str
    """``rel`` attribute in lower case."""
    start: int
    end: int
    """Characters of its block's text that the link covers."""


class Block(NamedTuple):
    """One block-level run of text with the links that begin in it."""

    text: str
    """Text, white space collapsed, characters as on the page; ``""`` for links without any text, as of images."""
    context: Context
    links: tuple[Link, ...] = ()
    """In the order in which they begin."""
    joint: int = 0
    """How many of the elements of its path were open since the block before: these it shares with it."""


class Image(NamedTuple):
    """One image element."""

    url: str
    alt: str | None
    """``alt`` attribute; None if there is none, ``""`` if it is empty."""


class Signs(NamedTuple):
    """What a document says about itself beside its text."""

    og_type: str = ""
    """``og:type`` in lower case."""
    site_names: tuple[str, ...] = ()
    """Names of the site by ``og:site_name`` and structured data."""
    schema_types: tuple[str, ...] = ()
    """schema.org types of the page and what it belongs to, in lower case, without namespace; each as often as it stands."""
    n_fields: int = 0
    """Form fields in the page's own part, those for searching left out."""
    has_password: bool = False
    n_players: int = 0
    """Elements that play video or sound."""
    social: tuple[str, ...] = ()
    """Of the elements that networks show a page by, those that it has: ``og:title``, ``og:image`` ..."""
    loaded: tuple[str, ...] = ()
    """Absolute addresses of scripts and style sheets."""
    shown_code: tuple[str, ...] = ()
    """Texts shown as code or quoted that hold what elsewhere were a broken character."""
    set_apart: tuple[str, ...] = ()
    """Words that markup sets apart, in lower case: as code, as another language or as not to be translated."""
    n_frames: int = 0
    """Elements that show another document."""
    h1_images: int = 0
    """H1 that hold an image and no text."""
    canonicals: tuple[str, ...] = ()
    """Different absolute canonical addresses, where the page names several."""
    canonical_is_relative: bool = False
    """Whether the first of them is written without scheme and host."""
    insecure: tuple[str, ...] = ()
    """Of a page read over https, what it loads over http."""
    stated_day: str = ""
    """Day of its last change, else of its publication, as it says itself: YYYY-MM-DD."""


NO_SIGNS = Signs()


@dataclass(frozen=True, slots=True)
class Page:
    """One fetched address with what was read from it."""

    url: str
    source: str
    status: int | None
    redirect_url: str
    """Absolute target of an HTTP redirect or of a meta refresh without delay; ``""`` if there is none."""
    title: str
    description: str
    robots: tuple[tuple[str, str], ...]
    """Robots directives in lower case, each with the robot it is for (``""`` for all)."""
    canonical_url: str
    """Absolute target of ``rel=canonical`` (RFC 6596); ``""`` if there is none."""
    declared_language: str
    """``lang`` of the root element, else ``Content-Language``, in lower case."""
    language: str
    """Language of the main text, ISO 639-1; ``""`` if it cannot be told, and until the main text is settled."""
    alternates: tuple[tuple[str, str], ...]
    """hreflang in lower case and absolute address."""
    blocks: tuple[Block, ...]
    """In document order."""
    images: tuple[Image, ...]
    bytes_hash: str
    """XXH3 of the body in 128 bits, ``""`` without a body."""
    trouble: str
    """Why the body could not be read."""
    is_html: bool
    """Whether there was a body, or a text, to read."""
    script_words: int | None = None
    """Words that exist only after scripts ran; None where no browser looked at the page."""
    signs: Signs = NO_SIGNS
    unread: tuple[str, ...] = ()
    """Why not all of it was read, if so."""
    h1_given: str = ""
    """H1 that a table states for a page without HTML."""

    @property
    def h1(self) -> str:
        """First H1 that is shown."""
        for text, context, *_ in self.blocks:
            if text and is_shown_h1(context):
                return text
        return self.h1_given
