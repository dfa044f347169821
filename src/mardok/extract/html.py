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
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

from selectolax.lexbor import LexborHTMLParser

from mardok.extract.page import Block, Image, Link
from mardok.urls import normal_url, resolved_url

_BLOCK_TAGS = frozenset(
    [
        "address",
        "article",
        "aside",
        "blockquote",
        "body",
        "caption",
        "center",
        "dd",
        "details",
        "dialog",
        "dir",
        "div",
        "dl",
        "dt",
        "fieldset",
        "figcaption",
        "figure",
        "footer",
        "form",
        "frameset",
        "h1",
        "h2",
        "h3",
        "h4",
        "h5",
        "h6",
        "header",
        "hgroup",
        "hr",
        "html",
        "legend",
        "li",
        "listing",
        "main",
        "menu",
        "nav",
        "ol",
        "optgroup",
        "option",
        "p",
        "pre",
        "search",
        "section",
        "summary",
        "table",
        "tbody",
        "td",
        "tfoot",
        "th",
        "thead",
        "tr",
        "ul",
        "xmp",
    ]
)
_VOID_TAGS = frozenset(
    ["area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "param", "source", "track", "wbr"]
)
_SPACE_TAGS = frozenset(
    ["br", "img", "input", "select", "textarea", "button", "embed", "object", "video", "audio", "canvas", "svg", "iframe"]
)
_HEADINGS = {f"h{level}": level for level in range(1, 7)}
_UNSEEN_TAGS = frozenset(["head", "template", "svg", "object", "canvas", "audio", "video"])
_CHROME_TAGS = {
    "nav": "nav", "noscript": "noscript", "button": "form control", "select": "form control",
    "textarea": "form control", "datalist": "form control",
}  # fmt: skip
_OUTSIDE_SECTIONS_TAGS = frozenset(["header", "footer", "aside"])
_CHROME_ROLES = {
    "navigation": "nav", "banner": "header", "contentinfo": "footer", "complementary": "aside", "search": "search",
    "dialog": "dialog", "alertdialog": "dialog", "menu": "nav", "menubar": "nav",
}  # fmt: skip
_RAW_TEXT_TAGS = frozenset(["script", "style", "iframe", "noembed", "noframes", "xmp"])
_CONTEXT_TAGS = _BLOCK_TAGS | _UNSEEN_TAGS | _CHROME_TAGS.keys() | {"dialog"}
NOTICE = "notice"
"""Place of what calls itself a cookie or consent notice; whether it is one, its recurrence tells."""
_MARK = "mardok-chosen"
_LINK_EDGE = "\x01"
_KNOWN_BLOCKS = 4096

_SIMPLE_TAGS = r"(?:li|p|td|th|h[1-6]|dt|dd|div|figcaption|caption|summary)"
_RAW_TEXTS = "|".join(sorted(_RAW_TEXT_TAGS))
_SPLIT = re.compile(
    rf"(<!--.*?-->|<(?:{_RAW_TEXTS})\b[^>]*>.*?</(?:{_RAW_TEXTS})>"
    # Most blocks hold a text, or a link with a text, and nothing else: each is read at once, not tag by tag.
    rf"|<{_SIMPLE_TAGS}(?:\s[^>]*)?>(?:<a\s[^>]*>[^<]*</a>|[^<]+)</{_SIMPLE_TAGS}>|<[^>]*>)",
    re.DOTALL,
)
_SIMPLE = re.compile(rf"<{_SIMPLE_TAGS}[\s>]")
_SPLIT_TAGS = re.compile(r"(<[^>]*>)")
_NAME = re.compile(r"</?([a-z][^\s/>]*)")
_ATTRIBUTE = re.compile(r'\s([^\s=">/]+)(?:="([^"]*)")?')
_HREF = re.compile(r'\shref(?:="([^"]*)")?')
_NOTICE = re.compile(r"cookie|consent", re.IGNORECASE)
_NOT_SHOWN = re.compile(r"display\s*:\s*none|visibility\s*:\s*hidden", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class _Context:
    """What the open elements say about the text inside them."""

    tag: str = "body"
    place: str = "body"
    level: int = 0
    chrome: str = ""
    in_main: bool = False
    in_section: bool = False
    is_unseen: bool = False
    chosen: str = ""
    inside: dict[str, _Context] = field(default_factory=dict, compare=False, repr=False)
    """Contexts inside plain elements, by tag: pages repeat them thousands of times."""
    known: dict[tuple[str, str], tuple[Block | None, str | None]] = field(default_factory=dict, compare=False, repr=False)
    """Simple blocks by markup and origin, with the address they link to: a menu is read once, not once a page."""


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
    links: list[Link] = field(default_factory=list)
    images: list[Image] = field(default_factory=list)


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
    >>> document.blocks[0].text, document.links[0].url, document.links[0].start
    ('Old violins and bows', 'https://host.example/bows', 16)
    """
    parser = LexborHTMLParser(text)
    if only or ignore:
        _mark(parser, only, ignore)
    reader = _Reader(url)
    # A character reference can put the edge mark into any text, so it is taken out only now.
    pieces = _SPLIT.split((parser.html or "").replace(_LINK_EDGE, " "))
    read_markup, read_text, read_block = reader.markup, reader.text, reader.simple_block
    for text_piece, markup in zip(pieces[::2], [*pieces[1::2], ""], strict=True):
        if text_piece:
            read_text(text_piece)
        if markup:
            (read_block if "<" in markup[1:] and _SIMPLE.match(markup) else read_markup)(markup)
    return reader.finished()


def _mark(parser: LexborHTMLParser, only: Sequence[str], ignore: Sequence[str]) -> None:
    for node in parser.css(f"[{_MARK}]"):
        del node.attrs[_MARK]
    for chosen, selectors in (("only", only), ("ignore", ignore)):
        for selector in selectors:
            for node in parser.css(selector):
                node.attrs[_MARK] = chosen


def _is_telling(markup: str) -> bool:
    """Whether attributes of a tag may change what the text inside it is; a few hits too many do no harm."""
    # Seven searches for a word are ten times faster than one for a pattern.
    return (
        "hidden" in markup
        or "role=" in markup
        or "style=" in markup
        or "readcrumb" in markup
        or "ookie" in markup
        or "onsent" in markup
        or _MARK in markup
    )


class _OpenLink:
    """A link as it is being read."""

    __slots__ = ("alt", "anchor", "block", "end", "in_chrome", "rel", "start", "url")

    def __init__(self, url: str | None, rel: str, in_chrome: bool) -> None:
        self.url, self.rel, self.in_chrome = url, rel, in_chrome
        self.anchor: list[str] = []
        self.alt = ""
        self.block, self.start, self.end = -1, 0, 0


class _Reader:
    """Turns the flat sequence of tags and texts into blocks and links."""

    def __init__(self, url: str) -> None:
        self.document = Document(base=url)
        self.origin = "/".join(url.split("/", 3)[:3])
        self.has_base = self.expects_title = False
        self.context = _ROOT
        self.stack: list[_Context] = []
        self.pieces: list[str] = []
        """Text of the present block; :data:`_LINK_EDGE` where a link begins or ends."""
        self.edges: list[_OpenLink] = []
        """The links of those edges, in their order."""
        self.link: _OpenLink | None = None
        self.link_at_block_start: _OpenLink | None = None
        self.found_links: list[_OpenLink | Link] = []
        """In the order in which they begin."""
        self.set_aside: list[tuple[int, list[str], list[_OpenLink], _OpenLink | None, _OpenLink | None]] = []
        """Blocks that an inline element of another kind interrupts: its depth, and what the block held so far."""

    def text(self, text: str) -> None:
        if "&" in text:
            text = _unescaped(text)
        if self.expects_title:
            self.document.title = " ".join(text.split())
        if self.context.is_unseen:
            return
        self.pieces.append(text)
        if self.link is not None:
            self.link.anchor.append(text)

    def simple_block(self, markup: str) -> None:
        """A block with nothing in it but a text, or a link with a text."""
        outer = self.context
        known = outer.known.get((markup, self.origin)) if self.link is None else None
        if known is not None:
            if self.pieces:
                self.flush()
            self.add_simple(*known, "")
            return
        if self.link is not None or _is_telling(markup):
            pieces = _SPLIT_TAGS.split(markup)
            for text, tag in zip(pieces[::2], [*pieces[1::2], ""], strict=True):
                if text:
                    self.text(text)
                if tag:
                    self.markup(tag)
            return
        if self.pieces:
            self.flush()
        begin = markup.index(">") + 1
        name = markup[1:begin].partition(" ")[0].rstrip(">")
        at = outer.inside.get(name) or self.plain_context(name)
        if at.is_unseen:
            return
        href = None
        end = markup.rindex("</")
        if markup[begin] == "<":
            href = _HREF.search(markup, begin)
            begin, end = markup.index(">", begin) + 1, markup.rindex("</a>")
        text = " ".join((_unescaped(markup[begin:end]) if "&" in markup[begin:end] else markup[begin:end]).split())
        block = Block(text, at.tag, at.place, at.level, at.chrome, at.in_main, at.chosen) if text else None
        address, rel = None, ""
        if href is not None:
            written = _unescaped(href[1] or "") if "&" in (href[1] or "") else href[1] or ""
            address = resolved_url(written, self.document.base) or ""
            if "rel=" in markup[:begin]:
                rel = " ".join(_attributes(markup[markup.index("<a ") : begin]).get("rel", "").lower().split())
        self.add_simple(block, address, rel)
        if not rel and (href is None or (href[1] or "").startswith(("/", "http"))):
            if len(outer.known) >= _KNOWN_BLOCKS:
                outer.known.clear()
            outer.known[markup, self.origin] = block, address

    def add_simple(self, block: Block | None, address: str | None, rel: str) -> None:
        """Add a block that is a text, or with an address a link, ``""`` for one that cannot be followed."""
        blocks = self.document.blocks
        if address:
            at = block or self.context
            in_chrome = bool(at.chrome) or at.chosen == "ignore"
            where = ("", rel, -1, 0, 0) if block is None else (block.text, rel, len(blocks), 0, len(block.text))
            self.found_links.append(Link(address, *where, in_chrome))
        if block is not None:
            blocks.append(block)

    def plain_context(self, name: str) -> _Context:
        """What text inside an element without telling attributes is; remembered, since pages repeat it."""
        inner = _inner_context(self.context, name, {})
        inner = self.context.inside[name] = _KNOWN_CONTEXTS.setdefault(inner, inner)
        return inner

    def markup(self, markup: str) -> None:
        # Most links are written once on a site: to remember each would drive out the tags that come again.
        tag = _PLAIN_LINK if markup[:3] == "<a " and not _is_telling(markup) else _tag(markup)
        if tag is None:
            return
        if tag.is_block:
            if self.pieces:
                self.flush()
        elif tag.is_space:
            self.pieces.append(" ")
        if tag.is_end:
            if tag.name == "a":
                self.close_link()
            self.expects_title = False
            if self.set_aside and self.set_aside[-1][0] == len(self.stack):
                self.resume()
            if self.stack:
                self.context = self.stack.pop()
            return
        if tag.special is not None:
            tag.special(self, markup)
        if not tag.is_void:
            self.stack.append(self.context)
            if tag.has_context:
                self.enter(tag, markup)

    def enter(self, tag: _Tag, markup: str) -> None:
        outer = self.context
        if tag.is_telling:
            inner = _inner_context(outer, tag.name, _attributes(markup))
            self.context = _KNOWN_CONTEXTS.setdefault(inner, inner)
        else:
            self.context = outer.inside.get(tag.name) or self.plain_context(tag.name)
        if not tag.is_block and (self.context.chrome, self.context.chosen) != (outer.chrome, outer.chosen):
            # A button or a hidden word inside a sentence is a block of its own, and the sentence goes on after it.
            self.set_aside.append((len(self.stack), self.pieces, self.edges, self.link_at_block_start, self.link))
            self.pieces, self.edges, self.link_at_block_start, self.link = [], [], None, None

    def resume(self) -> None:
        self.close_link()
        self.flush()
        _, self.pieces, self.edges, self.link_at_block_start, self.link = self.set_aside.pop()

    def open_link(self, markup: str) -> None:
        self.close_link()
        href = _HREF.search(markup)
        if href is not None:
            in_chrome = bool(self.context.chrome) or self.context.chosen == "ignore"
            rel = " ".join(_attributes(markup).get("rel", "").lower().split()) if "rel=" in markup else ""
            address = href[1] or ""
            self.link = _OpenLink(
                resolved_url(_unescaped(address) if "&" in address else address, self.document.base), rel, in_chrome
            )
            self.found_links.append(self.link)
            self.edges.append(self.link)
            self.pieces.append(_LINK_EDGE)

    def close_link(self) -> None:
        if self.link is not None:
            self.edges.append(self.link)
            self.pieces.append(_LINK_EDGE)
            self.link = None

    def image(self, markup: str) -> None:
        if self.context.is_unseen:
            return
        attrs = _attributes(markup)
        url = (attrs.get("src") and resolved_url(attrs["src"], self.document.base)) or ""
        self.document.images.append(Image(url, attrs.get("alt")))
        if self.link is not None and not self.link.alt:
            self.link.alt = " ".join(attrs.get("alt", "").split())

    def root(self, markup: str) -> None:
        self.document.language = _attributes(markup).get("lang", "").strip().lower()

    def base(self, markup: str) -> None:
        href = _attributes(markup).get("href")
        if href is not None and not self.has_base:
            self.document.base, self.has_base = normal_url(href, self.document.base) or self.document.base, True
            self.origin = "/".join(self.document.base.split("/", 3)[:3])

    def meta(self, markup: str) -> None:
        self.document.metas.append(_attributes(markup))

    def link_element(self, markup: str) -> None:
        if self.context.tag == "head":  # in the body it is not trusted: anybody's comment could carry one
            self.document.link_elements.append(_attributes(markup))

    def title(self, markup: str) -> None:  # noqa: ARG002 - all of them take the tag
        self.expects_title = self.context.tag == "head" and not self.document.title

    def flush(self) -> None:
        """End the present block."""
        raw = "".join(self.pieces)
        self.pieces.clear()
        if self.link is not None:
            self.link.anchor.append(" ")
        has_link = bool(self.edges) or self.link_at_block_start is not None
        text = self._text_with_links(raw) if has_link else " ".join(raw.split())
        self.link_at_block_start = self.link
        if text:
            at = self.context
            self.document.blocks.append(Block(text, at.tag, at.place, at.level, at.chrome, at.in_main, at.chosen))

    def _text_with_links(self, raw: str) -> str:
        """Collapse white space as everywhere, and note which characters each link covers."""
        block = len(self.document.blocks)
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
        for link in self.found_links:
            if isinstance(link, Link):
                self.document.links.append(link)
            elif link.url is not None:
                anchor = " ".join("".join(link.anchor).split()) or link.alt
                self.document.links.append(
                    Link(link.url, anchor, link.rel, link.block, link.start, link.end, link.in_chrome)
                )
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
    is_telling = not is_end and bool(_is_telling(markup))
    return _Tag(
        name, is_end, name in _BLOCK_TAGS, name in _SPACE_TAGS, name in _VOID_TAGS,
        is_telling or name in _CONTEXT_TAGS, is_telling, None if is_end else _SPECIAL.get(name),
    )  # fmt: skip


_SPECIAL: dict[str, Callable[[_Reader, str], None]] = {
    "a": _Reader.open_link,
    "base": _Reader.base,
    "html": _Reader.root,
    "img": _Reader.image,
    "link": _Reader.link_element,
    "meta": _Reader.meta,
    "title": _Reader.title,
}
_PLAIN_LINK = _tag("<a>")
_ROOT = _Context()
_KNOWN_CONTEXTS: dict[_Context, _Context] = {}


def _attributes(markup: str) -> dict[str, str]:
    return {name: _unescaped(value) if "&" in value else value for name, value in _ATTRIBUTE.findall(markup)}


def _unescaped(text: str) -> str:
    text = text.replace("&lt;", "<").replace("&gt;", ">").replace("&nbsp;", "\xa0").replace("&quot;", '"')
    return text.replace("&amp;", "&")


def _inner_context(outer: _Context, name: str, attrs: Mapping[str, str]) -> _Context:
    """What text inside the element is, given what it is outside."""
    role = attrs.get("role", "").strip().lower()
    inner = replace(outer, inside={}, known={})
    if name in _BLOCK_TAGS or name == "head":
        inner = replace(inner, tag=name)
    if name in _HEADINGS:
        inner = replace(inner, level=_HEADINGS[name])
    if name in _UNSEEN_TAGS:
        inner = replace(inner, is_unseen=True)
    if (name == "main" and not role) or role == "main":
        inner = replace(inner, place="main", in_main=True, in_section=True)
    elif name in ("article", "section"):
        inner = replace(inner, in_section=True)
    if attrs.get(_MARK):
        inner = replace(inner, chosen="ignore" if outer.chosen == "ignore" else attrs[_MARK])
    if _NOTICE.search(attrs.get("class", "")) or _NOTICE.search(attrs.get("id", "")):
        inner = replace(inner, place=NOTICE)
    chrome = _chrome_reason(outer, name, role, attrs)
    if chrome and outer.chrome != "hidden":
        inner = replace(inner, place=chrome, chrome=chrome)
    return inner


def _chrome_reason(outer: _Context, name: str, role: str, attrs: Mapping[str, str]) -> str:
    if "hidden" in attrs or attrs.get("aria-hidden") == "true" or _NOT_SHOWN.search(attrs.get("style", "")):
        return "hidden"
    if role in _CHROME_ROLES:
        return _CHROME_ROLES[role]
    if name in _CHROME_TAGS:
        return _CHROME_TAGS[name]
    if name == "dialog" and "open" not in attrs:
        return "hidden"
    if name in _OUTSIDE_SECTIONS_TAGS and not outer.in_section:
        return name
    telling = (attrs.get(key, "") for key in ("class", "id", "aria-label", "itemtype"))
    return "breadcrumb" if any("breadcrumb" in value.lower() for value in telling) else ""
