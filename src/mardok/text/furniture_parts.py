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
from mardok.large import stretches
from mardok.tables import FURNITURE
from mardok.text.distinct import distinct, first_of_equal
from mardok.text.main_text import DOUBT
from mardok.text.site import SiteBlocks

_LANDMARKS = frozenset(["aside", "footer", "header", "nav"])
_NOT_SHOWN = ("hidden", "noscript", "form control", "in text.ignore", "not in text.only")
_TOKEN = re.compile(r"(?=[.#@])")
_PLACES_AT_ONCE = 1 << 18
_SHOWN = 200
"""Characters of an example."""


def furniture_table(site: SiteBlocks) -> pd.DataFrame:
    """The parts of pages that were taken for furniture."""
    blocks, reasons = site.blocks, site.reasons
    left_out = [number for number, name in enumerate(reasons.names) if name in _NOT_SHOWN]
    is_furniture = np.array([number > DOUBT and number not in left_out for number in range(len(reasons.names))], bool)
    names = [_part_name(context.path) for context in blocks.contexts]
    number = {name: code for code, name in enumerate(sorted(set(names)))}
    part_of = np.array([number[name] for name in names], np.int64)
    n_words = np.full(len(blocks.texts), -1, np.int32)
    words, n_pages, example = (np.zeros(len(number), np.int64) for _ in range(3))
    reason_of = np.zeros((len(number), len(reasons.names)), np.int64)
    stated = [""] * len(number)
    for first, last in stretches(blocks.first, _PLACES_AT_ONCE):
        begin, end = int(blocks.first[first]), int(blocks.first[last])
        places = np.flatnonzero(is_furniture[reasons.of[begin:end]]) + begin
        places = places[blocks.has_text[blocks.at[places]]]
        part, texts = part_of[blocks.context[blocks.at[places]]], blocks.text[blocks.at[places]]
        page = np.searchsorted(blocks.first, places, side="right") - 1
        new = distinct(texts[n_words[texts] < 0])
        n_words[new] = [len(text.split()) for text in blocks.texts[new]]
        words += np.bincount(part, n_words[texts], minlength=len(number)).astype(np.int64)
        on = distinct(part * len(site.pages) + page)
        met = on // len(site.pages)
        for one in on[first_of_equal(met)].tolist():
            code, its_page = divmod(one, len(site.pages))
            if not n_pages[code]:
                example[code] = its_page
                own = texts[(part == code) & (page == its_page)]
                stated[code] = " ".join(blocks.texts[text] for text in own.tolist())[:_SHOWN]
        n_pages += np.bincount(met, minlength=len(number))
        np.add.at(reason_of, (part, reasons.of[places]), 1)
    return FURNITURE.frame(
        (
            name, reasons.names[int(reason_of[code].argmax())], n_pages[code], int(words[code]),
            site.pages[example[code]].url, stated[code],
        )
        for name, code in number.items()
        if n_pages[code]
    )  # fmt: skip


def _part_name(path: str) -> str:
    """The element of a path by which a part is named."""
    labels = path.split("/")
    for label in labels:
        tag, *tokens = _TOKEN.split(label)
        if tag in _LANDMARKS or any(names_furniture(token[1:]) for token in tokens):
            return label
    return next((label for label in reversed(labels) if len(_TOKEN.split(label)) > 1), labels[-1])
