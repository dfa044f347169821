"""What the open elements say about what stands inside them: landmark, heading, chrome, whether it is shown.

In:  the elements around a place, from the outermost in.
Out: a :class:`ElementContext`; equal ones are one object, and the way from one to the next is remembered.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from mardok.extract.markup import attributes
from mardok.extract.page import Context
from mardok.extract.part_names import names_content, names_furniture

BLOCK_TAGS = frozenset(
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
CONTEXT_TAGS = BLOCK_TAGS | _UNSEEN_TAGS | _CHROME_TAGS.keys() | {"dialog"}
MARK = "mardok-chosen"
"""Attribute of elements that a selector of the settings matches, put there before the document is written out."""
_REMEMBERED_TAGS = 1000
_REMEMBERED_STATES = 1 << 16
_CONTAINERS = frozenset(
    ["article", "aside", "center", "div", "dl", "footer", "form", "header", "main", "nav", "ol", "section", "table", "tbody",
     "td", "th", "tr", "ul"]
)  # fmt: skip
"""Elements whose id may name a part of the template."""
_PLAIN_LABELS = frozenset(["body", "html", "h1", "h2", "h3", "h4", "h5", "h6", "hr"])
_DEEPEST_PATH = 40
_MOST_CLASSES = 6
_LONGEST_LABEL = 80
_LONGEST_ID = 30
_MOST_ID_WORDS = 3
_WORDS = re.compile(r"[-_.:]+")
_DIGITS = re.compile(r"\d+")
_PANEL = re.compile(
    r"accordion|akkordeon|collaps|tab-?pane|tab-?content|tabpanel|panel|expand|toggle|faq|answer|antwort|spoiler|unfold|"
    r"read-?more|mehr-?lesen",
    re.IGNORECASE,
)
"""Names of content that is closed until a reader opens it."""
_NOT_SHOWN = re.compile(r"display\s*:\s*none|visibility\s*:\s*hidden", re.IGNORECASE)


class ElementContext:
    """What the open elements say about what stands inside them; equal ones are one object."""

    __slots__ = ("context", "depth", "in_section", "inside", "is_unseen")

    def __init__(self, context: Context, in_section: bool, is_unseen: bool) -> None:
        self.context, self.in_section, self.is_unseen = context, in_section, is_unseen
        self.depth = context.path.count("/") + 1 if context.path else 0
        """Elements in the path of the context."""
        self.inside: dict[str, ElementContext] = {}
        """States inside elements, by name, of those with telling attributes by tag: pages repeat them thousands of times."""

    @classmethod
    def of(cls, context: Context, in_section: bool, is_unseen: bool) -> ElementContext:
        """The one state that is so.

        Parameters
        ----------
        context : Context
            What is known of the blocks inside.
        in_section : bool
            Whether an article or a section is open.
        is_unseen : bool
            Whether nobody sees what is inside.
        """
        key = context, in_section, is_unseen
        result = _STATES.get(key)
        if result is None:
            if len(_STATES) >= _REMEMBERED_STATES:  # what is open stays; the rest is made anew when it is met again
                _STATES.clear()
                ROOT.inside.clear()
            result = _STATES[key] = cls(*key)
        return result

    def plain(self, name: str, label: str) -> ElementContext:
        """The state inside an element without telling attributes."""
        self._make_room()
        result = self.inside[label] = _inner_state(self, name, label, {})
        return result

    def telling(self, name: str, label: str, markup: str) -> ElementContext:
        """The state inside an element with telling attributes.

        Parameters
        ----------
        name, label : str
            Tag, and how the path of the context writes it.
        markup : str
            The start tag as written, whose attributes are read when it is met for the first time.
        """
        result = self.inside.get(markup)
        if result is None:
            self._make_room()
            result = self.inside[markup] = _inner_state(self, name, label, attributes(markup))
        return result

    def _make_room(self) -> None:
        if len(self.inside) > _REMEMBERED_TAGS:
            self.inside.clear()


def is_telling(markup: str) -> bool:
    """Whether attributes of a tag may change what the text inside it is; a few hits too many do no harm."""
    # Five searches for a word are ten times faster than one for a pattern.
    return "hidden" in markup or "role=" in markup or "style=" in markup or "readcrumb" in markup or MARK in markup


def label_of(name: str, markup: str) -> str:
    """By what an element is known in the paths of blocks: tag, classes, id and role, with digits masked.

    Of ids only those count that name a part of a template: most name a place of one page, such as a heading that others
    link to.

    Examples
    --------
    >>> label_of("div", 'div class="col-8 side" id="c17">'), label_of("h2", 'h2 class="big">')
    ('div.col-0.side', 'h2')
    """
    if name in _PLAIN_LABELS or ("class=" not in markup and "id=" not in markup and "role=" not in markup):
        return name
    attrs = attributes(markup)
    label = name + "".join(f".{token}" for token in attrs.get("class", "").split()[:_MOST_CLASSES])
    own = attrs.get("id", "").strip()
    is_part = own and name in _CONTAINERS and len(own) <= _LONGEST_ID and (names_furniture(own) or names_content(own))
    if is_part and _WORDS.sub(" ", own).count(" ") < _MOST_ID_WORDS:
        label += f"#{own}"
    if attrs.get("role"):
        label += f"@{attrs['role'].strip().lower()}"
    return _DIGITS.sub("0", label.replace("/", "-").replace(" ", "-"))[:_LONGEST_LABEL]


def _inner_state(outer: ElementContext, name: str, label: str, attrs: Mapping[str, str]) -> ElementContext:
    """What holds inside the element, given what holds outside."""
    role = attrs.get("role", "").strip().lower()
    tag, place, level, chrome, in_main, chosen, path = outer.context
    if name in BLOCK_TAGS and name != "html" and outer.depth < _DEEPEST_PATH:
        path = f"{path}/{label}" if path else label
    in_section = outer.in_section or name in ("article", "section")
    if name in BLOCK_TAGS or name == "head":
        tag = name
    level = _HEADINGS.get(name, level)
    if (name == "main" and not role) or role == "main":
        place, in_main, in_section = "main", True, True
    if attrs.get(MARK):
        chosen = "ignore" if chosen == "ignore" else attrs[MARK]
    reason = _chrome_reason(outer, name, role, attrs)
    if reason and chrome != "hidden":
        place = chrome = reason
    is_unseen = outer.is_unseen or name in _UNSEEN_TAGS
    return ElementContext.of(Context(tag, place, level, chrome, in_main, chosen, path), in_section, is_unseen)


def _is_panel(name: str, role: str, attrs: Mapping[str, str]) -> bool:
    """Whether the element is a part of an accordion or of tabs: content that is closed at first."""
    if name not in _CONTAINERS and name != "p":
        return False
    called = f"{attrs.get('class', '')} {attrs.get('id', '')}"
    is_called = role == "tabpanel" or attrs.get("hidden") == "until-found" or _PANEL.search(called) is not None
    return is_called and not names_furniture(called) and role not in _CHROME_ROLES


def _chrome_reason(outer: ElementContext, name: str, role: str, attrs: Mapping[str, str]) -> str:
    is_hidden = "hidden" in attrs or attrs.get("aria-hidden") == "true" or _NOT_SHOWN.search(attrs.get("style", ""))
    if is_hidden and not _is_panel(name, role, attrs):
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


_STATES: dict[tuple[Context, bool, bool], ElementContext] = {}
ROOT = ElementContext.of(Context("body", "body", 0, "", False, ""), False, False)
"""Where a document begins."""
