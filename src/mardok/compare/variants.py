"""Which addresses are written variants of one page.

In:  the pages that count, and the pairs of them that resemble each other.
Out: sets of rows; every two of a set lead to the same text, directly or through others of the set.

An address alone proves nothing: ``?id=5`` may be another page than ``?id=6``. So addresses that differ in scheme, host,
case, slash, index file, print mark or known parameters must show copies of one text, and addresses that differ in other
parameters must show the identical text.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np
import pandas as pd
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from mardok.settings import Settings
from mardok.text.site import Site
from mardok.urls import is_pagination, variant_form


def alike_pairs(site: Site, pairs: pd.DataFrame, settings: Settings) -> pd.DataFrame:
    """Those of `pairs` (columns ``a``, ``b``: rows of pages) whose texts are copies, with the column ``identical``.

    Texts with fewer words than the settings ask for are copies only if they are identical.
    """
    hashes = np.array(site.text_hashes, dtype=object)
    n_words = site.corpus.n_words
    a, b = pairs["a"].to_numpy(), pairs["b"].to_numpy()
    identical = (hashes[a] == hashes[b]).astype(bool)
    is_long = np.minimum(n_words[a], n_words[b]) >= settings.copies.minimum_words
    is_copy = identical | ((pairs["resemblance"].to_numpy() >= settings.copies.resemblance) & is_long)
    copies: pd.DataFrame = pairs.assign(identical=identical).loc[is_copy].reset_index(drop=True)
    return copies


def variant_sets(site: Site, rows: Iterable[int], alike: pd.DataFrame, settings: Settings) -> list[list[int]]:
    """Sets of variants with two or more members, each in URL order, in the order of their first members."""
    by_key: dict[str, list[int]] = defaultdict(list)
    forms = {}
    for row in rows:
        url = site.pages[row].url
        if not is_pagination(url, settings.variants):
            forms[row] = variant_form(url, settings.variants)
            by_key[forms[row].key].append(row)
    edges = [
        (a, b)
        for a, b, identical in zip(alike["a"], alike["b"], alike["identical"], strict=True)
        if a in forms
        and b in forms
        and forms[a].key == forms[b].key
        and (identical or forms[a].parameters == forms[b].parameters)
    ]
    # Pages without any text stand in no pair: their addresses may still be one page's, if they say the same otherwise.
    for same_key in by_key.values():
        empty = [row for row in same_key if not site.text_hashes[row]]
        edges += [
            (a, b)
            for a, b in pairwise(empty)
            if forms[a].parameters == forms[b].parameters and site.pages[a].title == site.pages[b].title
        ]
    return components(len(site.pages), edges)


def components(n: int, edges: Sequence[tuple[int, int]]) -> list[list[int]]:
    """Connected components with two or more of the nodes 0 to n - 1, each sorted, ordered by first member."""
    if not edges:
        return []
    a, b = np.array(edges, dtype=np.int64).T
    _, labels = connected_components(sparse.csr_array((np.ones(len(a)), (a, b)), shape=(n, n)), directed=False)
    nodes = np.unique(np.concatenate([a, b]))
    found: dict[int, list[int]] = defaultdict(list)
    for node in nodes:
        found[int(labels[node])].append(int(node))
    return sorted(found.values())
