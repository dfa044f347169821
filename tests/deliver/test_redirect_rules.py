"""What servers are given for any site, read as they read it: moved pages are one hop from their ends, nothing else moves."""

from __future__ import annotations

import csv
import re
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from random_sites import SITES, write_site

import mardok
from mardok.deliver.redirects import (
    APACHE_MAP,
    CSV_FILE,
    NGINX_FILE,
    WITH_SLASH,
    WITHOUT_SLASH,
    Redirects,
    apache_map,
    index_file,
    nginx_map,
    redirects_csv,
)
from mardok.errors import HandoffError
from tests.plan.test_plan import EXPENSIVE

HOST = "https://www.host.example"
ENTRY = re.compile(r'    "(?P<key>[^"]*)" "(?P<value>[^"]*)";')


def read_as_nginx_does(text: str) -> tuple[dict[str, str], list[tuple[re.Pattern[str], str]]]:
    """Strings, looked up without regard to case, and patterns in their order."""
    strings: dict[str, str] = {}
    patterns = []
    inside = text.partition("$mardok_target {")[2]
    entries = [ENTRY.fullmatch(line) for line in inside.splitlines() if line.startswith('    "')]
    assert all(entries), "every line of the map is a key and a value"
    for entry in filter(None, entries):
        if entry["key"].startswith("~"):
            patterns.append((re.compile(entry["key"][1:].replace("(?<", "(?P<")), entry["value"]))
        else:
            assert entry["key"].casefold() not in strings, "nginx refuses a key that it has"
            strings[entry["key"].casefold()] = entry["value"]
    return strings, patterns


def answer(strings: dict[str, str], patterns: list[tuple[re.Pattern[str], str]], address: str) -> str:
    """Where nginx sends who asks for an address, ``""`` if nowhere."""
    value = strings.get(address.casefold())
    if value is not None:
        return value.replace("${mardok_dollar}", "$")
    for pattern, value in patterns:
        match = pattern.search(address)
        if match:
            named = {"mardok_dollar": "$", **{name: found or "" for name, found in match.groupdict().items()}}
            pieces = re.split(r"\$\{?(\w+)\}?", value)
            return "".join(named[piece] if at % 2 else piece for at, piece in enumerate(pieces))
    return ""


@settings(max_examples=25, deadline=None, **EXPENSIVE)
@given(SITES)
def test_every_moved_page_is_one_hop_from_its_end_and_pages_that_stay_are_not_moved(
    tmp_path: Path, pages: dict[str, Any]
) -> None:
    audit = mardok.audit(write_site(tmp_path / "pages.jsonl", pages))
    try:
        mardok.hand_off(audit, tmp_path / "out", all_proposals=True)
    except HandoffError:
        assert audit.plan.empty or set(audit.plan["action"]) <= {"leave", "investigate"}
        return
    steps = audit.steps
    mended = steps[steps["rule"].isin(["redirect-chain", "redirect-loop"]) & (steps["target"] != "")]
    moved = pd.concat([mended, steps[steps["step"] == "redirect"]]).set_index("url")["target"].to_dict()
    gone = steps.loc[steps["step"] == "retire", "url"].tolist()
    strings, patterns = read_as_nginx_does((tmp_path / "out" / NGINX_FILE).read_text("utf-8"))
    assert bool(strings or patterns) == bool(moved)
    for source, target in moved.items():
        assert answer(strings, patterns, source) == target, source
        assert target in moved or answer(strings, patterns, target) == "", target
    for page in audit.pages.itertuples():
        if page.url not in moved and page.status == 200:
            assert answer(strings, patterns, page.url) == "", page.url
    lines = (tmp_path / "out" / CSV_FILE).read_text("utf-8").splitlines()
    listed = {row["from"]: row["to"] for row in csv.DictReader(lines)}
    for source, target in moved.items():
        whole = "/".join(source.split("/")[:3]) + "/*"
        assert listed.get(source) == target or whole in listed, source
    for line in (tmp_path / "out" / APACHE_MAP).read_text("utf-8").splitlines():
        source, target = line.split(" ")
        assert listed[source] == target.replace("gone", "")
    assert set(gone) <= {source for source, target in listed.items() if not target}


# (how a path is written anew, the path, what comes of it)
WRITTEN = [
    (WITH_SLASH, "/hire", "/hire/"),
    (WITH_SLASH, "/hire?a=b", "/hire/?a=b"),
    (WITH_SLASH, "/a/b/hire", "/a/b/hire/"),
    (WITH_SLASH, "/hire/", None),
    (WITH_SLASH, "/", None),
    (WITH_SLASH, "/style.css", None),
    (WITH_SLASH, "/a.b/hire", "/a.b/hire/"),
    (WITHOUT_SLASH, "/hire/", "/hire"),
    (WITHOUT_SLASH, "/hire/?a=b/", "/hire?a=b/"),
    (WITHOUT_SLASH, "/", None),
    (WITHOUT_SLASH, "/hire", None),
    (WITHOUT_SLASH, "/hire//", None),
    (index_file(["index.html"]), "/index.html", "/"),
    (index_file(["index.html"]), "/hire/index.html?x", "/hire/?x"),
    (index_file(["index.html"]), "/hire/myindex.html", None),
    (index_file(["index.html"]), "/hire/indexxhtml", None),
    (index_file(["index.html"]), "/hire/index.html/", None),
    (index_file(["index.html", "default.aspx"]), "/x/default.aspx", "/x/"),
]


@pytest.mark.parametrize(("writing", "path", "expected"), WRITTEN)
def test_a_path_is_written_anew_or_left(writing: Any, path: str, expected: str | None) -> None:
    assert writing.rewritten(path) == expected
    if expected is not None and writing is not WITHOUT_SLASH:
        assert writing.rewritten(expected) is None  # once is enough: no loop
    strings, patterns = read_as_nginx_does(nginx_map(Redirects({}, [], [(HOST, HOST, writing)])))
    assert answer(strings, patterns, HOST + path) == ("" if expected is None else HOST + expected)


PATHS = st.text(st.sampled_from("aB/._-%2$&?=(+*[{|^~:@!'"), max_size=12).map(lambda text: f"{HOST}/{text}")


@given(st.dictionaries(PATHS, PATHS, min_size=1, max_size=8), st.lists(PATHS, max_size=5))
def test_any_address_is_a_key_and_nothing_else(single: dict[str, str], known: list[str]) -> None:
    text = nginx_map(Redirects(single, []), known)
    strings, patterns = read_as_nginx_does(text)
    for source, target in single.items():
        assert answer(strings, patterns, source) == target
    for address in known:
        if address not in single:
            assert answer(strings, patterns, address) == ""
    lines = apache_map(Redirects(single, [])).splitlines()
    assert dict(line.split(" ") for line in lines) == single
    rows = list(csv.DictReader(redirects_csv(Redirects(single, [("http://host.example", HOST)])).splitlines()))
    assert {row["from"]: row["to"] for row in rows} == {**single, "http://host.example/*": f"{HOST}/*"}


@given(PATHS)
def test_an_origin_goes_as_a_whole_with_path_and_query(address: str) -> None:
    strings, patterns = read_as_nginx_does(nginx_map(Redirects({}, [("http://www.host.example", HOST)])))
    assert answer(strings, patterns, address.replace("https:", "http:")) == address
    assert answer(strings, patterns, address) == ""
    assert answer(strings, patterns, address.replace(HOST, "http://www.host.example.other.example")) == ""
