"""What an address is, and when two are variants."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from urllib.parse import urlsplit

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from mardok.plan.proposals import AddressRule, address_rule
from mardok.settings import Settings, Variants
from mardok.urls import is_pagination, normal_url, resolved_url, split_url, variant_form
from mardok.vocabulary import Action, VariantRule

# (as written, base, in its one form)
WRITTEN = [
    ("HTTP://Host.EXAMPLE", "", "http://host.example/"),
    ("https://host.example:443/A?b=C#d", "", "https://host.example/A?b=C"),
    ("https://host.example:8443/", "", "https://host.example:8443/"),
    ("  /caf\u00e9 au lait?q=\u00e4\n", "https://host.example/x/", "https://host.example/caf%C3%A9%20au%20lait?q=%C3%A4"),
    ("?page=2", "https://host.example/list", "https://host.example/list?page=2"),
    ("//cdn.example/x", "https://host.example/", "https://cdn.example/x"),
    ("https://host.example/%7euser/%c3%a4", "", "https://host.example/%7Euser/%C3%A4"),
    ("http://b\u00fccher.example/", "", "http://xn--bcher-kva.example/"),
    ("http://[2001:DB8::1]:80/", "", "http://[2001:db8::1]/"),
    ("https://host.example/a/../b", "", "https://host.example/b"),
    ("https://host.example/a/./b/%2e%2E/c/..", "", "https://host.example/a/"),
    ("https://host.example/../../a//..", "", "https://host.example/a/"),
    ("/a/../b?c=/../d", "https://host.example/x/", "https://host.example/b?c=/../d"),
    ("https:\\\\host.example\\a\\b?c\\d", "", "https://host.example/a/b?c%5Cd"),
    ("\\a\\..\\b", "https://host.example/x/", "https://host.example/b"),
    ("\\\\cdn.example\\x", "https://host.example/", "https://cdn.example/x"),
    ("https:///host.example//a", "", "https://host.example//a"),
    ("///cdn.example/a", "https://host.example/", "https://cdn.example/a"),
    ("https://host.example/.well-known/a..b/...", "", "https://host.example/.well-known/a..b/..."),
    (" a #f", "https://host.example/", "https://host.example/a%20"),
    ("mailto:a@host.example", "https://host.example/", None),
    ("javascript:alert(1)", "https://host.example/", None),
    ("http://host.example:port/", "", None),
    ("http://user name@/", "", None),
    ("", "", None),
]


@pytest.mark.parametrize(("written", "base", "expected"), WRITTEN)
def test_an_address_has_one_form(written: str, base: str, expected: str | None) -> None:
    assert normal_url(written, base) == expected


@given(st.text(max_size=40) | st.from_regex(r"https?://[a-z]{1,5}\.example(:\d{1,4})?/\S{0,20}", fullmatch=True))
def test_the_one_form_is_its_own_form(text: str) -> None:
    url = normal_url(text, "https://host.example/a/")
    if url is not None:
        assert normal_url(url) == url
        assert url.isascii()
        assert not any(character.isspace() or character in '<>"`{}|\\^' for character in url)


# (one address, another, the rule that takes the first to the second)
RULES = [
    (
        "http://www.host.example/a/",
        "https://www.host.example/a/",
        (Action.MERGE, AddressRule(VariantRule.SCHEME, "http > https")),
    ),
    (
        "https://host.example/a/",
        "https://www.host.example/a/",
        (Action.MERGE, AddressRule(VariantRule.HOST, "host.example > www.host.example")),
    ),
    (
        "https://host.example/a/index.html",
        "https://host.example/a/",
        (Action.MERGE, AddressRule(VariantRule.INDEX_FILE_TO_FOLDER)),
    ),
    ("https://host.example/a", "https://host.example/a/", (Action.MERGE, AddressRule(VariantRule.SLASH_ADDED))),
    ("https://host.example/a/", "https://host.example/a", (Action.MERGE, AddressRule(VariantRule.SLASH_REMOVED))),
    ("https://host.example/A/", "https://host.example/a/", (Action.MERGE, AddressRule(VariantRule.LETTER_CASE))),
    (
        "https://host.example/a/?utm_medium=x&utm_source=y",
        "https://host.example/a/",
        (Action.CANONICAL, AddressRule(VariantRule.PARAMETER, "utm_*")),
    ),
    ("https://host.example/print/a/", "https://host.example/a/", (Action.CANONICAL, AddressRule(VariantRule.PRINT_VIEW))),
    (
        "https://host.example/a/?id=7",
        "https://host.example/a/",
        (Action.CANONICAL, AddressRule(VariantRule.PARAMETER, "id")),
    ),
]


@pytest.mark.parametrize(("url", "keeper", "rule"), RULES)
def test_variants_have_one_key_and_a_rule(url: str, keeper: str, rule: tuple[Action, AddressRule]) -> None:
    assert variant_form(url, Variants()).key == variant_form(keeper, Variants()).key
    assert address_rule(url, keeper, Settings()) == rule


def test_pages_of_a_listing_are_no_variants() -> None:
    assert is_pagination("https://host.example/blog/?page=2", Variants())
    assert is_pagination("https://host.example/blog/page/3/", Variants())
    assert not is_pagination("https://host.example/page/about/", Variants())


PARTS = [
    "a",
    "b.html",
    "..",
    ".",
    "?q=1",
    "?",
    "#f",
    "%2f",
    "\u00e9",
    " ",
    "/",
    "\\",
    "mailto:x",
    "&",
    "x y",
    "~t",
    "a:b",
    "..a",
    "-",
    "https://h.example/",
    "http://",
    "Host",
    ":80/",
]
BASES = [
    "https://host.example/",
    "https://host.example/x/y",
    "http://h.example:8080/a/b/?q=/z/",
    "https://h.example/x?y=1/2",
]


@given(st.lists(st.sampled_from(PARTS), max_size=6), st.sampled_from(["", "/"]), st.sampled_from(BASES))
def test_the_fast_way_to_resolve_an_address_gives_what_the_slow_one_does(parts: list[str], joint: str, base: str) -> None:
    href = joint.join(parts)
    assert resolved_url("a #f", base) == normal_url("a #f", base)
    assert resolved_url(href, base) == normal_url(href, base)


SEGMENTS = ["a", "b.html", "..", ".", "%2e", "%2E%2e", "", "\\", "...", "x y", "?q=/../", "%7e"]


@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(
        st.lists(st.sampled_from(SEGMENTS), max_size=7)
        .map("/".join)
        .filter(lambda text: not text.replace("\\", "/").startswith("//")),  # a host, and none of these is one
        min_size=20,
        max_size=40,
    )
)
def test_addresses_are_read_as_a_browser_reads_them(browser_page: Any, written: list[str]) -> None:
    base = "https://host.example/one/two/"
    read = browser_page.evaluate(f"all => all.map((one) => new URL(one, {base!r}).href.split('#')[0])", written)
    for text, expected in zip(written, read, strict=True):
        # Escapes are upper case here, and what a browser leaves in a query may be escaped.
        assert normal_url(text, base) == normal_url(expected), text


@pytest.fixture(scope="module")
def browser_page(browser: Any) -> Iterator[Any]:
    page = browser.new_page()
    yield page
    page.close()


PARTS = [
    "http",
    "https",
    "HTTP",
    ":",
    "//",
    "/",
    "a.example",
    "A.example",
    ":80",
    "@",
    "?",
    "#",
    ";",
    "=",
    "b-c",
    "%20",
    ".",
]


@given(st.lists(st.sampled_from(PARTS), max_size=9).map("".join), st.sampled_from(["", "https://host.example/a", "http://"]))
@settings(max_examples=500)
def test_addresses_are_split_as_the_library_splits_them(text: str, begin: str) -> None:
    assert split_url(begin + text) == urlsplit(begin + text)
