"""Signs that nobody sees, and that do something, made visible.

In:  text from pages.
Out: the same text with a stand-in for each sign that a terminal obeys or that changes the direction of what follows.
"""

from __future__ import annotations

import re

_UNSEEN = re.compile(
    r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069\ud800-\udfff\ufffe\uffff]"
)


def visible(text: str) -> str:
    """Text in which every sign is seen; line breaks and tabs stay.

    Examples
    --------
    >>> visible("a\\x1b[31mb"), visible("one\\ntwo")
    ('a\ufffd[31mb', 'one\\ntwo')
    """
    return text if text.isprintable() else _UNSEEN.sub("\ufffd", text)
