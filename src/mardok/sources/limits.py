"""What of a document is left to the parser: as much as it can read in time that grows with the document, and no more.

In:  a document as text, limits.
Out: the same document where it is within them, as nearly all are; else without what is past them, and which limit that was.

A parser of HTML does work for each open element at each tag, copies formatting elements that are left open into whatever
follows (the "reconstruction of active formatting elements" of the HTML standard), and compares each attribute with those
before it. So a few thousand tags that nobody closes cost seconds and gigabytes. They are counted here, before.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import islice

from mardok.compiled import compiled
from mardok.settings import Extract
from mardok.sources.element_kinds import ENDED_BY_THE_NEXT, FOREIGN, FORMATTING, RAW, VOID, in_any_case

_CHEAP_TAGS = 4000
"""Tags up to which no nesting costs a noticeable time, with few formatting elements among them."""
_CHEAP_COPIES = 400_000
"""Copies of formatting elements that may be made."""
_OPEN_FORMATTING = 32
"""Formatting elements that may be open at once, where many copies would be made."""
_TAGS_OF_A_BLOCK = 3
_LONG_TAG = 2000
"""Characters of a tag that may hold more attributes than anybody writes."""
_LONG_TAG_BEGINS = re.compile(rf"<[^>]{{{_LONG_TAG}}}")
_MOST_OPTIONS = 4000
"""Choices of one list that are kept apart: the parser looks at all of them at each."""
_MOST_COPIED = 2_000_000_000
"""Characters that the parser copies in texts that hold no markup, about a fifth of a second."""
_MOST_STEPS = 20_000_000
"""Steps over open elements, about half a second."""
_OPENS_FORMATTING = re.compile(rf"<(?:{in_any_case(FORMATTING)})[\s/>]")
_CLOSED_FORMATTING = re.compile(
    rf"""<({in_any_case(FORMATTING)})(?:\s[^<>"'=]*+(?:="[^<>"]*+"[^<>"'=]*+)*+)?>[^<]*+</(?i:\1)>"""
)
"""A formatting element that holds text only, and is not left open whatever stands around it."""
_BREAK_OUT = FORMATTING | frozenset(
    [
        "blockquote", "body", "br", "center", "dd", "div", "dl", "dt", "embed", "h1", "h2", "h3", "h4", "h5", "h6", "head",
        "hr", "img", "li", "listing", "menu", "meta", "ol", "p", "pre", "ruby", "span", "sub", "sup", "table", "ul", "var",
    ]
)  # fmt: skip
"""Elements that end SVG and MathML where they begin (HTML standard, section 13.2.6.5)."""
_ENDS_THAT_BREAK_OUT = frozenset(["br", "p"])
_HTML_POINTS = frozenset(["foreignobject", "desc", "title", "annotation-xml", "mi", "mo", "mn", "ms", "mtext"])
"""Elements of SVG and MathML in which HTML may stand."""
_BLANK = r" \t\n\f\r"
"""White space of HTML; other white space is a letter to it."""
_VALUE = rf"""(?:"[^"]*+(?:"|\Z)|'[^']*+(?:'|\Z)|[^{_BLANK}>]*+)"""
_LONGEST_COPY = 100_000_000
"""Characters that the parser copies where a text grows in pieces, a fraction of a second and 100 MB."""
_PARTS_TEXT = re.compile(
    r"<(?:p|div|a|span|li|br|img|b|i|em|strong|h[1-6]|ul|ol|dl|dt|dd|input|option|hr|button|section)[\s/>]"
)
"""Tags that end a text wherever they stand, but in a frameset."""
_PARTING_ENDS = ("</a>", "</div>", "</li>", "</code>", "</span>")
"""Frequent tags that are never passed over."""
_LEAVES_TEXT = frozenset(
    [
        "body", "caption", "col", "colgroup", "form", "frame", "frameset", "head", "html", "table", "tbody", "td", "tfoot",
        "th", "thead", "tr",
    ]
)  # fmt: skip
"""Elements whose tags the parser passes over in some places, so that the text before and behind them is one."""
_MAY_LEAVE_TEXT = re.compile(rf"<(?:(?:{'|'.join(sorted(_LEAVES_TEXT))})[\s/]|/[a-z][a-z0-9]*[\s/]|[!?]|/(?![a-z]))")
_ATTRIBUTES = rf"(?:[{_BLANK}/]++|[^{_BLANK}/>][^{_BLANK}/>=]*+(?:[{_BLANK}]*+=[{_BLANK}]*+{_VALUE})?+)*+"
_TAG = re.compile(rf"<(?:(!--)|(/?)([a-zA-Z][^{_BLANK}/>]*+){_ATTRIBUTES}>?|(?P<bogus>[!?/]))")
"""A tag as the tokenizer of HTML reads it (section 13.2.5): a quote within a value that has none is part of the value."""
_COMMENT_BEGINS = re.compile(r"<(?:[!?]|/(?![a-zA-Z]))")
_COMMENT = re.compile(rf"<!--(?:-?>|.*?(?:--!?>|\Z))|{_COMMENT_BEGINS.pattern}[^>]*+>?", re.DOTALL)
_RAW_BEGINS = re.compile(rf"<({in_any_case(RAW)})(?=[{_BLANK}/>])")
_MOST_LOOKED_AT = 20_000_000
"""Characters after which looking at each tag is no slower."""
_ATTRIBUTE = re.compile(r"""[^\s=>"'/]+(?:\s*+=\s*+(?:"[^"]*"|'[^']*'|[^\s>"']+))?""")


def within_limits(html: str, limits: Extract) -> tuple[str, tuple[str, ...]]:
    """A document as it may be parsed, and the settings whose limit it was past.

    Examples
    --------
    >>> within_limits("<p>Bows", Extract())
    ('<p>Bows', ())
    >>> text, past = within_limits("<div>" * 100_000 + "Bows", Extract())
    >>> text.count("<div>"), text[-4:], past
    (512, 'Bows', ('extract.max_depth',))
    """
    n_tags = count_tags(html)
    past: list[str] = []
    most_tags = _TAGS_OF_A_BLOCK * limits.max_blocks
    if n_tags > most_tags:
        html, n_tags = html[: next(islice(re.finditer("<", html), most_tags, None)).start()], most_tags
        past.append("extract.max_blocks")
    if not _closes_often(html) and _LONG_TAG_BEGINS.search(html) is not None:
        html = _with_fewer_attributes(html, limits.max_attributes, past)
    if n_tags * len(html) > _MOST_COPIED and not _has_plain_texts(html):
        html = _with_plain_texts(html, past)
    if n_tags > limits.max_depth:
        if _may_grow(html, n_tags):
            html = _without_growing_texts(html, past)
        if not _is_cheap(html, n_tags, limits.max_depth):
            makes_copies = _may_make_copies(html, n_tags)
            if makes_copies or n_tags > _CHEAP_TAGS:
                html = Nesting(limits, past, spares_formatting=makes_copies).flattened(html)
    return html, tuple(dict.fromkeys(past))


@compiled("nesting")
def count_tags(html: str) -> int:
    """How many tags a document has at the most."""
    return html.count("<")


def _closes_often(html: str) -> bool:
    """Whether a tag ends so often that none is long, seen at a few places of a document."""
    at = 0
    while len(html) - at > _LONG_TAG:
        end = html.rfind(">", at, at + _LONG_TAG)
        if end < 0:
            return False
        at = end + 1
    return True


def _is_cheap(html: str, n_tags: int, most_open: int) -> bool:
    """Whether it is known at once that no tag would be left out."""
    if n_tags * n_tags <= _CHEAP_COPIES:
        return True
    # Which of the two ways to follow formatting elements is the right one takes longer to tell than both of them.
    ways = (_OPEN_FORMATTING, 0) if n_tags > _CHEAP_TAGS else (_OPEN_FORMATTING,)
    return all(is_surely_flat(html, most_open, way, _MOST_OPTIONS, _MOST_STEPS) for way in ways)


@compiled("nesting")
def is_surely_flat(html: str, most_open: int, most_formatting: int, most_options: int, most_steps: int) -> bool:  # noqa: ARG001
    """Whether it is known without following each tag here that none would be left out.

    Parameters
    ----------
    most_open, most_formatting, most_options, most_steps : int
        How many elements, and of them formatting elements and choices of a list, may be open; 0 formatting elements are as
        many as there are. Steps over open elements that may be taken.
    """
    return False


def _may_make_copies(html: str, n_tags: int) -> bool:
    """Whether so many formatting elements may be left open that the parser makes many copies of them."""
    n_formatting = len(_OPENS_FORMATTING.findall(html))
    if n_formatting * n_tags <= _CHEAP_COPIES:
        return False
    return (n_formatting - len(_CLOSED_FORMATTING.findall(html))) * n_tags > _CHEAP_COPIES


def _has_plain_texts(html: str) -> bool:
    """Whether surely none of the texts that hold no markup is one that the parser copies too often.

    Asked where such a text may begin, in comments and other such texts, too, so that no tag in between must be looked at.
    """
    n_looked_at = 0
    for begin in _RAW_BEGINS.finditer(html):
        tag = _TAG.match(html, begin.start())
        if tag is None:
            return False
        ending = re.compile(rf"</{begin[1]}[\s/>]", re.IGNORECASE | re.ASCII).search(html, tag.end())
        stop = ending.start() if ending is not None else len(html)
        n_looked_at += stop - begin.start()
        if n_looked_at > _MOST_LOOKED_AT:
            return False
        if html.count("<", tag.end(), stop) * (stop - tag.end()) > _MOST_COPIED:
            return False
    return True


def _tags(html: str) -> Iterator[tuple[re.Match[str], int]]:
    """The tags of a document, but for comments; of an element that holds no markup with the end of its text."""
    at = n_foreign = n_points = 0
    while (tag := _TAG.search(html, at)) is not None:
        at = tag.end()
        if tag[1] or tag["bogus"]:
            at = _end_of_comment(html, tag, is_foreign=n_foreign > 0)
            continue
        name, end = tag[3].lower(), 0
        if name in FOREIGN:  # inside of these the elements that hold no markup are as all others
            n_foreign = max(0, n_foreign + (-1 if tag[2] else 1))
            n_points = n_points if n_foreign else 0
        elif n_foreign and name in _HTML_POINTS and not tag[0].endswith("/>"):
            n_points = max(0, n_points + (-1 if tag[2] else 1))
        elif n_foreign and not n_points and name in (_ENDS_THAT_BREAK_OUT if tag[2] else _BREAK_OUT):
            n_foreign = 0
        elif not tag[2] and not n_foreign and name in RAW:
            ending = re.compile(rf"</{name}[\s/>]", re.IGNORECASE | re.ASCII).search(html, at)
            at = end = ending.start() if ending is not None else len(html)
        yield tag, end


def _end_of_comment(html: str, tag: re.Match[str], *, is_foreign: bool) -> int:
    """Where a comment ends, or what the parser takes for one: ``<!``, ``<?`` and ``</`` before what is no name."""
    if tag[1]:
        ending = _COMMENT.match(html, tag.start())
        return ending.end() if ending is not None else len(html)
    is_data = is_foreign and html.startswith("<![CDATA[", tag.start())
    sign = "]]>" if is_data else ">"
    end = html.find(sign, tag.start() + 2)
    return end + len(sign) if end >= 0 else len(html)


def _with_plain_texts(html: str, past: list[str]) -> str:
    """The document without the ``<`` in long texts that hold no markup: at each the parser copies all before it."""
    out: list[str] = []
    end = 0
    for tag, stop in _tags(html):
        if html.count("<", tag.end(), stop) * (stop - tag.end()) > _MOST_COPIED:
            out += (html[end : tag.end()], html[tag.end() : stop].replace("<", " "))
            end = stop
            past.append("extract.max_blocks")
    return "".join([*out, html[end:]]) if out else html


def _may_grow(html: str, n_tags: int) -> bool:
    """Whether so many tags may be passed over that a text grows around too many; plain ends of these elements never are."""
    for end in _PARTING_ENDS:
        if n_tags * len(html) <= _LONGEST_COPY:
            return False
        n_tags -= html.count(end)
    return n_tags * len(html) > _LONGEST_COPY


def _without_growing_texts(html: str, past: list[str]) -> str:
    """The document without attributes of tags that may be passed over, and comments, where a text grows around too many.

    The parser puts texts together between which it has passed over a tag. If it has kept attributes of the tag meanwhile,
    it copies all of the text, and does not give back what that took.
    """
    low = html.lower()
    n_passed = len(_MAY_LEAVE_TEXT.findall(low))
    if n_passed * len(low) <= _LONGEST_COPY:
        return html
    has_frames = "<frameset" in html[: html.find("<body") if "<body" in html else len(html)].lower()
    longest = len(low) if has_frames else max(map(len, _PARTS_TEXT.split(low)))
    if n_passed * longest <= _LONGEST_COPY:
        return html
    out: list[str] = []
    end = n_copied = n_characters = 0
    for tag, stop in _tags(html):
        between = html[end : tag.start()]
        n_characters += len(between)
        n_copied += n_characters * len(_COMMENT_BEGINS.findall(between))
        if n_copied > _LONGEST_COPY:
            between = _COMMENT.sub("", between)
        name, is_long = tag[3].lower(), tag.end() - tag.end(3) > 1
        is_passed = name in _LEAVES_TEXT or tag[2] or has_frames
        if is_passed and is_long:
            n_copied += n_characters
        elif not is_passed:
            n_characters = 0
        is_cut = n_copied > _LONGEST_COPY and is_passed and is_long
        out += (between, f"<{tag[2]}{tag[3]}>" if is_cut else tag[0])
        if is_cut:
            past.append("extract.max_attributes")
        end = max(tag.end(), stop)
        out.append(html[tag.end() : end])
    rest = html[end:]
    n_copied += (n_characters + len(rest)) * len(_COMMENT_BEGINS.findall(rest))
    return "".join([*out, _COMMENT.sub("", rest) if n_copied > _LONGEST_COPY else rest])


def _with_fewer_attributes(html: str, most: int, past: list[str]) -> str:
    out: list[str] = []
    end = 0
    for tag, _ in _tags(html):
        if tag.end() - tag.start() > _LONG_TAG:
            found = list(islice(_ATTRIBUTE.finditer(html, tag.end(3), tag.end()), most + 1))
            if len(found) > most:
                out += (html[end : found[most].start()], ">")
                end = tag.end()
                past.append("extract.max_attributes")
    return "".join([*out, html[end:]]) if out else html


@dataclass
class Nesting:
    """Follows the open elements of a document, as far as their number goes."""

    limits: Extract
    past: list[str]
    spares_formatting: bool
    open: list[str] = field(default_factory=list)
    n_open: Counter[str] = field(default_factory=Counter)
    """How many of them there are of each name: to look for one among hundreds at each end of nothing costs seconds."""
    formatting: list[str] = field(default_factory=list)
    """Formatting elements that the parser would put into what follows."""
    left_out: list[str] = field(default_factory=list)
    """Elements whose tags are left out, so that their ends are, too."""
    n_steps: int = 0
    n_options: int = 0
    n_foreign: int = 0
    """Open elements in which others are no HTML."""

    def flattened(self, html: str) -> str:
        """The document without the tags that are nested too deep, up to where it costs too much."""
        out: list[str] = []
        kept = 0
        for tag, _ in _tags(html):
            name = tag[3].lower()
            if self.n_foreign and name in _BREAK_OUT:
                self._leave_foreign()
            is_alone = self.n_foreign > 0 and tag[0].endswith("/>")
            if not is_alone and not (self._ended(name) if tag[2] else self._opened(name)):
                out.append(html[kept : tag.start()])
                kept = tag.end()
                continue
            self.n_steps += (len(self.open) if name not in VOID else 0) + self.n_options
            if self.n_steps > _MOST_STEPS:
                self.past.append("extract.max_depth")
                html = html[: tag.start()]
                break
        return "".join([*out, html[kept:]])

    def _leave_foreign(self) -> None:
        """End what is no HTML, as the parser does at an element that can only be HTML."""
        while self.n_foreign:
            self._close()

    def _close(self) -> str:
        """End the innermost element; its name."""
        name = self.open.pop()
        self.n_open[name] -= 1
        self.n_foreign -= name in FOREIGN
        return name

    def _opened(self, name: str) -> bool:
        """Take in the begin of an element; whether its tag is kept."""
        if self.n_foreign:  # there each element is open until it ends
            return self._nested(name)
        if name in VOID:
            return True
        if name in ("option", "optgroup"):
            self.n_options += 1
            if self.n_options > _MOST_OPTIONS:
                self.n_options = _MOST_OPTIONS
                self.past.append("extract.max_depth")
                return False
            return True
        self.n_options = 0 if name == "select" else self.n_options
        if name in FORMATTING and self.spares_formatting:
            if len(self.formatting) >= _OPEN_FORMATTING:
                self.past.append("extract.max_depth")
                self.left_out.append(name)
                return False
            self.formatting.append(name)
            return True
        return True if name in ENDED_BY_THE_NEXT else self._nested(name)

    def _nested(self, name: str) -> bool:
        if len(self.open) >= self.limits.max_depth:
            self.past.append("extract.max_depth")
            self.left_out.append(name)
            return False
        self.open.append(name)
        self.n_open[name] += 1
        self.n_foreign += name in FOREIGN
        return True

    def _ended(self, name: str) -> bool:
        """Take in the end of an element; whether its tag is kept."""
        if self.left_out and self.left_out[-1] == name:
            self.left_out.pop()
            return False
        if name in FORMATTING and self.spares_formatting:
            for at in range(len(self.formatting) - 1, -1, -1):
                if self.formatting[at] == name:
                    del self.formatting[at]
                    break
        elif self.n_open[name]:
            while self._close() != name:
                pass
        return True
