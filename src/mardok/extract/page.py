"""The facts of one page.

In:  nothing; these are the records that leave this folder.
Out: plain frozen records of strings and numbers, cheap to send between processes. Of blocks, links and images a page has
     hundreds: these are tuples, which are made and sent several times faster.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple


class Block(NamedTuple):
    """One block-level run of text."""

    text: str
    """Text, white space collapsed, characters as on the page."""
    tag: str
    """Nearest block-level element."""
    place: str
    """Nearest landmark or part: ``main``, ``nav``, ``header``, ``footer``, ``aside``, ``hidden``, ..., or ``body``."""
    level: int
    """Heading level, 0 if it is no heading."""
    chrome: str
    """Why the elements it stands in are chrome or not shown; ``""`` if they are neither."""
    in_main: bool
    """Whether it stands in a main landmark."""
    chosen: str
    """``only`` or ``ignore`` if a selector of the settings matches an element it stands in, else ``""``."""


class Link(NamedTuple):
    """One link to an http(s) address."""

    url: str
    """Absolute target without fragment."""
    anchor: str
    """Anchor text; of an image link the alt text."""
    rel: str
    """``rel`` attribute in lower case."""
    block: int
    """Block the link's text begins in, -1 if it has none."""
    start: int
    end: int
    """Characters of the block's text that the link covers."""
    in_chrome: bool
    """Whether it stands in elements that are chrome."""


class Image(NamedTuple):
    """One image element."""

    url: str
    alt: str | None
    """``alt`` attribute; None if there is none, ``""`` if it is empty."""


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
    """Language of the text, ISO 639-1; ``""`` if it cannot be told."""
    alternates: tuple[tuple[str, str], ...]
    """hreflang in lower case and absolute address."""
    blocks: tuple[Block, ...]
    links: tuple[Link, ...]
    images: tuple[Image, ...]
    bytes_hash: str
    """SHA-256 of the body, ``""`` without a body."""
    trouble: str
    """Why the body could not be read."""
    is_html: bool
    """Whether there was a body, or a text, to read."""
    script_words: int | None = None
    """Words that exist only after scripts ran; None where no browser looked at the page."""
    h1_given: str = ""
    """H1 that a table states for a page without HTML."""

    @property
    def h1(self) -> str:
        """First H1 that is shown."""
        return next((block.text for block in self.blocks if block.level == 1 and block.chrome != "hidden"), self.h1_given)
