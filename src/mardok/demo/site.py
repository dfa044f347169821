"""All responses of the made-up site.

In:  the authored articles and the table of troubles.
Out: for each address its status, headers and body, in the order a crawler would meet them.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from mardok.demo import troubles
from mardok.demo.content import Article, all_articles
from mardok.demo.template import body_html, list_html, page_html

_POSTS_A_PAGE = 12


@dataclass(frozen=True)
class Response:
    """What a server answers."""

    url: str
    status: int
    body: str
    content_type: str = "text/html; charset=utf-8"
    location: str = ""


def responses() -> list[Response]:
    """Every response of the crawl."""
    articles = all_articles()
    html = _pages(articles)
    result = [
        Response(f"{troubles.HOST}/robots.txt", 200, _robots(), "text/plain"),
        Response(f"{troubles.HOST}/sitemap.xml", 200, _sitemap(html), "application/xml"),
    ]
    result += [Response(troubles.url(path), 200, body) for path, body in html.items()]
    result += [Response(url, 200, _variant_body(url, html[path])) for url, path in troubles.VARIANTS.items()]
    result += [
        Response(troubles.url(path), 301, "", location=troubles.url(target)) for path, target in troubles.REDIRECTS.items()
    ]
    missing = Article("", "Nothing is here. The bench is empty.", {"title": "Page not found"})
    result += [
        Response(troubles.url(path), 404, page_html(missing, main=body_html(missing), related=[], alternates={}))
        for path in troubles.NOT_FOUND
    ]
    return [*result, Response(troubles.url("/price-list.pdf"), 200, "%PDF-1.4", "application/pdf")]


def _robots() -> str:
    closed = "".join(f"Disallow: {path}\n" for path in troubles.ROBOTS_BLOCKED)
    return f"User-agent: *\n{closed}Sitemap: {troubles.HOST}/sitemap.xml\n"


def _sitemap(paths: Iterable[str]) -> str:
    left_out = {*troubles.ROBOTS_BLOCKED, *troubles.NOINDEX, *troubles.CANONICAL_ELSEWHERE} - {*troubles.NOT_FIT_FOR_SITEMAP}
    listed = "".join(f"<url><loc>{troubles.url(path)}</loc></url>\n" for path in paths if path not in left_out)
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">
{listed}</urlset>
"""


def _variant_body(url: str, body: str) -> str:
    # The print view greets the printer; the other variants are the page itself.
    return body.replace("</h1>", "</h1>\n<p>Print view</p>", 1) if "print=1" in url else body


def _pages(articles: Sequence[Article]) -> dict[str, str]:
    posts = sorted(
        (article for article in articles if article.path.startswith("/blog/")),
        key=lambda post: (post.fields["date"], post.path),
        reverse=True,
    )
    listings = _listings(articles, posts)
    alternates = _alternates(articles)
    listed = {listing.path: entries for listing, entries in listings}
    html = {}
    for article in [*articles, *(listing for listing, _ in listings)]:
        entries = listed.get(article.path) or _entries(_under(articles, article.fields.get("listing", "")))
        main = "\n".join(filter(None, [body_html(article), list_html(entries)]))
        html[article.path] = page_html(
            article, main=main, related=_related(article, posts), alternates=alternates.get(article.path, {})
        )
    return html


def _related(article: Article, posts: Sequence[Article]) -> list[tuple[str, str]]:
    others = [post for post in posts if post.path != article.path and set(post.tags) & set(article.tags)]
    return [(post.path, post.title) for post in others[:3]]


def _under(articles: Sequence[Article], prefix: str) -> list[Article]:
    return [article for article in articles if prefix and article.path.startswith(prefix) and article.path != prefix]


def _entries(articles: Sequence[Article]) -> list[tuple[str, str, str]]:
    return [
        (article.path, article.title, article.body.replace("#", "").split("\n\n")[0].split(". ")[0].rstrip(".") + ".")
        for article in articles
    ]


def _listings(articles: Sequence[Article], posts: Sequence[Article]) -> list[tuple[Article, list[tuple[str, str, str]]]]:
    """Pages that list others, each with its entries."""

    def listing(path: str, title: str, description: str, body: str = "", queries: str = "") -> Article:
        return Article(path, body, {"title": title, "description": description, "queries": queries})

    result = [
        (listing("/instruments/", "Instruments for hire", "Violins, violas, cellos, basses and what goes with them.",
                 "Everything on this page can be hired by the month and tried in the workshop first.",
                 "string instruments for hire|70|5.9"), _entries(_under(articles, "/instruments/"))),
        (listing("/violin-hire/", "Violin hire in your town", "The towns our van goes to.",
                 "Our van goes round the county twice a week. Choose your town to see how it works.",
                 "violin hire near me|260|7.8"), [(a.path, a.title, "") for a in _under(articles, "/violin-hire/")]),
        (listing("/hire/sizes/", "Violin hire by size", "From one sixteenth to full size.",
                 "Measure the arm from the neck to the middle of the palm, then choose.",
                 "violin sizes|280|8.4; violin hire sizes|40|4.7"),
         [(a.path, a.title, "") for a in _under(articles, "/hire/sizes/")]),
    ]  # fmt: skip
    for number in range((len(posts) + _POSTS_A_PAGE - 1) // _POSTS_A_PAGE):
        path = f"/blog/page/{number + 1}/" if number else "/blog/"
        some = posts[number * _POSTS_A_PAGE : (number + 1) * _POSTS_A_PAGE]
        title = "From the workshop" + (f", page {number + 1}" if number else "")
        older = [(f"/blog/page/{number + 2}/", "Older posts", "")] if len(posts) > (number + 1) * _POSTS_A_PAGE else []
        result.append((listing(path, title, "Advice and stories from the bench."), [*_entries(some), *older]))
    for tag in sorted({tag for post in posts for tag in post.tags}):
        tagged = [post for post in posts if tag in post.tags]
        result.append((listing(f"/blog/tag/{tag}/", f"Posts about {tag}", f"All posts about {tag}."), _entries(tagged)))
    return result


def _alternates(articles: Sequence[Article]) -> dict[str, Mapping[str, str]]:
    """hreflang of each page that has a version in the other language."""
    result: dict[str, Mapping[str, str]] = {}
    for article in articles:
        if "alternate" in article.fields:
            pair = {"en": article.fields["alternate"], "de": article.path}
            result[article.path] = pair
            if article.path not in troubles.HREFLANG_ONE_WAY:
                result[article.fields["alternate"]] = pair
    return result


def with_listing_queries(articles: Sequence[Article]) -> list[Article]:
    """The articles and the listings, for the search data."""
    posts = [article for article in articles if article.path.startswith("/blog/")]
    return [*articles, *(listing for listing, _ in _listings(articles, posts))]
