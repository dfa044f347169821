"""What one tag does to the text around it.

In:  a tag in the parser's canonical form, without its ``<``.
Out: a :class:`Tag`; the same few hundred tags make up nearly all of a site, and are looked at once.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from mardok.extract.element_context import BLOCK_TAGS, CONTEXT_TAGS, is_telling, label_of

RAW_TEXT_TAGS = frozenset(["script", "style", "iframe", "noembed", "noframes", "plaintext", "xmp"])
"""Elements whose content is no markup."""
_VOID_TAGS = frozenset(
    ["area", "base", "br", "col", "embed", "frame", "hr", "img", "input", "link", "meta", "param", "source", "track", "wbr"]
)
_SPACE_TAGS = frozenset(
    ["br", "img", "input", "select", "textarea", "button", "embed", "object", "video", "audio", "canvas", "svg", "iframe"]
)
_SPECIAL_TAGS = frozenset(
    [
        "a", "area", "audio", "base", "frame", "h1", "html", "img", "input", "link", "meta", "select", "textarea", "title",
        "video",
    ]
)  # fmt: skip
_WRITTEN_ONCE = frozenset(["a", "img", "link", "meta"])
"""Elements of which most tags are written once on a site: to remember each would drive out those that come again."""
_REMEMBERED_TAGS = 1 << 13
_NAME = re.compile(r"/?([a-z][^\s/>]*)")


# What is to be done at a tag. Plain numbers: members of an enumeration are looked up anew at each of the hundreds of tags.
BEGIN_BLOCK, END_BLOCK, BEGIN_INLINE, END_INLINE, BEGIN_LINK, END_LINK, OTHER, NOTHING = range(8)
"""``OTHER`` is something rarer, of which the other fields of :class:`Tag` tell."""


@dataclass(frozen=True, slots=True)
class Tag:
    """What one tag, as written, does."""

    does: int
    name: str
    is_end: bool = False
    is_block: bool = False
    is_space: bool = False
    """Whether it parts words."""
    is_void: bool = False
    has_context: bool = False
    """Whether it may change what the text inside it is."""
    is_telling: bool = False
    """Whether its attributes may."""
    label: str = ""
    """By what the element is known in paths."""


KNOWN_TAGS: dict[str, Tag] = {}
"""Tags by how they are written, of those that come again."""


def tag_of(markup: str) -> Tag:
    """What a tag does that is not in :data:`KNOWN_TAGS`; it is put there if it may come again."""
    if markup[:8] == 'a href="' and markup.count('"') == 2:  # with nothing else to look at
        return _LINK
    if len(KNOWN_TAGS) >= _REMEMBERED_TAGS:
        KNOWN_TAGS.clear()
    name, _, written = markup.partition(" ")
    if written and name not in BLOCK_TAGS and not is_telling(markup):
        # No block begins: the name tells all.
        tag = KNOWN_TAGS.get(f"{name}>") or tag_of(f"{name}>")
        if name in _WRITTEN_ONCE:
            return tag
    else:
        tag = _tag(markup)
    KNOWN_TAGS[markup] = tag
    return tag


def _tag(markup: str) -> Tag:
    match = _NAME.match(markup)
    name, is_end = match[1] if match is not None else "", markup[:1] == "/"
    # The end of a void element is one of SVG or MathML, where its start has opened nothing here.
    if not name or name in RAW_TEXT_TAGS or (is_end and name in _VOID_TAGS):
        return _NOTHING
    tells = not is_end and is_telling(markup)
    is_block, is_space, is_void = name in BLOCK_TAGS, name in _SPACE_TAGS, name in _VOID_TAGS
    has_context = tells or name in CONTEXT_TAGS
    does = OTHER
    if is_end and is_block:
        does = END_BLOCK
    elif is_end and name == "a":
        does = END_LINK
    elif is_end and not is_space:
        does = END_INLINE
    elif not is_end and not tells and not is_void and name not in _SPECIAL_TAGS:
        if is_block:
            does = BEGIN_BLOCK
        elif not is_space and not has_context:
            does = BEGIN_INLINE
    elif name == "a" and not is_end and not tells:
        does = BEGIN_LINK
    label = label_of(name, markup) if is_block and not is_end else name
    return Tag(does, name, is_end, is_block, is_space, is_void, has_context, tells, label)


_NOTHING = Tag(NOTHING, "")
_LINK = _tag("a>")
