"""Which page of a group should stay.

In:  the pages of a group and what stands for each: clicks, links, address.
Out: the keeper, and the reason in words.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.compare.demand import Demand, SearchRows, queries_of_several
from mardok.sentences import Sentence, Text, page_name, sentence
from mardok.sentences.figures import fine_percent, tenths
from mardok.text.site import Site
from mardok.urls import AddressMark, VariantForm, split_url


@dataclass(frozen=True)
class PageStrength:
    """What stands for each page of a site; all arrays have the shape (n_pages,)."""

    is_indexable: NDArray[np.bool_]
    inlinks: NDArray[np.int64]
    """Pages that link here."""
    link_weight: NDArray[np.float64]
    """PageRank; 0 where a page has none."""
    clicks: NDArray[np.float64]
    """Clicks a month; 0 without search data."""
    impressions: NDArray[np.float64]
    """Impressions a month; 0 without search data."""
    external_links: NDArray[np.float64]
    """Links from other sites; 0 where nothing tells of any."""
    conversions: NDArray[np.float64]
    """Conversions a month; 0 likewise."""
    is_at_home: NDArray[np.bool_]
    """Whether each page stands where pages in its language belong, as far as anything tells."""
    named: frozenset[int]
    """Pages that a person wants to stay."""
    demand: Demand | None
    forms: Sequence[VariantForm]
    """Each address taken apart, for comparison with its variants."""
    origin: str
    """Preferred scheme and host, such as ``https://www.host.example``."""


def preferred_origin(site: Site, is_indexable: NDArray[np.bool_], inlinks: NDArray[np.int64]) -> str:
    """Scheme and host that most indexable pages have; https before http, then the one linked to more.

    Parameters
    ----------
    is_indexable : ndarray of bool, shape (n_pages,)
        Whether search engines may list each page.
    inlinks : ndarray of int64, shape (n_pages,)
        Other pages that link to each page.
    """
    pages: Counter[str] = Counter()
    links: Counter[str] = Counter()
    for row in np.flatnonzero(is_indexable).tolist():
        parts = split_url(site.pages[row].url)
        origin = f"{parts.scheme}://{parts.netloc}"
        pages[origin] += 1
        links[origin] += int(inlinks[row])
    ranked = sorted(pages, key=lambda origin: (not origin.startswith("https:"), -pages[origin], -links[origin], origin))
    return ranked[0] if ranked else ""


@dataclass(frozen=True)
class _Criterion:
    """One thing that a page can have before another; greater is better."""

    value: Callable[[int], float]
    reason: Callable[[int, int], Sentence]
    """Why the first page stays and not the second."""


def choose_keeper(site: Site, rows: Sequence[int], strength: PageStrength, *, are_variants: bool) -> tuple[int, Sentence]:
    """The page of a group that should stay, and why.

    The home page stays before all; of variants the one at the preferred host without parameters; then an indexable page,
    one that stands in a folder of its language, the one with more clicks of late on the queries they share, the one found
    higher up for them, the one that has the most clicks on them of late and, beyond chance, over all of the time, the one
    with more clicks, more links from other sites, more conversions, more inlinks, more link weight, the cleaner address.
    Clicks that differ by chance only, and places by less than one, do not decide.

    Parameters
    ----------
    rows : sequence of int
        Pages of the group, two at least.
    strength : PageStrength
        What speaks for each page of the site.
    are_variants : bool
        Whether they are addresses of one page, of which the plainest stays.
    """
    criteria = _criteria(site, rows, strength, are_variants)
    ranked = sorted(
        rows, key=lambda row: (*(-criterion.value(row) for criterion in criteria), _address_cost(site, row, strength))
    )
    first, second = ranked[0], ranked[1] if len(ranked) > 1 else ranked[0]
    for criterion in criteria:
        if criterion.value(first) > criterion.value(second):
            return first, criterion.reason(first, second)
    return first, sentence("keeper-because.address")


def _criteria(site: Site, rows: Sequence[int], strength: PageStrength, are_variants: bool) -> list[_Criterion]:
    demand = strength.demand
    shared, lasting = shares_now(rows, demand), shares_of_all_time(rows, demand)
    of_shared = _beyond_chance(
        {row: one.clicks for row, one in shared.items()}, demand.recent_months if demand is not None else 1.0
    )
    first = max(shared, key=lambda row: (shared[row].clicks, -row), default=-1)
    is_first_throughout = first >= 0 and _is_most_beyond_chance(first, lasting, demand)
    of_all = _beyond_chance(
        {row: float(strength.clicks[row]) for row in rows}, demand.counted_months if demand is not None else 1.0
    )
    best_place = min((one.position for one in shared.values()), default=0.0)
    whole = sentence("span.whole")
    span, counted = (demand.recent_text, demand.counted_text) if demand is not None else (whole, whole)
    url = {row: site.pages[row].url for row in rows}
    other = sentence("rivals.other-page")
    names: dict[int, Text] = {row: other if len(rows) == _TWO else page_name(url[row]) for row in rows}
    form = {row: strength.forms[row] for row in rows}

    def holds(value: Callable[[int], float], name: str) -> _Criterion:
        return _Criterion(value, lambda *_: sentence(f"keeper-because.{name}"))

    def more(values: NDArray[np.float64] | NDArray[np.int64], name: str) -> _Criterion:
        return _Criterion(
            lambda row: float(values[row]),
            lambda a, b: sentence(f"keeper-because.{name}", n=float(values[a]), next=float(values[b]), other=names[b]),
        )

    home = [holds(lambda row: url[row] == strength.origin + "/", "home")]
    named = [holds(lambda row: row in strength.named, "named")]
    plain = [
        holds(lambda row: url[row].startswith(strength.origin + "/"), "host"),
        holds(lambda row: url[row].startswith("https:"), "https"),
        holds(lambda row: -len(form[row].reachable) - len(form[row].parameters), "plain"),
    ]
    merit = [
        holds(lambda row: bool(strength.is_indexable[row]), "indexable"),
        holds(lambda row: bool(strength.is_at_home[row]), "language"),
        _Criterion(
            lambda row: of_shared.get(row, 0.0),
            lambda a, b: sentence(
                "keeper-because.shared-clicks",
                clicks=shared.get(a, _NOT_SHOWN).clicks,
                span=span,
                next=_or_none(shared.get(b, _NOT_SHOWN).clicks),
                other=names[b],
            ),
        ),
        _Criterion(
            lambda row: -max(shared.get(row, _NOT_SHOWN).position, best_place + _CLEAR_PLACES),
            lambda a, b: sentence(
                "keeper-because.shared-position",
                position=_place(shared.get(a, _NOT_SHOWN).position),
                span=span,
                next=_place(shared.get(b, _NOT_SHOWN).position),
                other=names[b],
            ),
        ),
        _Criterion(
            lambda row: float(is_first_throughout and row == first),
            lambda a, b: sentence(
                "keeper-because.shared-clicks",
                clicks=lasting[a].clicks,
                span=whole,
                next=_or_none(lasting.get(b, _NOT_SHOWN).clicks),
                other=names[b],
            ),
        ),
        _Criterion(
            lambda row: of_all[row],
            lambda a, b: sentence(
                "keeper-because.clicks",
                span=counted,
                clicks=float(strength.clicks[a]),
                next=_or_none(float(strength.clicks[b])),
                other=names[b],
            ),
        ),
        more(strength.external_links, "external-links"),
        more(strength.conversions, "conversions"),
        _Criterion(
            lambda row: float(strength.inlinks[row]),
            lambda a, b: sentence(
                "keeper-because.inlinks",
                n=int(strength.inlinks[a]),
                next=int(strength.inlinks[b]) or sentence("none"),
                other=names[b],
            ),
        ),
        _Criterion(lambda row: round(float(strength.link_weight[row]), 9), _more_weight(strength, names)),
    ]
    return [*home, *named, *(plain if are_variants else []), *merit]


def _more_weight(strength: PageStrength, names: Mapping[int, Text]) -> Callable[[int, int], Sentence]:
    def reason(a: int, b: int) -> Sentence:
        one, other = (fine_percent(float(strength.link_weight[row])) for row in (a, b))
        key = "keeper-because.slightly-more-weight" if one == other else "keeper-because.weight"
        return sentence(key, share=one, next=other, other=names[b])

    return reason


_TWO = 2
"""Pages of which one is the other."""
_DEVIATIONS = 1.96
"""Standard deviations by which two counts differ when it is no chance."""
_CLEAR_PLACES = 1.0
"""Places by which a page is clearly ahead of another."""


def _beyond_chance(clicks: Mapping[int, float], months: float) -> dict[int, float]:
    """Clicks a month of each page; those that fall short of the most by no more than counts do by chance are the most.

    Parameters
    ----------
    clicks : mapping of int to float
        Clicks a month of each page.
    months : float
        Months in which they were counted.
    """
    most = max(clicks.values(), default=0.0)
    return {row: own if _is_beyond_chance(most, own, months) or not own else most for row, own in clicks.items()}


def _is_beyond_chance(more: float, less: float, months: float) -> bool:
    """Whether clicks a month, counted for so many months, differ by more than counts do by chance."""
    return (more - less) * months > _DEVIATIONS * math.sqrt((more + less) * months)


def _is_most_beyond_chance(first: int, shares: Mapping[int, Shares], demand: Demand | None) -> bool:
    """Whether a page got more clicks over all of the time than each of the others, by more than chance."""
    others = [one.clicks for row, one in shares.items() if row != first]
    return demand is not None and all(_is_beyond_chance(shares[first].clicks, own, demand.months) for own in others)


def _place(position: float) -> Text:
    return sentence("place", position=position) if np.isfinite(position) else sentence("not-shown")


def _or_none(clicks: float) -> Text:
    return tenths(clicks) if clicks else sentence("none")


def _address_cost(site: Site, row: int, strength: PageStrength) -> tuple[object, ...]:
    """Less for a cleaner address: https, no parameters, no index file or capitals, few folders, short."""
    url = site.pages[row].url
    form = strength.forms[row]
    n_bad = len(set(form.marks) & {AddressMark.INDEX_FILE, AddressMark.CASE}) + len(form.parameters) + len(form.reachable)
    return (url.startswith("http:"), n_bad, url.count("/"), len(url), url)


@dataclass(frozen=True)
class Shares:
    """What one page has of the queries that show it with another page of its group, those for the site's name apart."""

    clicks: float
    """Clicks a month."""
    impressions: float
    """Impressions a month."""
    position: float
    """Mean position, weighted by impressions; infinite if it is not shown."""


_NOT_SHOWN = Shares(0.0, 0.0, float("inf"))


def shares_now(rows: Sequence[int], demand: Demand | None) -> dict[int, Shares]:
    """What each page of a group has, of late, of the queries that ever showed two or more of them.

    Parameters
    ----------
    rows : sequence of int
        Pages of the group.

    Returns
    -------
    dict of int to Shares
        Of the pages that share queries at all; empty without search data.
    """
    at = _shared_rows(rows, demand)
    if demand is None or not len(at):
        return {}
    pages = sorted(set(demand.rows.row[at].tolist()))
    recent = demand.rows.select(at[demand.is_recent[at]])
    return {row: share_of_rows(recent, row, demand.recent_months) for row in pages}


def shares_of_all_time(rows: Sequence[int], demand: Demand | None) -> dict[int, Shares]:
    """The same as :func:`shares_now`, over all of the search data."""
    at = _shared_rows(rows, demand)
    if demand is None or not len(at):
        return {}
    shown = demand.rows.select(at)
    return {row: share_of_rows(shown, row, demand.months) for row in sorted(set(shown.row.tolist()))}


def _shared_rows(rows: Sequence[int], demand: Demand | None) -> NDArray[np.int64]:
    """Places of the rows of search data whose queries ever showed two or more of some pages, without the site's name."""
    if demand is None or sum(demand.first[row] < demand.first[row + 1] for row in rows) < 2:
        return np.zeros(0, np.int64)
    at = demand.places(rows)
    at = at[~demand.is_brand[demand.rows.query[at]]]
    return at[queries_of_several(demand.rows.select(at))]


def share_of_rows(rows: SearchRows, page: int, months: float) -> Shares:
    """What one page has of some rows of search data.

    Parameters
    ----------
    rows : SearchRows
        Rows of some queries and pages.
    page : int
        Row of the page.
    months : float
        Months that the rows cover.
    """
    own = rows.row == page
    impressions = float(rows.impressions[own].sum())
    position = float((rows.impressions[own] * rows.position[own]).sum() / impressions) if impressions else float("inf")
    return Shares(float(rows.clicks[own].sum()) / months, impressions / months, position)
