"""Parts of a template that stand on page after page, so that they are parsed once and not once a page.

In:  a document as text.
Out: the same document with each known menu, header or footer in it replaced by a short stand-in, and what they stand for.

The result of parsing is the same, by these rules and checks:

1. A part is known if it was seen before, and if, parsed alone, it is exactly one element whose tags nest as they are
   written, none implied, none left open; with elements only that leave nothing behind them (no tables, forms, scripts, raw
   texts). Such a text has one parse wherever the parser takes its first tag for the start of an element in the body.
2. Whether it does is seen from the stand-in, an element of the same name that is treated alike: it must come out of the
   parser as it was put in. In a comment, a script, an attribute or a select it does not.
3. The stand-in holds a text and a link. Formatting elements or a link that are open before the part, or were left open, are
   put into it anew by the parser (the "adoption agency" and the "reconstruction of active formatting elements" of the HTML
   standard), which changes it.
4. Whoever reads the result takes no stand-in inside of SVG, where elements of these names mean something else.

Where a stand-in is not met as it was put in, the whole document is parsed as it is.
"""

from __future__ import annotations

import re
from collections.abc import Sequence, Set
from dataclasses import dataclass
from itertools import count

from selectolax.lexbor import LexborHTMLParser

from mardok.compiled import compiled
from mardok.extract.signs import may_show_code

_ELEMENTS = ("header", "nav", "footer", "ul")
_BY_LETTER = {name[0]: name for name in _ELEMENTS}
_NAMES = "|".join(_ELEMENTS)
_BEGIN = re.compile(rf"<({_NAMES})[\s>]")
_OTHER_MEANINGS = frozenset(["frameset", "math", "plaintext"])
"""Elements in which, or behind which, a stand-in may mean something else."""
_LEAST, _MOST = 200, 200_000
"""Characters of a part that is worth the trouble."""
_REMEMBERED_CHARACTERS = 1 << 22
_REMEMBERED_HASHES = 1 << 16
_MOST_FAILURES = 3
ATTRIBUTE = "mardok-part"
"""By what a stand-in is known."""
STAND_IN = rf'<(?:{_NAMES}) {ATTRIBUTE}="\d+">x<a {ATTRIBUTE}=""></a></(?:{_NAMES})>'
"""What a stand-in is when the parser has written it out."""
_NUMBER = re.compile(rf'<(?:{_NAMES}) {ATTRIBUTE}="(\d+)">')
_TAG = re.compile(r"""<(/?)([a-zA-Z][^\s/<>]*)((?:"[^"<]*"|'[^'<]*'|[^'"<>])*)>""")
_CONTROL = re.compile(r"[\x00-\x08\x0e-\x1b]")
_VOID = frozenset(["br", "hr", "img", "wbr", "source"])
_HTML = _VOID | frozenset(
    [
        "a", "abbr", "address", "b", "cite", "code", "dd", "div", "dl", "dt", "em", "figcaption", "figure", "footer", "h2",
        "h3", "h4", "h5", "h6", "header", "i", "label", "li", "nav", "ol", "p", "picture", "section", "small", "span",
        "strong", "sub", "sup", "time", "u", "ul",
    ]
)  # fmt: skip
_SVG = frozenset(["svg", "path", "g", "circle", "ellipse", "line", "polygon", "polyline", "rect", "title", "use"])
_ALONE = "<!DOCTYPE html><html><head></head><body>{}<i></i></body></html>"


@dataclass(slots=True)
class Part:
    """A part that is known."""

    number: int
    name: str
    markup: str
    """As the parser writes it out."""
    failures: int = 0
    """Times it was not met where it was expected."""

    @property
    def stand_in(self) -> str:
        """What is parsed in its place."""
        return f"<{self.name} {ATTRIBUTE}={self.number}>x<a {ATTRIBUTE}></a></{self.name}>"


@dataclass(frozen=True, slots=True)
class Shortened:
    """A document with stand-ins."""

    html: str
    parts: tuple[Part, ...]
    """Those that they stand for, in their order."""

    def failed(self) -> None:
        """Not all of the stand-ins were met."""
        for part in self.parts:
            part.failures += 1


class TemplateCache:
    """What is known in one process."""

    def __init__(self) -> None:
        self._parts: dict[str, Part | None] = {}
        """Known parts by their text; None for what is none."""
        self._by_number: dict[int, Part] = {}
        self._seen: set[int] = set()
        """Hashes of what was seen once."""
        self._size = 0
        self._numbers = count()

    def shortened(self, html: str, names: Set[str]) -> Shortened | None:
        """A document with stand-ins; None if there is nothing to replace.

        Parameters
        ----------
        names : set of str
            Names of at least all elements in it.
        """
        if names.isdisjoint(_ELEMENTS) or not names.isdisjoint(_OTHER_MEANINGS):
            return None
        out: list[str] = []
        result: list[Part] = []
        end = 0
        closes: dict[str, int] = {}  # the next end of each name, -1 if there is none: not sought again from each begin
        for start in part_begins(html):
            if start < end:
                continue
            name = _BY_LETTER[html[start + 1]]
            close = closes.get(name, 0)
            if 0 <= close < start or name not in closes:
                close = closes[name] = html.find(f"</{name}>", start)
            stop = close + len(name) + 3
            if close >= 0 and _LEAST <= stop - start <= _MOST and html.find(f"<{name}", start + 1, stop) < 0:
                part = self._known(html[start:stop], name)
                if part is not None and part.failures < _MOST_FAILURES:
                    out += (html[end:start], part.stand_in)
                    result.append(part)
                    end = stop
        if not result or may_show_code(html):  # what is shown as code is looked for in the whole page
            return None
        short = "".join([*out, html[end:]])
        if count_stand_ins(short) != 2 * len(result):
            return None
        return Shortened(short, tuple(result))

    def named_by(self, stand_in: str) -> Part | None:
        """The part that a stand-in, as the parser writes it, stands for."""
        number = _NUMBER.match(stand_in)
        return self._by_number.get(int(number[1])) if number is not None else None

    def _known(self, text: str, name: str) -> Part | None:
        if text in self._parts:
            return self._parts[text]
        key = hash(text)
        if key not in self._seen:
            if len(self._seen) >= _REMEMBERED_HASHES:
                self._seen.clear()
            self._seen.add(key)
            return None
        self._size += len(text)
        if self._size > _REMEMBERED_CHARACTERS:
            self._parts.clear()
            self._by_number.clear()
            self._size = len(text)
        markup = written_alone(text, name)
        part = None
        if markup is not None:
            part = Part(next(self._numbers), name, markup)
            self._by_number[part.number] = part
        self._parts[text] = part
        return part


@compiled("names")
def part_begins(html: str) -> Sequence[int]:
    """Where the parts of a template may begin in a document."""
    return [begin.start() for begin in _BEGIN.finditer(html)]


@compiled("names")
def count_stand_ins(html: str) -> int:
    """How often the attribute of stand-ins is written in a document, in capitals or not."""
    # In bytes capitals are put away several times as fast as in a text beyond ASCII.
    return html.encode("utf-8", "replace").lower().count(ATTRIBUTE.encode())


def written_alone(text: str, name: str) -> str | None:
    """A part as the parser writes it out, if it has one parse wherever it stands; else None.

    Examples
    --------
    >>> written_alone("<ul><li>Bows</li><li><a href=/hire/>Hire</a></li></ul>", "ul")
    '<ul><li>Bows</li><li><a href="/hire/">Hire</a></li></ul>'
    >>> written_alone("<ul><li>Bows<li>Hire</ul>", "ul") is None
    True
    """
    loads = "http:" in text and ("<img" in text or "<source" in text)
    if loads or "<!" in text or "<?" in text or "\0" in text or "\r" in text or "itemtype" in text or ATTRIBUTE in text:
        return None
    before, after = _ALONE.split("{}")
    html = LexborHTMLParser(_ALONE.format(text)).html or ""
    markup = html[len(before) : len(html) - len(after)]
    if html != before + markup + after or not markup.startswith(f"<{name}") or not markup.endswith(f"</{name}>"):
        return None
    tags = _nesting(text)
    is_plain = tags is not None and (markup == text or tags == _nesting(markup)) and _CONTROL.search(markup) is None
    return markup if is_plain else None


def _nesting(text: str) -> list[tuple[str, bool]] | None:
    """Names of the tags of one element, each with whether it ends one; None if they do not nest, or one may not be there."""
    tags = _TAG.findall(text)
    if len(tags) != text.count("<"):
        return None
    result: list[tuple[str, bool]] = []
    opened: list[str] = []
    n_foreign = 0
    for end, written, rest in tags:
        name = written.lower()
        is_foreign = n_foreign > 0 or name == "svg"
        if name not in (_SVG if is_foreign else _HTML) or (result and not opened):
            return None
        ends = bool(end)
        if ends:
            if not opened or opened.pop() != name:
                return None
            n_foreign -= name == "svg"
        elif is_foreign and rest.endswith("/"):
            result.append((name, False))
            ends = True
        elif name not in _VOID:
            opened.append(name)
            n_foreign += name == "svg"
        result.append((name, ends))
    return None if opened else result
