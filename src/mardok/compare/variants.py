"""Which addresses are written variants of one page.

In:  the pages that count, with their shingles.
Out: sets of rows; every two of a set lead to the same text, directly or through others of the set.

The address comes first, the text second. Addresses that differ in scheme, host, case, slash, index file, print mark or known
parameters are one page unless what they show says otherwise: neither the same title or H1 nor a text that is half the same.
A listing in another order, or printed without its pictures, is still that listing. Of other parameters an address proves
nothing: ``?id=5`` may be another page than ``?id=6``, so addresses that differ in these must show the identical text.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from mardok.compare.relations import PageSets
from mardok.settings import Variants
from mardok.text.site import Site
from mardok.urls import VariantForm, is_pagination

_SAME_SHARE = 0.5
"""Resemblance from which two pages show the same, whatever their titles."""


def variant_sets(site: Site, pages: PageSets, forms: Sequence[VariantForm], settings: Variants) -> list[list[int]]:
    """Sets of variants with two or more members, each in URL order, in the order of their first members.

    Parameters
    ----------
    pages : PageSets
        The pages that count.
    forms : sequence of VariantForm
        Each page's address taken apart.
    """
    by_key: dict[str, list[int]] = defaultdict(list)
    for row in pages.rows.tolist():
        url = site.pages[row].url
        if not is_pagination(url, settings):
            by_key[forms[row].key].append(row)
    edges = []
    for same_key in by_key.values():
        edges += _identical_edges(site, [row for row in same_key if site.text_hashes[row]])
        by_parameters: dict[tuple[tuple[str, str], ...], list[int]] = defaultdict(list)
        for row in same_key:
            by_parameters[forms[row].parameters].append(row)
        for written_alike in by_parameters.values():
            edges += _written_alike(written_alike, site, pages)
    return components(len(site.pages), edges)


def _identical_edges(site: Site, rows: Sequence[int]) -> list[tuple[int, int]]:
    """Each page with the first that has its text."""
    first: dict[str, int] = {}
    result = ((first.setdefault(site.text_hashes[row], row), row) for row in rows)
    return [(a, b) for a, b in result if a != b]


def _written_alike(rows: Sequence[int], site: Site, pages: PageSets) -> list[tuple[int, int]]:
    """Pairs of pages whose addresses are variants, and that do not show something else."""
    edges = []
    for number, row in enumerate(rows):
        others = [other for other in rows[number + 1 :] if not _say_the_same(site, row, other)]
        edges += [(row, other) for other in rows[number + 1 :] if other not in others]
        asked = np.array([other for other in others if site.text_hashes[other] and site.text_hashes[row]], np.int64)
        if len(asked):
            edges += [(row, int(other)) for other in asked[pages.resemblance(row, asked) >= _SAME_SHARE]]
    return edges


def _say_the_same(site: Site, a: int, b: int) -> bool:
    """Whether two pages have one title, or one H1."""
    one, other = site.pages[a], site.pages[b]
    return one.title == other.title if one.title and other.title else one.h1 == other.h1


def components(n: int, edges: Sequence[tuple[int, int]]) -> list[list[int]]:
    """Connected components with two or more of the nodes 0 to n - 1, each sorted, ordered by first member.

    Examples
    --------
    >>> components(5, [(3, 1), (1, 4)])
    [[1, 3, 4]]
    """
    if not edges:
        return []
    a, b = np.array(edges, dtype=np.int64).T
    _, labels = connected_components(sparse.csr_array((np.ones(len(a)), (a, b)), shape=(n, n)), directed=False)
    nodes = np.unique(np.concatenate([a, b]))
    result: dict[int, list[int]] = defaultdict(list)
    for node in nodes:
        result[int(labels[node])].append(int(node))
    return sorted(result.values())
