"""The attributes of tags and the texts between them, in the parser's canonical form.

In:  one tag, or a text, as the parser writes it out: attribute values stand in double quotes.
Out: attributes by name, single values, plain text without references.
"""

from __future__ import annotations

import re

from mardok.compiled import compiled

_ATTRIBUTE = re.compile(r'\s([^\s=">/]+)(?:="([^"]*)")?')


@compiled("names")
def attributes(markup: str) -> dict[str, str]:
    """All attributes of a tag."""
    return {name: unescaped(value) if "&" in value else value for name, value in _ATTRIBUTE.findall(markup)}


def value_of(name: str, markup: str) -> str | None:
    """The value of one attribute, ``""`` if it has none; None if the tag does not have the attribute.

    Examples
    --------
    >>> value_of("href", '<a class="x" href="/bows/">'), value_of("href", '<a href="/bows')
    ('/bows/', None)
    """
    start = f' {name}="'
    at = markup.find(start)
    if at < 0:
        return None
    if markup.count('"', 0, at) % 2:  # it stands inside the value of another
        return attributes(markup).get(name)
    at += len(start)
    end = markup.find('"', at)
    if end < 0:  # in a text that the parser does not escape what looks like a tag may be none
        return None
    value = markup[at:end]
    return unescaped(value) if "&" in value else value


def rel_of(markup: str) -> str:
    """The ``rel`` attribute in lower case."""
    return " ".join(attributes(markup).get("rel", "").lower().split())


def unescaped(text: str) -> str:
    """Text without the few character references that the parser writes."""
    text = text.replace("&lt;", "<").replace("&gt;", ">").replace("&nbsp;", "\xa0").replace("&quot;", '"')
    return text.replace("&amp;", "&")
