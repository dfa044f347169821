"""Whether a search engine may list a page, and if not, why.

In:  the facts of a page, and the robots.txt files the crawl holds (RFC 9309).
Out: the first reason against it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from protego import Protego

from mardok.extract.directives import is_told
from mardok.extract.page import Page
from mardok.sentences import Sentence, sentence
from mardok.urls import bare_host, split_url
from mardok.vocabulary import NoindexReason

_ERROR = 400
"""Least HTTP status of an error."""


class NotIndexable(NamedTuple):
    """Why a page is not indexable."""

    reason: NoindexReason
    value: str = ""
    """The status of an answer, or what made a page unreadable."""

    @property
    def text(self) -> Sentence:
        """The reason as it is said."""
        return sentence(f"not-indexable.{self.reason}", value=self.value)


def blocked_by(robots: Mapping[str, str], agents: Sequence[str]) -> Callable[[str], bool]:
    """A test whether robots.txt, given by origin, keeps one of the robots, or any robot, from an address."""
    rules = {origin: Protego.parse(text) for origin, text in robots.items()}

    def is_blocked(url: str) -> bool:
        parts = split_url(url)
        rule = rules.get(f"{parts.scheme}://{parts.netloc}")
        return rule is not None and not all(rule.can_fetch(url, agent) for agent in [*agents, "*"])

    return is_blocked


def noindex_reason(page: Page, is_blocked: Callable[[str], bool], agents: Sequence[str]) -> NotIndexable | None:
    """Why the page is not indexable; None if it is.

    Parameters
    ----------
    is_blocked : callable
        Whether robots.txt closes an address.
    agents : sequence of str
        Robots whose directives count, beside those for all.
    """
    if page.trouble:
        return NotIndexable(NoindexReason.UNREADABLE, page.trouble)
    if page.redirect_url:
        return NotIndexable(NoindexReason.REDIRECT)
    if page.status not in (None, 200):
        return NotIndexable(NoindexReason.STATUS, str(page.status))
    if not page.is_html:
        return NotIndexable(NoindexReason.NOT_HTML)
    if is_told(page.robots, "noindex", agents):
        return NotIndexable(NoindexReason.NOINDEX)
    if page.canonical_url not in ("", page.url):
        is_other = bare_host(page.canonical_url) != bare_host(page.url)
        return NotIndexable(NoindexReason.CANONICAL_ON_OTHER_HOST if is_other else NoindexReason.CANONICAL_ELSEWHERE)
    return NotIndexable(NoindexReason.ROBOTS) if is_blocked(page.url) else None


def noindex_reasons(
    pages: Sequence[Page], is_blocked: Callable[[str], bool], agents: Sequence[str]
) -> list[NotIndexable | None]:
    """Why each page of a site is not indexable; of a canonical elsewhere also whether that is an error page.

    Parameters
    ----------
    pages : sequence of Page
        All pages of the site.
    is_blocked : callable
        Whether robots.txt closes an address.
    agents : sequence of str
        Robots whose directives count, beside those for all.
    """
    status = {page.url: page.status or 0 for page in pages}
    result = []
    for page in pages:
        reason = noindex_reason(page, is_blocked, agents)
        if reason is not None and reason.reason == NoindexReason.CANONICAL_ELSEWHERE:
            there = status.get(page.canonical_url, 0)
            if there >= _ERROR:
                reason = NotIndexable(NoindexReason.CANONICAL_TO_ERROR, str(there))
        result.append(reason)
    return result
