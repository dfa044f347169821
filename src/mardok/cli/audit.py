"""``mardok audit``: the main job.

In:  sources, options.
Out: an audit folder, and its plan in a few lines.
"""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.table import Table

import mardok
from mardok import folder
from mardok.cli.console import answer_console, errors, print_json, progress_line, records, shown
from mardok.cli.crawl import summary_text, tell_hints
from mardok.extract.indexable import OTHER_HOST
from mardok.pipeline import Progress
from mardok.plan.wording import count, gain_range, percent

_SHOWN_PROPOSALS = 10
_SHOWN_UNREAD = 5
_SHOWN_TARGETS = 5
_SHOWN_PARTS = 10
_CLOSED_BY = {OTHER_HOST: "canonical", "noindex": "noindex", "robots.txt": "robots.txt"}
_CLOSED_TOLD = {
    OTHER_HOST: "their canonical names another host, as in a mirror or a staging copy",
    "noindex": "they are noindex",
    "robots.txt": "robots.txt closes them",
}


def audit(
    sources: Annotated[
        list[str],
        typer.Argument(
            help="WARC file, folder of HTML, table, earlier audit folder, or an address to crawl first.", show_default=False
        ),
    ],
    out: Annotated[Path, typer.Option("-o", "--output", help="Audit folder to write.", show_default=False)],
    base: Annotated[str | None, typer.Option(help="Address that a folder of HTML stands for.")] = None,
    search: Annotated[
        list[Path] | None, typer.Option(help="Search data: query, page, clicks, impressions, position.")
    ] = None,
    targets: Annotated[Path | None, typer.Option(help="Pages meant for phrases: phrase, url.")] = None,
    signals: Annotated[
        Path | None, typer.Option(help="What other tools say: url, external_links, conversions, sessions, index_state.")
    ] = None,
    decisions: Annotated[
        Path | None, typer.Option(help="An edited plan (CSV or workbook); by default the plan that stands in the folder.")
    ] = None,
    settings: Annotated[Path | None, typer.Option(help="Settings file (TOML).")] = None,
    set_: Annotated[list[str] | None, typer.Option("--set", help="One setting, such as copies.resemblance=0.9.")] = None,
    jobs: Annotated[int, typer.Option(min=1, help="Processes to use.")] = os.cpu_count() or 1,
    as_json: Annotated[bool, typer.Option("--json", help="Print totals and plan as JSON.")] = False,
) -> None:
    """Read a crawl, find copies, and write a ranked plan with a report.

    Example: mardok audit site.warc.gz --search search.csv -o audit
    """
    folder.check_replaceable(out)
    earlier = [folder.read_meta(Path(source)) for source in sources if folder.is_audit_folder(Path(source))]
    chosen = mardok.read_settings(settings, set_ or [], base=earlier[-1]["settings"] if earlier else None)
    searches = search or [Path(path) for meta in earlier for path in meta["search"]]
    targets = targets or next((Path(meta["targets"]) for meta in reversed(earlier) if meta.get("targets")), None)
    signals = signals or next((Path(meta["signals"]) for meta in reversed(earlier) if meta.get("signals")), None)
    with progress_line() as progress:
        crawled = _crawled(sources, out, chosen, progress)
        found = mardok.audit(
            *crawled,
            base=base,
            search=searches,
            targets=targets,
            signals=signals,
            decisions=decisions or (out / "plan.csv" if (out / "plan.csv").is_file() else None),
            settings=chosen,
            jobs=jobs,
            progress=progress,
        )
        progress("writing the report", 0)
        found.save(out, jobs=jobs)
    if as_json:
        print_json({"folder": str(out), "totals": found.meta["totals"], "plan": records(found.plan)})
    else:
        print_summary(found, out)
    if tell_unread(found):
        raise typer.Exit(1)


def _crawled(sources: list[str], out: Path, settings: mardok.Settings, progress: Progress) -> list[str]:
    """The sources, with addresses crawled into a WARC file beside the audit folder, where the next audit finds it."""
    starts = [source for source in sources if source.lower().startswith(("http://", "https://"))]
    if not starts:
        return sources
    summary = mardok.crawl(*starts, out=out.with_name(f"{out.name}.warc.gz"), settings=settings, progress=progress)
    errors.print(shown(summary_text(summary)))
    tell_hints(summary)
    return [str(summary.path), *(source for source in sources if source not in starts)]


def print_summary(found: mardok.Audit, out: Path) -> None:
    """The answer: what was read, the first proposals, where the rest is."""
    console = answer_console()
    totals = found.meta["totals"]
    closed = _closed_line(totals)
    if closed:
        console.print(shown(closed, style="bold"))
    read = f"{count(totals['pages'], 'page')} read, {totals['indexable']:,} indexable"
    if totals["search"]:
        read += (
            f"; {totals['search']['clicks']:,.0f} clicks a month in {totals['search']['months']:.1f} months of search data"
        )
    console.print(shown(read + "."))
    console.print(
        shown(
            f"{count(totals['variants'], 'written variant')}, {count(totals['pages_with_copies'], 'page')} with copies, "
            f"{count(len(found.plan), 'proposal')}, {totals['effort_hours']:g} hours of work."
        )
    )
    lost = len(totals["decisions_without_proposal"])
    if lost:
        console.print(
            shown(f"{count(lost, 'decision')} of the earlier plan found no proposal; they are kept in audit.json.")
        )
    for line in _target_lines(totals["targets"]):
        console.print(shown(line))
    if not totals["crawl"]["whole"]:
        gaps = "; ".join(totals["crawl"]["gaps"])
        console.print(shown(f"Not the whole site: {gaps}. What needs the whole site is not claimed."))
    for line in _furniture_lines(found):
        console.print(shown(line))
    if len(found.plan):
        console.print(_plan_table(found))
    if len(found.plan) > _SHOWN_PROPOSALS:
        console.print(shown(f"{len(found.plan) - _SHOWN_PROPOSALS} more in {out / 'plan.csv'}"))
    console.print(shown(f"Report: {(out / 'report.html').resolve()}"), soft_wrap=True)


def _closed_line(totals: Mapping[str, Any]) -> str:
    """What keeps most pages out of the index, and how to audit them nevertheless."""
    for reason, setting in _CLOSED_BY.items():
        n = totals["not_indexable"].get(reason, 0)
        if n > totals["indexable"]:
            return (
                f"Nothing can be said of {count(n, 'page')}: {_CLOSED_TOLD[reason]}. To audit them nevertheless, "
                f"add --set extract.disregard={setting}"
            )
    return ""


def _furniture_lines(found: mardok.Audit) -> list[str]:
    """What was taken for furniture, the largest parts first, so that a mistake is seen."""
    parts = found.tables["furniture"].head(_SHOWN_PARTS)
    if parts.empty:
        return []
    named = ", ".join(f"{part} ({pages:,})" for part, pages in parts[["part", "pages"]].itertuples(index=False))
    return [
        f"Taken for furniture, with the pages that have it: {named}.",
        "If that is wrong, mardok page DIR URL --text says why, and the settings text.only and text.ignore put it right.",
    ]


def _target_lines(targets: list[dict[str, Any]]) -> list[str]:
    """Phrases whose page was not read, or for which search shows another page."""
    lines = [
        f"'{target['phrase']}' has no page: {target['url']} was not read." for target in targets if not target["was_read"]
    ]
    for target in targets:
        if target["was_read"] and target.get("shown_instead"):
            lines.append(f"'{target['phrase']}': search shows {target['shown_instead'][0]} before {target['url']}.")
    more = len(lines) - _SHOWN_TARGETS
    return lines[:_SHOWN_TARGETS] + ([f"{more} more phrases in audit.json"] if more > 0 else [])


def _plan_table(found: mardok.Audit) -> Table:
    table = Table(box=None, pad_edge=False, show_edge=False, padding=(0, 2, 0, 0))
    table.add_column("", justify="right", style="dim")
    table.add_column("action", style="bold")
    table.add_column("what", ratio=1, overflow="fold")
    table.add_column("clicks/month", justify="right", no_wrap=True)
    table.add_column("hours", justify="right")
    table.add_column("confidence")
    for proposal in records(found.plan.head(_SHOWN_PROPOSALS)):
        table.add_row(
            str(proposal["rank"]),
            proposal["action"],
            shown(proposal["summary"]),
            _short_gain(proposal),
            f"{proposal['effort_hours']:g}",
            proposal["confidence"],
        )
    return table


def _short_gain(proposal: Mapping[str, Any]) -> str:
    """The gain in a column that is headed by its usual unit."""
    low, high = proposal["gain_low"], proposal["gain_high"]
    if proposal["band"] == 1:
        return "broken"
    if not low and not high:
        return "–"
    return gain_range(low, high) if proposal["gain_unit"] == "clicks/month" else f"links {percent(high)}"


def tell_unread(found: mardok.Audit) -> bool:
    """Say on standard error what could not be read; whether there was anything."""
    unread = found.tables["unread"]
    for row in records(unread.head(_SHOWN_UNREAD)):
        where = " ".join(filter(None, [row["place"], row["url"]]))
        errors.print(shown(f"mardok: {row['source']}, {where}: {row['reason']}"))
    if len(unread) > _SHOWN_UNREAD:
        errors.print(shown(f"mardok: {len(unread) - _SHOWN_UNREAD} more; all are listed in the report"))
    return len(unread) > 0
