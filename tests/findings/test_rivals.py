"""Who competes for what: titles, series, turns, rivals and what follows, targets, signals, thin pages."""

from __future__ import annotations

import json
import math
from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import mardok
from mardok.compare.contention import contending_pairs, shown_pages, turns
from mardok.compare.demand import Demand, SearchRows
from mardok.compare.series import find_series
from mardok.compare.titles import split_titles
from mardok.extract.batch import batch_of
from mardok.extract.extraction import extract_page
from mardok.settings import Settings
from mardok.sources.raw import RawPage
from mardok.text.columns import columns_of
from mardok.text.site import Site, site_of

HOST = "https://www.wyndale.example"
Run = Callable[..., Any]
TOPICS = ["pegs", "bows", "bridges", "strings", "cases", "rosin", "chin rests", "scrolls", "varnish", "linings"]


def site_with(titles: Sequence[str], head: str = "", folder: str = "/") -> Site:
    pages = [
        RawPage(f"{HOST}{folder}{number:02}", "test", 200, (), f"<html lang=en>{head}<title>{title}</title>".encode())
        for number, title in enumerate(titles)
    ]
    return site_of(columns_of([batch_of(extract_page(page, Settings()) for page in pages)]), Settings())


@given(
    st.lists(st.sampled_from(TOPICS), min_size=5, max_size=10, unique=True),
    st.sampled_from([" | ", " - ", " – ", " — ", " · ", " » ", ": "]),
    st.booleans(),
)
def test_the_name_of_a_site_is_found_at_either_end_of_its_titles(topics: list[str], separator: str, is_first: bool) -> None:
    own = [f"Choosing {topic}" for topic in topics]
    titles = [separator.join(("The Bench", part) if is_first else (part, "The Bench")) for part in own]
    found = split_titles(site_with([*titles, "The Bench"]))
    assert list(found.own) == [*own, ""]
    assert list(found.site) == ["The Bench"] * (len(own) + 1)


def test_a_name_without_separator_needs_somebody_to_vouch_for_it() -> None:
    own = [f"All about {topic}" for topic in TOPICS]
    titles = [f"{part} The Bench" for part in own]
    vouching = {
        "og": '<meta property="og:site_name" content="The Bench">',
        "data": '<script type="application/ld+json">{"@graph": [{"@type": "WebSite", "name": "The Bench"}]}</script>',
    }
    for head in vouching.values():
        found = split_titles(site_with(titles, head))
        assert list(found.own) == own
        assert found.all_names == ["The Bench"]
    assert split_titles(site_with(titles)).all_names == []
    by_host = split_titles(site_with([f"{part} Wyndale" for part in own]))
    assert list(by_host.own) == own


def test_what_only_looks_like_a_name_is_none() -> None:
    same = [f"Prices | {topic}" for topic in ("pegs",) * 10]  # beside it stands always the same
    assert split_titles(site_with(same)).all_names == []
    rare = [*(f"All about {topic}" for topic in TOPICS), "Pegs | Advice", "Bows | Advice"]
    assert split_titles(site_with(rare)).all_names == []


def test_series_share_a_pattern_below_one_folder() -> None:
    towns = [f"Violin hire in {town}" for town in ("Aldmoor", "Brackwell", "St Ives", "Dunn")]
    sizes = [f"{size} size violin" for size in ("1/2", "3/4", "4/4")]
    other = ["How a violin is made", "Cleaning a bow", "Cleaning a scroll"]  # one telling word in common is no pattern
    site = site_with([*towns, *sizes, *other])
    found = find_series(site, split_titles(site).own, range(len(site.pages)))
    assert {one.pattern: sorted(one.slots.values()) for one in found} == {
        "violin hire in ...": ["aldmoor", "brackwell", "dunn", "st ives"],
        "... size violin": ["1 2", "3 4", "4 4"],
    }
    scattered = [RawPage(f"{HOST}/{n}/x", "t", 200, (), f"<title>{title}</title>".encode()) for n, title in enumerate(towns)]
    apart = site_of(columns_of([batch_of(extract_page(page, Settings()) for page in scattered)]), Settings())
    assert find_series(apart, split_titles(apart).own, range(4)) == []


TITLE = st.lists(st.sampled_from(["violin", "bow", "hire", "cary", "dunn"]), max_size=4).map(" ".join)


@given(st.lists(st.tuples(TITLE, st.sampled_from("ab")), max_size=12))
@settings(deadline=None, max_examples=150)
def test_series_are_those_of_the_definition(pages: list[tuple[str, str]]) -> None:
    raws = [
        RawPage(f"{HOST}/{folder}/{n}", "t", 200, (), f"<title>{title}</title>".encode())
        for n, (title, folder) in enumerate(pages)
    ]
    site = site_of(columns_of([batch_of(extract_page(raw, Settings()) for raw in raws)]), Settings())
    fitting: dict[tuple[str, str], dict[int, str]] = defaultdict(dict)
    for row, page in enumerate(site.pages):
        own = page.title.split()
        for first in range(len(own)):
            for end in range(first + 1, len(own) + 1):
                if len(own) - (end - first) >= 2:
                    pattern = " ".join([*own[:first], "...", *own[end:]])
                    fitting[page.url.rpartition("/")[0], pattern][row] = " ".join(own[first:end])
    expected, taken = [], set[int]()
    several = [item for item in fitting.items() if len(item[1]) >= 3]
    for (_, pattern), slots in sorted(several, key=lambda item: (-len(item[1]), -len(item[0][1].split()), item[0])):
        free = {row: slot for row, slot in slots.items() if row not in taken}
        if len(set(free.values())) >= 3:
            expected.append((pattern, free))
            taken |= free.keys()
    found = find_series(site, [page.title for page in site.pages], range(len(site.pages)))
    assert [(one.pattern, one.slots) for one in found] == sorted(expected, key=lambda one: min(one[1]))


def demand_of(rows: Sequence[tuple[int, int, int, int, int, float]], n_queries: int = 3) -> Demand:
    """Rows of page, query, place, week, impressions, position."""
    ordered = sorted(rows, key=lambda row: (row[0], row[1], row[3]))
    page, query, place, week, impressions, position = (np.array(column) for column in zip(*ordered, strict=True))
    dates = np.datetime64("2026-01-05", "s") + 7 * week.astype("timedelta64[D]")
    clicks = impressions // 3
    told = SearchRows(
        page.astype(np.int32), query.astype(np.int32), place.astype(np.int32), dates,
        clicks.astype(float), impressions.astype(float), position.astype(float),
    )  # fmt: skip
    names = tuple(f"q{number}" for number in range(n_queries))
    return Demand(told, names, 2.0, True, None, (), None, 4, np.zeros(n_queries, bool))


SEARCH_ROWS = st.lists(
    st.tuples(
        st.integers(0, 3), st.integers(0, 2), st.integers(0, 1), st.integers(0, 5), st.integers(1, 30), st.integers(1, 20)
    ),
    min_size=1, max_size=60, unique_by=lambda row: row[:4],
)  # fmt: skip


@settings(deadline=None)
@given(SEARCH_ROWS)
def test_shares_turns_and_pairs_are_those_of_their_definitions(rows: list[tuple[int, int, int, int, int, float]]) -> None:
    demand = demand_of(rows)
    shown = shown_pages(demand, 0.2)
    total: Counter[int] = Counter()
    each: Counter[tuple[int, int]] = Counter()
    for page, query, _, _, impressions, _ in rows:
        total[query] += impressions
        each[page, query] += impressions
    told = zip(shown.row.tolist(), shown.query.tolist(), shown.share.tolist(), shown.competing.tolist(), strict=True)
    shares = {(page, query): (share, competing) for page, query, share, competing in told}
    assert shares.keys() == each.keys()
    for (page, query), (share, competing) in shares.items():
        assert share == pytest.approx(each[page, query] / total[query])
        parts = [n / total[query] for (_, other), n in each.items() if other == query]
        assert competing == pytest.approx(math.exp(-sum(part * math.log(part) for part in parts)))

    pairs = contending_pairs(shown, np.zeros(3, bool))
    expected: Counter[tuple[int, int]] = Counter()
    for query in range(3):
        real = sorted(page for page in range(4) if each[page, query] >= 0.2 * total[query] and each[page, query])
        expected.update((a, b) for a in real for b in real if a < b)
    assert dict(zip(zip(pairs["a"], pairs["b"], strict=True), pairs["queries"], strict=True)) == dict(expected)

    found = turns(demand.of([0, 1, 2]), [0, 2], Settings().rivals, 0.1)
    changes, led, weights, both, seen = 0, Counter[int](), Counter[int](), 0, 0
    for query in (0, 2):
        per_place = []
        for place in (0, 1):
            own = [row for row in rows if row[0] < 3 and row[1] == query and row[2] == place]
            leaders = []
            for week in sorted({row[3] for row in own}):
                now = [row for row in own if row[3] == week]
                all_shown = sum(row[4] for row in now)
                ahead = sorted((row[5], row[0]) for row in now if row[4] >= 0.1 * all_shown)
                if len(ahead) == 1 or ahead[1][0] - ahead[0][0] >= 1:
                    leaders.append(ahead[0][1])
                    weights[ahead[0][1]] += all_shown
                seen += all_shown
                both += all_shown if sum(row[5] <= 10 for row in now) > 1 else 0
            led.update(leaders)
            per_place.append(sum(a != b for a, b in pairwise(leaders)))
        changes += max(per_place)
    assert (found.changes, found.weeks, found.led) == (changes, led.total(), dict(led))
    assert found.led_share == pytest.approx({page: weight / weights.total() for page, weight in weights.items()})
    assert found.both_on_first_page == pytest.approx(both / seen if seen else 0.0)


@dataclass
class Scene:
    """Two pages on tuning a violin with the search rows that make them rivals; each test changes one thing."""

    pages: list[dict[str, Any]] = field(default_factory=list)
    positions: tuple[float, float] = (6.0, 14.0)
    """Of the leader of a week, and of the other page."""
    lead_weeks: int = 4
    """Weeks after which the lead changes."""
    impressions: tuple[int, int] = (60, 20)
    others: int = 0
    """Impressions a week of the second page for queries of its own."""
    query: str = "tune violin"
    is_dated: bool = True

    def audit(self, folder: Path, **more: Any) -> mardok.Audit:
        """Audit the scene."""
        (folder / "pages.jsonl").write_text("".join(json.dumps(page) + "\n" for page in self.pages))
        pd.DataFrame(list(self.rows())).to_csv(folder / "search.csv", index=False)
        return mardok.audit(folder / "pages.jsonl", search=folder / "search.csv", **more)

    def rows(self) -> Any:
        """Search rows: two pages take turns for 40 weeks."""
        a, b = (page["url"] for page in self.pages[:2])
        for week in range(40):
            date = {"date": f"{pd.Timestamp('2026-01-05') + pd.Timedelta(weeks=week):%Y-%m-%d}"} if self.is_dated else {}
            leads = week // self.lead_weeks % 3 != 2
            for url, is_ahead in ((a, leads), (b, not leads)):
                n, position = self.impressions[not is_ahead], self.positions[not is_ahead]
                if not self.is_dated:
                    if week:
                        continue
                    n *= 40
                yield {
                    **date,
                    "query": self.query,
                    "page": url,
                    "clicks": int(0.3 * n / position),
                    "impressions": n,
                    "position": position,
                }
            if self.others and (self.is_dated or not week):
                n = self.others * (1 if self.is_dated else 40)
                yield {**date, "query": "loose peg", "page": b, "clicks": n // 10, "impressions": n, "position": 4}


def words_about(topic: str, n: int = 90) -> str:
    """Words of its own, among others by which it is known to be English."""
    return " ".join(
        ("the", "and", "of", "with")[number // 2 % 4] if number % 2 else f"{topic}{number}" for number in range(n)
    )


def page(path: str, title: str, body: str = "", head: str = "", lang: str = "en") -> dict[str, Any]:
    text = body or f"<p>{words_about(path.strip('/').replace('/', ''))}</p>"
    document = f"<html lang={lang}><head><title>{title}</title>{head}</head><body><main><h1>{title}</h1>{text}</main>"
    return {"url": f"{HOST}{path}", "status": 200, "html": document}


def tuning(**changes: Any) -> Scene:
    return Scene([page("/blog/tune", "How to tune a violin"), page("/blog/pegs", "Turning the pegs of a fiddle")], **changes)


def rival_rows(audit: mardok.Audit) -> pd.DataFrame:
    return audit.groups[audit.groups["kind"] == "rivals"]


PRODUCT = '<script type="application/ld+json">{"@type": "Product", "name": "Tuner"}</script>'
DECISIONS: dict[str, tuple[Scene, dict[str, Any], str, str]] = {
    "turns, one intent": (tuning(), {}, "merge", "search"),
    "turns, less overlap": (tuning(others=200), {}, "rewrite", "search"),
    "one leads steadily": (tuning(lead_weeks=40), {}, "leave", "search"),
    "both on the first page": (tuning(positions=(4.0, 7.0)), {}, "leave", "search"),
    "no days": (tuning(is_dated=False), {}, "investigate", "search"),
    "an exception": (tuning(), {"plan": {"leave": ["/blog/pegs"]}}, "leave", "search"),
    "a guide and a product": (
        Scene([page("/blog/tune", "How to tune a violin"), page("/shop/tuner", "Clip-on tuner", head=PRODUCT)]),
        {}, "retitle", "search",
    ),
    "only the wording": (
        Scene([page("/blog/tune", "How to tune a violin"), page("/violin-tuning", "Violin tuning: the guide")]),
        {"search": {"minimum_share": 0.9}}, "investigate", "wording",
    ),
}  # fmt: skip


@pytest.mark.parametrize("case", DECISIONS)
def test_what_follows_from_rivals_is_what_the_table_of_actions_says(case: str, tmp_path: Path) -> None:
    scene, changed, action, evidence = DECISIONS[case]
    if case == "only the wording":
        (tmp_path / "pages.jsonl").write_text("".join(json.dumps(one) + "\n" for one in scene.pages))
        audit = mardok.audit(tmp_path / "pages.jsonl")
    else:
        audit = scene.audit(tmp_path, settings=Settings.model_validate(changed))
    assert len(rival_rows(audit)) == 2
    plan = audit.plan[audit.plan["basis"].str.contains('"rivals"')]
    assert plan["action"].tolist() == [action]
    assert plan["evidence"].tolist() == [evidence]
    assert plan["unless"].str.len().gt(10).all()
    if action == "merge":
        keeper = plan["keeper"].item()
        steps = audit.steps[audit.steps["step"] == "redirect"]
        assert steps["target"].tolist() == [keeper]
        assert steps["url"].tolist() != [keeper]
    else:
        assert not audit.steps["step"].isin(["redirect", "canonical"]).any()


LIST = "".join(f"<p>{words_about('item', 3)} <a href='/blog/pegs'>pegs</a> <a href='/x{n}'>x</a></p>" for n in range(3))
ALTERNATES = (
    f'<link rel=alternate hreflang=en-gb href="{HOST}/blog/tune"><link rel=alternate hreflang=en-us href="{HOST}/blog/pegs">'
)
QUIET: dict[str, Scene] = {
    "a listing and what it lists": Scene(
        [page("/blog/", "On tuning a violin", body=LIST), page("/blog/pegs", "Tuning a violin"),
         *(page(f"/x{n}", f"Thing {word}") for n, word in enumerate(("one", "two", "six")))],
    ),
    "hreflang alternates": Scene(
        [page("/blog/tune", "Tune a violin", head=ALTERNATES), page("/blog/pegs", "Tuning a violin", head=ALTERNATES)]
    ),
    "a trivial page beside a leader": tuning(positions=(1.4, 9.0), lead_weeks=40, impressions=(90, 12)),
    "two languages": Scene(
        [page("/blog/tune", "Tune a violin"),
         page("/de/stimmen", "Tune a violin", body="<p>" + "das ist eine Geige und sie ist zu stimmen " * 9, lang="de")]
    ),
    "the name of the site": Scene(
        [*(page(f"/blog/{n}", f"{topic.title()} | Wyndale") for n, topic in enumerate(TOPICS))], query="wyndale pegs"
    ),
    "a generic word": Scene([page("/blog/tune", "Complete guide"), page("/blog/pegs", "The guide")], query="one"),
    "a series": Scene([page(f"/hire/{town}", f"Violin hire in {town}") for town in ("aldmoor", "brackwell", "dunn")]),
}  # fmt: skip


@pytest.mark.parametrize("case", QUIET)
def test_rivals_are_quiet_where_pages_are_told_apart_otherwise(case: str, tmp_path: Path) -> None:
    scene = QUIET[case]
    if case == "a generic word":
        (tmp_path / "pages.jsonl").write_text("".join(json.dumps(one) + "\n" for one in scene.pages))
        audit = mardok.audit(tmp_path / "pages.jsonl")
    else:
        audit = scene.audit(tmp_path)
    assert rival_rows(audit).empty
    if case == "a series":
        series = audit.groups[audit.groups["kind"] == "series"]
        assert series["phrase"].unique().tolist() == ["violin hire in ..."]
        assert series["role"].eq("member").all()


def test_a_person_says_which_page_is_meant_and_other_tools_what_it_is_worth(tmp_path: Path, run: Run) -> None:
    scene = tuning()
    scene.pages.append(page("/blog/bows", "Bows"))
    (tmp_path / "targets.csv").write_text(
        f"phrase,url\nTuning a violin,{HOST}/blog/pegs\nbow rehair,{HOST}/none\nbows,{HOST}/blog/bows\n"
        f",{HOST}/x\nbad,nowhere\n"
    )
    (tmp_path / "signals.csv").write_text(
        f"url;external_links;conversions;index_state\n{HOST}/blog/bows;1.204;7,5;Indexed\n{HOST}/blog/tune;many;;\n"
    )
    audit = scene.audit(tmp_path, targets=tmp_path / "targets.csv", signals=tmp_path / "signals.csv")
    merge = audit.plan[audit.plan["action"] == "merge"]
    assert merge["keeper"].tolist() == [f"{HOST}/blog/pegs"]
    assert "it is the page meant for this phrase" in merge["why"].item()
    told = {target["phrase"]: target for target in audit.meta.totals["targets"]}
    assert not told["bow rehair"]["was_read"]
    assert told["Tuning a violin"]["shown_instead"] == [f"{HOST}/blog/tune"]
    assert 0.3 < told["Tuning a violin"]["share"] < 0.5
    bows = audit.pages.set_index("url").loc[f"{HOST}/blog/bows"]
    assert (bows["external_links"], bows["conversions"], bows["index_state"]) == (1204, 7.5, "indexed")
    reasons = audit.tables["unread"]["reason"].tolist()
    assert [reason.split(":")[0] for reason in reasons] == [
        "column 'external_links'", "column 'phrase' is empty; row ignored", "column 'url'",
    ]  # fmt: skip
    done = run("audit", tmp_path / "pages.jsonl", "--search", tmp_path / "search.csv", "--targets", tmp_path / "targets.csv",
               "-o", tmp_path / "audit")  # fmt: skip
    assert done.returncode == 1  # two rows could not be read
    assert f"'bow rehair' has no page: {HOST}/none was not read." in done.stdout
    again = run("audit", tmp_path / "audit", "-o", tmp_path / "audit")
    assert "'bow rehair' has no page" in again.stdout
    for name, message in {"signals": "beside 'url' it needs at least one of", "targets": "has no column 'phrase'"}.items():
        (tmp_path / "bad.csv").write_text("url\nx\n")
        wrong = run("audit", tmp_path / "pages.jsonl", f"--{name}", tmp_path / "bad.csv", "-o", tmp_path / "other")
        assert (wrong.returncode, wrong.stdout) == (2, "")
        assert message in wrong.stderr


def test_signals_decide_between_copies_that_search_does_not_tell_apart(
    tmp_path: Path, page_table: Callable[..., Path]
) -> None:
    rows = [page(f"/{name}", "Care", body=f"<p>{words_about('same')}") for name in "abc"]
    (tmp_path / "signals.csv").write_text(f"url,external_links\n{HOST}/c,3\n{HOST}/a,2\n")
    plan = mardok.audit(page_table(rows), signals=tmp_path / "signals.csv").plan
    merge = plan[plan["action"] == "merge"]
    assert merge["keeper"].tolist() == [f"{HOST}/c"]
    assert "3 links from other sites lead to it, 2 to /a" in merge["why"].item()


def figures(clicks: int, impressions: int, position: float) -> dict[str, float]:
    return {"clicks": clicks, "impressions": impressions, "position": position}


def thin_scene(tmp_path: Path, position: float, impressions: int) -> mardok.Audit:
    """A short page and a long one that says all of it, beside others; search rows for 60 weeks."""
    short = words_about("peg", 40)
    pages = [
        page("/short", "Peg paste", body=f"<p>{short}"),
        page("/peg-paste-in-full", "Peg paste in full", body=f"<p>{short} {words_about('more', 20)}"),
        page("/contact", "Contact", body="<p>Write to the workshop."),
        page("/tool", "Paste calculator", body="<form><input type=number><select><option>1</select></form><p>Add it up."),
        page("/long", "Bows", body=f"<p>{words_about('long')}"),
    ]  # fmt: skip
    (tmp_path / "pages.jsonl").write_text("".join(json.dumps(one) + "\n" for one in pages))
    dates = pd.date_range("2025-01-06", periods=60, freq="7D").strftime("%Y-%m-%d")
    rows = [
        {"date": date, "query": "bows", "page": f"{HOST}/long", "clicks": 1, "impressions": 9, "position": 3}
        for date in dates
    ]
    rows += [
        {"date": date, "query": "peg paste", "page": f"{HOST}/short", **figures(0, impressions, position)}
        for date in dates if impressions
    ]  # fmt: skip
    pd.DataFrame(rows).to_csv(tmp_path / "search.csv", index=False)
    return mardok.audit(tmp_path / "pages.jsonl", search=tmp_path / "search.csv")


@pytest.mark.parametrize(
    ("position", "impressions", "action"),
    [(4.0, 30, "leave"), (12.0, 30, "expand"), (45.0, 30, "merge"), (12.0, 0, "merge")],
)
def test_what_becomes_of_a_thin_page_depends_on_who_asks_for_it(
    tmp_path: Path, position: float, impressions: int, action: str
) -> None:
    audit = thin_scene(tmp_path, position, impressions)
    pages = audit.pages.set_index("url")
    assert pages["thin"].to_dict() == {
        f"{HOST}/short": "yes", f"{HOST}/peg-paste-in-full": "yes",
        f"{HOST}/contact": "no", f"{HOST}/tool": "no", f"{HOST}/long": "no",
    }  # fmt: skip
    assert pages.loc[f"{HOST}/contact", "thin_reason"] == "a utility page does its task in few words"
    is_told = ~audit.steps["step"].eq("move_text") & ~audit.steps["detail"].str.startswith("keeper")
    repairs = audit.plan.loc[audit.plan["action"] == "repair", "proposal"]
    steps = audit.steps[(audit.steps["url"] == f"{HOST}/short") & is_told & ~audit.steps["proposal"].isin(repairs)]
    done = audit.plan.set_index("proposal").loc[steps["proposal"], "action"].tolist()
    assert done == [action]
    if action == "expand":
        assert "'peg paste'" in steps["detail"].item()
        assert audit.plan.set_index("proposal").loc[steps["proposal"].item(), "gain_high"] > 0


def test_repeated_leaves_are_one_row(tmp_path: Path) -> None:
    pages = [page(f"/{kind}/{n}", f"{topic} {kind}") for n, topic in enumerate(TOPICS) for kind in ("care", "repair")]
    by_topic: dict[str, list[str]] = defaultdict(list)
    for one in pages:
        by_topic[one["url"].rsplit("/", 1)[1]].append(one["url"])
    rows = [
        {"date": f"2026-{month:02}-01", "query": TOPICS[int(n)], "page": url, **figures(3, 40, place)}
        for n, pair in by_topic.items() for month in range(1, 9) for url, place in zip(pair, (3.0, 6.0), strict=True)
    ]  # fmt: skip
    (tmp_path / "pages.jsonl").write_text("".join(json.dumps(one) + "\n" for one in pages))
    pd.DataFrame(rows).to_csv(tmp_path / "search.csv", index=False)
    audit = mardok.audit(tmp_path / "pages.jsonl", search=tmp_path / "search.csv")
    assert audit.groups.loc[audit.groups["kind"] == "rivals", "group"].nunique() == len(TOPICS)
    plan = audit.plan[audit.plan["action"] != "repair"]
    assert plan["summary"].tolist() == [f"Leave {len(TOPICS)} groups of rivals unchanged: one page leads steadily"]
    assert set(audit.steps["url"]) == {one["url"] for one in pages}
