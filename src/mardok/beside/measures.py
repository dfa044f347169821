"""What sites are compared by.

In:  audited sites.
Out: for each measure and site an :class:`Observed`: how much of it each page has.

A share is a sum over pages divided by a sum over pages, so that any part of the site can be left out of it: pages with a
trouble by indexable pages, or words by words. A length is told as the median of pages, with the quartiles.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.beside.site import AuditedSite, Mask
from mardok.vocabulary import Answer, CheckId, MeasureUnit, PageKind, SiteMeasure

Figures = NDArray[np.float64]

_CHECKS: dict[SiteMeasure, tuple[str, ...]] = {
    SiteMeasure.TITLES: ("title-",),
    SiteMeasure.DESCRIPTIONS: ("description-",),
    SiteMeasure.HEADINGS: ("h1-", "h2-", "heading-"),
    SiteMeasure.BROKEN_LINKS: (CheckId.LINK_BROKEN,),
    SiteMeasure.REDIRECTED_LINKS: (CheckId.LINK_REDIRECTED,),
    SiteMeasure.ALT_TEXTS: (CheckId.IMAGE_ALT_MISSING,),
    SiteMeasure.ORPHANS: (CheckId.PAGE_ORPHAN,),
}
"""Measures of pages with a trouble, by the beginnings of the checks' names."""
_WORDS = {
    SiteMeasure.OWN_WORDS: "own_words",
    SiteMeasure.SHARED_WORDS: "shared_words",
    SiteMeasure.BOILERPLATE_WORDS: "boilerplate_words",
}
MEDIANS = (SiteMeasure.WORDS, SiteMeasure.DEPTH)
"""Measures that are told as the median of pages."""
_UNITS = {SiteMeasure.WORDS: MeasureUnit.WORDS, SiteMeasure.DEPTH: MeasureUnit.LINKS}
GOOD = (SiteMeasure.INDEXABLE, SiteMeasure.OWN_WORDS)
"""Measures of what a site wants more of: what is missing has a cause."""
_KINDS = tuple(kind for kind in PageKind if kind)


@dataclass(frozen=True)
class Asked:
    """One measure, of all pages or of some."""

    measure: SiteMeasure
    of: str = ""
    """Kind of page, or language; ``""`` for all."""

    @property
    def unit(self) -> MeasureUnit:
        """Unit of its value."""
        return _UNITS.get(self.measure, MeasureUnit.SHARE)


@dataclass(frozen=True)
class Observed:
    """A measure on one site; arrays have one entry a page."""

    asked: Asked
    part: Figures
    """What is counted: 1 for a page with it, or its words; of a median the value itself."""
    whole: Figures
    """What it is a share of; of a median 1 for each page that is measured."""

    @property
    def is_median(self) -> bool:
        """Whether it is told as the median of pages."""
        return self.asked.measure in MEDIANS

    @property
    def value(self) -> float:
        """The share, or the median; NaN where there is no page to ask about."""
        return self.of(np.ones(len(self.part), bool))

    def of(self, kept: Mask) -> float:
        """The same of some pages only."""
        if self.is_median:
            return quantile(self.part[kept & (self.whole > 0)], 0.5)
        whole = float(self.whole[kept].sum())
        return float(self.part[kept].sum()) / whole if whole else float("nan")

    @property
    def quartiles(self) -> tuple[float, float]:
        """Of a median the quartiles, else NaN."""
        if not self.is_median:
            return float("nan"), float("nan")
        values = self.part[self.whole > 0]
        return quantile(values, 0.25), quantile(values, 0.75)

    @property
    def causing(self) -> Figures:
        """What has a cause: what is counted, or what is missing of it where a site wants more of it."""
        return self.whole - self.part if self.asked.measure in GOOD else self.part

    @property
    def behind(self) -> NDArray[np.int64]:
        """Rows of the pages behind it; of a median all that are measured."""
        return np.flatnonzero(self.whole > 0 if self.is_median else self.causing > 0)


def quantile(values: Figures, share: float) -> float:
    """The value that a share of the values is below, between two of them by interpolation; NaN of none.

    Parameters
    ----------
    values : ndarray of float64
        In any order.
    share : float
        0 to 1.
    """
    return float(np.quantile(values, share)) if len(values) else float("nan")


def asked_of(sites: Sequence[AuditedSite]) -> list[Asked]:
    """The measures that some of the sites have, in their order."""
    kinds = [kind for kind in _KINDS if any((_of_kind(site, kind)).any() for site in sites)]
    languages = sorted({str(name) for site in sites for name in set(site.columns["language"][site.is_counted].tolist())})
    result = []
    for measure in SiteMeasure:
        if measure in (SiteMeasure.THIN, SiteMeasure.WORDS):
            result += [Asked(measure, kind) for kind in ("", *kinds)]
        elif measure == SiteMeasure.LANGUAGE:
            result += [Asked(measure, language) for language in languages if language]
        else:
            result.append(Asked(measure))
    return result


def _of_kind(site: AuditedSite, kind: str) -> Mask:
    return site.is_counted & (site.columns["kind"] == kind) if kind else site.is_counted


def observed(site: AuditedSite, asked: Asked) -> Observed:
    """One measure on one site."""
    measure, counted = asked.measure, site.is_counted
    if measure == SiteMeasure.INDEXABLE:
        return Observed(asked, _ones(site.is_page & site.columns["indexable"]), _ones(site.is_page))
    if measure in _WORDS:
        parts = {name: np.nan_to_num(site.numbers(name)) * counted for name in _WORDS.values()}
        return Observed(asked, parts[_WORDS[measure]], sum(parts.values(), np.zeros(len(counted))))
    if measure == SiteMeasure.COPIED:
        return Observed(asked, _ones(counted & (site.numbers("copies") > 0)), _ones(counted))
    if measure == SiteMeasure.LANGUAGE:
        return Observed(asked, _ones(counted & (site.columns["language"] == asked.of)), _ones(counted))
    if measure == SiteMeasure.THIN:
        of_kind = _of_kind(site, asked.of) & (site.columns["thin"] != Answer.NONE)
        return Observed(asked, _ones(of_kind & (site.columns["thin"] == Answer.YES)), _ones(of_kind))
    if measure == SiteMeasure.WORDS:
        return Observed(asked, site.numbers("words"), _ones(_of_kind(site, asked.of)))
    if measure == SiteMeasure.DEPTH:
        depth = site.numbers("depth")
        return Observed(asked, depth, _ones(counted & ~np.isnan(depth)))
    return Observed(asked, _ones(counted & with_trouble(site, asked)), _ones(counted))


def checks_of(asked: Asked) -> tuple[str, ...]:
    """Beginnings of the names of the checks that a measure rests on; none if it rests on no check."""
    return _CHECKS.get(asked.measure, ())


def with_trouble(site: AuditedSite, asked: Asked, left_out: Mask | None = None) -> Mask:
    """Pages with a trouble of a measure.

    Parameters
    ----------
    left_out : ndarray of bool, optional
        Troubles that are mended, one entry a trouble of the site.
    """
    is_it = site.checked.of(checks_of(asked))
    if left_out is not None:
        is_it &= ~left_out
    result = np.zeros(len(site.urls), bool)
    result[site.checked.row[is_it]] = True
    return result


def _ones(mask: Mask) -> Figures:
    return mask.astype(np.float64)
