"""What one HTML document holds: title, meta elements, blocks, links, images.

In:  the document as text, its address, CSS selectors of the settings.
Out: one :class:`Document`; blocks and links in document order.

The document is parsed by the rules of the HTML standard (Lexbor), written out again in the parser's one canonical form
and then read as a flat sequence of tags and texts. In that form every element that is open is closed, attribute values
stand in double quotes and hold no ``<`` or ``>``; so a single regular expression splits it, where walking the tree would
cost a Python call for each node.
"""

from __future__ import annotations

import re
from collections.abc import Sequence, Set
from dataclasses import dataclass, field
from typing import Any

from selectolax.lexbor import LexborHTMLParser

from mardok.compiled import compiled
from mardok.extract.block_builder import END, NO_JOINT, BlockBuilder, OpenLink, without_marks
from mardok.extract.element_context import MARK, ROOT, ElementContext
from mardok.extract.markup import attributes, rel_of, unescaped, value_of
from mardok.extract.page import NO_SIGNS, Block, Image, Link, Signs
from mardok.extract.signs import FIELD_TAGS, FURNITURE_TAGS, SIGN_TAGS, set_apart_words, signs_of
from mardok.extract.tags import (
    BEGIN_BLOCK,
    BEGIN_INLINE,
    BEGIN_LINK,
    END_BLOCK,
    END_INLINE,
    END_LINK,
    KNOWN_TAGS,
    OTHER,
    RAW_TEXT_TAGS,
    Tag,
    tag_of,
)
from mardok.extract.template_cache import ATTRIBUTE, STAND_IN, Part, TemplateCache
from mardok.sources.element_kinds import element_names
from mardok.urls import normal_url, resolved_url

_REMEMBERED_CHARACTERS = 1 << 22
_REMEMBERED_HASHES = 1 << 16
"""Markup that is remembered in one process."""

_RAW_TEXTS = "|".join(sorted(RAW_TEXT_TAGS))
_RAW_TEXT = "|".join(
    [
        "!--.*?-->",
        *(rf"{name}(?=[ >])[^<]*+(?:<(?!/{name}>)[^<]*+)*+</{name}>" for name in sorted(RAW_TEXT_TAGS - {"plaintext"})),
        r"plaintext(?=[ >]).*",  # nothing ends it
    ]
)
# A template repeats its header, footer, menus and lists on every page: each is taken whole, and looked up before it is read.
# What would be read differently the second time, or might hold any characters, is not in it.
_PARTS = "|".join(
    rf"{name}(?:\s[^>]*)?>[^<]*+(?:<(?!/?(?:{name}|base|meta|{_RAW_TEXTS})\b|!)[^<]*+)*+</{name}>"
    for name in ("header", "nav", "footer", "aside", "ul")
)
# Both split into text, part, tag, text, part, tag, ...; of part and tag at most one is there, without its "<": a pattern
# that begins with one certain character is searched for three times as fast.
_SPLIT = re.compile(rf"<(?:{_RAW_TEXT}|({_PARTS})|([^>]*>))", re.DOTALL)
_SPLIT_PART = re.compile(rf"<(?:({STAND_IN[1:]})|([^>]*>))")
_STAND_IN = re.compile(STAND_IN)
_SCRIPT = re.compile(r'<script(?= )[^<>]*\ssrc="([^"]*)"')
_FURNITURE_PARTS = tuple(f"<{name}" for name in sorted(FURNITURE_TAGS))
_ADDRESS = re.compile(r'\s(?:href|src)="([^"]*)"')


class _Memory:
    """What pieces of markup were read as; emptied when it is full."""

    def __init__(self) -> None:
        self._found: dict[tuple[ElementContext, str, str], Any] = {}
        self._seen: set[int] = set()
        self._size = 0

    def is_met_again(self, state: ElementContext, markup: str) -> bool:
        """Whether the markup was asked about there before: most parts are a page's own, and not worth remembering."""
        key = hash((state, markup))
        if key in self._seen:
            return True
        if len(self._seen) >= _REMEMBERED_HASHES:
            self._seen.clear()
        self._seen.add(key)
        return False

    def get(self, state: ElementContext, markup: str, origin: str) -> Any:
        """What the markup is there, below an origin or folder; None if it is not known."""
        return self._found.get((state, markup, origin))

    def put(self, state: ElementContext, markup: str, origin: str, result: Any) -> None:
        self._size += len(markup)
        if self._size > _REMEMBERED_CHARACTERS:
            self._found.clear()
            self._size = len(markup)
        self._found[state, markup, origin] = result


@dataclass(slots=True)
class Document:
    """What was read from one HTML document."""

    title: str = ""
    language: str = ""
    """``lang`` attribute of the root element."""
    base: str = ""
    """What relative addresses are resolved against."""
    metas: list[dict[str, str]] = field(default_factory=list)
    """Attributes of the meta elements."""
    link_elements: list[dict[str, str]] = field(default_factory=list)
    """Attributes of the link elements."""
    blocks: list[Block] = field(default_factory=list)
    images: list[Image] = field(default_factory=list)
    scripts: list[str] = field(default_factory=list)
    """Addresses of scripts, as written."""
    signs: Signs = NO_SIGNS
    set_apart: tuple[str, ...] = ()
    """Words that markup sets apart."""


def read_document(
    text: str, url: str, only: Sequence[str] = (), ignore: Sequence[str] = (), *, written: bytes | None = None
) -> Document:
    """Read an HTML document.

    Parameters
    ----------
    text : str
        The document, decoded.
    url : str
        Its address, against which its base element and links are resolved.
    only, ignore : sequence of str
        CSS selectors; blocks inside what they match are marked as chosen.
    written : bytes, optional
        The document in UTF-8, where it is at hand.

    Examples
    --------
    >>> document = read_document("<p>Old <b>vio</b>lins<br>and <a href='/bows'>bows</a>", "https://host.example/x")
    >>> document.blocks[0].text, document.blocks[0].links[0].url, document.blocks[0].links[0].start
    ('Old violins and bows', 'https://host.example/bows', 16)
    """
    names = element_names(text)
    # A selector may ask for anything in a part.
    document = _with_known_parts(text, url, names) if not only and not ignore else None
    if document is None:
        parser = LexborHTMLParser(text)
        if only or ignore:
            _mark(parser, only, ignore)
        document = _document(parser, url, names)[0]
    document.set_apart = set_apart_words(text.encode("utf-8", "replace") if written is None else written, names)
    return document


def _with_known_parts(text: str, url: str, names: Set[str]) -> Document | None:
    """What a document holds, read without the parts of it that are known; None if that cannot be."""
    short = _KNOWN.shortened(text, names)
    if short is None:
        return None
    document, known = _document(LexborHTMLParser(short.html), url, names)
    if known == list(short.parts):
        return document
    short.failed()
    return None


def _document(parser: LexborHTMLParser, url: str, names: Set[str]) -> tuple[Document, list[Part]]:
    """What a parsed document holds, and the known parts that were met in it."""
    html = without_marks(parser.html or "")
    reader = _Reader(url, ROOT)
    reader.read(html)
    document = reader.finished()
    document.scripts = [unescaped(address) for address in _SCRIPT.findall(html)] if "script" in names else []
    document.signs = signs_of(parser, html, url, document.metas, reader.seen, names)
    return document, reader.known


def _mark(parser: LexborHTMLParser, only: Sequence[str], ignore: Sequence[str]) -> None:
    for node in parser.css(f"[{MARK}]"):
        del node.attrs[MARK]
    for chosen, selectors in (("only", only), ("ignore", ignore)):
        for selector in selectors:
            for node in parser.css(selector):
                node.attrs[MARK] = chosen


class _Reader:
    """Turns the flat sequence of tags and texts into blocks with links."""

    def __init__(self, url: str, state: ElementContext) -> None:
        self.document = Document(base=url)
        self.stream = BlockBuilder()
        self.seen: set[str] = set()
        """Elements that stand somewhere, of those that are looked at once more."""
        self.h1: list[int] = []
        """Number of the block with which each H1 begins; -1 inside of what interrupts a block."""
        self.n_anchors = 0
        """Open ``a`` elements, those that lead nowhere too."""
        self.known: list[Part] = []
        """Known parts, in the order in which they were met."""
        self.has_base = False
        self._set_base(url)
        self.state = state
        """What holds for text outside of :meth:`read`, and when it is entered and left."""
        self.stack: list[ElementContext] = []
        self.interrupted: list[tuple[int, BlockBuilder]] = []
        """Streams in which an inline element of another kind interrupts a block, with the depth of that element."""

    def _set_base(self, url: str) -> None:
        self.document.base = url
        self.origin = "/".join(url.split("/", 3)[:3])
        self.folder = url.partition("?")[0].rpartition("/")[0] + "/"  # of pages at the root it must not be the origin

    def read(self, html: str, *, is_part: bool = False) -> None:
        """Read a document, or a part of one."""
        read_markup(self, html, is_part)

    def other(self, tag: Tag, markup: str, text: str, state: ElementContext) -> ElementContext:
        """What holds after a tag of a rarer kind, which `text` follows."""
        if tag.is_block:
            self.stream.end_block(state)
        elif tag.is_space:
            self.stream.add(" ")
        if tag.is_end:
            if self.interrupted and self.interrupted[-1][0] == len(self.stack):
                self.resumed(state)
            if self.stack:
                state = self.stack.pop()
                self.stream.joint = min(self.stream.joint, state.depth)
            return state
        name = tag.name
        if name == "img":
            self.shown_image(markup, state)
        elif name == "meta":
            self.meta(markup, state)
        elif name == "link":
            self.link_element(markup, state)
        elif name == "a":
            self.begin_link(markup, state)
        elif name == "h1":
            self.h1.append(len(self.stream.contexts) if not self.interrupted else -1)
        elif name == "title":
            self.title(text, state)
        elif name == "html":
            self.document.language = attributes(markup).get("lang", "").strip().lower()
        elif name == "base":
            self.base(markup)
        elif name in ("area", "frame"):
            self.textless_link(markup, state)
        elif name in SIGN_TAGS:
            self.seen.add(name)
        if tag.is_void:
            return state
        self.stack.append(state)
        return self.entered(tag, markup, state) if tag.has_context else state

    def entered(self, tag: Tag, markup: str, outer: ElementContext) -> ElementContext:
        """What holds inside an element."""
        if tag.is_telling:
            state = outer.telling(tag.name, tag.label, markup)
        else:
            state = outer.inside.get(tag.label) or outer.plain(tag.name, tag.label)
        inner = state.context
        if not tag.is_block and (inner.chrome, inner.chosen) != (outer.context.chrome, outer.context.chosen):
            # A button or a hidden word inside a sentence is a block of its own, and the sentence goes on after it.
            self.interrupted.append((len(self.stack), self.stream))
            self.stream = BlockBuilder(self.stream.joint)
        return state

    def resumed(self, state: ElementContext) -> BlockBuilder:
        """The stream that was interrupted, with what interrupted it."""
        self.stream.end_link()
        self.stream.end_block(state)
        blocks = self.stream.blocks()
        _, self.stream = self.interrupted.pop()
        self.stream.insert_part(blocks, state.depth)
        return self.stream

    def begin_link(self, markup: str, state: ElementContext) -> None:
        self.n_anchors += 1
        stream = self.stream
        stream.end_link()
        if state.is_unseen:
            return
        address = value_of("href", markup)
        if address is None:
            return
        url, in_page = resolved_url(address, self.document.base), address[:1] == "#"
        if url is not None or in_page:
            stream.begin_link(OpenLink(url, rel_of(markup) if "rel=" in markup else "", in_page))

    def shown_image(self, markup: str, state: ElementContext) -> None:
        if state.is_unseen:
            return
        address, alt = value_of("src", markup), value_of("alt", markup)
        url = (address and resolved_url(address, self.document.base)) or ""
        self.document.images.append(Image(url, alt))
        link = self.stream.link
        if link is not None:
            link.has_image = True
            if alt and not link.alt:
                link.alt = " ".join(alt.split())

    def textless_link(self, markup: str, state: ElementContext) -> None:
        """A frame, or a part of an image map: it leads somewhere and shows no text."""
        attrs = attributes(markup)
        address = attrs.get("href") or attrs.get("src")
        url = address and resolved_url(address, self.document.base)
        if url and not state.is_unseen:
            name = " ".join((attrs.get("alt") or attrs.get("title") or "").split())
            self.stream.insert([Block("", state.context, (Link(url, name, rel_of(markup), 0, 0),), NO_JOINT)])

    def title(self, text: str, state: ElementContext) -> None:
        if state.context.tag == "head" and not self.document.title:
            self.document.title = " ".join(unescaped(text).split())

    def meta(self, markup: str, state: ElementContext) -> None:
        result = attributes(markup)
        if "http-equiv" not in result or state.context.chrome != "noscript":  # it is for browsers without scripts alone
            self.document.metas.append(result)

    def base(self, markup: str) -> None:
        href = attributes(markup).get("href")
        if href is not None and not self.has_base:
            self._set_base(normal_url(href, self.document.base) or self.document.base)
            self.has_base = True

    def link_element(self, markup: str, state: ElementContext) -> None:
        if '"http:' in markup:
            self.seen.add("link")
        if state.context.tag == "head":  # in the body it is not trusted: anybody's comment could carry one
            self.document.link_elements.append(attributes(markup))

    def part(self, markup: str) -> None:
        """A header, menu or list, of which most stand on many pages."""
        if ATTRIBUTE in markup:
            self.part_with_stand_in(markup)
            return
        if self.stream.link is not None:
            self.read(markup, is_part=True)
            return
        self.stream.end_block(self.state)
        known = _MEMORY.get(self.state, markup, self.origin) or _MEMORY.get(self.state, markup, self.folder)
        if known is None:
            known = self.read_apart(markup)
            if _MEMORY.is_met_again(self.state, markup):
                place = self._place_of(_ADDRESS.findall(markup))
                if place is not None:
                    _MEMORY.put(self.state, markup, place, known)
        self.stream.insert_part(known[0], self.state.depth)
        self.document.images += known[1]
        self.seen |= known[2]

    def read_apart(self, markup: str) -> tuple[list[Block], list[Image], set[str]]:
        """Blocks and images of a part, and the elements seen in it."""
        reader = _Reader(self.document.base, self.state)
        reader.n_anchors = self.n_anchors
        reader.stream.joint = self.state.depth
        reader.read(markup, is_part=True)
        document = reader.finished()
        # Of fields only those count that stand outside of furniture.
        seen = reader.seen - FIELD_TAGS if markup.startswith(_FURNITURE_PARTS) else reader.seen
        return document.blocks, document.images, seen

    def part_with_stand_in(self, markup: str) -> None:
        """The stand-in of a known part, or a part that holds one."""
        if _STAND_IN.fullmatch(markup) is None:
            self.read(markup, is_part=True)
            return
        known = _KNOWN.named_by(markup)
        # Inside of SVG it means something else; in a table, a link around it may have let it pass; and whether an H1 has a
        # text is asked of the parser.
        is_plain = not self.state.is_unseen and not self.n_anchors and not self.state.context.level
        if known is not None and is_plain:
            self.known.append(known)
            self.part(known.markup)

    def _place_of(self, addresses: Sequence[str]) -> str | None:
        """Below what addresses as written lead to the same pages: an origin, a folder; None if on no other page."""
        if all(address.startswith(("/", "http://", "https://")) for address in addresses):
            return self.origin
        return None if any(address[:1] <= " " or address[0] in "#?" for address in addresses) else self.folder

    def finished(self) -> Document:
        self.stream.end_link()
        self.stream.end_block(self.state)
        document = self.document
        document.blocks = self.stream.blocks()
        if len(set(self.h1)) < len(self.h1) or not all(map(self.stream.is_h1, self.h1)):
            self.seen.add("h1")
        return document


@compiled("scan")
def read_markup(reader: _Reader, html: str, is_part: bool) -> None:
    """Read a document, or a part of one in which the only parts are stand-ins, into a reader."""
    stream, stack, known_tag = reader.stream, reader.stack, KNOWN_TAGS.get
    pieces, state = stream.pieces, reader.state
    remaining = iter((_SPLIT_PART if is_part else _SPLIT).split(html))
    text = next(remaining)
    if text and not state.is_unseen:
        pieces.append(text)
    for part, written, text in zip(remaining, remaining, remaining, strict=True):
        if written is not None:
            tag = known_tag(written) or tag_of(written)
            does = tag.does
            # The most frequent ones first, and without a call: there are hundreds on a page.
            if does == BEGIN_BLOCK:
                if pieces[-1] is not END:
                    stream.end_block(state)
                stack.append(state)
                state = state.inside.get(tag.label) or state.plain(tag.name, tag.label)
            elif does == END_BLOCK:
                if pieces[-1] is not END:
                    stream.end_block(state)
                if stack:
                    state = stack.pop()
                    if state.depth < stream.joint:
                        stream.joint = state.depth
            elif does == BEGIN_INLINE:
                stack.append(state)
            elif does == BEGIN_LINK:
                reader.begin_link(written, state)
                stack.append(state)
            elif does in (END_INLINE, END_LINK):
                if does == END_LINK:
                    reader.n_anchors -= 1
                    stream.end_link()
                if reader.interrupted and reader.interrupted[-1][0] == len(stack):
                    stream = reader.resumed(state)
                    pieces = stream.pieces
                if stack:
                    state = stack.pop()
            elif does == OTHER:
                state = reader.other(tag, written, text or "", state)
                stream = reader.stream
                pieces = stream.pieces
        elif part is not None:
            reader.state = state
            reader.part("<" + part)
        # A block does not begin with white space.
        if text and not state.is_unseen and (pieces[-1] is not END or not text.isspace()):
            pieces.append(text)
    reader.state = state


_KNOWN = TemplateCache()
_MEMORY = _Memory()
