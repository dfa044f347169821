"""What is broken or untidy on single pages, as work orders.

In:  the troubles that checks found.
Out: one proposal for each field of work, with the pages in its steps; what is broken apart from what is untidy.

What breaks a way for visitors or crawlers comes first (band 1), the rest is tidying. Pages that the plan moves anyway are
not repaired, and what other proposals settle (variants, untranslated pages) is not told twice.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import NamedTuple

from mardok.findings.groups import group_id
from mardok.findings.trouble import Told, once_a_template
from mardok.plan.effort import effort_hours
from mardok.plan.proposal import Gain, Proposal, Step
from mardok.plan.wording import count, listed, path_of
from mardok.plan.workbench import Workbench
from mardok.tables import CHECKS
from mardok.urls import matches

_EXAMPLES = 2


class _Order(NamedTuple):
    """How one kind of trouble is repaired."""

    field: str
    is_broken: bool
    owner: str
    what: str
    """What to do, with ``{}`` for the number of things."""
    thing: tuple[str, str] = ("page", "pages")
    """What is counted, one and several."""
    step: str = "repair"


_LINK, _ADDRESS = ("link", "links"), ("address", "addresses")
_WAYS, _SIGNS, _LISTS = "Links and redirects", "Canonicals and hreflang", "Sitemap and robots.txt"
_HEADS, _BODIES, _TEXTS = "Titles and descriptions", "Headings and images", "What pages show and load"
_ORDERS = {
    "link-broken": _Order(_WAYS, True, "editor", "mend {} to errors", _LINK),
    "link-blocked": _Order(_WAYS, True, "developer", "open {} to crawlers or unlink it", _ADDRESS),
    "redirect-loop": _Order(_WAYS, True, "server", "break the circle of {}", _ADDRESS),
    "redirect-broken": _Order(_WAYS, True, "server", "redirect {} to a page that answers", _ADDRESS),
    "link-redirected": _Order(_WAYS, False, "editor", "lead {} past redirects", _LINK, "relink"),
    "link-text-empty": _Order(_WAYS, False, "editor", "say in {} where they lead", _LINK),
    "redirect-chain": _Order(_WAYS, False, "server", "send {} to the end in one hop", _ADDRESS),
    "page-orphan": _Order(_WAYS, False, "editor", "link to {} that only the sitemap knows"),
    "canonical-broken": _Order(_SIGNS, True, "developer", "correct the canonical of {} to an error"),
    "canonical-noindex": _Order(_SIGNS, True, "developer", "correct the canonical of {} to a noindex page"),
    "canonical-other-host": _Order(_SIGNS, True, "developer", "name the own address as canonical on {}"),
    "canonical-several": _Order(_SIGNS, True, "developer", "leave one canonical on {}"),
    "canonical-hreflang": _Order(_SIGNS, True, "developer", "settle canonical against hreflang on {}"),
    "hreflang-broken": _Order(_SIGNS, True, "developer", "correct hreflang to pages out of the index on {}"),
    "canonical-redirected": _Order(_SIGNS, False, "developer", "name the final address as canonical on {}"),
    "canonical-chain": _Order(_SIGNS, False, "developer", "name the end of the chain as canonical on {}"),
    "hreflang-return-missing": _Order(_SIGNS, False, "developer", "link back from alternates of {}"),
    "robots-html": _Order(_LISTS, True, "server", "put a robots.txt in the place of HTML at {}", _ADDRESS),
    "sitemap-html": _Order(_LISTS, True, "server", "put a sitemap in the place of HTML at {}", _ADDRESS),
    "sitemap-not-indexable": _Order(_LISTS, False, "developer", "take {} out of the sitemap", step="sitemap"),
    "title-missing": _Order(_HEADS, False, "editor", "give {} a title", step="retitle"),
    "title-duplicate": _Order(_HEADS, False, "editor", "tell {} apart by title", step="retitle"),
    "title-long": _Order(_HEADS, False, "editor", "shorten the title of {}", step="retitle"),
    "title-short": _Order(_HEADS, False, "editor", "say more in the title of {}", step="retitle"),
    "title-empty-words": _Order(_HEADS, False, "editor", "say something in the title of {}", step="retitle"),
    "description-missing": _Order(_HEADS, False, "editor", "describe {}"),
    "description-duplicate": _Order(_HEADS, False, "editor", "describe {} each in its own words"),
    "description-long": _Order(_HEADS, False, "editor", "shorten the description of {}"),
    "description-short": _Order(_HEADS, False, "editor", "say more in the description of {}"),
    "description-stuffed": _Order(_HEADS, False, "editor", "describe {} for readers"),
    "description-language": _Order(_HEADS, False, "editor", "translate the description of {}"),
    "social-missing": _Order(_HEADS, False, "developer", "add og:title or og:image to {}"),
    "h1-missing": _Order(_BODIES, False, "editor", "give {} an H1"),
    "h1-several": _Order(_BODIES, False, "developer", "leave one H1 on {}"),
    "h1-duplicate": _Order(_BODIES, False, "editor", "tell {} apart by H1"),
    "h1-image": _Order(_BODIES, False, "developer", "write out the H1 image of {}"),
    "h1-hidden": _Order(_BODIES, False, "developer", "show the H1 of {}"),
    "h2-missing": _Order(_BODIES, False, "editor", "give {} an H2 above the lower headings"),
    "h2-duplicate": _Order(_BODIES, False, "editor", "tell equal H2 apart on {}"),
    "h2-long": _Order(_BODIES, False, "editor", "shorten an H2 on {}"),
    "heading-skipped": _Order(_BODIES, False, "editor", "put the heading levels of {} in order"),
    "heading-flat": _Order(_BODIES, False, "editor", "divide {} by headings"),
    "heading-repeated": _Order(_BODIES, False, "developer", "make a heading in the furniture of {} plain text"),
    "image-alt-missing": _Order(_BODIES, False, "editor", "describe images (alt) on {}"),
    "image-broken": _Order(_TEXTS, True, "editor", "bring back images on {}"),
    "page-soft-404": _Order(_TEXTS, True, "server", "answer 404 or 410 for {} that do not exist"),
    "page-empty": _Order(_TEXTS, True, "developer", "give {} a text of its own"),
    "page-part-broken": _Order(_TEXTS, True, "developer", "bring back scripts or style sheets of {}"),
    "page-insecure-parts": _Order(_TEXTS, True, "developer", "load parts over https on {}"),
    "text-double-escaped": _Order(_TEXTS, True, "developer", "show characters instead of codes on {}"),
    "text-encoding-broken": _Order(_TEXTS, True, "developer", "restore letters lost in a wrong encoding on {}"),
}
"""Checks that become proposals; the others are settled by proposals of their own."""


def repair_proposals(troubles: Iterable[Told], gone: Collection[int], bench: Workbench) -> list[Proposal]:
    """One proposal for each field of work, broken and untidy apart.

    Parameters
    ----------
    gone : collection of int
        Pages that go, or leave the index.
    """
    by_field: dict[tuple[str, bool], list[Told]] = defaultdict(list)
    pages: dict[str, set[str]] = defaultdict(set)
    listed_troubles = list(troubles)
    for told in listed_troubles:
        pages[told.check].add(told.url)
    for told in once_a_template(listed_troubles):
        row = bench.site.row_of.get(told.url, -1)
        is_left = matches(told.url, bench.settings.plan.leave) or row in gone
        if told.check in _ORDERS and not is_left:
            by_field[_ORDERS[told.check].field, _ORDERS[told.check].is_broken].append(told)
    return [
        _proposal(field, is_broken, sorted(_still_wrong(found)), pages, bench)
        for (field, is_broken), found in sorted(by_field.items())
        if _still_wrong(found)
    ]


def _still_wrong(found: Sequence[Told]) -> list[Told]:
    """Troubles without duplicates whose like is moved by the plan."""
    alike = Counter((told.check, told.value) for told in found)
    return [
        told
        for told in found
        if not told.check.endswith("-duplicate") or bool(told.template) or alike[told.check, told.value] > 1
    ]


def _proposal(
    field: str, is_broken: bool, found: Sequence[Told], pages: Mapping[str, Collection[str]], bench: Workbench
) -> Proposal:
    """The proposal for one field; `pages` has all pages with each trouble, of those of a template every one."""
    by_check: dict[str, list[Told]] = {check: [] for check in _ORDERS}
    for told in found:
        by_check[told.check].append(told)
    there = {check: same for check, same in by_check.items() if same}
    steps = tuple(
        Step(told.url, _ORDERS[check].step, _target(told, bench), _detail(told))
        for check, same in there.items()
        for told in same
    )
    urls = tuple(sorted({told.url for told in found}))
    numbers = {
        check: len(pages[check]) if any(told.template for told in same) else len(same) for check, same in there.items()
    }
    orders = [_ORDERS[check].what.format(count(n, *_ORDERS[check].thing)) for check, n in numbers.items()]
    owners = Counter(_ORDERS[check].owner for check, same in there.items() for _ in same)
    said = [
        f"{CHECKS[check][0].upper()}{CHECKS[check][1:]}: {listed([path_of(told.url) for told in same], most=_EXAMPLES)}."
        for check, same in there.items()
    ]
    is_template = any(told.template for told in found)
    return Proposal(
        id=group_id("repair", [field, str(is_broken), *urls]), action="repair",
        owner=min(owners, key=lambda owner: (-owners[owner], owner)), keeper="", urls=urls,
        gain=Gain(0.0, 0.0, "link weight"), effort_hours=effort_hours(steps, bench.settings.plan.effort),
        confidence="high", evidence="text", summary=f"{field}: {listed(orders)}",
        why=" ".join([*said, *["What a template repeats takes one edit."] * is_template, "No evidence of a gain."]),
        unless="it is meant so; then name the pages in the settings (plan.leave)", steps=steps,
        basis={"checks": numbers, "templates": sum(bool(told.template) for told in found)}, is_broken=is_broken,
    )  # fmt: skip


def _target(told: Told, bench: Workbench) -> str:
    """Where the address or link is to lead, by what the plan makes of it."""
    row = bench.site.row_of.get(told.target, -1)
    return bench.url(bench.moves.end_of(row)) if row >= 0 else told.target


def _detail(told: Told) -> str:
    shared = f"one edit of their template mends {told.template}" if told.template else ""
    return "; ".join(filter(None, [": ".join(filter(None, [CHECKS[told.check], told.value, told.detail])), shared]))
