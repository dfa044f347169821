"""What was taken for furniture, part by part, so that a person sees a mistake at once.

In:  a :class:`mardok.text.site.Site`.
Out: the table of furniture as :mod:`mardok.tables` declares it, the part with the most words first.

A part is named by the outermost element around it that a landmark or a name makes furniture, else by the innermost that has
a class or an id.
"""

from __future__ import annotations

import re

import numpy as np
import pandas as pd

from mardok.extract.part_names import names_furniture
from mardok.tables import FURNITURE
from mardok.text.distinct import distinct
from mardok.text.site import SiteBlocks

_LANDMARKS = frozenset(["aside", "footer", "header", "nav"])
_NOT_SHOWN = ("hidden", "noscript", "form control", "in text.ignore", "not in text.only")
_TOKEN = re.compile(r"(?=[.#@])")
_SHOWN = 200
"""Characters of an example."""


def furniture_table(site: SiteBlocks) -> pd.DataFrame:
    """The parts of pages that were taken for furniture."""
    blocks, reasons = site.blocks, site.reasons
    left_out = [number for number, name in enumerate(reasons.names) if name in _NOT_SHOWN]
    is_part = ~reasons.is_main & blocks.has_text[blocks.at] & ~np.isin(reasons.of, left_out)
    places = np.flatnonzero(is_part)
    if not len(places):
        return FURNITURE.frame([])
    names = [_part_name(context.path) for context in blocks.contexts]
    number = {name: code for code, name in enumerate(sorted(set(names)))}
    part = np.array([number[name] for name in names], np.int64)[blocks.context[blocks.at[places]]]
    page = blocks.page[places]
    texts = blocks.text[blocks.at[places]]
    occurring, at = np.unique(texts, return_inverse=True)
    n_words = np.array([len(text.split()) for text in blocks.texts[occurring]], np.int64)
    words = np.bincount(part, n_words[at], minlength=len(number))
    on = distinct(part * len(site.pages) + page)
    n_pages = np.bincount(on // len(site.pages), minlength=len(number))
    reason_of = np.zeros((len(number), len(reasons.names)), np.int64)
    np.add.at(reason_of, (part, reasons.of[places]), 1)
    rows = []
    for name, code in number.items():
        if not n_pages[code]:
            continue
        example = int(on[np.searchsorted(on, code * len(site.pages))] % len(site.pages))
        stated = " ".join(blocks.texts[text] for text in texts[(part == code) & (page == example)].tolist())
        reason = reasons.names[int(reason_of[code].argmax())]
        rows.append((name, reason, n_pages[code], int(words[code]), site.pages[example].url, stated[:_SHOWN]))
    return FURNITURE.frame(rows)


def _part_name(path: str) -> str:
    """The element of a path by which a part is named."""
    labels = path.split("/")
    for label in labels:
        tag, *tokens = _TOKEN.split(label)
        if tag in _LANDMARKS or any(names_furniture(token[1:]) for token in tokens):
            return label
    return next((label for label in reversed(labels) if len(_TOKEN.split(label)) > 1), labels[-1])
