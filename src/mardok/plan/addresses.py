"""Untranslated pages, and filter addresses: what is one proposal for a language or a parameter.

In:  pages with the text of another language, pages whose address has a parameter that filters a listing.
Out: one proposal for each language, and for each parameter at most two: addresses that are asked for, and the others.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence

from mardok.findings.groups import group_id
from mardok.findings.kinds import PageKinds
from mardok.findings.wording import section_name
from mardok.plan.context import PlanContext
from mardok.plan.effort import effort_hours
from mardok.plan.proposal import NO_GAIN, Proposal, Step
from mardok.sentences import counted, listing, page_name, reasoned, sentence
from mardok.urls import matches
from mardok.vocabulary import Action, Confidence, Evidence, OtherRule, PageKind, StepKind

_LEAST_ADDRESSES = 3
"""Addresses with one parameter, from which it is one of a filter."""


def translate_proposals(
    guests: Mapping[int, Sequence[int]], meant_for: Sequence[str], moved: Collection[int], context: PlanContext
) -> list[Proposal]:
    """A proposal for each folder and language that pages are meant for and not in.

    Parameters
    ----------
    guests : mapping of int to sequence of int
        For each page with the text of others that is not in the language it is meant for, the others.
    """
    by_language: dict[tuple[str, str], list[int]] = defaultdict(list)
    for row in sorted(guests):
        if row not in moved and not matches(context.url(row), context.settings.plan.leave):
            by_language[meant_for[row], section_name(context.url(row))].append(row)
    return [_translate(language, rows, guests, context) for (language, _), rows in sorted(by_language.items())]


def _translate(language: str, rows: Sequence[int], guests: Mapping[int, Sequence[int]], context: PlanContext) -> Proposal:
    spoken = {row: context.site.pages[row].language for row in rows}
    steps = tuple(
        Step(
            context.url(row),
            StepKind.TRANSLATE,
            detail=sentence("translate.step", original=context.url(min(guests[row])), language=spoken[row]),
        )
        for row in rows
    )
    urls = tuple(map(context.url, rows))
    return Proposal(
        id=group_id("translate", urls), action=Action.TRANSLATE, rule=OtherRule.UNTRANSLATED, keeper="",
        urls=urls, gain=NO_GAIN,
        effort_hours=effort_hours(steps, context.settings.plan.effort), confidence=Confidence.HIGH, evidence=Evidence.TEXT,
        summary=sentence("translate.summary", pages=counted("page", len(rows)), language=language),
        why=reasoned(sentence("translate.why", pages=listing([page_name(url) for url in urls], most=2), language=language)),
        unless=sentence("translate.unless"), steps=steps,
        basis={"originals": {context.url(row): context.url(min(guests[row])) for row in rows}},
    )  # fmt: skip


def filter_proposals(
    kinds: PageKinds, compared: Collection[int], moved: Collection[int], context: PlanContext
) -> list[Proposal]:
    """Proposals for parameters that filter a listing which is read without them too.

    Parameters
    ----------
    compared : collection of int
        Pages that are read and no variants of others.
    moved : collection of int
        Pages that other proposals move.
    """
    settings = context.settings
    plain = {
        form.key: row
        for row in sorted(compared)
        for form in [context.strength.forms[row]]
        if not form.parameters and kinds.kind[row] in (PageKind.LISTING, PageKind.HOME)
    }
    by_parameter: dict[str, list[int]] = defaultdict(list)
    for row in sorted(compared):
        url = context.url(row)
        if "?" not in url or kinds.is_further[row] or kinds.kind[row] != PageKind.LISTING or row in moved:
            continue
        form = context.strength.forms[row]
        if form.parameters and form.key in plain and not matches(url, settings.plan.leave):
            by_parameter[form.parameters[0][0]].append(row)
    filters = [(name, rows) for name, rows in sorted(by_parameter.items()) if len(rows) >= _LEAST_ADDRESSES]
    return [one for name, rows in filters for one in _filter(name, rows, context)]


def _filter(name: str, rows: Sequence[int], context: PlanContext) -> list[Proposal]:
    least = context.settings.thin.minimum_impressions
    asked = [row for row in rows if context.strength.impressions[row] >= least]
    others = [row for row in rows if row not in set(asked)]
    return [_one(name, part, context, is_asked=is_asked) for part, is_asked in ((asked, True), (others, False)) if part]


def _one(name: str, rows: Sequence[int], context: PlanContext, *, is_asked: bool) -> Proposal:
    urls = tuple(map(context.url, rows))
    rule = OtherRule.FILTER_ASKED_FOR if is_asked else OtherRule.FILTER_NOT_ASKED_FOR
    addresses = counted("address", len(rows))
    shown = float(context.strength.impressions[list(rows)].sum())
    detail = sentence(f"filter.step.{rule}", parameter=name)
    steps = tuple(Step(url, StepKind.LEAVE if is_asked else StepKind.NOINDEX, detail=detail) for url in urls)
    is_known = context.strength.demand is not None
    known = sentence("filter.known.hardly-shown" if is_known else "filter.known.no-search-data")
    return Proposal(
        id=group_id("filter", urls), action=Action.LEAVE if is_asked else Action.NOINDEX, rule=rule,
        keeper="", urls=urls, gain=NO_GAIN,
        effort_hours=effort_hours(steps, context.settings.plan.effort, n_rules=1),
        confidence=Confidence.MEDIUM if is_known else Confidence.LOW,
        evidence=Evidence.SEARCH if is_known else Evidence.TEXT,
        summary=sentence(f"filter.summary.{rule}", addresses=addresses, parameter=name),
        why=reasoned(
            sentence("filter.why", addresses=addresses, parameter=name, example=page_name(urls[0])),
            sentence(f"filter.reason.{rule}", impressions=shown, known=known),
        ),
        unless=sentence(f"filter.unless.{rule}"), steps=steps,
        basis={"parameter": name, "impressions": round(shown, 1)},
    )  # fmt: skip
