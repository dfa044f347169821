"""What a page tells crawlers, in headers and in elements, as RFCs and the search engines' own words define it."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mardok.extract.directives import (
    canonical_addresses,
    is_told,
    language_alternates,
    redirect_target,
    robots_directives,
)
from mardok.sources.raw import RawPage

URL = "https://host.example/a/b"
Headers = tuple[tuple[str, str], ...]


def answer(*headers: tuple[str, str], status: int | None = 200) -> RawPage:
    return RawPage(URL, "test", status, headers, b"")


# (headers, meta elements, directives)
ROBOTS: list[tuple[Headers, list[dict[str, str]], tuple[tuple[str, str], ...]]] = [
    ((), [], ()),
    ((("x-robots-tag", "noindex"),), [], (("", "noindex"),)),
    ((("x-robots-tag", "NoIndex, NoFollow"),), [], (("", "noindex"), ("", "nofollow"))),
    ((("x-robots-tag", "somebot: noindex, nofollow"),), [], (("somebot", "noindex"), ("somebot", "nofollow"))),
    (
        (("x-robots-tag", "somebot: noindex, otherbot: noarchive"),),
        [],
        (("somebot", "noindex"), ("otherbot", "noarchive")),
    ),
    ((("x-robots-tag", "max-snippet: 20, noindex"),), [], (("", "max-snippet: 20"), ("", "noindex"))),
    (
        (("x-robots-tag", "unavailable_after: 25 Jun 2030 15:00:00 GMT"),),
        [],
        (("", "unavailable_after: 25 jun 2030 15:00:00 gmt"),),
    ),
    ((("x-robots-tag", "noindex"), ("x-robots-tag", "noarchive")), [], (("", "noindex"), ("", "noarchive"))),
    ((), [{"name": "Robots", "content": "NOINDEX,follow"}], (("", "noindex"), ("", "follow"))),
    ((), [{"name": "somebot-news", "content": "noindex"}], (("somebot-news", "noindex"),)),
    ((), [{"name": "description", "content": "noindex"}], ()),
    ((), [{"name": "robots"}, {"content": "noindex"}, {"name": "robots", "content": " , "}], ()),
    ((("x-robots-tag", "nofollow"),), [{"name": "robots", "content": "noindex"}], (("", "nofollow"), ("", "noindex"))),
]


@pytest.mark.parametrize(("headers", "metas", "expected"), ROBOTS)
def test_robots_directives(headers: Headers, metas: list[dict[str, str]], expected: tuple[tuple[str, str], ...]) -> None:
    assert robots_directives(answer(*headers), metas) == expected


@pytest.mark.parametrize(
    ("directives", "told"),
    [
        ((("", "noindex"),), True),
        ((("", "none"),), True),
        ((("ourbot", "noindex"),), True),
        ((("ourbot", "none"),), True),
        ((("theirbot", "noindex"),), False),
        ((("", "nofollow"), ("", "noindexing")), False),
        ((), False),
    ],
)
def test_a_directive_is_told_to_all_or_to_the_robot_that_is_asked_about(
    directives: tuple[tuple[str, str], ...], told: bool
) -> None:
    assert is_told(directives, "noindex", ["ourbot"]) == told


# (headers, link elements, canonical addresses)
CANONICALS: list[tuple[Headers, list[dict[str, str]], list[str]]] = [
    ((), [{"rel": "canonical", "href": "c"}], ["https://host.example/a/c"]),
    ((), [{"rel": "Canonical Next", "href": "/c#top"}], ["https://host.example/c"]),
    ((), [{"rel": "canonicalised", "href": "/c"}, {"href": "/d"}, {"rel": "canonical", "href": "  "}], []),
    ((), [{"rel": "canonical", "href": "/c"}, {"rel": "canonical", "href": "/d"}], ["https://host.example/c", "https://host.example/d"]),
    ((), [{"rel": "canonical", "href": "javascript:x"}], [""]),
    ((("link", '<https://other.example/c>; rel="canonical"'),), [], ["https://other.example/c"]),
    ((("link", "</c>; rel=canonical"),), [], ["https://host.example/c"]),
    ((("link", '</style.css>; rel=preload, </c>; rel="canonical"'),), [], ["https://host.example/c"]),
    ((("link", "</c>; rel=canonical"),), [{"rel": "canonical", "href": "/d"}], ["https://host.example/d", "https://host.example/c"]),
    ((("link", "nonsense"), ("link", "<>; rel=canonical")), [], [URL]),
]  # fmt: skip


@pytest.mark.parametrize(("headers", "elements", "expected"), CANONICALS)
def test_canonicals_of_elements_come_before_those_of_headers(
    headers: Headers, elements: list[dict[str, str]], expected: list[str]
) -> None:
    assert canonical_addresses(answer(*headers), elements, URL) == expected


def test_alternates_are_codes_with_absolute_addresses() -> None:
    page = answer(("link", '</fr/>; rel="alternate"; hreflang="FR", </pdf>; rel=alternate; type="application/pdf"'))
    elements = [
        {"rel": "alternate", "hreflang": "de-AT", "href": "/at/"},
        {"rel": "alternate", "hreflang": "x-default", "href": "../"},
        {"rel": "alternate", "href": "/feed", "type": "application/rss+xml"},
        {"rel": "alternate", "hreflang": "it", "href": "mailto:a@host.example"},
        {"rel": "stylesheet", "hreflang": "es", "href": "/es/"},
    ]
    assert language_alternates(page, elements, URL) == (
        ("de-at", "https://host.example/at/"),
        ("x-default", "https://host.example/"),
        ("fr", "https://host.example/fr/"),
    )


# (status, headers, meta elements, target)
REDIRECTS: list[tuple[int | None, Headers, list[dict[str, str]], str]] = [
    (301, (("location", "/c"),), [], "https://host.example/c"),
    (308, (("location", "https://other.example"),), [], "https://other.example/"),
    (None, (("location", "c?d"),), [], "https://host.example/a/c?d"),
    (200, (("location", "/c"),), [], ""),
    (201, (("location", "/c"),), [], ""),
    (304, (("location", "/c"),), [], ""),
    (302, (), [], ""),
    (302, (("location", "mailto:a@host.example"),), [], ""),
    (200, (("refresh", "0; url=/c"),), [], "https://host.example/c"),
    (200, (), [{"http-equiv": "Refresh", "content": "0;URL='/c'"}], "https://host.example/c"),
    (200, (), [{"http-equiv": "refresh", "content": "0, /c"}], "https://host.example/c"),
    (200, (), [{"http-equiv": "refresh", "content": "0.5; url=/c"}], "https://host.example/c"),
    (200, (), [{"http-equiv": "refresh", "content": "5; url=/c"}], ""),
    (200, (), [{"http-equiv": "refresh", "content": "0"}], ""),
    (200, (), [{"http-equiv": "refresh", "content": "0; url=b"}], ""),
    (200, (), [{"http-equiv": "content-type", "content": "0; url=/c"}], ""),
]


@pytest.mark.parametrize(("status", "headers", "metas", "expected"), REDIRECTS)
def test_redirects_of_status_and_of_refreshes_without_delay(
    status: int | None, headers: Headers, metas: list[dict[str, str]], expected: str
) -> None:
    assert redirect_target(answer(*headers, status=status), metas, URL) == expected


@given(st.text(max_size=60))
def test_no_header_and_no_element_breaks_the_readers(text: str) -> None:
    page = answer(("x-robots-tag", text), ("link", text), ("refresh", text), ("location", text), status=301)
    elements = [{"rel": "canonical alternate", "href": text, "hreflang": text}]
    metas = [{"name": "robots", "content": text, "http-equiv": "refresh"}]
    for agent, directive in robots_directives(page, metas):
        assert directive == directive.strip().lower()
        assert agent == agent.lower()
    found = [*canonical_addresses(page, elements, URL), redirect_target(page, metas, URL)]
    found += [url for _, url in language_alternates(page, elements, URL)]
    assert all(url == "" or url.startswith(("http://", "https://")) for url in found)
