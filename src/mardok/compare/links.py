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
from mardok.text.distinct import distinct
from mardok.text.site import Site

_TOLERANCE = 1e-12
"""Greatest change of the sum over all pages at which the iteration stops."""
_MOST_ROUNDS = 1000


def inlink_counts(site: Site) -> NDArray[np.int64]:
    """Number of other pages that link to each page's own address, shape (n_pages,)."""
    source, target = site.links.page, site.link_targets
    kept = (target >= 0) & (target != source)
    edges = distinct_edges(source[kept], target[kept], len(site.pages))
    return np.bincount(edges % len(site.pages), minlength=len(site.pages)).astype(np.int64)


def distinct_edges(source: NDArray[np.integer], target: NDArray[np.integer], n_pages: int) -> NDArray[np.int64]:
    """Pairs of pages as source * n_pages + target, each once, sorted.

    Parameters
    ----------
    source, target : ndarray of int, shape (n_links,)
        Rows of the linking and of the linked page of each link.
    n_pages : int
        Pages of the site.
    """
    return distinct(source.astype(np.int64) * n_pages + target)


def text_links(site: Site, destinations: Sequence[Destination]) -> NDArray[np.int64]:
    """Links from the main text of pages, as source * n_pages + target, sorted; redirects lead to their destinations too."""
    kept = (site.link_targets >= 0) & ~site.chrome_links
    source, target = site.links.page[kept], site.link_targets[kept]
    end = np.array([destination.row for destination in destinations], np.int64)[target]
    arrives = end >= 0
    return distinct_edges(np.concatenate([source, source[arrives]]), np.concatenate([target, end[arrives]]), len(site.pages))


def link_weights(
    site: Site, destinations: Sequence[Destination], damping: float, agents: Sequence[str]
) -> NDArray[np.float64]:
    """PageRank of each page, shape (n_pages,); the weights add up to 1, NaN where a page is no node.

    Where nothing is known of links, no page has a weight: an even share of each would be invented.

    Parameters
    ----------
    destinations : sequence of Destination
        Where the address of each page leads.
    damping : float
        Share of its weight that a page passes on, 0 to 1.
    agents : sequence of str
        Robots whose directives count, beside those for all.
    """
    n_pages = len(site.pages)
    weights = np.full(n_pages, np.nan)
    nodes = [
        row
        for row, page in enumerate(site.pages)
        if page.is_html and page.status in (None, 200) and not page.trouble and destinations[row].row == row
    ]
    if not nodes or not len(site.links.at):
        return weights
    number = np.full(n_pages + 1, -1, np.int64)  # the last is for pages whose destination was not read
    number[nodes] = np.arange(len(nodes))
    node_of = number[np.array([destination.row for destination in destinations], np.int64)]
    is_open = np.array([not is_told(page.robots, "nofollow", agents) for page in site.pages], bool)
    is_followed = np.array(["nofollow" not in rel.split() for rel in site.links.rels], bool)
    kept = (site.link_targets >= 0) & is_open[site.links.page] & is_followed[site.links.rel][site.links.at]
    a, b = node_of[site.links.page[kept]], node_of[site.link_targets[kept]]
    is_edge = (a != b) & (a >= 0) & (b >= 0)
    edges = distinct_edges(a[is_edge], b[is_edge], len(nodes))
    weights[nodes] = page_rank(len(nodes), np.column_stack([edges // len(nodes), edges % len(nodes)]), damping)
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
