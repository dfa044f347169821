"""Kinds of elements that a parser of HTML treats alike, as far as their nesting goes.

Source: the HTML standard, sections 13.1.2 ("Elements") and 13.2.6 ("Tree construction").
"""

import re
from collections.abc import Iterable

from mardok.compiled import compiled

FORMATTING = frozenset(["b", "big", "code", "em", "font", "i", "nobr", "s", "small", "strike", "strong", "tt", "u"])
VOID = frozenset(
    ["area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "param", "source", "track", "wbr"]
)
ENDED_BY_THE_NEXT = frozenset(["p", "li", "dt", "dd", "tr", "td", "th", "thead", "tbody", "tfoot", "rt", "rp", "a"])
"""Elements of which one may not hold another of its kind directly, so that none needs an end."""
FOREIGN = frozenset(["svg", "math"])
RAW = frozenset(["script", "style", "textarea", "title", "iframe", "noembed", "noframes", "xmp"])

_NAME = re.compile("<([a-zA-Z][a-zA-Z0-9]{0,14})")


@compiled("names")
def element_names(html: str) -> frozenset[str]:
    """Names in lower case that stand behind a ``<``, of 15 letters and digits at most: all elements are among them.

    Examples
    --------
    >>> sorted(element_names("<H1>Bows</h1><img src=a.png> < b"))
    ['h1', 'img']
    """
    return frozenset(name.lower() for name in set(_NAME.findall(html)))


def in_any_case(names: Iterable[str]) -> str:
    """A pattern for names of elements, in capitals or not.

    To ignore the case of a whole pattern takes several times as long, since its first sign then has no one form to search
    for; to write a document in lower case does beyond ASCII.

    Examples
    --------
    >>> in_any_case(["b", "h1"])
    '[bB]|[hH]1'
    """
    return "|".join(
        "".join(f"[{sign}{sign.upper()}]" if sign.isalpha() else sign for sign in name) for name in sorted(names)
    )
