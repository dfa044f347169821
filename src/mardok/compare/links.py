"""How much weight the links of a site give to its pages.

In:  the pages with their links and destinations.
Out: PageRank of each page, and how many pages link to each.

S. Brin, L. Page, "The anatomy of a large-scale hypertextual Web search engine", Computer Networks 30 (1998). Nodes are the
pages that answered 200 with HTML; redirects and canonicals are folded into their destinations; any number of links
between two pages is one edge; links to itself and nofollow links are none; pages without links spread their weight
evenly. Noindex pages stay in: they pass weight on.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from mardok.compare.destinations import Destination
from mardok.extract.directives import is_told
from mardok.text.site import Site

_TOLERANCE = 1e-12
"""Greatest change of the sum over all pages at which the iteration stops."""
_MOST_ROUNDS = 1000


def inlink_counts(site: Site) -> NDArray[np.int64]:
    """Number of other pages that link to each page's own address, shape (n_pages,)."""
    edges = {
        (source, site.row_of[link.url])
        for source, page in enumerate(site.pages)
        for link in page.links
        if link.url in site.row_of and site.row_of[link.url] != source
    }
    return np.bincount([target for _, target in edges], minlength=len(site.pages)).astype(np.int64)


def text_links(site: Site, ways: Sequence[Destination]) -> NDArray[np.int64]:
    """Links from the main text of pages, as source * n_pages + target, sorted; redirects lead to their destinations."""
    n_pages = len(site.pages)
    edges = set()
    for source, page in enumerate(site.pages):
        for link in page.links:
            target = site.row_of.get(link.url, -1)
            if target >= 0 and not site.is_chrome_link(source, link):
                edges.add(source * n_pages + target)
                if ways[target].row >= 0:
                    edges.add(source * n_pages + ways[target].row)
    return np.array(sorted(edges), np.int64)


def link_weights(site: Site, ways: Sequence[Destination], damping: float, agents: Sequence[str]) -> NDArray[np.float64]:
    """PageRank of each page, shape (n_pages,); the weights add up to 1, NaN where a page is no node."""
    weights = np.full(len(site.pages), np.nan)
    nodes = [
        row
        for row, page in enumerate(site.pages)
        if page.is_html and page.status in (None, 200) and not page.trouble and ways[row].row == row
    ]
    if not nodes:
        return weights
    number = {row: node for node, row in enumerate(nodes)}
    edges = {
        (number.get(ways[source].row, -1), number.get(ways[target].row, -1))
        for source, page in enumerate(site.pages)
        if not is_told(page.robots, "nofollow", agents)
        for link in page.links
        if (target := site.row_of.get(link.url)) is not None and "nofollow" not in link.rel.split()
    }
    kept = sorted((a, b) for a, b in edges if a != b and a >= 0 and b >= 0)
    weights[nodes] = page_rank(len(nodes), np.array(kept, dtype=np.int64).reshape(-1, 2), damping)
    return weights


def page_rank(n_nodes: int, edges: NDArray[np.int64], damping: float) -> NDArray[np.float64]:
    """PageRank by power iteration.

    Parameters
    ----------
    n_nodes : int
        Number of nodes, at least 1.
    edges : ndarray of int64, shape (n_edges, 2)
        Distinct pairs of source and target.
    damping : float
        Share of weight that follows links, between 0 and 1.

    Returns
    -------
    ndarray of float64, shape (n_nodes,)
        Weights that add up to 1.

    Examples
    --------
    >>> page_rank(2, np.array([[0, 1], [1, 0]]), 0.85)
    array([0.5, 0.5])
    """
    out_degree = np.bincount(edges[:, 0], minlength=n_nodes)
    flow = sparse.csr_array((1.0 / out_degree[edges[:, 0]], (edges[:, 1], edges[:, 0])), shape=(n_nodes, n_nodes))
    is_dangling = out_degree == 0
    weights = np.full(n_nodes, 1.0 / n_nodes)
    for _ in range(_MOST_ROUNDS):
        spread = damping * weights[is_dangling].sum() + 1.0 - damping
        new = damping * (flow @ weights) + spread / n_nodes
        change = np.abs(new - weights).sum()
        weights = new
        if change < _TOLERANCE:
            break
    return np.asarray(weights / weights.sum())
