"""What is broken or untidy on single pages, as work orders.

In:  the troubles that checks found.
Out: one proposal for each field of work, with the pages in its steps; what is broken apart from what is untidy.

What breaks a way for visitors or crawlers comes first (band 1), the rest is tidying. Pages that the plan moves anyway are
not repaired, and what other proposals settle (variants, untranslated pages) is not told twice.
"""

from __future__ import annotations

from array import array
from collections import Counter, defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import islice
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from mardok.findings.groups import group_id
from mardok.findings.page_check import PageCheck, once_a_template
from mardok.kept_rows import StoredRows, chosen
from mardok.large import OnDemand
from mardok.plan.effort import effort_hours
from mardok.plan.proposal import NO_GAIN, Proposal, Step
from mardok.sentences import Sentence, Shown, clauses, listing, page_name, reasoned, sentence
from mardok.settings import Plan
from mardok.text.words import folded_line
from mardok.urls import matches
from mardok.vocabulary import WORD_CHECKS, Action, CheckId, Confidence, Evidence, OtherRule, Owner, StepKind

_EXAMPLES, _NAMED_FAULTS = 2, 3


class _Field(StrEnum):
    """Fields of work; one proposal each. The id of a proposal is made from them."""

    LINKS = "Links and redirects"
    SIGNALS = "Canonicals and hreflang"
    LISTS = "Sitemap and robots.txt"
    HEADS = "Titles and descriptions"
    BODIES = "Headings and images"
    TEXTS = "What pages show and load"
    FACTS = "Facts that disagree"
    WORDS = "Words and sentences"


class _Order(NamedTuple):
    """How one kind of trouble is repaired."""

    field: _Field
    is_broken: bool
    owner: Owner
    step: StepKind = StepKind.REPAIR


_ORDERS = {
    CheckId.SITE_CLOSED: _Order(_Field.SIGNALS, True, Owner.DEVELOPER),
    CheckId.LINK_BROKEN: _Order(_Field.LINKS, True, Owner.EDITOR),
    CheckId.LINK_BLOCKED: _Order(_Field.LINKS, True, Owner.DEVELOPER),
    CheckId.REDIRECT_LOOP: _Order(_Field.LINKS, True, Owner.SERVER),
    CheckId.REDIRECT_BROKEN: _Order(_Field.LINKS, True, Owner.SERVER),
    CheckId.LINK_REDIRECTED: _Order(_Field.LINKS, False, Owner.EDITOR, step=StepKind.RELINK),
    CheckId.LINK_TEXT_EMPTY: _Order(_Field.LINKS, False, Owner.EDITOR),
    CheckId.REDIRECT_CHAIN: _Order(_Field.LINKS, False, Owner.SERVER),
    CheckId.PAGE_ORPHAN: _Order(_Field.LINKS, False, Owner.EDITOR),
    CheckId.CANONICAL_BROKEN: _Order(_Field.SIGNALS, True, Owner.DEVELOPER),
    CheckId.CANONICAL_NOINDEX: _Order(_Field.SIGNALS, True, Owner.DEVELOPER),
    CheckId.CANONICAL_OTHER_HOST: _Order(_Field.SIGNALS, True, Owner.DEVELOPER),
    CheckId.CANONICAL_SEVERAL: _Order(_Field.SIGNALS, True, Owner.DEVELOPER),
    CheckId.CANONICAL_HREFLANG: _Order(_Field.SIGNALS, True, Owner.DEVELOPER),
    CheckId.HREFLANG_BROKEN: _Order(_Field.SIGNALS, True, Owner.DEVELOPER),
    CheckId.CANONICAL_REDIRECTED: _Order(_Field.SIGNALS, False, Owner.DEVELOPER),
    CheckId.CANONICAL_CHAIN: _Order(_Field.SIGNALS, False, Owner.DEVELOPER),
    CheckId.HREFLANG_ONE_WAY: _Order(_Field.SIGNALS, False, Owner.DEVELOPER),
    CheckId.ROBOTS_HTML: _Order(_Field.LISTS, True, Owner.SERVER),
    CheckId.SITEMAP_HTML: _Order(_Field.LISTS, True, Owner.SERVER),
    CheckId.SITEMAP_NOT_INDEXABLE: _Order(_Field.LISTS, False, Owner.DEVELOPER, step=StepKind.SITEMAP),
    CheckId.TITLE_MISSING: _Order(_Field.HEADS, False, Owner.EDITOR, step=StepKind.RETITLE),
    CheckId.TITLE_DUPLICATE: _Order(_Field.HEADS, False, Owner.EDITOR, step=StepKind.RETITLE),
    CheckId.TITLE_LONG: _Order(_Field.HEADS, False, Owner.EDITOR, step=StepKind.RETITLE),
    CheckId.TITLE_SHORT: _Order(_Field.HEADS, False, Owner.EDITOR, step=StepKind.RETITLE),
    CheckId.TITLE_EMPTY_WORDS: _Order(_Field.HEADS, False, Owner.EDITOR, step=StepKind.RETITLE),
    CheckId.DESCRIPTION_MISSING: _Order(_Field.HEADS, False, Owner.EDITOR),
    CheckId.DESCRIPTION_DUPLICATE: _Order(_Field.HEADS, False, Owner.EDITOR),
    CheckId.DESCRIPTION_LONG: _Order(_Field.HEADS, False, Owner.EDITOR),
    CheckId.DESCRIPTION_SHORT: _Order(_Field.HEADS, False, Owner.EDITOR),
    CheckId.DESCRIPTION_STUFFED: _Order(_Field.HEADS, False, Owner.EDITOR),
    CheckId.DESCRIPTION_LANGUAGE: _Order(_Field.HEADS, False, Owner.EDITOR),
    CheckId.SOCIAL_MISSING: _Order(_Field.HEADS, False, Owner.DEVELOPER),
    CheckId.H1_MISSING: _Order(_Field.BODIES, False, Owner.EDITOR),
    CheckId.H1_SEVERAL: _Order(_Field.BODIES, False, Owner.DEVELOPER),
    CheckId.H1_DUPLICATE: _Order(_Field.BODIES, False, Owner.EDITOR),
    CheckId.H1_IMAGE: _Order(_Field.BODIES, False, Owner.DEVELOPER),
    CheckId.H1_HIDDEN: _Order(_Field.BODIES, False, Owner.DEVELOPER),
    CheckId.H2_MISSING: _Order(_Field.BODIES, False, Owner.EDITOR),
    CheckId.H2_DUPLICATE: _Order(_Field.BODIES, False, Owner.EDITOR),
    CheckId.H2_LONG: _Order(_Field.BODIES, False, Owner.EDITOR),
    CheckId.HEADING_SKIPPED: _Order(_Field.BODIES, False, Owner.EDITOR),
    CheckId.HEADING_FLAT: _Order(_Field.BODIES, False, Owner.EDITOR),
    CheckId.HEADING_REPEATED: _Order(_Field.BODIES, False, Owner.DEVELOPER),
    CheckId.IMAGE_ALT_MISSING: _Order(_Field.BODIES, False, Owner.EDITOR),
    CheckId.IMAGE_BROKEN: _Order(_Field.TEXTS, True, Owner.EDITOR),
    CheckId.PAGE_SOFT_404: _Order(_Field.TEXTS, True, Owner.SERVER),
    CheckId.PAGE_EMPTY: _Order(_Field.TEXTS, True, Owner.DEVELOPER),
    CheckId.PAGE_PART_BROKEN: _Order(_Field.TEXTS, True, Owner.DEVELOPER),
    CheckId.PAGE_INSECURE_PARTS: _Order(_Field.TEXTS, True, Owner.DEVELOPER),
    CheckId.TEXT_DOUBLE_ESCAPED: _Order(_Field.TEXTS, True, Owner.DEVELOPER),
    CheckId.TEXT_ENCODING_BROKEN: _Order(_Field.TEXTS, True, Owner.DEVELOPER),
    CheckId.TEXT_CONTRADICTS: _Order(_Field.FACTS, True, Owner.EDITOR),
    CheckId.TEXT_LEFTOVER: _Order(_Field.WORDS, False, Owner.EDITOR),
    CheckId.TEXT_MISSPELT: _Order(_Field.WORDS, False, Owner.EDITOR),
    CheckId.TEXT_VARIANTS_MIXED: _Order(_Field.WORDS, False, Owner.EDITOR),
    CheckId.TEXT_DOUBLED_WORD: _Order(_Field.WORDS, False, Owner.EDITOR),
    CheckId.TEXT_ARTICLE: _Order(_Field.WORDS, False, Owner.EDITOR),
    CheckId.TEXT_COMMA: _Order(_Field.WORDS, False, Owner.EDITOR),
    CheckId.TEXT_BRACKET: _Order(_Field.WORDS, False, Owner.EDITOR),
    CheckId.TEXT_CAPITAL: _Order(_Field.WORDS, False, Owner.EDITOR),
}
"""Checks that become proposals; the others are settled by proposals of their own."""
_BLOCKING = (
    CheckId.SITE_CLOSED, CheckId.REDIRECT_LOOP, CheckId.REDIRECT_BROKEN, CheckId.CANONICAL_BROKEN, CheckId.CANONICAL_NOINDEX,
    CheckId.CANONICAL_OTHER_HOST, CheckId.PAGE_SOFT_404, CheckId.PAGE_EMPTY, CheckId.ROBOTS_HTML, CheckId.SITEMAP_HTML,
    CheckId.LINK_BLOCKED, CheckId.LINK_BROKEN,
)  # fmt: skip
"""Checks by which a page cannot be found, so that it is urgent if the page has clicks or many inlinks."""
_MANY_INLINKS = 10
"""Pages that link to a page which many visitors are sent to."""
_DUPLICATES = (CheckId.TITLE_DUPLICATE, CheckId.DESCRIPTION_DUPLICATE, CheckId.H1_DUPLICATE)
"""Checks that it takes two pages for."""


@dataclass(frozen=True)
class RepairSite:
    """What repairs must know of a site."""

    row_of: Mapping[str, int]
    """Row of each address."""
    clicks: NDArray[np.float64]
    """Clicks a month of each page."""
    inlinks: NDArray[np.int64]
    """Pages that link to each page."""
    end_of: Callable[[str], str]
    """Where an address leads by what the plan makes of it."""
    settings: Plan


def repair_proposals(
    troubles: Sequence[PageCheck], gone: Collection[int], linked: Collection[str], site: RepairSite
) -> list[Proposal]:
    """One proposal for each field of work; what blocks pages, what is broken, and what is untidy apart.

    Parameters
    ----------
    troubles : sequence of PageCheck
        In order.
    gone : collection of int
        Pages that go, or leave the index.
    linked : collection of str
        Pages that get a link, so that they are orphans no more.
    """

    def is_settled(one: PageCheck) -> bool:
        return one.check == CheckId.PAGE_ORPHAN and one.url in linked

    pages, linking = _counts(one for one in troubles if not is_settled(one))
    by_field: dict[tuple[_Field, OtherRule], array[int]] = defaultdict(lambda: array("q"))
    for number, page_check in once_a_template(troubles):
        row = site.row_of.get(page_check.url, -1)
        is_left = is_settled(page_check) or matches(page_check.url, site.settings.leave) or row in gone
        if page_check.check in _ORDERS and not is_left:
            rule = _rule(page_check, linking, site)
            by_field[_ORDERS[page_check.check].field, rule].append(number)
    result = []
    for (field, rule), numbers in sorted(by_field.items()):
        left = _still_wrong(troubles, np.array(numbers, np.int64))
        if len(left):
            touched = sum(_touched(one, linking, site) for one in chosen(troubles, left))
            result.append(_proposal(field, rule, _Faulty(troubles, left), pages, site, touched))
    return result


def _counts(troubles: Iterable[PageCheck]) -> tuple[dict[CheckId, int], Counter[str]]:
    """Pages with each trouble, and how many pages link to each address that answers an error."""
    n_pages: Counter[CheckId] = Counter()
    last: dict[CheckId, str] = {}
    linking: set[tuple[str, str]] = set()
    for one in troubles:
        n_pages[one.check] += last.get(one.check) != one.url  # those of a page follow one another
        last[one.check] = one.url
        if one.check == CheckId.LINK_BROKEN:
            linking.add((one.url, one.detail))
    return n_pages, Counter(target for _, target in linking)


def _rule(page_check: PageCheck, linking: Mapping[str, int], site: RepairSite) -> OtherRule:
    """How urgent it is: what costs money, and a page with clicks or many inlinks that cannot be found, before all else."""
    if page_check.is_urgent:
        return OtherRule.BLOCKING
    if page_check.template and _ORDERS[page_check.check].field == _Field.WORDS:
        return OtherRule.BROKEN  # one edit mends many pages
    if not _ORDERS[page_check.check].is_broken:
        return OtherRule.UNTIDY
    if page_check.check == CheckId.SITE_CLOSED:
        return OtherRule.BLOCKING
    if page_check.check in _BLOCKING and _touched(page_check, linking, site) >= _MANY_INLINKS:
        return OtherRule.BLOCKING
    return OtherRule.BROKEN


def _touched(page_check: PageCheck, linking: Mapping[str, int], site: RepairSite) -> float:
    """Clicks a month and inlinks of the page, or of what a broken link leads to."""
    if page_check.check == CheckId.LINK_BROKEN:
        row = site.row_of.get(page_check.detail, -1)
        clicks = float(site.clicks[row]) if row >= 0 else 0.0
        return clicks + linking.get(page_check.detail, 0)
    row = site.row_of.get(page_check.url, -1)
    return float(site.clicks[row] + site.inlinks[row]) if row >= 0 else 0.0


def _still_wrong(troubles: Sequence[PageCheck], numbers: NDArray[np.int64]) -> NDArray[np.int64]:
    """Some troubles without duplicates whose like is moved by the plan."""
    alike: dict[tuple[CheckId, str], list[int]] = defaultdict(list)
    is_alone: set[int] = set()
    for number, one in zip(numbers.tolist(), chosen(troubles, numbers), strict=True):
        if one.check in _DUPLICATES:
            alike[one.check, folded_line(one.value)].append(number)
            is_alone |= {number} if not one.template else set()
    alone = [same[0] for same in alike.values() if len(same) == 1 and same[0] in is_alone]
    return numbers[~np.isin(numbers, alone)]


@dataclass(frozen=True)
class _Faulty:
    """Some troubles of one field of work."""

    troubles: Sequence[PageCheck]
    """All of the site, in order."""
    numbers: NDArray[np.int64]
    """Those that are meant."""

    def __iter__(self) -> Iterator[PageCheck]:
        return chosen(self.troubles, self.numbers)

    def by_check(self) -> dict[CheckId, _Faulty]:
        """The same for each check, in the order in which they are told."""
        numbers: dict[CheckId, array[int]] = {check: array("q") for check in _ORDERS}
        for number, one in zip(self.numbers.tolist(), self, strict=True):
            numbers[one.check].append(number)
        return {check: _Faulty(self.troubles, np.array(its, np.int64)) for check, its in numbers.items() if its}


def _repairs(faulty: _Faulty, end_of: Callable[[str], str]) -> Sequence[Step]:
    """The steps that mend what is faulty, in its order.

    Those of all repairs are most of what a large plan takes: where there are many troubles, steps are made when they are
    asked for.
    """

    def step(one: PageCheck) -> Step:
        order = _ORDERS[one.check]
        return Step(
            one.url,
            order.step,
            end_of(one.target),
            _Fault(one),
            pattern_value=one.value if one.check in WORD_CHECKS else one.link,
            whose=Owner.DEVELOPER if one.template and order.owner == Owner.EDITOR else order.owner,
            check=one.check,
        )

    if not isinstance(faulty.troubles, StoredRows):
        return tuple(map(step, faulty))
    numbers = faulty.numbers
    return OnDemand(len(numbers), lambda at: step(faulty.troubles[int(numbers[at])]), lambda: map(step, faulty))


def _proposal(
    field: _Field,
    rule: OtherRule,
    faulty: _Faulty,
    pages: Mapping[CheckId, int],
    site: RepairSite,
    touched: float,
) -> Proposal:
    """The proposal for one field; `pages` has the number of pages with each trouble, of those of a template every one."""
    there = faulty.by_check()
    steps = _repairs(_Faulty(faulty.troubles, np.concatenate([same.numbers for same in there.values()])), site.end_of)
    urls = tuple(dict.fromkeys(one.url for one in faulty))
    is_of_pages = field not in (_Field.WORDS, _Field.FACTS)  # of these each word counts, however many pages have it
    numbers = {
        check: pages[check] if is_of_pages and any(one.template for one in same) else len(same.numbers)
        for check, same in there.items()
    }
    faults = [sentence(f"repair.fault.{check}", n=n) for check, n in numbers.items()]
    named, n_more = faults[:_NAMED_FAULTS], len(faults) - _NAMED_FAULTS
    examples = [
        sentence(
            "repair.examples",
            trouble=_capital(str(sentence(f"check.{check}.trouble"))),
            pages=listing(
                [page_name(one.url) for one in islice(same, _EXAMPLES)],
                most=_EXAMPLES,
                n_beside=max(len(same.numbers) - _EXAMPLES, 0),
            ),
        )
        for check, same in there.items()
    ]
    n_templates = sum(bool(one.template) for one in faulty)
    return Proposal(
        id=group_id("repair", [field, rule, *urls]), action=Action.REPAIR,
        rule=rule,
keeper="", urls=urls,
        gain=NO_GAIN, effort_hours=effort_hours(steps, site.settings.effort),
        confidence=Confidence.HIGH, evidence=Evidence.TEXT,
        summary=_facts_to_settle([*faulty]) if field == _Field.FACTS
        else sentence("repair.summary", faults=listing(named))
        if n_more <= 0
        else sentence(
            "repair.summary-more", faults=", ".join(map(str, named)), more=sentence("repair.more-kinds", n=n_more),
            field=sentence(f"repair.field.{field.name.lower()}"),
        ),
        why=reasoned(
            *examples, closing=[sentence("repair.template" if is_of_pages else "repair.once") if n_templates else None]
        ),
        unless=sentence("repair.unless"), steps=steps,
        basis={
            "checks": numbers, "templates": n_templates,
            "touched": round(touched, 6),
        },
        touched=touched,
    )  # fmt: skip


def _facts_to_settle(checks: Sequence[PageCheck]) -> Sentence:
    values = [sentence("repair.fact", value=one.value, page=page_name(one.url), stated=one.stated) for one in checks]
    return sentence("repair.summary-facts", n=len(checks), values=listing(values, most=_EXAMPLES))


def _capital(text: str) -> str:
    return text[0].upper() + text[1:]


@dataclass(frozen=True, slots=True)
class _Fault(Shown):
    """What is wrong, written out when it is shown."""

    check: PageCheck

    def __str__(self) -> str:
        page_check = self.check
        trouble = sentence(f"check.{page_check.check}.trouble")
        parts = [sentence("repair.part", text=part) for part in (page_check.value, page_check.detail) if part]
        detail = sentence("repair.detail", trouble=trouble, parts="".join(map(str, parts)))
        if not page_check.template:
            return str(detail)
        by_words = _ORDERS[page_check.check].field == _Field.WORDS
        shared = sentence("repair.step-once" if by_words else "repair.step-template", pages=page_check.template)
        return str(clauses(detail, shared))
