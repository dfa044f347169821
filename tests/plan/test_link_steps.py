"""Links to be set: which pages get them, which do not, from where, and what an editor is handed."""

from __future__ import annotations

import csv
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import Response

import mardok
from mardok.demo import troubles

HOST = "https://www.host.example"
Warc = Callable[..., Path]
HTML = [("Content-Type", "text/html")]
WORDS = (
    "wood", "glue", "varnish", "horsehair", "rosin", "ebony", "pernambuco", "maple", "spruce", "gut", "silver", "nylon",
    "felt", "cork", "bone", "ivory",
)  # fmt: skip


def page(path: str, title: str, text: str = "", more: str = "") -> Response:
    """A page that says something of its own, by its path."""
    own = " ".join(f"{word} {path.strip('/').replace('/', ' ')}" for word in WORDS)
    body = f"<html lang=en><title>{title}</title><body>{more}<main><h1>{title}</h1><p>{own}. {text}</p></main>"
    return f"{HOST}{path}", 200, HTML, body.encode()


def links(*paths: str) -> str:
    return f"<nav>{' '.join(f'<a href={path}>{path}</a>' for path in paths)}</nav>"


def searched(tmp_path: Path, **positions: tuple[float, int]) -> Path:
    path = tmp_path / "search.csv"
    lines = [f"{name} query,{HOST}/{name}/,{shown // 20},{shown},{place}" for name, (place, shown) in positions.items()]
    path.write_text("\n".join(["query,page,clicks,impressions,position", *lines, ""]))
    return path


SITE = (
    page("/", "Wyndale workshop", more=links("/repair/", "/summer/", "/winter/")),
    page("/repair/", "Crack repair"),
    page("/summer/", "Summer on the road", "A crack repair costs more than a tent."),
    page("/winter/", "Winter at home", "Dry air pays for many crack repairs."),
)
ADVICE = {
    "in the middle ranks": ((9.0, 600), ["/winter/", "/summer/"]),
    "at the lower end": ((20.0, 600), ["/winter/", "/summer/"]),
    "in front": ((2.4, 600), []),
    "far behind": ((31.0, 600), []),
    "hardly shown": ((9.0, 9), []),
}


@pytest.mark.parametrize("case", ADVICE)
def test_pages_in_the_middle_ranks_get_links(case: str, warc: Warc, tmp_path: Path) -> None:
    shown, sources = ADVICE[case]
    settings = mardok.read_settings(assignments=["search.days=30"])
    audit = mardok.audit(warc(*SITE), search=searched(tmp_path, repair=shown), settings=settings)
    proposals = audit.plan[audit.plan["action"] == "link"]
    steps = audit.steps[audit.steps["proposal"].isin(proposals["proposal"])]
    assert set(steps.loc[steps["step"] == "relink", "url"]) == {f"{HOST}{path}" for path in sources}
    assert set(proposals["rule"]) == ({"link-shown"} if sources else set())
    for row in proposals.itertuples():
        assert (row.keeper, row.gain_unit, row.evidence) == (f"{HOST}/repair/", "link weight", "search")
        waiting = audit.tables["link_plan"].query("target == @row.keeper")["weight"]
        assert row.gain == row.gain_low == row.gain_high == pytest.approx(waiting.sum())
        assert "600 times a month for" not in row.why or "'repair query'" in row.why
        assert "No page links to it from its text today." in row.why


def test_without_search_data_only_a_named_page_gets_links(warc: Warc, tmp_path: Path) -> None:
    assert not (mardok.audit(warc(*SITE)).plan["action"] == "link").any()
    targets = tmp_path / "targets.csv"
    targets.write_text("phrase,url\ncrack repair,/repair/\n")
    plan = mardok.audit(warc(*SITE), targets=targets).plan
    assert plan.loc[plan["action"] == "link", ["rule", "keeper"]].to_numpy().tolist() == [["link-named", f"{HOST}/repair/"]]


def test_enough_links_are_enough(warc: Warc, tmp_path: Path) -> None:
    targets = tmp_path / "targets.csv"
    targets.write_text("phrase,url\ncrack repair,/repair/\n")
    linking = [page(f"/{n}/", f"Story {word}", "<a href=/repair/>See</a>.") for n, word in enumerate(WORDS[:3])]
    for n, expected in ((2, True), (3, False)):
        plan = mardok.audit(warc(*SITE, *linking[:n]), targets=targets).plan
        assert (plan["action"] == "link").any() == expected


def test_pages_that_are_left_or_leave_get_no_links(warc: Warc, tmp_path: Path) -> None:
    targets = tmp_path / "targets.csv"
    targets.write_text("phrase,url\ncrack repair,/repair/\n")
    settings = mardok.read_settings(assignments=['plan.leave=["*/repair/"]'])
    plan = mardok.audit(warc(*SITE), targets=targets, settings=settings).plan
    assert not (plan["action"] == "link").any()
    url, status, headers, body = SITE[1]
    hidden = (url, status, headers, body.replace(b"<title>", b"<meta name=robots content=noindex><title>"))
    plan = mardok.audit(warc(SITE[0], hidden, *SITE[2:]), targets=targets).plan
    assert not (plan["action"] == "link").any()


SITEMAP = "/sitemap.xml"
CRUMBS = '<div class="breadcrumb"><a href=/>Start</a> <a href=/winter/>Winter</a></div>'
PARENTS = {
    "its breadcrumbs name": ([page("/a/lost/", "Lost sheet music", more=CRUMBS)], "/winter/", "breadcrumbs"),
    "its address lies under": ([page("/summer/lost/", "Lost sheet music")], "/summer/", "address"),
    "mentions it": (
        [page("/lost-sheet-music/", "Lost sheet music"), page("/found/", "Found at last", "Our lost sheet music is back.")],
        "/found/", "mention",
    ),
    "no nearer one is": ([page("/lost/", "Lost sheet music")], "/", "home"),
}  # fmt: skip


def with_sitemap(warc: Warc, *responses: Response) -> Path:
    urls = "".join(f"<url><loc>{url}</loc></url>" for url, *_ in responses)
    listed = (f"{HOST}{SITEMAP}", 200, [("Content-Type", "application/xml")], f"<urlset>{urls}</urlset>".encode())
    return warc(*responses, listed, kinds={f"{HOST}{SITEMAP}": "sitemap"})


@pytest.mark.parametrize("why", PARENTS)
def test_an_orphan_gets_a_link_from_the_page_that(why: str, warc: Warc) -> None:
    added, parent, sign = PARENTS[why]
    home = page("/", "Wyndale workshop", more=links("/repair/", "/summer/", "/winter/", *(["/found/"] if added[1:] else [])))
    audit = mardok.audit(with_sitemap(warc, home, *SITE[1:], *added))
    orphan = added[0][0]
    (row,) = audit.plan[audit.plan["rule"] == "link-orphan"].itertuples()
    steps = audit.steps[audit.steps["proposal"] == row.proposal]
    assert steps[["url", "step", "target"]].to_numpy().tolist() == [
        [f"{HOST}{parent}", "relink", orphan], [orphan, "leave", ""],
    ]  # fmt: skip
    told = steps["detail"].iloc[0]
    signs = {"breadcrumbs": "breadcrumbs", "address": "lies under", "mention": "without a link", "home": "nearer"}
    assert [name for name, said in signs.items() if said in told] == [sign]
    assert "page-orphan" in set(audit.checks["check"])  # the finding stays, and is not repaired twice
    assert orphan not in set(audit.steps.loc[audit.steps["rule"] == "page-orphan", "url"])


def test_an_orphan_without_any_parent_is_repaired(warc: Warc) -> None:
    alone = (f"{HOST}/", 200, HTML, SITE[0][3].replace(b"<title>", b"<meta name=robots content=noindex><title>"))
    audit = mardok.audit(with_sitemap(warc, alone, *SITE[1:], page("/lost/", "Lost sheet music")))
    assert not (audit.plan["rule"] == "link-orphan").any()
    assert audit.steps.loc[audit.steps["rule"] == "page-orphan", "url"].tolist() == [f"{HOST}/lost/"]


def test_pages_with_clicks_that_lie_deep_get_a_shorter_way(warc: Warc, tmp_path: Path) -> None:
    chain = [page(f"/blog/{n}/", f"Post {WORDS[n]}", more=links(f"/blog/{n + 1}/")) for n in range(6)]
    site = [page("/", "Wyndale workshop", more=links("/blog/")), page("/blog/", "Stories", more=links("/blog/0/")), *chain]
    site.append(page("/blog/6/", "Post horn"))
    search = tmp_path / "search.csv"
    rows = [f"query {n},{HOST}/blog/{n}/,{clicks},900,2" for n, clicks in ((1, 40), (2, 40), (4, 90), (5, 0))]
    search.write_text("\n".join(["query,page,clicks,impressions,position", *rows, ""]))
    settings = mardok.read_settings(assignments=["search.days=30"])
    audit = mardok.audit(warc(*site), search=search, settings=settings)
    (row,) = audit.plan[audit.plan["rule"] == "link-deep"].itertuples()
    steps = audit.steps[(audit.steps["proposal"] == row.proposal) & (audit.steps["step"] == "relink")]
    assert steps[["url", "target"]].to_numpy().tolist() == [
        [f"{HOST}/blog/", f"{HOST}/blog/4/"], [f"{HOST}/blog/", f"{HOST}/blog/2/"],
    ]  # fmt: skip
    lower = tmp_path / "lower.csv"
    lower.write_text(search.read_text().replace("90,900,2", "90,900,9"))
    told = [*site[:1], page("/blog/", "Stories", "Begin with post rosin.", more=links("/blog/0/")), *site[2:]]
    steps = mardok.audit(warc(*told), search=lower, settings=settings).steps
    steps = steps[(steps["step"] == "relink") & (steps["target"] == f"{HOST}/blog/4/")]
    assert steps["rule"].tolist() == ["link-shown"]  # a link is not set twice
    part = [*site[:3], page("/blog/1/", "Post glue", more=links("/never-read/", "/blog/2/")), *site[4:]]
    assert not (mardok.audit(warc(*part), search=search, settings=settings).plan["rule"] == "link-deep").any()


def test_links_are_tickets_of_the_page_they_are_set_on(warc: Warc, tmp_path: Path) -> None:
    targets = tmp_path / "targets.csv"
    targets.write_text("phrase,url\ncrack repair,/repair/\nfrosted varnish,/varnish/\n")
    added = [
        page("/varnish/", "Frosted varnish"),
        page("/cellar/", "Down in the cellar", "Frosted varnish and a crack repair are what a cellar costs."),
    ]
    audit = mardok.audit(warc(*SITE, *added), targets=targets)
    mardok.hand_off(audit, tmp_path / "out", all_proposals=True)
    with (tmp_path / "out" / "tickets.csv").open() as file:
        tickets = {row["title"]: row for row in csv.DictReader(file)}
    both = tickets["Set 2 links on /cellar/"]
    assert both["owner"] == "editor"
    assert len(both["proposal"].split()) == 2
    assert [line for line in both["description"].splitlines() if "without a link" in line and "cellar" in line] == [
        f"{HOST}/cellar/: mentions '{words}' without a link: Frosted varnish and a crack repair are what a cellar costs."
        f" (target: {HOST}{path})"
        for words, path in (("crack repair", "/repair/"), ("Frosted varnish", "/varnish/"))
    ]
    assert {"Set 1 link on /summer/", "Set 1 link on /winter/"} <= set(tickets)
    with (tmp_path / "out" / "relinks.csv").open() as file:
        assert sum(row["page"] == f"{HOST}/cellar/" for row in csv.DictReader(file)) == 2


def test_many_pages_that_need_links_are_few_proposals(warc: Warc, tmp_path: Path) -> None:
    targets = tmp_path / "targets.csv"
    names = [f"{one} {other}" for at, one in enumerate(WORDS) for other in WORDS[at + 1 :]]
    targets.write_text("\n".join(["phrase,url", *(f"{name},/parts/{name.replace(' ', '-')}/" for name in names), ""]))
    pages = [page(f"/parts/{name.replace(' ', '-')}/", name.capitalize()) for name in names]
    story = page("/story/", "A long story", " ".join(f"Then came the {name}." for name in names))
    plan = mardok.audit(warc(*pages, story), targets=targets).plan
    of_links = plan[plan["action"] == "link"]
    assert len(names) == 120
    assert len(of_links) == 101
    (folded,) = of_links[of_links["keeper"] == ""].itertuples()
    assert folded.summary.startswith("Link to 20 pages under /parts/ where ")


def test_the_mentions_planted_in_the_demo_are_proposed(demo: mardok.Audit) -> None:
    for path, sources in troubles.UNLINKED.items():
        (row,) = demo.plan[(demo.plan["action"] == "link") & (demo.plan["keeper"] == f"{troubles.HOST}{path}")].itertuples()
        steps = demo.steps[(demo.steps["proposal"] == row.proposal) & (demo.steps["step"] == "relink")]
        assert set(steps["url"]) == {f"{troubles.HOST}{source}" for source in sources}
