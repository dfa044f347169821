"""A reviewed plan as work orders: files for server people, developers, editors and writers.

In:  an audit, with decisions.
Out: files by name: redirects for nginx and Apache, canonicals, what leaves the index and the sitemap, links to change,
     briefs, a workbook and a letter.
"""

from __future__ import annotations

import csv
import io
import json
import re
from collections import Counter, defaultdict
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from html import escape
from typing import Any

import pandas as pd

from mardok.deliver import redirects
from mardok.deliver.briefs import BRIEFED, Tables, brief, records
from mardok.deliver.letter import letter
from mardok.deliver.redirects import WITH_SLASH, WITHOUT_SLASH, Redirects, Writing, index_file
from mardok.errors import HandoffError
from mardok.folder import neutral_cell
from mardok.plan.proposals import ORIGIN_RULE
from mardok.plan.wording import path_of
from mardok.urls import split_url

_WRITINGS: Mapping[str, Callable[[Iterable[str]], Writing]] = {
    "index file to folder": lambda urls: index_file({url.partition("?")[0].rpartition("/")[2] for url in urls}),
    "slash at the end": lambda _: WITH_SLASH,
    "no slash at the end": lambda _: WITHOUT_SLASH,
}
"""Rules of proposals that servers know without a list of addresses; letter case they cannot change in one way."""
_TEMPLATE_PAGES = 3


def handoff_files(tables: Mapping[str, pd.DataFrame], meta: Mapping[str, Any], *, all_proposals: bool) -> dict[str, bytes]:
    """The files, by their names below the folder.

    Parameters
    ----------
    all_proposals : bool
        Whether all proposals are handed over that nobody rejected or put off; else only those that were accepted.

    Raises
    ------
    HandoffError
        If no proposal is accepted, or an address cannot be written into a server's files.
    """
    from mardok.deliver.workbook import workbook  # only here: its library takes longer to import than some commands to run

    plan = tables["plan"]
    chosen = plan[plan["decision"] != "reject"] if all_proposals else plan[plan["decision"] == "accept"]
    chosen = chosen[(chosen["decision"] != "later") & (chosen["action"] != "leave")]
    if chosen.empty:
        raise HandoffError(
            "no proposal is accepted: write accept into the column decision of plan.csv and audit again, or use --all"
        )
    steps = tables["steps"][tables["steps"]["proposal"].isin(chosen["proposal"])]
    moves = _redirects(chosen, steps, tables["pages"]["url"].tolist())
    strange = redirects.plain_addresses([*moves.single, *moves.single.values(), *moves.written])
    if strange:
        raise HandoffError(f"{strange[0]!r}: cannot be written into a server's files; set its proposal to reject")
    texts = {
        redirects.NGINX_FILE: redirects.nginx_map(moves, tables["pages"]["url"]),
        redirects.APACHE_FILE: redirects.apache_rules(moves),
        redirects.APACHE_MAP: redirects.apache_map(moves),
        redirects.CSV_FILE: redirects.redirects_csv(moves),
        "canonicals.csv": _canonicals(steps),
        "out-of-index.csv": _csv(["url", "what"], _pairs(steps[steps["step"].isin(["noindex", "retire"])], "url", "step")),
        "sitemap-removals.txt": "".join(f"{url}\n" for url in _leaving_sitemap(tables["pages"], steps)),
        "relinks.csv": _relinks(tables, steps),
        "letter.md": letter(chosen, meta),
        **_briefs(chosen, steps, tables),
    }
    files = {name: text.encode("utf-8", "replace") for name, text in texts.items()}
    return {**files, "audit.xlsx": workbook({**tables, "plan": chosen, "steps": steps})}


def _pairs(frame: pd.DataFrame, *names: str) -> list[tuple[str, ...]]:
    return sorted(set(frame[list(names)].itertuples(index=False, name=None)))


def _csv(header: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\n")
    writer.writerow(header)
    writer.writerows([neutral_cell(str(cell)) for cell in row] for row in rows)
    return buffer.getvalue()


def _origin(url: str) -> str:
    parts = split_url(url)
    return f"{parts.scheme}://{parts.netloc}"


def _redirects(plan: pd.DataFrame, steps: pd.DataFrame, known: Sequence[str]) -> Redirects:
    """Redirects of the steps: by rule where a proposal goes by rules and no page that was read speaks against it."""
    rules: dict[str, Collection[str]] = {
        str(proposal): json.loads(basis).get("rules", ())
        for proposal, basis in plan[["proposal", "basis"]].itertuples(index=False, name=None)
    }
    moved = steps[steps["step"] == "redirect"]
    single: dict[str, str] = {}
    origins: dict[str, str] = {}
    by_writing: dict[str, dict[str, str]] = defaultdict(dict)
    for proposal, url, target, detail in moved[["proposal", "url", "target", "detail"]].itertuples(index=False, name=None):
        rule = detail if detail in rules[proposal] else ""  # the step of a variant says its rule, and nothing else
        by_origin = ORIGIN_RULE.fullmatch(rule) and _origin(url) != _origin(target)
        if by_origin:
            origins[_origin(url)] = _origin(target)
        if not (by_origin and url == _origin(url) + path_of(url) and path_of(url) == path_of(target)):
            single[url] = target
        if rule in _WRITINGS and _origin(url) == _origin(target):
            by_writing[rule][url] = target
    for origin, target in list(origins.items()):  # both at once: the other scheme of a host that goes
        other = ("http:" if origin.startswith("https:") else "https:") + origin.partition(":")[2]
        if split_url(origin).netloc != split_url(target).netloc:
            origins.setdefault(other, target)
    rewritten: list[tuple[str, str, Writing]] = []
    written: dict[str, str] = {}
    for rule, moves in sorted(by_writing.items()):
        writing = _WRITINGS[rule](moves)
        for origin in sorted(set(map(_origin, moves))):
            going = {url: target for url, target in moves.items() if _origin(url) == origin}
            if _holds(writing, origin, going, known, single):
                asked = [origin, *(other for other, target in sorted(origins.items()) if target == origin)]
                rewritten += [(one, origin, writing) for one in asked]
                written |= going
                for url, end in list(single.items()):
                    if _origin(url) == origin and url not in going:
                        for other in _otherwise(path_of(url), writing, going):
                            single.setdefault(origin + other, end)
    single = {url: target for url, target in single.items() if url not in written}
    # Whoever asks for a moved page at an origin that goes is sent to the end at once, in one hop.
    for origin, target in origins.items():
        for url, end in list(single.items()):
            if _origin(url) == target:
                single.setdefault(origin + path_of(url), end)
    return Redirects(single, sorted(origins.items()), rewritten, written)


def _otherwise(path: str, writing: Writing, going: Iterable[str]) -> list[str]:
    """How else a moved page may be asked for: the rule would send it to its own address first, and only then to the end."""
    files = {url.partition("?")[0].rpartition("/")[2] for url in going}
    others = [path.removesuffix("/"), f"{path}/", *sorted(path + name for name in files)]
    return [other for other in others if writing.rewritten(other) == path]


def _holds(writing: Writing, origin: str, going: Mapping[str, str], known: Iterable[str], single: Mapping[str, str]) -> bool:
    """Whether a rule leads all pages that are to go by it where they should go, and no page that stays."""
    there = (url for url in known if _origin(url) == origin)
    expected = {url: writing.rewritten(url.removeprefix(origin)) for url in (*going, *there)}
    return all(
        path is None or (url in single and url not in going) or going.get(url) == origin + path
        for url, path in expected.items()
    ) and all(expected[url] is not None for url in going)


def _canonicals(steps: pd.DataFrame) -> str:
    told = _pairs(steps[steps["step"] == "canonical"], "url", "target")
    rows = [
        (url, target, f'<link rel="canonical" href="{escape(target)}">', f'Link: <{target}>; rel="canonical"')
        for url, target in told
    ]
    return _csv(["url", "canonical", "link_element", "link_header"], rows)


def _leaving_sitemap(pages: pd.DataFrame, steps: pd.DataFrame) -> list[str]:
    leaving = set(steps.loc[steps["step"].isin(["redirect", "canonical", "noindex", "retire", "sitemap"]), "url"])
    return sorted(pages.loc[pages["url"].isin(leaving) & (pages["in_sitemap"] != "no"), "url"])


def _relinks(tables: Mapping[str, pd.DataFrame], steps: pd.DataFrame) -> str:
    """Links to change: those to pages that go, one row a page or one for a template, and links that wait to be made."""
    moved = steps[steps["step"] == "redirect"]
    target_of: dict[str, str] = dict(zip(moved["url"], moved["target"], strict=True))
    links, urls = tables["links"], tables["pages"]["url"]
    stays = ~urls.isin(target_of).to_numpy()
    hit = links[links["url"].isin(target_of).to_numpy() & stays[links["page"].to_numpy()]]
    rows: list[tuple[str, str, str, str, str]] = []
    for (old, anchor, in_chrome), part in hit.groupby(["url", "anchor", "chrome"], observed=True):
        pages = sorted({str(urls[page]) for page in part["page"]} - {target_of[str(old)]})
        if in_chrome and len(pages) >= _TEMPLATE_PAGES:
            note = f"in the furniture of {len(pages)} pages: one edit of the template"
            rows.append((pages[0], str(old), target_of[str(old)], str(anchor), note))
        else:
            rows += [(page, str(old), target_of[str(old)], str(anchor), "") for page in pages]
    told = Counter((page, new) for page, _, new, _, _ in rows)
    relinks = steps[steps["step"] == "relink"]
    for page, new, detail in _pairs(relinks, "url", "target", "detail"):
        if (page, new) not in told:
            rows.append((page, "", new, "", detail))
    return _csv(["page", "old_target", "new_target", "anchor", "note"], sorted(rows))


def _briefs(plan: pd.DataFrame, steps: pd.DataFrame, tables: Mapping[str, pd.DataFrame]) -> dict[str, str]:
    asked = Tables(tables)
    found = {}
    for row in records(plan[plan["action"].isin(BRIEFED)]):
        own = records(steps[steps["proposal"] == row["proposal"]].sort_values("order"))
        if not json.loads(row["basis"]).get("rules"):  # rules for many addresses need no writer
            about = row["keeper"] or own[0]["url"]
            slug = re.sub(r"[^a-z0-9]+", "-", path_of(about).lower()).strip("-")[:50] or "home"
            found[f"briefs/{row['rank']:03}-{row['action']}-{slug}.md"] = brief(row, own, asked)
    return found
