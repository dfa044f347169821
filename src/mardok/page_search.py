"""Pages by what was found of them.

In:  an audit, and findings that have to hold.
Out: a table of pages, each with what was found.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from difflib import get_close_matches

import numpy as np
import pandas as pd

from mardok.audits import Audit
from mardok.errors import SelectionError
from mardok.sentences import clauses, sentence
from mardok.text.words import folded_line
from mardok.urls import is_under
from mardok.vocabulary import Answer, CheckId, GroupKind

_COLUMNS = ("url", "kind", "title", "words", "inlinks", "clicks", "impressions", "position")
_NEAR_NAMES = 3


def find_pages(
    audit: Audit,
    *,
    check: str = "",
    copies_of: str = "",
    variants_of: str = "",
    thin: bool = False,
    query: str = "",
    under: Sequence[str] = (),
) -> pd.DataFrame:
    """Pages for which everything holds that is asked; all pages if nothing is.

    Parameters
    ----------
    check : str
        Id of a check that found something on the page.
    copies_of : str
        Address or path of a page: the pages in its group of copies.
    variants_of : str
        Address or path of a page: the other addresses of it.
    thin : bool
        Whether only thin pages are asked for.
    query : str
        What searchers ask: the pages that search shows for it, or for queries with all of its words if none is shown for
        the very words.
    under : sequence of str
        Beginnings of paths, or patterns with ``*``; one of them must fit.

    Returns
    -------
    DataFrame
        Columns ``url``, ``kind``, ``title``, ``words``, ``inlinks``, ``clicks``, ``impressions``, ``position`` (of the
        query where one is asked for, a month over all of the search data) and ``found``, what was found, in words. In the
        order of addresses; for a query by impressions.

    Raises
    ------
    SelectionError
        If there is no such check, or no search data.
    UnknownPageError
        If an address is not in the audit.
    """
    pages = audit.tables.frame("pages", [*_COLUMNS, "thin", "thin_reason"])
    result = pages[list(_COLUMNS)].copy()
    found: list[Mapping[str, str]] = []
    if check:
        found.append(_checked(audit, check))
    for url, kind in ((copies_of, GroupKind.COPIES), (variants_of, GroupKind.VARIANTS)):
        if url:
            found.append(_in_group(audit, str(pages["url"][audit.row_of(url)]), kind))
    if thin:
        rows = pages[pages["thin"] == Answer.YES]
        found.append(dict(zip(rows["url"], rows["thin_reason"], strict=True)))
    if query:
        result = _shown_for(audit, result, query)
    for urls in found:
        result = result[result["url"].isin(urls)]
    if under:
        result = result[[any(is_under(url, pattern) for pattern in under) for url in result["url"]]]
    told = [str(clauses(*(urls[url] for urls in found))) for url in result["url"]]
    return result.assign(found=told).reset_index(drop=True)


def check_known(check: str) -> None:
    """Raise SelectionError if there is no such check; the nearest ones are named."""
    if check not in tuple(CheckId):
        near = get_close_matches(check, list(CheckId), n=_NEAR_NAMES, cutoff=0.4)
        hint = f"; near it are {', '.join(near)}" if near else "; docs/reference.md lists them"
        raise SelectionError(f"{check!r}: is no check{hint}")


def _checked(audit: Audit, check: str) -> dict[str, str]:
    """What a check found, by the address of the page."""
    check_known(check)
    rows = audit.checks[audit.checks["check"] == check]
    result: dict[str, str] = {}
    for url, value, detail in rows[["url", "value", "detail"]].itertuples(index=False, name=None):
        result[url] = str(clauses(result.get(url, ""), ": ".join(filter(None, (value, detail)))))
    return result


def _in_group(audit: Audit, url: str, kind: GroupKind) -> dict[str, str]:
    """The other pages of a page's group, with how much they resemble it."""
    groups = audit.groups[audit.groups["kind"] == kind]
    own = groups.loc[groups["url"] == url, "group"]
    members = groups[groups["group"].isin(own) & (groups["url"] != url)]
    pairs = audit.pairs
    resemblance = {
        **dict(zip(pairs.loc[pairs["url_a"] == url, "url_b"], pairs.loc[pairs["url_a"] == url, "resemblance"], strict=True)),
        **dict(zip(pairs.loc[pairs["url_b"] == url, "url_a"], pairs.loc[pairs["url_b"] == url, "resemblance"], strict=True)),
    }
    return {
        other: str(sentence("found.resemblance", share=resemblance[other])) if other in resemblance else str(kind)
        for other in members["url"]
    }


def _shown_for(audit: Audit, pages: pd.DataFrame, query: str) -> pd.DataFrame:
    """Pages that search shows for a query, with their figures for it."""
    queries = audit.tables["queries"]
    if queries.empty:
        raise SelectionError(f"query {query!r}: the audit has no search data; audit again with --search FILE")
    names = queries["query"].cat.categories
    asked = folded_line(query)
    fits = np.array([folded_line(name) == asked for name in names], bool)
    if not fits.any():
        wanted = set(asked.split())
        fits = np.array([wanted <= set(folded_line(name).split()) for name in names], bool)
    own = queries[fits[queries["query"].cat.codes]]
    by_page = (
        own.assign(placed=own["position"] * own["impressions"]).groupby("page")[["clicks", "impressions", "placed"]].sum()
    )
    by_page = by_page.sort_values(["impressions"], ascending=False, kind="stable")
    result = pages.iloc[by_page.index.to_numpy()].copy()
    result["clicks"], result["impressions"] = by_page["clicks"].to_numpy(), by_page["impressions"].to_numpy()
    result["position"] = (by_page["placed"] / by_page["impressions"]).to_numpy()
    return result
