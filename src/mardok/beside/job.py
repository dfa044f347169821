"""Sites beside each other, on the same measures.

In:  audits of several sites, ours first.
Out: a :class:`mardok.beside.compared.ComparedSites`.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from os import PathLike
from pathlib import Path
from typing import Any

import numpy as np

from mardok.audits import Audit, load
from mardok.beside.causes import NO_CAUSE, largest_cause
from mardok.beside.chance import chance, interval, is_outside
from mardok.beside.compared import ComparedSites, SiteRead
from mardok.beside.coverage import pages_read, why_no_value, why_not_comparable
from mardok.beside.measures import MEDIANS, Observed, asked_of, observed
from mardok.beside.site import AuditedSite, audited_site
from mardok.errors import SelectionError
from mardok.page_search import check_known
from mardok.progress import Progress, tell_nobody
from mardok.sentences import Text
from mardok.tables import VERSUS, VERSUS_PAGES
from mardok.urls import is_under
from mardok.vocabulary import Chance, SiteMeasure

_SOURCE = str | PathLike[str]
_NAN = float("nan")
_UNLISTED = (*MEDIANS, SiteMeasure.LANGUAGE)
"""Measures with whose pages nothing is wrong."""


def versus(
    audits: Sequence[Audit | _SOURCE],
    *,
    without: Sequence[str] = (),
    without_section: Sequence[str] = (),
    progress: Progress | None = None,
) -> ComparedSites:
    """Several audited sites on the same measures, as shares of their pages.

    Parameters
    ----------
    audits : sequence of Audit or path
        Audits, or their folders; ours first.
    without : sequence of str
        Ids of checks: what each measure would be without their troubles.
    without_section : sequence of str
        Beginnings of paths, or patterns with ``*``: what each measure would be without these pages of any site.
    progress : callable
        Called with the name of the site at hand and the number of sites done.

    Returns
    -------
    ComparedSites
        The values stand in ``table``, the pages behind them in ``pages``.

    Raises
    ------
    SelectionError
        If there are fewer than two audits, no such check, or no page under a path.
    FolderError
        If a folder holds no audit.
    """
    progress = progress or tell_nobody
    if len(audits) < 2:
        raise SelectionError("name two audits at least, ours first: mardok versus OURS THEIRS -o DIR")
    for check in without:
        check_known(check)
    sites = []
    for at, one in enumerate(audits):
        progress("reading audits", at)
        sites.append(audited_site(one if isinstance(one, Audit) else load(one)))
    sites = _named(sites, audits)
    for pattern in without_section:
        if not any(is_under(url, pattern) for site in sites for url in site.urls):
            raise SelectionError(f"no page of any of the sites is under {pattern}")
    adjusted = [site.without(without, without_section) for site in sites] if without or without_section else None
    rows: list[tuple[Any, ...]] = []
    pages: list[tuple[str, str, str, str]] = []
    progress("comparing sites", 0)
    for place, asked in enumerate(asked_of(sites), start=1):
        its = [observed(site, asked) for site in sites]
        for number, (site, it) in enumerate(zip(sites, its, strict=True)):
            gap = why_no_value(site, asked)
            moved = observed(adjusted[number], asked).value if adjusted is not None and not gap else _NAN
            told, difference = _figures(site, it, gap), _difference(sites, its, number)
            rows.append((place, asked.measure, asked.of, number + 1, site.name, asked.unit, *told, moved, *difference))
            if not gap and asked.measure not in _UNLISTED:
                pages += [(asked.measure, asked.of, site.name, site.urls[row]) for row in it.behind.tolist()]
    return ComparedSites(
        VERSUS.frame(rows),
        VERSUS_PAGES.frame(pages),
        tuple(SiteRead(site.name, str(pages_read(site.meta)), site.is_whole, site.meta.mardok) for site in sites),
        tuple(without),
        tuple(without_section),
    )


def _named(sites: Sequence[AuditedSite], audits: Sequence[Audit | _SOURCE]) -> list[AuditedSite]:
    """The sites, each with a name of its own: audits of one host are told apart by their folders, else by number."""
    names = Counter(site.name for site in sites)
    told: Counter[str] = Counter()
    result = []
    for number, (site, one) in enumerate(zip(sites, audits, strict=True), start=1):
        name = site.name
        if names[name] > 1:
            name = f"{name} ({number if isinstance(one, Audit) else Path(one).resolve().name})"
        told[name] += 1
        result.append(replace(site, name=name if told[name] == 1 else f"{name}, {number}"))
    return result


def _figures(site: AuditedSite, it: Observed, gap: Text) -> tuple[Any, ...]:
    """Value, interval, quartiles, pages and cause of a measure."""
    if gap:
        return (_NAN,) * 5 + (0, 0, "", "", _NAN, _NAN)
    low, high = (_NAN, _NAN) if site.is_whole else interval(it, site.sections[1])
    cause = largest_cause(site, it) if it.asked.measure not in _UNLISTED else NO_CAUSE
    n_asked = int(np.count_nonzero(it.whole > 0))
    return (
        it.value, low, high, *it.quartiles, len(it.behind), n_asked, str(cause.name), cause.kind, cause.share, cause.without,
    )  # fmt: skip


def _difference(sites: Sequence[AuditedSite], its: Sequence[Observed], number: int) -> tuple[float, Chance, bool, str]:
    """How the value of a site differs from ours, whether by more than chance, whether it can be compared, and why not."""
    ours, theirs, asked = sites[0], sites[number], its[number].asked
    gaps = [why_no_value(site, asked) for site in (ours, theirs)]
    if gaps[1] or (number and gaps[0]):
        return _NAN, Chance.NONE, not number and not gaps[1], str(gaps[1] or gaps[0])
    if not number:
        return _NAN, Chance.NONE, True, ""
    why = why_not_comparable(ours, theirs, asked)
    difference = its[number].value - its[0].value
    if why:
        return difference, Chance.NONE, False, str(why)
    return difference, Chance.NONE if np.isnan(difference) else _chance(sites, its, number), True, ""


def _chance(sites: Sequence[AuditedSite], its: Sequence[Observed], number: int) -> Chance:
    ours, theirs = sites[0], sites[number]
    if ours.is_whole and theirs.is_whole:
        return Chance.NONE
    if ours.is_whole:
        return is_outside(its[number], theirs.sections[1], its[0].value)
    if theirs.is_whole:
        return is_outside(its[0], ours.sections[1], its[number].value)
    return chance(its[0], ours.sections[1], its[number], theirs.sections[1])
