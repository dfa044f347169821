"""Steps to addresses: redirects, canonicals, noindex, retired addresses, sitemaps, pages that stay.

In:  a planned step, and the states before and after.
Out: a verdict. A redirect is asked hop by hop, as a browser would follow it.
"""

from __future__ import annotations

from mardok.rechecking.state import Way
from mardok.rechecking.verdict import UNSEEN, Compared, PlannedStep, Verdict, named, verdict
from mardok.sentences import Listing, counted, listing, sentence
from mardok.vocabulary import Answer, CheckId, Found, NoindexReason, Outcome

_PERMANENT = (301, 308)
_TEMPORARY = (302, 303, 307)
_GONE = (404, 410)
_ERROR = 400


def verify_redirect(step: PlannedStep, compared: Compared) -> Verdict:
    """Whether an address redirects for good, in one hop, to a page that answers and is indexable."""
    after = compared.after
    row = after.row_of.get(step.url, -1)
    if row < 0:
        return UNSEEN
    status, target = after.cell("status", row), after.cell("redirect_url", row)
    if not target:
        return _without_redirect(step, compared, row)
    if status is None:
        return verdict(Outcome.NOT_TESTABLE, Found.NO_STATUS)
    way = after.way(step.url)
    if target != step.target and target == _target_before(step, compared):
        return verdict(Outcome.NOT_DONE, Found.AS_BEFORE, end=named(target, step))
    if status not in (*_PERMANENT, *_TEMPORARY):
        return verdict(Outcome.OTHERWISE, Found.REDIRECT_REFRESH, end=named(target, step))
    if not way.end:
        return verdict(Outcome.OTHERWISE, Found.REDIRECT_LOOP)
    if way.end == step.target and len(way.hops) > 1:
        return verdict(Outcome.OTHERWISE, Found.REDIRECT_CHAIN, hops=counted("hop", len(way.hops)), way=_told(way, step))
    if target != step.target:
        return _elsewhere(step, compared, way)
    if status in _TEMPORARY:
        return verdict(Outcome.OTHERWISE, Found.REDIRECT_TEMPORARY, status=status, end=named(target, step))
    return _target_verdict(step, compared) or verdict(
        Outcome.DONE, Found.REDIRECT_RIGHT, status=status, end=named(target, step)
    )


def _without_redirect(step: PlannedStep, compared: Compared, row: int) -> Verdict:
    """What stands where a redirect should be."""
    status = compared.after.cell("status", row)
    if status is not None and status != 200:
        there = compared.before.row_of.get(step.url, -1)
        if there >= 0 and compared.before.cell("status", there) == status:
            return verdict(Outcome.NOT_DONE, Found.GONE, status=status)
        return verdict(Outcome.OTHERWISE, Found.GONE, status=status)
    if compared.after.cell("canonical_url", row) == step.target:
        return verdict(Outcome.OTHERWISE, Found.CANONICAL_INSTEAD, target=named(step.target, step))
    return verdict(Outcome.NOT_DONE, Found.STILL_ANSWERS)


def _target_before(step: PlannedStep, compared: Compared) -> str:
    row = compared.before.row_of.get(step.url, -1)
    return str(compared.before.cell("redirect_url", row)) if row >= 0 else ""


def _elsewhere(step: PlannedStep, compared: Compared, way: Way) -> Verdict:
    """What an address leads to that should lead to another."""
    after, status = compared.after, None
    if way.row >= 0:
        status = after.cell("status", way.row)
    if status is not None and status >= _ERROR:
        return verdict(Outcome.OTHERWISE, Found.REDIRECT_ERROR, end=named(way.end, step), status=status)
    if way.end in after.failing:
        return verdict(Outcome.OTHERWISE, Found.REDIRECT_SOFT_404, end=named(way.end, step))
    if after.is_home(way.end):
        return verdict(Outcome.OTHERWISE, Found.REDIRECT_HOME, target=named(step.target, step))
    return verdict(Outcome.OTHERWISE, Found.REDIRECT_ELSEWHERE, end=named(way.end, step), target=named(step.target, step))


def _target_verdict(step: PlannedStep, compared: Compared) -> Verdict | None:
    """Why the page that a step leads to is no good end; None if it is."""
    how = sentence(f"recheck.how.{step.step}")
    after = compared.after
    row = after.row_of.get(step.target, -1)
    if row < 0:
        return verdict(Outcome.NOT_TESTABLE, Found.TARGET_UNSEEN, how=how, end=named(step.target, step))
    status = after.cell("status", row)
    if status is not None and status >= _ERROR:
        return verdict(Outcome.OTHERWISE, Found.TARGET_ERROR, how=how, end=named(step.target, step), status=status)
    if step.target in after.failing:
        return verdict(Outcome.OTHERWISE, Found.TARGET_SOFT_404, how=how, end=named(step.target, step))
    if not after.cell("indexable", row):
        reason = after.cell("reason", row)
        return verdict(Outcome.OTHERWISE, Found.TARGET_NOT_INDEXABLE, how=how, end=named(step.target, step), reason=reason)
    return None


def verify_canonical(step: PlannedStep, compared: Compared) -> Verdict:
    """Whether a page names its target as canonical, whole and without contradiction, and the target is indexable."""
    after = compared.after
    row = after.row_of.get(step.url, -1)
    if row < 0:
        return UNSEEN
    status = after.cell("status", row)
    if after.cell("redirect_url", row):
        return verdict(Outcome.OTHERWISE, Found.MOVED, end=named(after.way(step.url).end or step.url, step))
    if status not in (None, 200):
        return verdict(Outcome.OTHERWISE, Found.GONE, status=status)
    canonical = after.cell("canonical_url", row)
    if canonical in ("", step.url):
        return verdict(Outcome.NOT_DONE, Found.CANONICAL_MISSING)
    there = compared.before.row_of.get(step.url, -1)
    if canonical != step.target:
        is_old = there >= 0 and compared.before.cell("canonical_url", there) == canonical
        found = Found.AS_BEFORE if is_old else Found.CANONICAL_ELSEWHERE
        return verdict(
            Outcome.NOT_DONE if is_old else Outcome.OTHERWISE,
            found,
            end=named(canonical, step),
            target=named(step.target, step),
        )
    if (step.url, CheckId.CANONICAL_SEVERAL) in after.troubles:
        trouble = after.troubles[step.url, CheckId.CANONICAL_SEVERAL][0]
        return verdict(Outcome.OTHERWISE, Found.CANONICAL_SEVERAL, canonicals=trouble.detail)
    if after.cell("canonical_is_relative", row):
        return verdict(Outcome.OTHERWISE, Found.CANONICAL_RELATIVE)
    was = there >= 0 and compared.before.cell("noindex_reason", there) == NoindexReason.NOINDEX
    if after.cell("noindex_reason", row) == NoindexReason.NOINDEX and not was:
        return verdict(Outcome.OTHERWISE, Found.NOT_INDEXABLE, reason=after.cell("reason", row))
    return _target_verdict(step, compared) or verdict(Outcome.DONE, Found.CANONICAL_RIGHT, end=named(step.target, step))


def verify_noindex(step: PlannedStep, compared: Compared) -> Verdict:
    """Whether a page answers and is noindex."""
    row = compared.page_now(step.url)
    if isinstance(row, Verdict):
        return row
    after = compared.after
    reason = after.cell("noindex_reason", row)
    if reason == NoindexReason.NOINDEX:
        return verdict(Outcome.DONE, Found.NOINDEX_RIGHT)
    if after.cell("indexable", row):
        return verdict(Outcome.NOT_DONE, Found.STILL_INDEXABLE)
    return verdict(Outcome.OTHERWISE, Found.NOT_INDEXABLE, reason=after.cell("reason", row))


def verify_retire(step: PlannedStep, compared: Compared) -> Verdict:
    """Whether an address is gone."""
    after = compared.after
    row = after.row_of.get(step.url, -1)
    if row < 0:
        return UNSEEN
    status = after.cell("status", row)
    if after.cell("redirect_url", row):
        return verdict(Outcome.OTHERWISE, Found.MOVED, end=named(after.way(step.url).end or step.url, step))
    if status in _GONE:
        return verdict(Outcome.DONE, Found.RETIRED, status=status)
    if status is not None and status >= _ERROR:
        return verdict(Outcome.OTHERWISE, Found.GONE, status=status)
    if step.url in after.failing:
        return verdict(Outcome.OTHERWISE, Found.SOFT_404)
    if after.cell("noindex_reason", row) == NoindexReason.NOINDEX:
        return verdict(Outcome.OTHERWISE, Found.NOT_INDEXABLE, reason=after.cell("reason", row))
    return verdict(Outcome.NOT_DONE, Found.STILL_ANSWERS)


def verify_sitemap(step: PlannedStep, compared: Compared) -> Verdict:
    """Whether no sitemap lists an address."""
    after = compared.after
    row = after.row_of.get(step.url, -1)
    listed = after.cell("in_sitemap", row) if row >= 0 else Answer.NONE
    if row < 0 or listed == Answer.NONE:
        return UNSEEN if row < 0 else verdict(Outcome.NOT_TESTABLE, Found.NO_SITEMAP)
    if listed == Answer.NO:
        return verdict(Outcome.DONE, Found.NOT_LISTED)
    if after.cell("indexable", row):
        return verdict(Outcome.OTHERWISE, Found.NOW_INDEXABLE)
    return verdict(Outcome.NOT_DONE, Found.LISTED)


def verify_leave(step: PlannedStep, compared: Compared) -> Verdict:
    """Whether a page that was to stay is as well to be found as it was."""
    before, after = compared.before, compared.after
    row, there = after.row_of.get(step.url, -1), before.row_of.get(step.url, -1)
    if row < 0 or there < 0:
        return UNSEEN
    names = ("status", "redirect_url")
    if any(after.cell(name, row) != before.cell(name, there) for name in names):
        now = compared.page_now(step.url)
        if isinstance(now, Verdict):
            return now
        row = now
    if before.cell("indexable", there) and not after.cell("indexable", row):
        return verdict(Outcome.OTHERWISE, Found.NOT_INDEXABLE, reason=after.cell("reason", row))
    return verdict(Outcome.DONE, Found.STAYS)


def _told(way: Way, step: PlannedStep) -> Listing:
    return listing([named(hop, step) for hop in way.hops], most=4)
