"""Untranslated pages, and filter addresses: what is one proposal for a language or a parameter.

In:  pages with the text of another language, pages whose address has a parameter that filters a listing.
Out: one proposal for each language, and for each parameter at most two: addresses that are asked for, and the others.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence

from mardok.findings.groups import group_id
from mardok.findings.kinds import PageKinds
from mardok.plan.effort import effort_hours
from mardok.plan.proposal import Gain, Proposal, Step
from mardok.plan.wording import count, listed, path_of
from mardok.plan.workbench import Workbench
from mardok.urls import matches, variant_form

_LEAST_ADDRESSES = 3
"""Addresses with one parameter, from which it is one of a filter."""


def translate_proposals(
    guests: Mapping[int, Sequence[int]], meant_for: Sequence[str], moved: Collection[int], bench: Workbench
) -> list[Proposal]:
    """A proposal for each language that pages are meant for and not in.

    Parameters
    ----------
    guests : mapping of int to sequence of int
        For each page with the text of others that is not in the language it is meant for, the others.
    """
    by_language: dict[str, list[int]] = defaultdict(list)
    for row in sorted(guests):
        if row not in moved and not matches(bench.url(row), bench.settings.plan.leave):
            by_language[meant_for[row]].append(row)
    return [_translate(language, rows, guests, bench) for language, rows in sorted(by_language.items())]


def _translate(language: str, rows: Sequence[int], guests: Mapping[int, Sequence[int]], bench: Workbench) -> Proposal:
    spoken = {row: bench.site.pages[row].language for row in rows}
    steps = tuple(
        Step(bench.url(row), "translate", detail=f"shows the text of {bench.url(min(guests[row]))}, in {spoken[row]!r}")
        for row in rows
    )
    urls = tuple(map(bench.url, rows))
    pages = count(len(rows), "page")
    return Proposal(
        id=group_id("translate", urls), action="translate", owner="writer", keeper="", urls=urls,
        gain=Gain(0.0, 0.0, "link weight"), effort_hours=effort_hours(steps, bench.settings.plan.effort),
        confidence="high", evidence="text",
        summary=f"Translate {pages} meant for {language!r} that show another language",
        why=(
            f"{listed([path_of(url) for url in urls])}: meant for {language!r} by hreflang, declaration or address, and "
            "with the text of another language. Searchers of neither language are served. No evidence of a gain."
        ),
        unless="nobody translates them; then noindex, and take them out of the hreflang set",
        steps=steps, basis={"originals": {bench.url(row): bench.url(min(guests[row])) for row in rows}},
    )  # fmt: skip


def filter_proposals(
    kinds: PageKinds, compared: Collection[int], moved: Collection[int], bench: Workbench
) -> list[Proposal]:
    """Proposals for parameters that filter a listing which is read without them too."""
    settings = bench.settings
    plain = {
        form.key: row
        for row in sorted(compared)
        for form in [variant_form(bench.url(row), settings.variants)]
        if not form.parameters and kinds.kind[row] in ("listing", "home")
    }
    by_parameter: dict[str, list[int]] = defaultdict(list)
    for row in sorted(compared):
        url = bench.url(row)
        if "?" not in url or kinds.is_further[row] or kinds.kind[row] != "listing" or row in moved:
            continue
        form = variant_form(url, settings.variants)
        if form.parameters and form.key in plain and not matches(url, settings.plan.leave):
            by_parameter[form.parameters[0][0]].append(row)
    filters = [(name, rows) for name, rows in sorted(by_parameter.items()) if len(rows) >= _LEAST_ADDRESSES]
    return [one for name, rows in filters for one in _filter(name, rows, bench)]


def _filter(name: str, rows: Sequence[int], bench: Workbench) -> list[Proposal]:
    least = bench.settings.thin.minimum_impressions
    asked = [row for row in rows if bench.standing.impressions[row] >= least]
    others = [row for row in rows if row not in set(asked)]
    return [_one(name, part, bench, is_asked=is_asked) for part, is_asked in ((asked, True), (others, False)) if part]


def _one(name: str, rows: Sequence[int], bench: Workbench, *, is_asked: bool) -> Proposal:
    action = "leave" if is_asked else "noindex"
    urls = tuple(map(bench.url, rows))
    n = count(len(rows), "address", "addresses")
    shown = float(bench.standing.impressions[list(rows)].sum())
    detail = "searchers are shown it: a page of its own" if is_asked else f"filters a listing by {name!r}"
    steps = tuple(Step(url, action, detail=detail) for url in urls)
    known = bench.standing.demand is not None
    if is_asked:
        summary = f"Leave {n} filtered by '{name}': they are asked for"
        reason = f"Search shows them {shown:,.0f} times a month: pages of their own."
        unless = "the range behind them goes"
    else:
        summary = f"Take {n} filtered by '{name}' out of the index, one rule"
        reason = f"{'Searchers are hardly shown them' if known else 'There is no search data'}. No evidence of a gain."
        unless = "people search for what they select; then give it a page of its own"
    return Proposal(
        id=group_id("filter", urls), action=action, owner="developer", keeper="", urls=urls,
        gain=Gain(0.0, 0.0, "link weight"),
        effort_hours=effort_hours(steps, bench.settings.plan.effort, n_rules=1),
        confidence="medium" if known else "low", evidence="search" if known else "text", summary=summary,
        why=(
            f"{n} with the parameter '{name}' show parts of a listing that is read without it too, for example "
            f"{path_of(urls[0])}. {reason}"
        ),
        unless=unless, steps=steps, basis={"parameter": name, "impressions": round(shown, 1)},
    )  # fmt: skip
