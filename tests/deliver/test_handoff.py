"""Work orders: redirects on real servers, a workbook, briefs, lists."""

from __future__ import annotations

import csv
import http.client
import io
import json
import os
import shutil
import subprocess
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from openpyxl import load_workbook

import mardok
from mardok.deliver import shown_pages
from mardok.deliver.redirects import (
    APACHE_FILE,
    APACHE_MAP,
    NGINX_FILE,
    Redirects,
    apache_map,
    apache_rules,
    nginx_map,
    plain_addresses,
)
from mardok.deliver.report_parts import report_parts
from mardok.deliver.workbook import workbook
from mardok.demo import troubles
from mardok.demo.troubles import url

HOST = "https://www.host.example"
MODULES = Path("/usr/lib/apache2/modules")
KEEPER = f"{HOST}/keeper/$1/$host;b'c?x=%24&y=(1)"
NASTY = [
    "/a%20b", "/100%25", "/it's", "/$price", "/${x}", "/a;b", "/%C3%A9t%C3%A9", "/UPPER/", "/q?a=1&b=2", "/q", "/{x}",
    "/~user", "/a*b", "/default", "/[x]", "/a,b", "/new%0Aline", "/%0D%0AX-Evil:1", "/plus+sign", "/back%5Cslash",
    "/%22quoted%22", "/.hidden", "/a//b", "/!x", "/(?i)x", "/a=b", "/;}", "/%20return%20200;", "/volatile", "/hostnames",
    "/x?y=$1",
]  # fmt: skip


def executable(name: str) -> str:
    """A server program; on a machine without it the tests are skipped, in CI they fail."""
    found = shutil.which(name) or shutil.which(name, path="/usr/sbin:/usr/bin")
    if found is None:
        if os.environ.get("CI"):
            pytest.fail(f"{name} is missing; .ci/run installs it")
        pytest.skip(f"needs {name}")
    return found


class Server:
    """A real server that knows some redirects."""

    def __init__(self, kind: str, folder: Path, port: int) -> None:
        self.port = port
        if kind == "nginx":
            (folder / "server.conf").write_text(
                f"daemon off; pid {folder}/pid; error_log {folder}/error.log; events {{}} http {{ access_log off;\n"
                f"include {folder}/{NGINX_FILE};\nserver {{ listen 127.0.0.1:{port};\n"
                "if ($mardok_target) { return 301 $mardok_target; } if ($mardok_gone) { return 410; }\n"
                "location / { return 204; } } }\n"
            )
            command = [executable("nginx"), "-c", f"{folder}/server.conf", "-p", str(folder)]
        else:
            load = "".join(
                f"LoadModule {name}_module {MODULES}/mod_{name}.so\n" for name in ("mpm_event", "authz_core", "rewrite")
            )
            (folder / "server.conf").write_text(
                f"ServerRoot {folder}\nServerName x.example\nPidFile {folder}/pid\nListen 127.0.0.1:{port}\n"
                f"ErrorLog {folder}/error.log\nUser www-data\nGroup www-data\n{load}"
                f"Define MARDOK_REDIRECTS {folder}/{APACHE_MAP}\n"
                f"<VirtualHost *:{port}>\nDocumentRoot {folder}\nInclude {folder}/{APACHE_FILE}\n</VirtualHost>\n"
            )
            command = [executable("apache2"), "-f", f"{folder}/server.conf", "-DFOREGROUND"]
        self._process = subprocess.Popen(command, stderr=subprocess.DEVNULL)
        for _ in range(100):
            try:
                self.ask(f"{HOST}/up")
                return
            except OSError:
                time.sleep(0.1)
        raise AssertionError(f"{kind} does not start: {(folder / 'error.log').read_text()}")

    def ask(self, address: str) -> tuple[int, str | None]:
        """Status and Location for an address, as a proxy that ends https would ask for it."""
        scheme, _, rest = address.partition("://")
        host, _, path = rest.partition("/")
        with closing(http.client.HTTPConnection("127.0.0.1", self.port, timeout=10)) as connection:
            connection.putrequest("GET", f"/{path}", skip_host=True)
            connection.putheader("Host", host)
            connection.putheader("X-Forwarded-Proto", scheme)
            connection.endheaders()
            answer = connection.getresponse()
            answer.read()
            assert answer.getheader("X-Evil") is None
            return answer.status, answer.getheader("Location")

    def stop(self) -> None:
        self._process.terminate()
        self._process.wait()


@pytest.fixture
def serve(tmp_path: Path) -> Iterator[Callable[..., Server]]:
    """Starts a server with redirects in a folder that its user may read."""
    started: list[Server] = []
    for folder in (tmp_path, *tmp_path.parents):
        if folder.stat().st_uid == os.getuid() and folder != Path("/") and str(folder).startswith("/tmp/"):
            folder.chmod(0o755)

    def start(kind: str, files: dict[str, str]) -> Server:
        for name, text in files.items():
            (tmp_path / name).write_text(text)
        started.append(Server(kind, tmp_path, 8490 + (os.getpid() + len(started)) % 400))
        return started[-1]

    yield start
    for server in started:
        server.stop()


def server_files(redirects: Redirects, known: Sequence[str] = ()) -> dict[str, str]:
    return {NGINX_FILE: nginx_map(redirects, known), APACHE_FILE: apache_rules(redirects), APACHE_MAP: apache_map(redirects)}


@pytest.mark.parametrize("kind", ["nginx", "apache2"])
def test_nothing_in_an_address_becomes_configuration(kind: str, serve: Callable[..., Server]) -> None:
    single = {f"{HOST}{path}": KEEPER for path in NASTY}
    single |= {f"{HOST}/case/": KEEPER, f"{HOST}/Case/": f"{HOST}/other/", f"{HOST}/Moved/": f"{HOST}/moved/"}
    origins = [("http://www.host.example", HOST), ("https://host.example", HOST), ("http://host.example", HOST)]
    server = serve(kind, server_files(Redirects(single, origins), [f"{HOST}/upper/"]))
    for source, target in single.items():
        assert server.ask(source) == (301, target), source
    for origin, _ in origins:
        for path in ("/x?y=%20z", "/%22a%22?b=$1", "/p/q/"):
            assert server.ask(f"{origin}{path}") == (301, f"{HOST}{path}")
    for stays in (KEEPER, f"{HOST}/upper/", f"{HOST}/moved/", f"{HOST}/other/", f"{HOST}/price", f"{HOST}/q?a=1"):
        assert server.ask(stays)[0] in (204, 404), stays
    assert plain_addresses([*single, KEEPER]) == []
    assert plain_addresses([f'{HOST}/"', f"{HOST}/ ", f"{HOST}/\n", f"{HOST}/é", f"{HOST}/\\"]) != []


@pytest.fixture(scope="module")
def handed(demo: mardok.Audit, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("handoff") / "out"
    mardok.hand_off(demo, folder, all_proposals=True)
    return folder


@pytest.mark.parametrize("kind", ["nginx", "apache2"])
def test_every_redirect_of_the_demo_ends_at_its_keeper_in_one_hop(
    kind: str, serve: Callable[..., Server], handed: Path, demo: mardok.Audit
) -> None:
    server = serve(kind, {name: (handed / name).read_text() for name in (NGINX_FILE, APACHE_FILE, APACHE_MAP)})
    moved = demo.steps[demo.steps["step"] == "redirect"]
    assert len(moved) > 15
    for source, target in moved[["url", "target"]].itertuples(index=False):
        assert server.ask(source) == (301, target), source
        assert server.ask(target)[0] in (204, 404, 403), target
    for path, keeper in troubles.COPIES.items():  # the old scheme and the bare host lead to the end at once, too
        for origin in (troubles.BARE, troubles.INSECURE, troubles.BARE.replace("https", "http")):
            assert server.ask(f"{origin}{path}") == (301, url(keeper))
    assert server.ask(f"{troubles.BARE}/hire/prices/?a=b") == (301, url("/hire/prices/?a=b"))
    assert server.ask(f"{troubles.BARE}/new/page") == (301, url("/new/page"))  # the origin goes as a whole
    for path in ("/new/index.html", "/new/page", "/blog"):  # of these too few were seen for a rule
        assert server.ask(url(path))[0] in (204, 404, 403)
    assert server.ask(url("/old-prices.html")) == (301, url("/hire/prices/"))  # no chain any more
    assert server.ask(url("/strings-sale/")) == (301, url("/spring-offer/"))  # the one of the loop that has to answer
    assert server.ask(url("/blog/tag/cello/")) == (410, None)
    assert server.ask(url("/style.css"))[0] in (204, 404)


def read_csv(path: Path) -> list[dict[str, str]]:
    with path.open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file))


def test_the_lists_say_what_is_to_be_done(handed: Path, demo: mardok.Audit) -> None:
    canonicals = {row["url"]: row for row in read_csv(handed / "canonicals.csv")}
    printed = canonicals[url("/blog/how-to-apply-rosin/?print=1")]
    assert printed["link_element"] == f'<link rel="canonical" href="{url("/blog/how-to-apply-rosin/")}">'
    assert printed["link_header"] == f'Link: <{url("/blog/how-to-apply-rosin/")}>; rel="canonical"'
    out = {row["url"]: row["what"] for row in read_csv(handed / "out-of-index.csv")}
    assert out[url("/blog/tag/cello/")] == "retire"
    leaving = (handed / "sitemap-removals.txt").read_text().splitlines()
    assert {url("/about-us/"), url("/thank-you/")} <= set(leaving)
    relinks = read_csv(handed / "relinks.csv")
    moved = dict(demo.steps.loc[demo.steps["step"] == "redirect", ["url", "target"]].itertuples(index=False))
    stays = demo.pages[~demo.pages["url"].isin(moved)]
    links = demo.tables["links"]
    for page, old, anchor in links.loc[~links["chrome"], ["page", "url", "anchor"]].itertuples(index=False):
        if old in moved and page in stays.index and moved[old] != demo.pages["url"][page]:
            expected = {
                "page": demo.pages["url"][page],
                "old_target": old,
                "new_target": moved[old],
                "anchor": anchor,
                "note": "",
            }
            assert expected in relinks
    assert any("without a link" in row["note"] for row in relinks)


def test_briefs_quote_what_is_pasted_and_what_is_to_be_kept(handed: Path, demo: mardok.Audit) -> None:
    briefs = {path.name: path.read_text("utf-8") for path in (handed / "briefs").iterdir()}
    asked = demo.plan[demo.plan["action"].isin(["rewrite", "expand"])]
    assert len(briefs) >= len(asked)
    merge = next(text for name, text in briefs.items() if "merge-blog-how-to-tune" in name)
    assert "> Nobody tells you that the first week with a violin is a week of tuning." in merge
    assert "| violin tuning | 563 |" in merge
    assert "## Done means" in merge
    towns = next(text for name, text in briefs.items() if "violin-hire-aldbrunn" in name)
    assert "### The following also stands on other pages" in towns
    assert "You pay by the month and stop when you like" in towns
    assert "| violin hire brackenwell |" in towns
    letter = (handed / "letter.md").read_text("utf-8")
    assert letter.count(" confidence\n") == 7
    gaining = demo.plan[((demo.plan["gain"] != 0) | (demo.plan["band"] == 1)) & ~demo.plan["action"].eq("leave")]
    assert f"{len(gaining) - 7} more proposals with a gain" in letter


def test_the_workbook_holds_every_row_and_no_formula(page_table: Callable[..., Path], tmp_path: Path) -> None:
    text = " ".join(f"word{n}" for n in range(50))
    titles = ['=HYPERLINK("http://evil.example")', "+1", "-1", "@x", "plain\u0001", "x" * 40_000]
    rows = [
        {"url": f"https://host.example/{n}{side}", "title": title, "text": f"{text} {n}", "status": 200}
        for n, title in enumerate(titles) for side in "ab"
    ]  # fmt: skip
    audit = mardok.audit(page_table(rows))
    mardok.hand_off(audit, tmp_path / "out", all_proposals=True)
    book = load_workbook(tmp_path / "out" / "audit.xlsx")
    assert book.sheetnames == [
        "plan", "steps", "pages", "groups", "pairs", "phrases", "boilerplate", "checks", "contradictions", "slips",
    ]  # fmt: skip
    for sheet in book.worksheets:
        assert sheet.freeze_panes == "A2"
        assert not any(cell.data_type == "f" for row in sheet.iter_rows() for cell in row)
    pages = book["pages"]
    assert pages.max_row == len(audit.pages) + 1
    header = [cell.value for cell in pages[1]]
    told = [row[header.index("title")].value for row in pages.iter_rows(min_row=2)]
    assert told[0] == "'" + titles[0]
    assert pages.cell(2, 1).hyperlink.target == "https://host.example/0a"
    soffice = executable("soffice")
    third_sheet = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,false,false,false,3"
    profile = f"-env:UserInstallation=file://{tmp_path}/profile"
    book_path = tmp_path / "out" / "audit.xlsx"
    command = [soffice, profile, "--headless", "--convert-to", third_sheet, "--outdir", tmp_path, book_path]
    subprocess.run(command, check=True, capture_output=True, timeout=180)
    converted = next(tmp_path.glob("audit*.csv")).read_text("utf-8")
    seen = list(csv.DictReader(io.StringIO(converted)))
    assert [row["url"] for row in seen] == audit.pages["url"].tolist()


def test_of_many_pages_those_of_the_plan_and_the_first_others_by_clicks_are_listed(
    demo: mardok.Audit, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(shown_pages, "MOST_OTHERS", 2)
    book = load_workbook(io.BytesIO(workbook(demo.tables)))
    planned = {*demo.plan["keeper"], *demo.steps["url"], *demo.steps["target"]}
    others = demo.pages[~demo.pages["url"].isin(planned)]
    first = others.sort_values(["clicks", "link_weight"], ascending=False, kind="stable").head(2)["url"]
    expected = demo.pages.loc[demo.pages["url"].isin({*planned, *first}), "url"].tolist()
    assert len(expected) < len(demo.pages)
    assert [row[0].value for row in book["pages"].iter_rows(min_row=2)] == expected
    assert [[cell.value for cell in row] for row in book["left out"].iter_rows(min_row=2)] == [
        ["pages", len(expected), len(demo.pages), "pages.csv"]
    ]
    left = report_parts(demo.tables).left_out
    assert left["pages"] == len(demo.pages) - len(expected)


def test_only_what_a_person_accepted_is_handed_over(demo: mardok.Audit, tmp_path: Path, run: Callable[..., Any]) -> None:
    with pytest.raises(mardok.HandoffError, match="no proposal is accepted"):
        mardok.hand_off(demo, tmp_path / "none")
    assert not (tmp_path / "none").exists()
    demo.save(tmp_path / "audit")
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "precious.txt").write_text("x")
    refused = run("handoff", tmp_path / "audit", "-o", tmp_path / "mine", "--all")
    assert (refused.returncode, refused.stdout) == (2, "")
    assert "holds something else" in refused.stderr
    done = run("handoff", tmp_path / "audit", "-o", tmp_path / "out", "--all", "--json")
    files = json.loads(done.stdout)["files"]
    assert {"redirects.csv", "letter.md", "audit.xlsx"} <= files.keys()
    assert run("handoff", tmp_path / "audit", "-o", tmp_path / "out", "--all").returncode == 0
    again = pd.read_csv(tmp_path / "out" / "redirects.csv")
    assert again["to"].dropna().str.startswith(troubles.HOST).all()


def edited(folder: Path, changes: dict[str, dict[str, str]], name: str = "plan.csv") -> Path:
    """The plan of a folder with some cells changed, by proposal, saved as a spreadsheet of another country does."""
    plan = pd.read_csv(folder / "plan.csv", dtype=str, keep_default_na=False)
    for proposal, cells in changes.items():
        for column, value in cells.items():
            plan.loc[plan["proposal"] == proposal, column] = value
    path = folder / name
    if path.suffix == ".xlsx":
        plan.to_excel(path, sheet_name="plan", index=False)
    else:
        plan.to_csv(path, sep=";", index=False, encoding="utf-8-sig", lineterminator="\r\n", quoting=csv.QUOTE_ALL)
    return path


def copies_of(n: int, text: str = "") -> list[dict[str, Any]]:
    """Pages with one text each two, and links that make the first the keeper."""
    said = " ".join(f"word{number}" for number in range(60))
    return [
        {
            "url": f"https://host.example/{pair}{side}", "status": 200, "title": f"Thing {pair}",
            "text": f"{' '.join(f'p{pair}x{number}' for number in range(60))} {said if pair == 'z' else ''} {text}",
        }
        for pair in "abcdefgh"[:n] for side in "12"
    ]  # fmt: skip


@pytest.mark.parametrize("name", ["plan.csv", "mine.xlsx"])
def test_decisions_follow_their_proposals_into_the_next_audit(
    name: str, page_table: Callable[..., Path], tmp_path: Path, run: Callable[..., Any]
) -> None:
    source, folder = page_table(copies_of(5)), tmp_path / "audit"
    assert run("audit", source, "-o", folder).returncode == 0
    plan = pd.read_csv(folder / "plan.csv", keep_default_na=False)
    merges = plan[plan["action"] == "merge"].sort_values("keeper", ignore_index=True)
    assert merges["keeper"].str[-1].eq("1").all()
    ids = merges["proposal"].tolist()
    path = edited(folder, {
        ids[0]: {"decision": "Accept", "note": "=do it" if name.endswith("csv") else "do it"},
        ids[1]: {"decision": "reject", "note": "they differ in print"},
        ids[2]: {"keeper": merges["keeper"][2].replace("1", "2"), "decision": "accept"},
        ids[3]: {"action": "canonical"},
        ids[4]: {"action": "leave"},
    }, name)  # fmt: skip
    if name == "plan.csv":
        done = run("audit", source, "-o", folder)
    else:
        done = run("audit", source, "-o", folder, "--decisions", path)
    assert done.returncode == 0, done.stderr
    again = pd.read_csv(folder / "plan.csv", keep_default_na=False).set_index("proposal")
    assert again.loc[ids[0], "decision"] == "accept"
    assert again.loc[ids[0], "note"] == ("'=do it" if name.endswith("csv") else "do it")
    assert again.loc[ids[1], "decision"] == "reject"
    assert again["rank"].idxmax() == ids[1]
    assert again.loc[ids[2], ["keeper", "decision"]].tolist() == ["https://host.example/c2", "accept"]
    assert "stays: a person chose it" in again.loc[ids[2], "why"]
    assert again.loc[ids[3], "action"] == "canonical"
    assert again.loc[ids[4], "action"] == "leave"
    handed = run("handoff", folder, "-o", tmp_path / "out")
    assert handed.returncode == 0, handed.stderr
    told = {row["from"]: row["to"] for row in read_csv(tmp_path / "out" / "redirects.csv")}
    assert told == {
        "https://host.example/a2": "https://host.example/a1",
        "https://host.example/c1": "https://host.example/c2",
    }


def test_when_a_step_was_done_survives_the_next_audit(page_table: Callable[..., Path], tmp_path: Path) -> None:
    folder, rows = tmp_path / "audit", copies_of(3)
    mardok.audit(page_table(rows)).save(folder)
    steps = pd.read_csv(folder / "steps.csv", dtype=str, keep_default_na=False)
    is_first = steps.index == steps.index[steps["step"] == "redirect"][0]
    steps.assign(done=["5 May" if first else "" for first in is_first]).to_csv(folder / "steps.csv", index=False)
    again = mardok.audit(
        page_table([*rows, {"url": "https://host.example/new", "text": "new"}]), decisions=folder / "plan.csv"
    )
    kept = again.steps[again.steps["done"] != ""]
    assert kept[["url", "step", "done"]].values.tolist() == [[steps.loc[is_first, "url"].item(), "redirect", "5 May"]]


def test_a_rejected_proposal_comes_back_only_when_its_evidence_changed(
    page_table: Callable[..., Path], tmp_path: Path
) -> None:
    rows, folder = copies_of(2), tmp_path / "audit"
    mardok.audit(page_table(rows)).save(folder)
    plan = mardok.load(folder).plan
    merges = plan.loc[plan["action"] == "merge", "proposal"]
    path = edited(folder, {proposal: {"decision": "reject", "note": "no"} for proposal in merges})
    more = [{**rows[0], "url": f"https://host.example/a{n}"} for n in (3, 4)]
    audit = mardok.audit(page_table([*rows, *more]), decisions=path)
    merges = audit.plan[audit.plan["action"] == "merge"].set_index("keeper")
    grown = merges.loc["https://host.example/a1"]
    assert grown["decision"] == ""
    assert grown["note"] == "no; rejected before; since then identical 1 to 3, pages 2 to 4"
    assert merges.loc["https://host.example/b1", "decision"] == "reject"
    gone = mardok.audit(page_table(rows[:2]), decisions=path)
    kept = gone.meta.totals["decisions_without_proposal"]
    assert [row["keeper"] for row in kept] == ["https://host.example/b1"]


def test_decisions_that_cannot_be_followed_are_named_and_the_rest_is_used(
    page_table: Callable[..., Path], tmp_path: Path
) -> None:
    rows, folder = copies_of(5), tmp_path / "audit"
    mardok.audit(page_table(rows)).save(folder)
    plan = mardok.load(folder).plan
    ids = plan[plan["action"] == "merge"].sort_values("keeper")["proposal"].tolist()
    path = edited(folder, {
        ids[0]: {"decision": "yes please"}, ids[1]: {"keeper": "https://host.example/c1"}, ids[2]: {"action": "retire"},
        ids[3]: {"keeper": "https://host.example/d2"}, ids[4]: {"decision": "later"},
    })  # fmt: skip
    rows[7]["robots"] = "noindex"  # d2, which was to be the keeper
    audit = mardok.audit(page_table(rows), decisions=path)
    told = audit.tables["unread"]["reason"].tolist()
    assert any("decision 'yes please': is none of accept, reject, later" in reason for reason in told)
    assert any("keeper https://host.example/c1: is none of the pages of proposal" in reason for reason in told)
    assert any("action 'retire': cannot take the place of 'merge'" in reason for reason in told)
    assert any("chosen to stay is not indexable" in reason for reason in told)
    assert len(told) == 4
    merges = audit.plan[audit.plan["action"] == "merge"].set_index("keeper")
    assert merges.loc["https://host.example/e1", "decision"] == "later"
    with pytest.raises(mardok.TableError, match="yes please"):
        mardok.hand_off(mardok.load(folder), tmp_path / "out", decisions=path)


def test_what_is_left_is_what_an_audit_of_the_changed_site_finds(page_table: Callable[..., Path]) -> None:
    rows = copies_of(4)
    search = [
        {"query": f"thing {pair}", "page": f"https://host.example/{pair}{side}", "clicks": 1, "impressions": 20,
         "position": 3}
        for pair in "abcd" for side in "12"
    ]  # fmt: skip
    source = page_table(rows)
    path = source.with_name("search.csv")
    pd.DataFrame(search).to_csv(path, index=False)
    audit = mardok.audit(source, search=path)
    told = audit.meta.totals["outcome"]
    assert told["today"] == {
        "indexable_pages": 8, "pages_with_copies": 8, "copied_words": 0, "thin_pages": 0, "contested_queries": 4,
    }  # fmt: skip
    moved = dict(audit.steps.loc[audit.steps["step"] == "redirect", ["url", "target"]].itertuples(index=False))
    changed = [
        {"url": row["url"], "status": 301, "redirect_url": moved[row["url"]]} if row["url"] in moved else row for row in rows
    ]
    after = mardok.audit(page_table(changed), search=path)
    assert told["all"] == after.meta.totals["outcome"]["today"]
    assert told["all"]["contested_queries"] == told["all"]["pages_with_copies"] == 0
    assert told["accepted"] is None
