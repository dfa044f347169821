"""One trouble of a page, and how those of a template are known.

In:  troubles of single pages.
Out: the same, each with what makes it one of a template: one edit mends it on all the pages that share it.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from mardok.sentences import sentence
from mardok.settings import Checks
from mardok.vocabulary import CheckId, PageKind


class Check(NamedTuple):
    """One trouble of a page."""

    row: int
    """Row of the page."""
    check: CheckId
    value: str
    """The figure or text that is wrong."""
    detail: str = ""
    """The other page, or what to look at."""
    target: str = ""
    """Where the address or link is to lead, where that is known."""
    n_pages: int = 1
    """Pages that share the trouble."""
    pattern: str = ""
    """What makes it the same trouble on other pages, such as the words of a link."""
    template: str = ""
    """What the pages have in common whose template has the trouble; ``""`` if it is of the page alone."""
    link: str = ""
    """Where the link leads that has the trouble."""


class PageCheck(NamedTuple):
    """One row of the table of checks, and what a repair must know beside it."""

    url: str
    check: CheckId
    value: str
    detail: str
    target: str = ""
    """Where the address or link is to lead, where that is known."""
    n_pages: int = 1
    """Pages that share the trouble."""
    template: str = ""
    """What these have in common, where it is a trouble of their template."""
    link: str = ""
    """Where the link leads that has the trouble."""
    stated: str = ""
    """What other pages say in its place, where it is a figure."""
    is_urgent: bool = False
    """Whether it costs money or visitors today."""


def with_templates(
    troubles: Iterable[Check], kinds: Sequence[PageKind], counts: Sequence[int], settings: Checks
) -> list[Check]:
    """Troubles, each told whether so many pages of a kind share it that it must sit in their template.

    Parameters
    ----------
    kinds : sequence of PageKind
        Kind of each page.
    counts : sequence of int
        Rows of the pages that are asked.
    """
    n_pages = Counter(kinds[row] for row in counts)
    alike: dict[tuple[CheckId, str, PageKind], list[Check]] = defaultdict(list)
    for trouble in troubles:
        alike[trouble.check, trouble.pattern, kinds[trouble.row]].append(trouble)
    result = []
    for (_, pattern, kind), same in alike.items():
        n = len({trouble.row for trouble in same})
        if n >= settings.template_pages and n >= settings.template_share * n_pages[kind]:
            shared = str(
                sentence(
                    "template.kind-with" if pattern else "template.kind",
                    pages=n, all=n_pages[kind], kind=str(kind), pattern=pattern,
                )
            )  # fmt: skip
            result += [one if one.template else one._replace(n_pages=n, template=shared) for one in same]
        else:
            result += same
    return result


def once_a_template(troubles: Iterable[PageCheck]) -> list[PageCheck]:
    """Of troubles of a template the first, which stands for the others; all others as they are."""
    checks: dict[tuple[CheckId, str], PageCheck] = {}
    alone = []
    for page_check in sorted(troubles):
        if page_check.template:
            checks.setdefault((page_check.check, page_check.template), page_check)
        else:
            alone.append(page_check)
    return sorted([*alone, *checks.values()])


def and_more(first: str, more: int) -> str:
    """The first of some addresses, and how many more there are."""
    return str(sentence("check-detail.and-more", first=first, n=more)) if more > 0 else first
