"""The made-up site after its audit, with the truth about what was done: well, badly, not, and undone again.

In:  the site as it was.
Out: two later states of it, one soon after the change and one in spring; which proposals a person had accepted; for each
     step of these what became of it; and what the change brought. This table is written by hand, as that of the troubles.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

import pandas as pd

from mardok.audits import Audit
from mardok.demo import troubles
from mardok.demo.content import Article, articles
from mardok.demo.site import Response, responses
from mardok.demo.template import body_html, page_html
from mardok.demo.troubles import BARE, HOST, INSECURE, url
from mardok.store import MemoryStore
from mardok.vocabulary import Action, CheckId, Decision, Outcome

DEPLOYED, CRAWLED_LATER = datetime.date(2026, 11, 20), datetime.date(2027, 3, 1)
"""Days of the two later crawls."""
CHANGED = datetime.date(2026, 11, 16)
"""Day of the change."""

REJECTED = ("/blog/violin-sizes-explained/", "rewrite")
PUT_OFF = ("/instruments/", "expand")
"""Address and action of the proposals that a person did not accept; all others were."""

REDIRECTED: dict[str, tuple[int, str]] = {
    url("/bow-rehairing-service/"): (301, url("/repairs/bow-rehair/")),
    url("/blog/violin-practice-for-beginners/"): (302, url("/blog/violin-practice-for-beginners-updated/")),
    url("/blog/tuning-your-violin-for-the-first-time/"): (301, url("/blog/how-to-tune-a-violin/")),
    f"{BARE}/": (301, url("/")),
    f"{BARE}/contact/": (301, url("/contact/")),
    f"{BARE}/repairs/bow-rehair/": (301, url("/repairs/bow-rehair/")),
    f"{INSECURE}/": (301, url("/")),
    f"{INSECURE}/blog/how-to-tune-a-violin/": (308, url("/blog/how-to-tune-a-violin/")),
    f"{INSECURE}/hire/prices/": (301, url("/")),
    f"{INSECURE}/repairs/": (301, url("/repairs/index.html")),
    url("/index.html"): (301, url("/")),
    url("/repairs/index.html"): (301, url("/repairs/")),
    url("/hire"): (301, url("/hire/")),
    url("/about-us/"): (301, url("/team/")),
    url("/blog/winter-care-for-your-violin/"): (301, url("/news/winter-care/")),
    url("/old-prices.html"): (301, url("/hire/prices/")),
    url("/strings-sale/"): (301, url("/hire/prices/")),
    url("/summer-camp/"): (301, url("/blog/the-lost-post/")),
}
"""Addresses that redirect now, with status and target."""
DROPPED = (f"{BARE}/", f"{BARE}/contact/", f"{BARE}/repairs/bow-rehair/")
"""Addresses whose redirects were dropped again between the two later states."""
GONE = {"/hire/terms/": 410, "/blog/tag/cello/": 410, "/blog/tag/tuning/": 404}
"""Pages that answer an error now."""
NOINDEX = ("/blog/tag/repairs/", "/blog/tag/travel/", "/de/lieferung/", "/blog/how-to-apply-rosin/")
CANONICAL = {
    url("/instruments/?sort=price"): url("/instruments/"),
    url("/?utm_source=newsletter&utm_medium=email"): url("/"),
    url("/hire/prices/?utm_source=flyer"): "/hire/prices/",
    url("/instruments/?view=list"): url("/hire/"),
    url("/blog/how-to-apply-rosin/?print=1"): url("/blog/how-to-apply-rosin/"),
}
"""Addresses that name a canonical now, as it is written there."""

_TITLES = {
    "/hire/sizes/": "Hire by the length of the arm",
    "/team/": "Us",
    "/de/": "Geigen mieten",
    "/instruments/metronome/": "A metronome for the music stand",
}
"""New titles without the site's part."""
_EDITS: tuple[tuple[str, str, str], ...] = (
    ("/blog/rosin-allergy/", "</article>", '<p>Get your <a href="/repairs/bow-rehair/">bow rehaired</a>.</p>\n</article>'),
    ("/careers/", "<article>\n", "<article>\n<h1>Work with us</h1>\n"),
    ("/team/", '<img src="http://static.wyndale-violin-hire.example/team.jpg">',
     '<img src="http://static.wyndale-violin-hire.example/team.jpg" alt="Three people at a bench">'),
    ("/hire/schools/", "&amp;amp;", "&amp;"),
    ("/repairs/varnish/", "/blog/the-lost-post/", "/blog/how-to-apply-rosin/"),
    ("/hire/sizes/", "</article>", '<p><a href="/blog/violin-sizes-explained/">Violin sizes</a></p>\n</article>'),
)  # fmt: skip
"""Edits of single pages: path, what stood there, what stands there now."""

NEW_PAGES: tuple[Article, ...] = (
    Article(
        "/repairs/bow-hair-replaced/",
        "",
        {"title": "Bow hair replaced", "description": "New hair for your bow in two days."},
    ),
    Article("/blog/open-day-in-may/", "The bench is open on the second of May. Come and see.", {"title": "Open day"}),
)
"""Pages that are new: a copy of one that was there, and one that is thin and lacks a description."""
COPIED_FROM = "/repairs/bow-rehair/"

OUTCOMES: Mapping[tuple[str, str], Outcome] = {
    ("/bow-rehairing-service/", "redirect"): Outcome.DONE,
    ("/blog/rosin-allergy/", "relink"): Outcome.DONE,
    ("/blog/violin-practice-for-beginners/", "redirect"): Outcome.OTHERWISE,  # by 302
    ("/blog/tuning-your-violin-for-the-first-time/", "redirect"): Outcome.DONE,  # and its text is lost
    (f"{BARE}/", "redirect"): Outcome.UNDONE,
    (f"{BARE}/contact/", "redirect"): Outcome.UNDONE,
    (f"{BARE}/repairs/bow-rehair/", "redirect"): Outcome.UNDONE,
    (f"{INSECURE}/", "redirect"): Outcome.DONE,
    (f"{INSECURE}/blog/how-to-tune-a-violin/", "redirect"): Outcome.DONE,
    (f"{INSECURE}/hire/prices/", "redirect"): Outcome.OTHERWISE,  # to the home page
    (f"{INSECURE}/repairs/", "redirect"): Outcome.OTHERWISE,  # a chain
    ("/index.html", "redirect"): Outcome.DONE,
    ("/repairs/index.html", "redirect"): Outcome.DONE,
    ("/hire", "redirect"): Outcome.DONE,
    ("/about-us/", "redirect"): Outcome.OTHERWISE,  # to another page
    ("/blog/winter-care-for-your-violin/", "leave"): Outcome.OTHERWISE,  # the wrong one of two was kept
    ("/hire/terms/", "redirect"): Outcome.OTHERWISE,  # answers 410
    ("/blog/tag/cello/", "retire"): Outcome.DONE,
    ("/blog/tag/repairs/", "noindex"): Outcome.DONE,
    ("/blog/tag/travel/", "noindex"): Outcome.DONE,
    ("/blog/tag/tuning/", "noindex"): Outcome.OTHERWISE,  # answers 404
    ("/instruments/?sort=price", "canonical"): Outcome.DONE,
    ("/?utm_source=newsletter&utm_medium=email", "canonical"): Outcome.DONE,
    ("/hire/prices/?utm_source=flyer", "canonical"): Outcome.OTHERWISE,  # written without scheme and host
    ("/instruments/?view=list", "canonical"): Outcome.OTHERWISE,  # to another page
    ("/blog/how-to-apply-rosin/?print=1", "canonical"): Outcome.OTHERWISE,  # to a page that is noindex
    ("/blog/how-to-apply-rosin/", "leave"): Outcome.OTHERWISE,  # the page that stays is noindex
    ("/hire/sizes/1-4/", "rewrite"): Outcome.DONE,
    ("/violin-hire/brackenwell/", "rewrite"): Outcome.DONE,
    ("/de/reparatur/", "expand"): Outcome.DONE,
    ("/de/fragen/", "translate"): Outcome.DONE,
    ("/de/lieferung/", "translate"): Outcome.OTHERWISE,  # noindex instead
    ("/de/lieferung/", "leave"): Outcome.OTHERWISE,
    ("/hire/sizes/", "retitle"): Outcome.DONE,
    ("/hire/sizes/", "relink"): Outcome.DONE,
    ("/repairs/adjusting-the-soundpost/", "investigate"): Outcome.NOT_TESTABLE,
}
"""What became of each step that was accepted, in spring, by path (of other origins by address) and kind."""

REPAIRED: Mapping[tuple[str, str], Outcome] = {
    ("/old-prices.html", CheckId.REDIRECT_CHAIN): Outcome.DONE,
    ("/spring-offer/", CheckId.REDIRECT_LOOP): Outcome.DONE,
    ("/strings-sale/", CheckId.REDIRECT_LOOP): Outcome.DONE,
    ("/summer-camp/", CheckId.REDIRECT_BROKEN): Outcome.OTHERWISE,  # leads to another error
    ("/repairs/varnish/", CheckId.LINK_BROKEN): Outcome.DONE,
    ("/instruments/metronome/", CheckId.TITLE_MISSING): Outcome.DONE,
    ("/de/", CheckId.TITLE_LONG): Outcome.DONE,
    ("/team/", CheckId.TITLE_SHORT): Outcome.OTHERWISE,  # another title, and no longer
    ("/team/", CheckId.IMAGE_ALT_MISSING): Outcome.DONE,
    ("/careers/", CheckId.H1_MISSING): Outcome.DONE,
    ("/hire/schools/", CheckId.TEXT_DOUBLE_ESCAPED): Outcome.DONE,
    ("/thank-you/", CheckId.SITEMAP_NOT_INDEXABLE): Outcome.DONE,
    ("/de/lieferung/", CheckId.PAGE_ORPHAN): Outcome.NOT_TESTABLE,  # noindex by now
}
"""The same of repairs, by path and check."""
WITHOUT_NAME = "/blog/"
"""Beginning of the paths whose titles no longer end in the site's name: half of the template."""
MOOT = (
    "/blog/tag/cello/", "/blog/tag/tuning/", "/blog/tuning-your-violin-for-the-first-time/",
    "/blog/winter-care-for-your-violin/",
)  # fmt: skip
"""Pages that are gone, so that nothing can be said of their titles and links."""

GAINS: dict[str, float] = {
    "/": 1.4,
    "/repairs/bow-rehair/": 1.6,
    "/blog/how-to-tune-a-violin/": 3.0,
    "/blog/violin-practice-for-beginners-updated/": 1.5,
    "/de/reparatur/": 3.0,
    "/hire/sizes/1-4/": 1.6,
    "/violin-hire/brackenwell/": 1.5,
}
"""Places that pages win by the change."""
MERGED = {
    "/bow-rehairing-service/": "/repairs/bow-rehair/",
    "/blog/violin-practice-for-beginners/": "/blog/violin-practice-for-beginners-updated/",
    "/blog/tuning-your-violin-for-the-first-time/": "/blog/how-to-tune-a-violin/",
}
"""Pages that search no longer shows, with the page in their place."""


def later_responses(*, is_spring: bool) -> list[Response]:
    """Every response of a later crawl.

    Parameters
    ----------
    is_spring : bool
        Whether it is the second of the two: new pages have come, and some redirects were dropped again.
    """
    redirected = {address: told for address, told in REDIRECTED.items() if not (is_spring and address in DROPPED)}
    result = []
    new = list(_new_pages()) if is_spring else []
    for response in responses():
        if response.url in redirected:
            status, target = redirected[response.url]
            result.append(Response(response.url, status, "", location=target))
        elif response.url.removeprefix(HOST) in GONE:
            result.append(replace(response, status=GONE[response.url.removeprefix(HOST)], body="<p>Nothing is here.</p>"))
        elif response.url.endswith("/sitemap.xml"):
            listed = "".join(f"<url><loc>{page.url}</loc></url>\n" for page in new)
            body = response.body.replace(f"<url><loc>{url('/thank-you/')}</loc></url>\n", "")
            result.append(replace(response, body=body.replace("</urlset>", f"{listed}</urlset>")))
        elif response.status == 200 and response.content_type.startswith("text/html"):
            result.append(replace(response, body=_edited(response, new)))
        else:
            result.append(response)
    return [*result, *new]


def _new_pages() -> Iterator[Response]:
    copied = next(response.body for response in responses() if response.url == url(COPIED_FROM))
    copy, thin = NEW_PAGES
    body = re.sub(r"<title>.*?</title>", f"<title>{copy.title} | {troubles.SITE_NAME}</title>", copied, count=1)
    description = f'<meta name="description" content="{copy.fields["description"]}">'
    yield Response(url(copy.path), 200, re.sub(r'<meta name="description"[^>]*>', description, body, count=1))
    yield Response(url(thin.path), 200, page_html(thin, main=body_html(thin), related=[], alternates={}))


def _edited(response: Response, new: Sequence[Response]) -> str:
    path, body = response.url.removeprefix(HOST), response.body
    for article in articles("later.txt"):
        if article.path == path:
            own = body_html(article)
            body = re.sub(r"(<article>\n<h1>.*?</h1>\n).*?(</article>)", rf"\1{own}\n\2", body, count=1, flags=re.DOTALL)
    if path in _TITLES:
        title = f"<title>{_TITLES[path]} | {troubles.SITE_NAME}</title>"
        body = re.sub(r"<title>.*?</title>", "", body, count=1).replace("<head>\n", f"<head>\n{title}\n", 1)
    if path.startswith(WITHOUT_NAME):
        body = body.replace(f" | {troubles.SITE_NAME}</title>", "</title>", 1)
    for edited, old, text in _EDITS:
        if edited == path:
            body = body.replace(old, text, 1)
    if path in NOINDEX:
        body = body.replace("<head>\n", '<head>\n<meta name="robots" content="noindex">\n', 1)
    if response.url in CANONICAL:
        body = body.replace("<head>\n", f'<head>\n<link rel="canonical" href="{CANONICAL[response.url]}">\n', 1)
    if path == "/blog/":
        links = "".join(f'<p><a href="{page.url.removeprefix(HOST)}">{page.url.split("/")[-2]}</a></p>\n' for page in new)
        body = body.replace("</article>", f"{links}</article>", 1)
    return body


def decided(audit: Audit) -> Audit:
    """The first audit with what a person decided about its plan."""
    about = audit.steps.groupby("proposal")["url"].agg(set)
    plan = audit.plan.copy()
    decisions = []
    for proposal, action in plan[["proposal", "action"]].itertuples(index=False, name=None):
        decision = Decision.ACCEPT
        for (path, kind), other in ((REJECTED, Decision.REJECT), (PUT_OFF, Decision.LATER)):
            if action == kind and url(path) in about[proposal]:
                decision = other
        decisions.append(Decision.NONE if action == Action.LEAVE else decision)
    plan["decision"] = pd.Series(decisions, dtype=plan["decision"].dtype)
    return replace(audit, tables=MemoryStore({**audit.tables, "plan": plan}))
