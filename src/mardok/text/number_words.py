"""Numbers written as words.

In:  words.
Out: whether they are numbers.
"""

from __future__ import annotations

import re

NUMBER_WORDS = frozenset(
    (
        "two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen "
        "eighteen nineteen twenty thirty forty fifty sixty seventy eighty ninety hundred thousand zwei drei vier fünf "
        "sechs sieben acht neun zehn elf zwölf zwanzig dreißig vierzig fünfzig sechzig siebzig achtzig neunzig "
        "hundert tausend deux trois quatre cinq sept huit neuf dix onze douze vingt trente quarante cinquante "
        "soixante cent mille dos tres cuatro cinco seis siete ocho nueve diez doce veinte treinta cuarenta cincuenta "
        "due tre quattro cinque sei sette otto nove dieci venti trenta quaranta cinquanta twee drie vier vijf zes "
        "zeven acht negen tien twintig dertig veertig vijftig"
    )
    .casefold()
    .split()
)
"""In English, German, French, Spanish, Italian and Dutch; one is left out, since it is an article as well."""
_JOINTS = re.compile(r"-|und")
_UNITS = NUMBER_WORDS | {"one", "ein", "un", "une"}


def is_number(word: str) -> bool:
    """Whether a folded word is a number, compound ones too.

    Examples
    --------
    >>> is_number("thirty-six"), is_number("sechsunddreißig".casefold()), is_number("one"), is_number("bow")
    (True, True, False, False)
    """
    if word in NUMBER_WORDS:
        return True
    parts = _JOINTS.split(word)
    return len(parts) > 1 and all(part in _UNITS for part in parts)
