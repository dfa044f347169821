"""Sentences from values, at the end of the work and in one place.

In:  the key of a template and the values it names.
Out: text; what a rule decided is never read out of it again.

The templates of a language stand in a file of its own, ``en.toml``. Those that count something have one form for each plural
category of the Unicode CLDR that the language has; numbers are written as the language writes them (both by Babel).
"""

from mardok.sentences.figures import clipped, page_name, path_of, percent
from mardok.sentences.gains import gain_range, gain_text, hours, signed, topic_text
from mardok.sentences.sentence import (
    Listing,
    Paragraph,
    Reason,
    Sentence,
    Shown,
    Text,
    clauses,
    counted,
    keys,
    listing,
    paragraph,
    quoted,
    reasoned,
    sentence,
    shares,
)

__all__ = [
    "Listing",
    "Paragraph",
    "Reason",
    "Sentence",
    "Shown",
    "Text",
    "clauses",
    "clipped",
    "counted",
    "gain_range",
    "gain_text",
    "hours",
    "keys",
    "listing",
    "page_name",
    "paragraph",
    "path_of",
    "percent",
    "quoted",
    "reasoned",
    "sentence",
    "shares",
    "signed",
    "topic_text",
]
