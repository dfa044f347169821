"""Whether a search engine may list a page, and if not, why.

In:  the facts of a page, and the robots.txt files the crawl holds (RFC 9309).
Out: the first reason against it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from protego import Protego

from mardok.extract.directives import is_told
from mardok.extract.page import Page
from mardok.urls import bare_host, split_url

OTHER_HOST = "canonical on another host"
_ELSEWHERE = "canonical elsewhere"


def blocked_by(robots: Mapping[str, str], agents: Sequence[str]) -> Callable[[str], bool]:
    """A test whether robots.txt, given by origin, keeps one of the robots, or any robot, from an address."""
    rules = {origin: Protego.parse(text) for origin, text in robots.items()}

    def is_blocked(url: str) -> bool:
        parts = split_url(url)
        rule = rules.get(f"{parts.scheme}://{parts.netloc}")
        return rule is not None and not all(rule.can_fetch(url, agent) for agent in [*agents, "*"])

    return is_blocked


def reason_not_indexable(page: Page, is_blocked: Callable[[str], bool], agents: Sequence[str]) -> str:
    """Why the page is not indexable; ``""`` if it is."""
    if page.trouble:
        return f"unreadable: {page.trouble}"
    if page.redirect_url:
        return "redirect"
    if page.status not in (None, 200):
        return f"status {page.status}"
    if not page.is_html:
        return "not HTML"
    if is_told(page.robots, "noindex", agents):
        return "noindex"
    if page.canonical_url not in ("", page.url):
        return OTHER_HOST if bare_host(page.canonical_url) != bare_host(page.url) else _ELSEWHERE
    return "robots.txt" if is_blocked(page.url) else ""


def reasons_not_indexable(pages: Sequence[Page], is_blocked: Callable[[str], bool], agents: Sequence[str]) -> list[str]:
    """Why each page of a site is not indexable; of a canonical elsewhere also whether that is an error page."""
    status = {page.url: page.status or 0 for page in pages}
    reasons = [reason_not_indexable(page, is_blocked, agents) for page in pages]
    return [
        f"{reason}, an error page ({status[page.canonical_url]})"
        if reason == _ELSEWHERE and status.get(page.canonical_url, 0) >= 400
        else reason
        for page, reason in zip(pages, reasons, strict=True)
    ]
