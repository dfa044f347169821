"""A reviewed plan as work orders: files for server people, developers, editors and writers.

In:  an audit, with decisions.
Out: files by name: redirects for nginx and Apache, canonicals, what leaves the index and the sitemap, links to change,
     briefs, a workbook, a letter, and the addresses to ask for when the site is crawled again.
"""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from html import escape
from os import PathLike
from pathlib import Path

import pandas as pd

from mardok.audits import Audit
from mardok.cells import neutral_cell
from mardok.deliver import redirects
from mardok.deliver.briefs import BRIEFED, Tables, brief, merged_draft, records, urls_of
from mardok.deliver.letter import MARKDOWN_FILE, Budget, letter, letter_files
from mardok.deliver.server_rules import server_rules
from mardok.deliver.tickets import Anchors, anchors_of, ticket_files, tickets
from mardok.errors import HandoffError, TableError
from mardok.folder import write_files
from mardok.meta import AuditMeta
from mardok.plan.budget import best_set
from mardok.plan.decisions import with_decisions
from mardok.sentences import path_of, sentence
from mardok.sources.decisions import read_decisions
from mardok.sources.raw import OpenIntake
from mardok.store import MadeStore, TableStore
from mardok.tables import LINKS
from mardok.urls import split_url
from mardok.visible import visible
from mardok.vocabulary import STRUCTURAL_STEPS, Action, Answer, CheckId, Decision, StepKind, VariantRule

_TEMPLATE_PAGES = 3


@dataclass(frozen=True)
class HandedOver:
    """What a hand-over wrote."""

    files: Mapping[str, int]
    """Bytes of each file, by its name below the folder."""
    briefs: Mapping[str, int]
    """Briefs for each action."""


def hand_off(
    audit: Audit,
    path: str | PathLike[str],
    *,
    decisions: str | PathLike[str] | None = None,
    all_proposals: bool = False,
    hours: float | None = None,
) -> HandedOver:
    """Write the accepted proposals as work orders into a folder; an earlier hand-over there is replaced.

    Parameters
    ----------
    decisions : path, optional
        The edited plan (CSV or workbook); else the decisions that the audit was made with count.
    all_proposals : bool
        Whether to hand over all that nobody rejected or put off.
    hours : float, optional
        Hours that there are: of these proposals the set that is expected to bring most and fits is handed over.

    Raises
    ------
    HandoffError
        If no proposal is accepted, or none fits, a row asks for what the plan does not hold, or an address cannot be
        written into a server's files.
    TableError
        If a decision cannot be read: what is handed over must not be a guess.
    FolderError
        If the folder holds something else, or cannot be written.
    """
    tables: TableStore = audit.tables
    if decisions is not None:
        intake = OpenIntake()
        edited = read_decisions(Path(decisions), intake)
        if intake.unread:
            raise TableError(f"{decisions}, {intake.unread[0].place}: {intake.unread[0].reason}")
        tables = MadeStore({"plan": with_decisions(audit.plan, edited)}, tables)
    plan = chosen_proposals(tables["plan"], all_proposals=all_proposals)
    left = 0
    if hours is not None:
        kept = plan[plan["proposal"].isin(best_set(plan, hours, audit.meta.settings.plan))]
        if kept.empty:
            raise HandoffError(f"no proposal fits into {hours:g} hours; the least takes {plan['effort_hours'].min():g}")
        plan, left = kept, len(plan) - len(kept)
    files = handoff_files(tables, plan, audit.meta, Budget(hours, left) if hours is not None else None)
    write_files(Path(path), files, marker=MARKDOWN_FILE)
    briefed = plan[plan["proposal"].isin(_briefed(plan, tables["steps"]))]
    return HandedOver(
        {name: len(contents) for name, contents in files.items()},
        {str(action): int(n) for action, n in briefed["action"].value_counts().sort_index().items()},
    )


def chosen_proposals(plan: pd.DataFrame, *, all_proposals: bool) -> pd.DataFrame:
    """The proposals that are handed over: those that were accepted, or all that nobody rejected or put off.

    Raises
    ------
    HandoffError
        If there is none.
    """
    chosen = plan[plan["decision"] != Decision.REJECT] if all_proposals else plan[plan["decision"] == Decision.ACCEPT]
    chosen = chosen[(chosen["decision"] != Decision.LATER) & (chosen["action"] != Action.LEAVE)]
    if chosen.empty:
        raise HandoffError(
            "no proposal is accepted: write accept into the column decision of plan.csv and audit again, or use --all"
        )
    return chosen


def handoff_files(
    tables: TableStore, chosen: pd.DataFrame, meta: AuditMeta, budget: Budget | None = None
) -> dict[str, bytes]:
    """The files, by their names below the folder.

    Parameters
    ----------
    chosen : DataFrame
        The proposals that are handed over.
    budget : Budget, optional
        The hours that they had to fit into.

    Raises
    ------
    HandoffError
        If an address cannot be written into a server's files.
    """
    from mardok.deliver.workbook import workbook  # only here: its library takes longer to import than some commands to run

    steps = tables["steps"][tables["steps"]["proposal"].isin(chosen["proposal"])]
    pages = tables.frame("pages", ["url", "status", "indexable", "in_sitemap"])
    moves = server_rules(steps, pages)
    strange = redirects.plain_addresses([*moves.single, *moves.single.values(), *moves.written, *moves.gone])
    if strange:
        raise HandoffError(f"{strange[0]!r}: cannot be written into a server's files; set its proposal to reject")
    named = set(steps["pattern_value"]) - {""}
    links = _links_to(tables, named | set(steps.loc[steps["step"] == StepKind.REDIRECT, "url"]))
    anchors = anchors_of(links, pages["url"].tolist(), named)
    made = tickets(chosen, steps, anchors, meta.settings)
    texts = {
        redirects.NGINX_FILE: redirects.nginx_map(moves, pages["url"]),
        redirects.APACHE_FILE: redirects.apache_rules(moves),
        redirects.APACHE_MAP: redirects.apache_map(moves),
        redirects.CSV_FILE: redirects.redirects_csv(moves),
        "canonicals.csv": _canonicals(steps),
        "out-of-index.csv": _csv(
            ["url", "what"], _pairs(steps[steps["step"].isin([StepKind.NOINDEX, StepKind.RETIRE])], "url", "step")
        ),
        "sitemap-removals.txt": "".join(f"{url}\n" for url in _leaving_sitemap(pages, steps)),
        "relinks.csv": _relinks(links, pages["url"], steps, anchors),
        "addresses.txt": "".join(f"{url}\n" for url in sorted(set(steps["url"]))),
        **ticket_files(made),
        **briefs(chosen, steps, tables),
    }
    files = {name: visible(text).encode("utf-8", "replace") for name, text in texts.items()}
    told = letter(chosen, tables["plan"], made, meta, host_of(pages), budget)
    return {**files, **letter_files(told), "audit.xlsx": workbook(MadeStore({"plan": chosen, "steps": steps}, tables))}


def host_of(pages: pd.DataFrame) -> str:
    """The host that most indexable pages have."""
    urls = pages.loc[pages["indexable"], "url"] if pages["indexable"].any() else pages["url"]
    return str(Counter(split_url(url).netloc for url in urls).most_common(1)[0][0])


def _pairs(frame: pd.DataFrame, *names: str) -> list[tuple[str, ...]]:
    return sorted(set(frame[list(names)].itertuples(index=False, name=None)))


def _csv(header: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\n")
    writer.writerow(header)
    writer.writerows([neutral_cell(str(cell)) for cell in row] for row in rows)
    return buffer.getvalue()


def _canonicals(steps: pd.DataFrame) -> str:
    stated = _pairs(steps[steps["step"] == StepKind.CANONICAL], "url", "target")
    rows = [
        (url, target, f'<link rel="canonical" href="{escape(target)}">', f'Link: <{target}>; rel="canonical"')
        for url, target in stated
    ]
    return _csv(["url", "canonical", "link_element", "link_header"], rows)


def _leaving_sitemap(pages: pd.DataFrame, steps: pd.DataFrame) -> list[str]:
    leaving = set(steps.loc[steps["step"].isin([*STRUCTURAL_STEPS, StepKind.SITEMAP]), "url"])
    return sorted(pages.loc[pages["url"].isin(leaving) & (pages["in_sitemap"] != Answer.NO), "url"])


def _links_to(tables: TableStore, urls: Collection[str]) -> pd.DataFrame:
    """The links of the site that lead to some addresses."""
    names = ["page", "url", "anchor", "chrome"]
    return LINKS.part(tables.rows("links", tables.matching("links", "url", urls.__contains__), names), names)


def _relinks(links: pd.DataFrame, urls: pd.Series, steps: pd.DataFrame, anchors: Anchors) -> str:
    """Links to change: those to pages that go or are gone, one row a page or one for a template, and those to be made."""
    moved = steps[steps["step"] == StepKind.REDIRECT]
    target_of: dict[str, str] = dict(zip(moved["url"], moved["target"], strict=True))
    stays = ~urls.isin(target_of).to_numpy()
    hit = links[links["url"].isin(target_of).to_numpy() & stays[links["page"].to_numpy()]]
    rows: list[tuple[str, str, str, str, str]] = []
    for (old, anchor, in_chrome), part in hit.groupby(["url", "anchor", "chrome"], observed=True):
        pages = sorted({str(urls[page]) for page in part["page"]} - {target_of[str(old)]})
        if in_chrome and len(pages) >= _TEMPLATE_PAGES:
            note = str(sentence("handoff.template", pages=len(pages)))
            rows.append((pages[0], str(old), target_of[str(old)], str(anchor), note))
        else:
            rows += [(page, str(old), target_of[str(old)], str(anchor), "") for page in pages]
    stated = Counter((page, new) for page, _, new, _, _ in rows)
    of_links = steps[steps["rule"].isin([CheckId.LINK_BROKEN, CheckId.LINK_REDIRECTED])]
    for page, old, new, detail in _pairs(of_links, "url", "pattern_value", "target", "detail"):
        rows += [(page, old, new, anchor, detail) for anchor in anchors.get((page, old), [""])]
    relinks = steps[(steps["step"] == StepKind.RELINK) & ~steps["rule"].isin(of_links["rule"])]
    for page, new, detail in _pairs(relinks, "url", "target", "detail"):
        if (page, new) not in stated:
            rows.append((page, "", new, "", detail))
    return _csv(["page", "old_target", "new_target", "anchor", "note"], sorted(rows))


def briefs(plan: pd.DataFrame, steps: pd.DataFrame, tables: TableStore) -> dict[str, str]:
    """A brief for each proposal that a writer works on, and a draft of each merged page, by the names of their files.

    Parameters
    ----------
    plan : DataFrame
        Proposals that are handed over.
    steps : DataFrame
        Their steps.
    tables : TableStore
        All tables of the audit.
    """
    briefed = plan[plan["proposal"].isin(_briefed(plan, steps))]
    steps_of = dict(list(steps[steps["proposal"].isin(briefed["proposal"])].groupby("proposal")))
    asked = Tables(tables, urls_of(briefed, steps_of.values()))
    result = {}
    for row in records(briefed):
        own = records(steps_of[row["proposal"]].sort_values("order"))
        about = row["keeper"] or own[0]["url"]
        slug = re.sub(r"[^a-z0-9]+", "-", path_of(about).lower()).strip("-")[:50] or "home"
        name, draft = f"{row['rank']:03}-{row['action']}-{slug}.md", merged_draft(own, asked)
        if draft:
            result[f"drafts/{name}"] = draft
        result[f"briefs/{name}"] = brief(row, own, asked, f"drafts/{name}" if draft else "")
    return result


def _briefed(plan: pd.DataFrame, steps: pd.DataFrame) -> set[str]:
    """Proposals that a writer works on: rules for many addresses need none."""
    by_pattern = set(steps.loc[steps["pattern"] != VariantRule.NONE, "proposal"])
    return set(plan.loc[plan["action"].isin(BRIEFED), "proposal"]) - by_pattern
