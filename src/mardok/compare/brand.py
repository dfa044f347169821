"""Which queries ask for the site by its name.

In:  the site's names and titles, and the queries.
Out: for each query whether it is set apart: many pages for one of those are normal.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from mardok.compare.titles import Titles
from mardok.text.words import words


def brand_queries(queries: Sequence[str], titles: Titles) -> NDArray[np.bool_]:
    """For each query whether it says all words of a name of the site that only the name has.

    A name without such words, "Violin Hire", is a generic phrase: whoever types it need not mean the site.

    Examples
    --------
    >>> name = "Wyndale Violins"
    >>> titles = Titles(["Violin hire"], [name], {"en": [name]}, {name: frozenset({"wyndale"})})
    >>> brand_queries(["wyndale violins", "violin hire"], titles).tolist()
    [True, False]
    """
    stated = [titles.distinctive[name] for name in titles.all_names]
    names = [frozenset(word for word in result if len(word) > 1) for result in stated if result]
    result = np.zeros(len(queries), bool)
    first_words = set().union(*names) if names else set()
    if not first_words:
        return result
    for place, query in enumerate(queries):
        if any(word in query for word in first_words):
            text_words = set(words(query))
            result[place] = any(name and name <= text_words for name in names)
    return result
