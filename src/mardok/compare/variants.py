"""Which addresses are written variants of one page.

In:  the pages that count, with their shingles.
Out: sets of rows; every two of a set lead to the same text, directly or through others of the set.

An address alone proves nothing: ``?id=5`` may be another page than ``?id=6``. So addresses that differ in scheme, host,
case, slash, index file, print mark or known parameters must show copies of one text, and addresses that differ in other
parameters must show the identical text.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from mardok.compare.relations import PageSets, Traits
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.urls import is_pagination, variant_form


def variant_sets(site: Site, pages: PageSets, traits: Traits, settings: Settings) -> list[list[int]]:
    """Sets of variants with two or more members, each in URL order, in the order of their first members.

    Parameters
    ----------
    pages : PageSets
        The pages that count.
    """
    by_key: dict[str, list[int]] = defaultdict(list)
    forms = {}
    for row in pages.rows.tolist():
        url = site.pages[row].url
        if not is_pagination(url, settings.variants):
            forms[row] = variant_form(url, settings.variants)
            by_key[forms[row].key].append(row)
    edges = []
    for same_key in by_key.values():
        edges += _identical_edges(site, [row for row in same_key if site.text_hashes[row]])
        by_parameters: dict[tuple[tuple[str, str], ...], list[int]] = defaultdict(list)
        for row in same_key:
            if site.text_hashes[row]:
                by_parameters[forms[row].parameters].append(row)
        for written_alike in by_parameters.values():
            edges += _copy_edges(written_alike, site, pages, traits)
    # Pages without any text stand in no pair: their addresses may still be one page's, if they say the same otherwise.
    for same_key in by_key.values():
        empty = [row for row in same_key if not site.text_hashes[row]]
        edges += [
            (a, b)
            for a, b in pairwise(empty)
            if forms[a].parameters == forms[b].parameters and site.pages[a].title == site.pages[b].title
        ]
    return components(len(site.pages), edges)


def _identical_edges(site: Site, rows: Sequence[int]) -> list[tuple[int, int]]:
    """Each page with the first that has its text."""
    first: dict[str, int] = {}
    found = ((first.setdefault(site.text_hashes[row], row), row) for row in rows)
    return [(a, b) for a, b in found if a != b]


def _copy_edges(rows: Sequence[int], site: Site, pages: PageSets, traits: Traits) -> list[tuple[int, int]]:
    """Pairs of pages with different texts that are near copies, whatever their languages."""
    different = list({site.text_hashes[row]: row for row in reversed(rows)}.values())
    edges = []
    for number, row in enumerate(different):
        others = np.array(sorted(different[number + 1 :]), np.int64)
        if len(others) and traits.is_long[row]:
            near = (pages.resemblance(row, others) >= traits.threshold - 1e-9) & traits.is_long[others]
            edges += [(row, int(other)) for other in others[near]]
    return edges


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
