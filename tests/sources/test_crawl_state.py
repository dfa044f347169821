"""The state of a crawl: what comes next is a function of the answers alone. No network here."""

from __future__ import annotations

from collections import Counter
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from mardok.settings import Extract, Settings
from mardok.sources.crawl.discovery import leads_of
from mardok.sources.crawl.fetched import Fetched, Task
from mardok.sources.crawl.scope import scope_of
from mardok.sources.crawl.state import CrawlState

HOME = "https://www.host.example"
PATHS = ["/", "/a", "/b/", "/c?x=1", "/c?x=2", "/private/p", "/deep/d", "/e", "/sitemap.xml", "/robots.txt"]
TARGETS = [*PATHS, "https://other.example/", "http://www.host.example/a", "https://host.example/b/", "mailto:x", "/new"]
ANSWER = st.fixed_dictionaries(
    {
        "status": st.sampled_from([200, 200, 200, 200, 301, 404, 500, 503, 0]),
        "links": st.lists(st.sampled_from(TARGETS), max_size=4),
        "target": st.sampled_from(TARGETS),
        "kind": st.sampled_from(["text/html", "text/html", "text/html", "image/png"]),
    }
)
SERVERS = st.fixed_dictionaries(
    {
        "robots": st.sampled_from(["", "User-agent: *\nDisallow: /private/", "User-agent: mardok\nDisallow: /"]),
        "robots_status": st.sampled_from([200, 200, 404, 500]),
        "pages": st.dictionaries(st.sampled_from(PATHS[:8]), ANSWER, min_size=3),
        "listed": st.lists(st.sampled_from(["/e", "/new", "/private/p", "https://other.example/x"]), max_size=3),
    }
)


def answer(server: dict[str, Any], task: Task) -> Fetched:
    """What the server says."""
    path = task.url.split("/", 3)[3]
    html = (("Content-Type", "text/html"),)
    if path == "robots.txt":
        return Fetched(task, server["robots_status"], (("Content-Type", "text/plain"),), server["robots"].encode())
    if path == "sitemap.xml":
        listed = "".join(f"<url><loc>{url}</loc></url>" for url in server["listed"])
        return Fetched(task, 200, (("Content-Type", "text/xml"),), f"<urlset>{listed}</urlset>".encode())
    page = server["pages"].get(f"/{path}")
    if page is None:
        return Fetched(task, 404, html, b"nothing")
    if page["status"] == 0:
        return Fetched(task, failure="connection refused")
    if page["status"] == 301:
        return Fetched(task, 301, (("Location", page["target"]),))
    body = "".join(f"<a href='{url}'>x</a>" for url in page["links"])
    return Fetched(task, page["status"], (("Content-Type", page["kind"]),), body.encode())


def new_state(**rules: Any) -> CrawlState:
    conduct = Settings.model_validate({"crawl": rules}).crawl
    start = f"{HOME}/"
    return CrawlState([start], [], scope_of([start], conduct), Extract())


def carried_on(state: CrawlState, server: dict[str, Any]) -> list[Fetched]:
    """Crawl to the end; all answers in their order."""
    answers = []
    while (task := state.next_task()) is not None:
        answers.append(answer(server, task))
        state.learn(answers[-1])
        assert len(answers) < 500
    return answers


@settings(deadline=None, max_examples=300)
@given(server=SERVERS, cut=st.floats(0, 1))
def test_a_crawl_that_is_broken_off_anywhere_ends_as_if_it_had_not_been(server: dict[str, Any], cut: float) -> None:
    rules: dict[str, Any] = {"retries": 1, "stop_after_failures": 1000}
    whole_state = new_state(**rules)
    whole = carried_on(whole_state, server)
    kept = whole[: int(cut * len(whole))]
    again = new_state(**rules)
    for fetched in kept:
        again.learn(fetched)
    rest = carried_on(again, server)
    asked = Counter(fetched.task.url for fetched in whole)
    assert Counter(fetched.task.url for fetched in [*kept, *rest]) == asked
    tallies = (dict(vars(whole_state.tally)), dict(vars(again.tally)))
    assert tallies[0] == tallies[1]


@settings(deadline=None, max_examples=300)
@given(server=SERVERS)
def test_only_the_site_is_asked_and_only_what_robots_allow(server: dict[str, Any]) -> None:
    state = new_state(retries=1, stop_after_failures=1000)
    asked = [fetched.task for fetched in carried_on(state, server)]
    for task in asked:
        assert task.url.split("/")[2] in ("www.host.example", "host.example")
        if task.kind != "robots":
            closed = server["robots_status"] >= 500
            closed |= server["robots_status"] == 200 and (
                "Disallow: /\n" in server["robots"] + "\n" or ("/private/" in server["robots"] and "/private/" in task.url)
            )
            assert not closed, task
    homes = {f"{scheme}://{www}host.example/" for scheme in ("http", "https") for www in ("", "www.")}
    robots = {task.url for task in asked if task.kind == "robots"}
    assert robots >= {f"{home}robots.txt" for home in homes}
    limited = new_state(max_pages=2, retries=0)
    assert sum(fetched.task.kind == "page" for fetched in carried_on(limited, server)) <= 2


@given(st.binary(max_size=120), st.sampled_from(["text/html", "", "text/html; charset=utf-16", "application/pdf"]))
def test_no_bytes_break_the_finding_of_links(body: bytes, kind: str) -> None:
    found = leads_of(Fetched(Task(f"{HOME}/", "page", 0), 200, (("Content-Type", kind),), body), 10_000, Extract())
    assert all(url.startswith(("http://", "https://")) for url in (*found.links, *found.images))
