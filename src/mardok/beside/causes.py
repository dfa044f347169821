"""What a large part of a measure comes from: one template, or one section.

In:  a measure on one site.
Out: the :class:`Cause` without which the measure would be least; none where there is no such.

A template is told by the checks that say so (a trouble that the pages of a kind share), else by the kind of its pages. A
cause is told if the measure falls by a fifth without it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from mardok.beside.measures import GOOD, MEDIANS, Figures, Observed, checks_of, with_trouble
from mardok.beside.site import AuditedSite, Mask
from mardok.sentences import Text, sentence
from mardok.vocabulary import CauseKind, SiteMeasure

_LEAST_PART = 0.2
"""Part of a measure that something must make to be told as its cause."""


@dataclass(frozen=True)
class Cause:
    """What a part of a measure comes from."""

    kind: CauseKind
    name: Text
    share: float
    """Part of what is behind the measure, 0 to 1."""
    without: float
    """The measure without that section, or once that template is mended."""


_LEAST_FALL = 0.2
"""Part by which a measure must fall without a section, or the pages of a kind."""
_MOST_LEFT_OUT = 0.9
"""Part of the pages, or words, beyond which what is left says nothing of the site."""
NO_CAUSE = Cause(CauseKind.NONE, "", float("nan"), float("nan"))


def largest_cause(site: AuditedSite, it: Observed) -> Cause:
    """The cause without which a measure would be best.

    Parameters
    ----------
    it : Observed
        The measure on the site.
    """
    total = float(it.causing.sum())
    if it.asked.measure in (*MEDIANS, SiteMeasure.LANGUAGE) or not total:
        return NO_CAUSE
    wanted = -1 if it.asked.measure in GOOD else 1
    found = [
        cause
        for cause, is_excess in (*_templates(site, it, total), *_sections(site, it, total))
        if is_excess and cause.share >= _LEAST_PART
    ]
    return min(found, key=lambda cause: (round(wanted * cause.without, 9), cause.kind, str(cause.name)), default=NO_CAUSE)


def _sections(site: AuditedSite, it: Observed, total: float) -> Iterator[tuple[Cause, bool]]:
    names, number = site.sections
    parts = np.bincount(number, weights=it.causing, minlength=len(names))
    wholes = np.bincount(number, weights=it.whole, minlength=len(names))
    for at in np.flatnonzero(parts).tolist():
        if wholes[at] < wholes.sum():
            yield _left_out(CauseKind.SECTION, names[at], it, number == at, total)


def _templates(site: AuditedSite, it: Observed, total: float) -> Iterator[tuple[Cause, bool]]:
    kinds = site.columns["kind"]
    if not checks_of(it.asked):
        for kind in sorted(set(kinds[it.causing > 0].tolist()) - {"", it.asked.of}):
            if not it.asked.of and (it.whole[kinds != kind] > 0).any():
                yield _left_out(CauseKind.TEMPLATE, sentence("versus.cause.kind", kind=kind), it, kinds == kind, total)
        return
    checked = site.checked
    of_template = checked.is_template & checked.of(checks_of(it.asked))
    its_kind = kinds[checked.row]
    met = set(zip(checked.check[of_template].tolist(), its_kind[of_template].tolist(), strict=True))
    for check, kind in sorted(met):
        mended = of_template & (checked.check == check) & (its_kind == kind)
        left = _ones_of(site, it, with_trouble(site, it.asked, mended))
        share = 1 - float(left.sum()) / total
        without = float(left.sum()) / float(it.whole.sum())
        name = sentence("versus.cause.template", check=check, kind=kind)
        yield Cause(CauseKind.TEMPLATE, name, share, without), share > 0


def _ones_of(site: AuditedSite, it: Observed, mask: Mask) -> Figures:
    return (site.is_counted & mask & (it.whole > 0)).astype(np.float64)


def _left_out(kind: CauseKind, name: Text, it: Observed, there: Mask, total: float) -> tuple[Cause, bool]:
    """A cause that is left out, and whether the measure falls without it, and enough is left."""
    share = float(it.causing[there].sum()) / total
    part = float(it.whole[there].sum()) / float(it.whole.sum())
    falls = 1 - share <= (1 - _LEAST_FALL) * (1 - part)
    return Cause(kind, name, share, it.of(~there)), falls and part <= _MOST_LEFT_OUT
