"""The attributes and the text of markup in the parser's canonical form.

In:  one tag, or inline markup, as the parser writes it out: attribute values stand in double quotes.
Out: attributes by name, single values, plain text.
"""

from __future__ import annotations

import re

_SPACE = re.compile(r"<(?:br|img)(?:\s[^>]*)?>")
_TAG = re.compile(r"<[^>]*>")
_ATTRIBUTE = re.compile(r'\s([^\s=">/]+)(?:="([^"]*)")?')
_VALUES = {name: re.compile(rf'\s{name}(?:="([^"]*)")?(?=[\s>])') for name in ("href", "src", "alt")}


def attributes(markup: str) -> dict[str, str]:
    """All attributes of a tag."""
    return {name: unescaped(value) if "&" in value else value for name, value in _ATTRIBUTE.findall(markup)}


def value_of(name: str, markup: str) -> str | None:
    """The value of one attribute, ``""`` if it has none; None if the tag does not have the attribute."""
    start = f' {name}="'
    at = markup.find(start)
    if at > 0 and '"' not in markup[:at]:  # it is the first with a value, as it mostly is
        at += len(start)
        value = markup[at : markup.index('"', at)]
        return unescaped(value) if "&" in value else value
    found = _VALUES[name].search(markup)
    if found is None:
        return None
    if markup.count('"', 0, found.start()) % 2:  # it stands inside the value of another
        return attributes(markup).get(name)
    value = found[1] or ""
    return unescaped(value) if "&" in value else value


def rel_of(markup: str) -> str:
    """The ``rel`` attribute in lower case."""
    return " ".join(attributes(markup).get("rel", "").lower().split())


def shown_text(markup: str) -> str:
    """The text of inline markup; a break or an image parts words as a space does."""
    if "<" in markup:
        if "<br" in markup or "<img" in markup:
            markup = _SPACE.sub(" ", markup)
        markup = _TAG.sub("", markup)
    return unescaped(markup) if "&" in markup else markup


def unescaped(text: str) -> str:
    """Text without the few character references that the parser writes."""
    text = text.replace("&lt;", "<").replace("&gt;", ">").replace("&nbsp;", "\xa0").replace("&quot;", '"')
    return text.replace("&amp;", "&")
