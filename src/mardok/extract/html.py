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
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, NamedTuple

from selectolax.lexbor import LexborHTMLParser

from mardok.extract.known_parts import ATTRIBUTE, STAND_IN, KnownParts, Part
from mardok.extract.markup import attributes, rel_of, shown_text, unescaped, value_of
from mardok.extract.page import NO_SIGNS, Block, Context, Image, Link, Signs
from mardok.extract.signs import SIGN_TAGS, signs_of
from mardok.extract.state import BLOCK_TAGS, CONTEXT_TAGS, MARK, ROOT, State, is_telling
from mardok.urls import normal_url, resolved_url

_VOID_TAGS = frozenset(
    ["area", "base", "br", "col", "embed", "frame", "hr", "img", "input", "link", "meta", "param", "source", "track", "wbr"]
)
_SPACE_TAGS = frozenset(
    ["br", "img", "input", "select", "textarea", "button", "embed", "object", "video", "audio", "canvas", "svg", "iframe"]
)
_RAW_TEXT_TAGS = frozenset(["script", "style", "iframe", "noembed", "noframes", "plaintext", "xmp"])
_LINK_EDGE = "\x01"
_REMEMBERED_CHARACTERS = 1 << 22
_REMEMBERED_HASHES = 1 << 16
"""Markup that is remembered in one process."""

_RAW_TEXTS = "|".join(sorted(_RAW_TEXT_TAGS))
_RAW_TEXT = "<!--.*?-->|" + "|".join(
    rf"<{name}\b[^<]*+(?:<(?!/{name}>)[^<]*+)*+</{name}>" for name in sorted(_RAW_TEXT_TAGS)
)
# A template repeats its header, footer, menus and lists on every page: each is taken whole, and looked up before it is read.
# What would be read differently the second time, or might hold any characters, is not in it.
_PARTS = "|".join(
    rf"<{name}(?:\s[^>]*)?>[^<]*+(?:<(?!/?(?:{name}|base|meta|{_RAW_TEXTS})\b|!)[^<]*+)*+</{name}>"
    for name in ("header", "nav", "footer", "aside", "ul")
)
_SIMPLE_TAGS = (
    r"(?:li|p|td|th|h[1-6]|dt|dd|div|pre|figcaption|caption|summary|blockquote|address|article|section|legend|center)"
)
_INLINE_TAGS = (
    "a|abbr|acronym|b|bdi|bdo|big|br|cite|code|data|del|dfn|em|font|i|img|ins|kbd|label|mark|nobr|picture|q|rb|rp|rt|ruby|s|samp"
    "|small|source|span|strike|strong|sub|sup|time|tt|u|var|wbr"
)
# Most blocks hold text, links and inline elements, and nothing else: each is read at once, not tag by tag.
_SIMPLE_BLOCK = rf"<{_SIMPLE_TAGS}(?:\s[^>]*)?>[^<]*+(?:</?(?:{_INLINE_TAGS})(?:\s[^>]*)?>[^<]*+)*+</{_SIMPLE_TAGS}>"
_SPLIT = re.compile(rf"({_RAW_TEXT}|{_PARTS}|{_SIMPLE_BLOCK}|<[^>]*>)", re.DOTALL)
_SPLIT_PART = re.compile(rf"({STAND_IN}|{_SIMPLE_BLOCK}|<[^>]*>)")
_SPLIT_TAGS = re.compile(r"(<[^>]*>)")
_STAND_IN = re.compile(STAND_IN)
_PART = re.compile(r"<(?:header|nav|footer|aside|ul)[\s>]")
_SIMPLE = re.compile(rf"<{_SIMPLE_TAGS}[\s>]")
_LINK = re.compile(r"(<a(?:\s[^>]*)?>)([^<]*+(?:<(?!/a>)[^<]*+)*+)</a>")
_IMAGE = re.compile(r"<img(?:\s[^>]*)?>")
_ADDRESS = re.compile(r'\s(?:href|src)="([^"]*)"')
_NAME = re.compile(r"</?([a-z][^\s/>]*)")


class _Memory:
    """What pieces of markup were read as; emptied when it is full."""

    def __init__(self) -> None:
        self._found: dict[tuple[State, str, str], Any] = {}
        self._seen: set[int] = set()
        self._size = 0

    def is_met_again(self, state: State, markup: str) -> bool:
        """Whether the markup was asked about there before: most parts are a page's own, and not worth remembering."""
        key = hash((state, markup))
        if key in self._seen:
            return True
        if len(self._seen) >= _REMEMBERED_HASHES:
            self._seen.clear()
        self._seen.add(key)
        return False

    def get(self, state: State, markup: str, origin: str) -> Any:
        """What the markup is there, below an origin or folder; None if it is not known."""
        return self._found.get((state, markup, origin))

    def put(self, state: State, markup: str, origin: str, found: Any) -> None:
        self._size += len(markup)
        if self._size > _REMEMBERED_CHARACTERS:
            self._found.clear()
            self._size = len(markup)
        self._found[state, markup, origin] = found


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
    signs: Signs = NO_SIGNS


def read_document(text: str, url: str, only: Sequence[str] = (), ignore: Sequence[str] = ()) -> Document:
    """Read an HTML document.

    Parameters
    ----------
    text : str
        The document, decoded.
    url : str
        Its address, against which its base element and links are resolved.
    only, ignore : sequence of str
        CSS selectors; blocks inside what they match are marked as chosen.

    Examples
    --------
    >>> document = read_document("<p>Old <b>vio</b>lins<br>and <a href='/bows'>bows</a>", "https://host.example/x")
    >>> document.blocks[0].text, document.blocks[0].links[0].url, document.blocks[0].links[0].start
    ('Old violins and bows', 'https://host.example/bows', 16)
    """
    if not only and not ignore:  # a selector may ask for anything in a part
        short = _KNOWN.shortened(text)
        if short is not None:
            document, known = _document(LexborHTMLParser(short.html), url)
            if known == list(short.parts):
                return document
            short.failed()
    parser = LexborHTMLParser(text)
    if only or ignore:
        _mark(parser, only, ignore)
    return _document(parser, url)[0]


def _document(parser: LexborHTMLParser, url: str) -> tuple[Document, list[Part]]:
    """What a parsed document holds, and the known parts that were met in it."""
    reader = _Reader(url)
    # A character reference can put the edge mark into any text, so it is taken out only now.
    html = (parser.html or "").replace(_LINK_EDGE, " ")
    reader.read(_SPLIT.split(html))
    document = reader.finished()
    document.signs = signs_of(parser, html, url, document.metas, reader.seen)
    return document, reader.known


def _mark(parser: LexborHTMLParser, only: Sequence[str], ignore: Sequence[str]) -> None:
    for node in parser.css(f"[{MARK}]"):
        del node.attrs[MARK]
    for chosen, selectors in (("only", only), ("ignore", ignore)):
        for selector in selectors:
            for node in parser.css(selector):
                node.attrs[MARK] = chosen


class _Target(NamedTuple):
    """Where a link leads."""

    url: str | None
    """None if it is no http(s) address."""
    rel: str
    in_page: bool
    """Whether it leads to a place in its own page."""


def _is_sign(text: str) -> bool:
    """Whether the text of a link into its own page is only the sign that headings carry for those who want their address."""
    return not any(map(str.isalnum, text))


class _OpenLink:
    """A link as it is being read."""

    __slots__ = ("alt", "anchor", "block", "end", "first_piece", "has_image", "in_page", "is_closed", "rel", "start", "url")

    def __init__(self, target: _Target) -> None:
        self.url, self.rel, self.in_page = target
        self.is_closed = False
        self.anchor: list[str] = []
        self.alt, self.has_image = "", False
        self.first_piece = 0
        """Its first one among the pieces of the block in which it begins."""
        self.block, self.start, self.end = -1, 0, 0

    def finished(self) -> Link:
        assert self.url is not None, "a link that cannot be followed is not kept"
        return Link(self.url, " ".join("".join(self.anchor).split()) or self.alt, self.rel, self.start, self.end)


class _Reader:
    """Turns the flat sequence of tags and texts into blocks with links."""

    def __init__(self, url: str) -> None:
        self.document = Document(base=url)
        self.blocks = self.document.blocks
        self.seen: set[str] = set()
        """Elements that stand somewhere, of those that are looked at once more."""
        self.n_anchors = 0
        """Open ``a`` elements, those that lead nowhere too."""
        self.known: list[Part] = []
        """Known parts, in the order in which they were met."""
        self.has_base = self.expects_title = False
        self._set_base(url)
        self.state = ROOT
        self.stack: list[State] = []
        self.pieces: list[str] = []
        """Text of the present block; :data:`_LINK_EDGE` where a link begins or ends."""
        self.edges: list[_OpenLink] = []
        """The links of those edges, in their order."""
        self.link: _OpenLink | None = None
        self.link_at_block_start: _OpenLink | None = None
        self.set_aside: list[tuple[int, list[str], list[_OpenLink], _OpenLink | None, _OpenLink | None]] = []
        """Blocks that an inline element of another kind interrupts: its depth, and what the block held so far."""

    def _set_base(self, url: str) -> None:
        self.document.base = url
        self.origin = "/".join(url.split("/", 3)[:3])
        self.folder = url.partition("?")[0].rpartition("/")[0]

    def read(self, pieces: Sequence[str]) -> None:
        """Read texts and, at every odd place, markup."""
        is_markup = False
        for piece in pieces:
            if is_markup:
                # One tag, as long as it may be: names of attributes may hold a "<".
                if "<" not in piece[1:] or piece.index(">") == len(piece) - 1:
                    self.markup(piece)
                elif _PART.match(piece):
                    self.part(piece)
                elif _SIMPLE.match(piece):
                    self.simple_block(piece)
            elif piece:
                self.text(piece)
            is_markup = not is_markup

    def text(self, text: str) -> None:
        if "&" in text:
            text = unescaped(text)
        if self.expects_title:
            self.document.title = " ".join(text.split())
        if self.state.is_unseen:
            return
        self.pieces.append(text)
        if self.link is not None:
            self.link.anchor.append(text)

    def part(self, markup: str) -> None:
        """A header, menu or list, of which most stand on many pages."""
        if ATTRIBUTE in markup:
            self.part_with_stand_in(markup)
            return
        if self.link is not None:
            self.read(_SPLIT_PART.split(markup))
            return
        if self.pieces:
            self.flush()
        state, blocks, images = self.state, self.blocks, self.document.images
        known = _MEMORY.get(state, markup, self.origin) or _MEMORY.get(state, markup, self.folder)
        if known is not None:
            blocks += known[0]
            images += known[1]
            self.seen |= known[2]
            return
        if not _MEMORY.is_met_again(state, markup):
            self.read(_SPLIT_PART.split(markup))
            return
        n_blocks, n_images, seen = len(blocks), len(images), self.seen
        self.seen = set()
        self.read(_SPLIT_PART.split(markup))
        place = self._place_of(_ADDRESS.findall(markup))
        if place is not None:
            _MEMORY.put(state, markup, place, (tuple(blocks[n_blocks:]), tuple(images[n_images:]), self.seen))
        self.seen = self.seen | seen

    def part_with_stand_in(self, markup: str) -> None:
        """The stand-in of a known part, or a part that holds one."""
        if _STAND_IN.fullmatch(markup) is None:
            self.read(_SPLIT_PART.split(markup))
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

    def simple_block(self, markup: str) -> None:
        """A block with nothing in it but text, links and inline elements."""
        outer = self.state
        if self.link is not None or is_telling(markup):
            self.read(_SPLIT_TAGS.split(markup))
            return
        if self.pieces:
            self.flush()
        begin = markup.index(">") + 1
        name = markup[1:begin].partition(" ")[0].rstrip(">")
        state = outer.inside.get(name) or outer.plain(name)
        if state.is_unseen:
            self.seen.add(name)
            return
        inner = markup[begin : markup.rindex("</")]
        if "<a " in inner or "<img" in inner:
            self.linked_block(inner, state.context)
            return
        text = " ".join(shown_text(inner).split())
        if text:
            self.blocks.append(Block(text, state.context))
        elif state.context.level == 1:
            self.seen.add("h1")

    def linked_block(self, markup: str, context: Context) -> None:
        """A block of texts, links and images among inline elements: what :meth:`flush` makes of it, in one pass."""
        parts = _LINK.split(markup)  # text, tag and content of a link, text, ...
        tags = parts[1::3]
        del parts[1::3]
        alts: dict[int, str] = {}
        if "<img" in markup:
            for number, part in enumerate(parts):
                for image in _IMAGE.findall(part):
                    alt = " ".join((self.image(image) or "").split())
                    alts[number] = alts.get(number) or alt
        text = ""
        links, bare = [], []
        has_space = False
        for number, part in enumerate(" ".join(shown_text(_LINK_EDGE.join(parts)).split()).split(_LINK_EDGE)):
            target = self.link_target(tags[number // 2]) if number % 2 else None
            words = part.strip(" ")
            if target is not None and target.in_page and number not in alts and _is_sign(words):
                words = part = ""
            begin = len(text)
            if words:
                if text and (has_space or part[0] == " "):
                    text += " "
                    begin += 1
                text += words
                has_space = part[-1] == " "
            elif part:
                has_space = True
            if target is None or target.url is None:
                continue
            if words:
                links.append(Link(target.url, words, target.rel, begin, len(text)))
            else:
                bare.append(Link(target.url, alts.get(number, ""), target.rel, 0, 0))
        if text:
            self.blocks.append(Block(text, context, tuple(links)))
        elif context.level == 1:
            self.seen.add("h1")
        if bare:
            self.blocks.append(Block("", context, tuple(bare)))

    def markup(self, markup: str) -> None:
        # Most links are written once on a site: to remember each would drive out the tags that come again.
        tag = _PLAIN_LINK if markup[:3] == "<a " and not is_telling(markup) else _tag(markup)
        if tag is None:
            return
        if tag.is_block:
            if self.pieces:
                self.flush()
        elif tag.is_space:
            self.pieces.append(" ")
            if self.link is not None:
                self.link.anchor.append(" ")
        if tag.is_end:
            if tag.name == "a":
                self.n_anchors -= 1
                self.close_link()
            self.expects_title = False
            if self.set_aside and self.set_aside[-1][0] == len(self.stack):
                self.resume()
            if self.stack:
                self.state = self.stack.pop()
            return
        if tag.special is not None:
            tag.special(self, markup)
        if not tag.is_void:
            self.stack.append(self.state)
            if tag.has_context:
                self.enter(tag, markup)

    def enter(self, tag: _Tag, markup: str) -> None:
        outer = self.state
        if tag.is_telling:
            self.state = outer.telling(tag.name, markup)
        else:
            self.state = outer.inside.get(tag.name) or outer.plain(tag.name)
        inner = self.state.context
        if not tag.is_block and (inner.chrome, inner.chosen) != (outer.context.chrome, outer.context.chosen):
            # A button or a hidden word inside a sentence is a block of its own, and the sentence goes on after it.
            self.set_aside.append((len(self.stack), self.pieces, self.edges, self.link_at_block_start, self.link))
            self.pieces, self.edges, self.link_at_block_start, self.link = [], [], None, None

    def resume(self) -> None:
        self.close_link()
        self.flush()
        _, self.pieces, self.edges, self.link_at_block_start, self.link = self.set_aside.pop()

    def open_link(self, markup: str) -> None:
        self.n_anchors += 1
        self.close_link()
        target = None if self.state.is_unseen else self.link_target(markup)
        if target is not None:
            self.link = _OpenLink(target)
            self.edges.append(self.link)
            self.pieces.append(_LINK_EDGE)
            self.link.first_piece = len(self.pieces)

    def link_target(self, markup: str) -> _Target | None:
        """Where a link leads, as its tag says; None if the tag leads nowhere."""
        address = value_of("href", markup)
        if address is None:
            return None
        url = resolved_url(address, self.document.base)
        return _Target(url, rel_of(markup) if "rel=" in markup else "", address[:1] == "#")

    def close_link(self) -> None:
        link = self.link
        if link is None:
            return
        self.link = None
        link.is_closed = True
        if link.in_page and link is not self.link_at_block_start and not link.has_image and _is_sign("".join(link.anchor)):
            del self.pieces[link.first_piece :]
            link.anchor.clear()
        self.edges.append(link)
        self.pieces.append(_LINK_EDGE)
        if link.block >= 0 and link.url is not None:  # its block ended before it did
            block = self.blocks[link.block]
            self.blocks[link.block] = block._replace(links=(*block.links, link.finished()))

    def shown_image(self, markup: str) -> None:
        if self.state.is_unseen:
            return
        alt = self.image(markup)
        if self.link is not None:
            self.link.has_image = True
            self.link.alt = self.link.alt or " ".join((alt or "").split())

    def image(self, markup: str) -> str | None:
        """Note an image; its alternative text."""
        address, alt = value_of("src", markup), value_of("alt", markup)
        url = (address and resolved_url(address, self.document.base)) or ""
        self.document.images.append(Image(url, alt))
        return alt

    def textless_link(self, markup: str) -> None:
        """A frame, or a part of an image map: it leads somewhere and shows no text."""
        attrs = attributes(markup)
        address = attrs.get("href") or attrs.get("src")
        url = address and resolved_url(address, self.document.base)
        if url and not self.state.is_unseen:
            name = " ".join((attrs.get("alt") or attrs.get("title") or "").split())
            self.blocks.append(Block("", self.state.context, (Link(url, name, rel_of(markup), 0, 0),)))

    def note(self, markup: str) -> None:
        """An element that the signs of the document depend on."""
        name = _NAME.match(markup)
        if name is not None:
            self.seen.add(name[1])

    def root(self, markup: str) -> None:
        self.document.language = attributes(markup).get("lang", "").strip().lower()

    def base(self, markup: str) -> None:
        href = attributes(markup).get("href")
        if href is not None and not self.has_base:
            self._set_base(normal_url(href, self.document.base) or self.document.base)
            self.has_base = True

    def meta(self, markup: str) -> None:
        self.document.metas.append(attributes(markup))

    def link_element(self, markup: str) -> None:
        if self.state.context.tag == "head":  # in the body it is not trusted: anybody's comment could carry one
            self.document.link_elements.append(attributes(markup))

    def title(self, markup: str) -> None:  # noqa: ARG002 - all of them take the tag
        self.expects_title = self.state.context.tag == "head" and not self.document.title

    def flush(self) -> None:
        """End the present block."""
        raw = "".join(self.pieces)
        self.pieces.clear()
        if self.link is not None:
            self.link.anchor.append(" ")
        if not self.edges and self.link_at_block_start is None:
            text = " ".join(raw.split())
            if text:
                self.blocks.append(Block(text, self.state.context))
            return
        begun = [link for link in dict.fromkeys(self.edges) if link.block < 0]
        text = self._text_with_links(raw)
        self.link_at_block_start = self.link
        if text:
            here = len(self.blocks)
            links = tuple(link.finished() for link in begun if link.url and link.is_closed and link.block == here)
            self.blocks.append(Block(text, self.state.context, links))
        bare = tuple(link.finished() for link in begun if link.url and link.is_closed and link.block < 0)
        if bare:
            self.blocks.append(Block("", self.state.context, bare))

    def _text_with_links(self, raw: str) -> str:
        """Collapse white space as everywhere, and note which characters each link covers."""
        block = len(self.blocks)
        out: list[str] = []
        length, has_space = 0, False
        link = self.link_at_block_start
        edges = iter(self.edges)
        for part in raw.split(_LINK_EDGE):
            piece = " ".join(part.split())
            if piece:
                if length and (has_space or part[0].isspace()):
                    piece = " " + piece
                if link is not None:
                    if link.block < 0:
                        link.block, link.start = block, length + (piece[0] == " ")
                    if link.block == block:
                        link.end = length + len(piece)
                out.append(piece)
                length += len(piece)
                has_space = part[-1].isspace()
            elif part:
                has_space = True
            edge = next(edges, None)
            link = None if edge is link else edge
        self.edges.clear()
        return "".join(out)

    def finished(self) -> Document:
        self.close_link()
        self.flush()
        return self.document


@dataclass(frozen=True, slots=True)
class _Tag:
    """What one tag, as written, does."""

    name: str
    is_end: bool
    is_block: bool
    is_space: bool
    is_void: bool
    has_context: bool
    """Whether it may change what the text inside it is."""
    is_telling: bool
    """Whether its attributes may."""
    special: Callable[[_Reader, str], None] | None


@lru_cache(maxsize=1 << 13)  # the same few hundred tags make up nearly all of a site
def _tag(markup: str) -> _Tag | None:
    found = _NAME.match(markup)
    if found is None or found[1] in _RAW_TEXT_TAGS:
        return None
    name, is_end = found[1], markup[1] == "/"
    if is_end and name in _VOID_TAGS:
        return None  # of SVG or MathML, where its start has opened nothing here
    tells = not is_end and is_telling(markup)
    return _Tag(
        name, is_end, name in BLOCK_TAGS, name in _SPACE_TAGS, name in _VOID_TAGS,
        tells or name in CONTEXT_TAGS, tells, None if is_end else _SPECIAL.get(name),
    )  # fmt: skip


_SPECIAL: dict[str, Callable[[_Reader, str], None]] = {
    "a": _Reader.open_link,
    "area": _Reader.textless_link,
    "base": _Reader.base,
    "frame": _Reader.textless_link,
    "html": _Reader.root,
    "img": _Reader.shown_image,
    "link": _Reader.link_element,
    "meta": _Reader.meta,
    "title": _Reader.title,
    **dict.fromkeys(SIGN_TAGS, _Reader.note),
}
_PLAIN_LINK = _tag("<a>")
_KNOWN = KnownParts()
_MEMORY = _Memory()
