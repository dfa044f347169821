"""Passages as they are written on a page.

In:  stretches of pages that stand word for word elsewhere, and the pages.
Out: one row a passage, with its text, and how many pages carry it.
"""

from __future__ import annotations

import numpy as np
import pandas as pd

from mardok.store import TableStore
from mardok.text.spans import WordSpans

_PASSAGES_AT_ONCE = 1 << 12


def passage_texts(stretches: pd.DataFrame, tables: TableStore, most: int | None = None) -> pd.DataFrame:
    """Passages with their text, that with most pasted words first.

    Parameters
    ----------
    stretches : DataFrame
        Rows of the table of passages.
    tables : TableStore
        The tables of the audit.
    most : int, optional
        How many to tell; all if None.

    Returns
    -------
    DataFrame
        Columns ``text`` as it stands on ``example_url``, ``words``, ``pages`` (with at least half of it), ``pasted_words``
        (of all pages together), ``boilerplate``, ``example_url``, ``passage``.
    """
    pasted = stretches.groupby("passage")["words"].sum().sort_values(ascending=False, kind="stable")
    if most is not None:
        stretches = stretches[stretches["passage"].isin(pasted.index[:most])]
    longest = stretches.sort_values(["words", "page", "word"], ascending=[False, True, True]).drop_duplicates("passage")
    longest = longest.sort_values(["page", "word"]).set_index("passage", drop=False)
    on_page = stretches.groupby(["passage", "page"])["words"].sum()
    carries = 2 * on_page >= longest["words"].reindex(on_page.index.get_level_values("passage")).to_numpy()
    written, urls, shown, spans = [], [], -1, WordSpans("")
    rows = longest[["page", "word", "words"]].to_numpy(np.int64)
    for begin in range(0, len(rows), _PASSAGES_AT_ONCE):
        part = rows[begin : begin + _PASSAGES_AT_ONCE]
        told = tables.rows("pages", part[:, 0], ["url", "main_text"])
        urls += told["url"]
        for (page, word, n_words), text in zip(part.tolist(), told["main_text"], strict=True):
            if page != shown:
                spans, shown = WordSpans(text), page
            written.append(spans.written(word, n_words))
    result = pd.DataFrame(
        {
            "text": pd.Series(written, longest.index, dtype="str"),  # of no passages, too
            "words": longest["words"].astype("int64"),
            "pages": carries.groupby(level="passage").sum().reindex(longest.index),
            "pasted_words": pasted.reindex(longest.index).astype("int64"),
            "boilerplate": longest["boilerplate"],
            "example_url": pd.Series(urls, longest.index, dtype="str"),
            "passage": longest["passage"],
        }
    )
    return result.reset_index(drop=True).sort_values(["pasted_words", "passage"], ascending=[False, True], ignore_index=True)
