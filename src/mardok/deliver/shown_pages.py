"""Which pages of a large site are listed where there is no room for all.

In:  the pages, and the plan.
Out: those that the plan is about, and the first others by clicks.
"""

from __future__ import annotations

from collections.abc import Iterable
from itertools import chain

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.tables import cells_of

MOST_OTHERS = 50_000
"""Pages that are listed beside those that the plan is about."""


def pages_by_importance(
    pages: pd.DataFrame, plan: pd.DataFrame, steps: Iterable[pd.DataFrame]
) -> tuple[NDArray[np.int64], int]:
    """Rows of pages, those of proposals first, then those with most clicks and link weight; and how many are listed at most.

    Parameters
    ----------
    pages : DataFrame
        Columns ``url``, ``clicks`` and ``link_weight``.
    plan : DataFrame
        Table of the audit.
    steps : iterable of DataFrame
        Another, some rows at a time.

    Examples
    --------
    >>> pages = pd.DataFrame({"url": ["/a", "/b", "/c"], "clicks": [1.0, None, 9.0], "link_weight": [0.2, 0.5, 0.3]})
    >>> plan = pd.DataFrame({"keeper": [""]})
    >>> steps = pd.DataFrame({"url": ["/b"], "target": [""]})
    >>> rows, most = pages_by_importance(pages, plan, [steps])
    >>> rows.tolist(), most
    ([1, 2, 0], 3)
    """
    of_steps = (urls for part in steps for urls in cells_of(part, ["url", "target"]))
    planned = {url for urls in chain(cells_of(plan, ["keeper"]), of_steps) for url in urls}
    is_planned = np.fromiter(map(planned.__contains__, pages["url"].to_numpy()), bool, len(pages))
    clicks, weight = (pages[name].fillna(0.0).to_numpy() for name in ("clicks", "link_weight"))
    order = np.lexsort((np.arange(len(pages)), -weight, -clicks, ~is_planned))
    return order, min(len(pages), int(is_planned.sum()) + MOST_OTHERS)
