"""``mardok audit``: the main job.

In:  sources, options.
Out: an audit folder, and its plan in a few lines.
"""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

import mardok
from mardok.cli.console import answer_console, errors, new_table, print_json, progress_line, records, shown
from mardok.cli.crawl import summary_text, tell_hints
from mardok.progress import Progress
from mardok.sentences import Sentence, counted, gain_range, hours, listing, path_of, percent, sentence, signed
from mardok.vocabulary import Band, Change, GainUnit, GroupKind, NoindexReason, Subject

if TYPE_CHECKING:
    import pandas as pd
    from rich.table import Table

    from mardok.rechecking.since import Since

_SHOWN_PROPOSALS = 5
_SHOWN_UNREAD = 5
_SHOWN_TARGETS = 5
_SHOWN_PARTS = 10
_TOLD_CHANGES = (Change.GONE, Change.WORSE, Change.NEW, Change.NEW_PAGE)
_CLOSED_BY = {
    NoindexReason.CANONICAL_ON_OTHER_HOST: "canonical",
    NoindexReason.NOINDEX: "noindex",
    NoindexReason.ROBOTS: "robots.txt",
}
"""What keeps pages out of the index, with what to disregard to audit them nevertheless."""


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
    work: Annotated[
        Path | None, typer.Option(help="Working folder: a large site is read in parts; what was broken off goes on there.")
    ] = None,
    cluster: Annotated[
        str | None,
        typer.Option(help="Scheduler of a Dask cluster that reads and compares pages, such as tcp://10.0.0.5:8786."),
    ] = None,
    jobs: Annotated[int, typer.Option(min=1, help="Processes to use.")] = os.cpu_count() or 1,
    as_json: Annotated[bool, typer.Option("--json", help="Print totals and plan as JSON.")] = False,
) -> None:
    """Read a crawl, find copies, and write a ranked plan with a report.

    Example: mardok audit site.warc.gz --search search.csv -o audit
    """
    from mardok.folder import check_replaceable, claimed  # only here: the other commands start without tables and settings
    from mardok.meta import is_audit_folder, read_given_settings, read_origin
    from mardok.rechecking.since import changes_since

    with claimed(out):
        check_replaceable(out)
        audited = [Path(source) for source in sources if is_audit_folder(Path(source))]
        earlier = [read_origin(folder) for folder in audited]
        chosen = mardok.read_settings(settings, set_ or [], base=read_given_settings(audited[-1]) if audited else None)
        searches = search or [Path(path) for origin in earlier for path in origin.search]
        targets = targets or next((Path(origin.targets) for origin in reversed(earlier) if origin.targets), None)
        signals = signals or next((Path(origin.signals) for origin in reversed(earlier) if origin.signals), None)
        with progress_line() as progress:
            crawled = _crawled(sources, out, chosen, progress)
            finished = mardok.audit(
                *crawled,
                base=base,
                search=searches,
                targets=targets,
                signals=signals,
                decisions=decisions or (out / "plan.csv" if (out / "plan.csv").is_file() else None),
                settings=chosen,
                earlier=out,
                work=work,
                cluster=cluster,
                jobs=jobs,
                progress=progress,
            )
            progress("comparing with the earlier audit", 0)
            since = None if as_json else changes_since(out, finished)
            progress("writing the report", 0)
            finished.save(out, jobs=jobs)
    if as_json:
        print_json({"folder": str(out), "totals": finished.meta.totals, "plan": records(finished.plan)})
    else:
        print_summary(finished, out, since)
    if tell_unread(finished):
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


def print_summary(finished: mardok.Audit, out: Path, since: Since | None = None) -> None:
    """The answer: what was read, what was found, the first proposals, where the rest is.

    Parameters
    ----------
    since : Since, optional
        What changed since the audit that stood in the folder.
    """
    from mardok.plan.totals import told_apart  # only here: it takes longer to import than some commands to run

    console = answer_console()
    totals = finished.meta.totals
    closed = _closed_line(finished.tables.frame("pages", ["noindex_reason", "indexable"]))
    if closed:
        console.print(shown(closed, style="bold"))
    for told in [*_found_lines(totals), *_since_lines(since)]:
        console.print(shown(told))
    lost = len(totals["decisions_without_proposal"])
    if lost:
        console.print(shown(sentence("answer.lost-decisions", decisions=counted("decision", lost))))
    for line in _target_lines(totals["targets"]):
        console.print(shown(line))
    if not totals["crawl"]["whole"]:
        gaps = "; ".join(totals["crawl"]["gaps"])
        console.print(shown(sentence("answer.gaps", gaps=gaps[:1].upper() + gaps[1:])))
    for line in _furniture_lines(finished):
        console.print(shown(line))
    for told in _search_lines(totals["search"]):
        console.print(shown(told))
    for line in _spelling_lines(finished):
        console.print(shown(line))
    first, rest = told_apart(finished.plan)
    if len(first):
        console.print(_plan_table(first))
    if len(first) > _SHOWN_PROPOSALS:
        others = first.iloc[_SHOWN_PROPOSALS:]
        proposals, effort = counted("more-proposal", len(others)), hours(float(others["effort_hours"].sum()))
        console.print(shown(sentence("answer.more-with-gain", proposals=proposals, hours=effort)))
    if rest:
        console.print(shown(sentence("answer.without-gain", owners=listing(rest, most=len(rest)))))
    if len(finished.plan):
        work = {"proposals": counted("proposal", len(finished.plan)), "hours": hours(totals["effort_hours"])}
        console.print(shown(sentence("answer.plan", path=out / "plan.csv", **work)), soft_wrap=True)
    console.print(shown(sentence("answer.report", path=(out / "report.html").resolve())), soft_wrap=True)


def _found_lines(totals: Mapping[str, Any]) -> list[Sentence]:
    """What was read and found, one line a subject."""
    pages, search, twice, words = (
        counted("page", totals["pages"]),
        totals["search"],
        totals["duplicates"],
        totals["accounted_words"],
    )
    lines = [sentence("answer.read", pages=pages, indexable=totals["indexable"])]
    if search and search["clicks_now"] is not None:
        told = {name: search[name] for name in ("months", "clicks", "clicks_now", "clicks_before", "now", "before")}
        lines.append(sentence("answer.clicks-compared", **told))
    elif search:
        lines.append(sentence("answer.clicks", clicks=search["clicks"], months=search["months"]))
    lines.append(
        sentence(
            "answer.duplicates", pages=counted("page", twice["pages"]), all=twice["of_pages"], share=twice["pages_share"],
            words=twice["words_share"], variants=counted("written-variant", totals["variants"]),
        )
    )  # fmt: skip
    n_words = sum(words.values())
    if n_words:
        shares = {name: words[name] / n_words for name in ("own", "shared", "boilerplate")}
        lines.append(sentence("answer.words", **shares))
    groups = counted("group-of-rivals", totals["groups"].get(GroupKind.RIVALS, 0))
    lines.append(sentence("answer.weak", thin=counted("thin-page", totals["thin"]), rivals=groups))
    return lines


def _since_lines(since: Since | None) -> list[Sentence]:
    """What changed since the audit that stood in the folder, and where to ask."""
    if since is None:
        return []
    parts = []
    for subject in Subject:
        numbers = [(change, since.counts.get((subject, change), 0)) for change in _TOLD_CHANGES]
        told = [sentence(f"recheck.change.{change}", n=n) for change, n in numbers if n]
        if told:
            named = sentence(f"recheck.subject.{subject}")
            parts.append(sentence("answer.since-part", subject=named, changes=listing(told, most=len(told))))
    key = "answer.since" if parts else "answer.since-nothing"
    is_any_compared = len(since.left_out) < len(Subject)
    lines = [sentence(key, date=since.made[:10], changes="; ".join(map(str, parts)))] if is_any_compared else []
    if since.left_out:
        what = listing([sentence(f"recheck.subject.{subject}") for subject in since.left_out], most=len(Subject))
        lines.append(sentence("answer.since-left-out", what=what, why=next(iter(since.left_out.values()))))
    elif parts:
        lines.append(sentence("answer.since-where"))
    return lines


def _closed_line(pages: pd.DataFrame) -> str:
    """What keeps most pages out of the index, and how to audit them nevertheless."""
    for reason, disregarded in _CLOSED_BY.items():
        n = int((pages["noindex_reason"] == reason).sum())
        if n > int(pages["indexable"].sum()):
            because = sentence(f"closed.{reason}")
            return str(sentence("nothing-indexable.line", pages=counted("page", n), because=because, setting=disregarded))
    return ""


def _search_lines(search: Mapping[str, Any] | None) -> list[Sentence]:
    """What the search data knows and the crawl does not, and whether its export was cut off."""
    if not search:
        return []
    lines = []
    if search["unread_addresses"]:
        unread = {"addresses": counted("address", search["unread_addresses"]), "clicks": search["unread_clicks"]}
        examples = [path_of(url) for url in search["unread_examples"]]
        lines.append(sentence("answer.unread-clicks", examples=listing(examples), **unread))
    if search["kept_share"] is not None and search["kept_share"] < 1:
        lines.append(sentence("answer.cut-export", share=search["kept_share"]))
    return lines


def _spelling_lines(finished: mardok.Audit) -> list[str]:
    """Why words were not looked up that were to be."""
    from mardok.proofing.job import spelling_names  # only here: it takes longer to import than some commands to run

    if not finished.meta.settings.proof.spelling:
        return []
    names = spelling_names(finished.meta.totals["languages"])
    lacking = {what: why for what, why in finished.meta.not_computed.items() if what in names}
    return [str(sentence("answer.no-spelling", what=what, why=why)) for what, why in lacking.items()]


def _furniture_lines(finished: mardok.Audit) -> list[str]:
    """What was taken for furniture, the largest parts first, so that a mistake is seen."""
    parts = finished.tables["furniture"].head(_SHOWN_PARTS)
    if parts.empty:
        return []
    named = ", ".join(f"{part} ({pages:,})" for part, pages in parts[["part", "pages"]].itertuples(index=False))
    return [str(sentence("answer.furniture", parts=named)), str(sentence("answer.furniture-wrong"))]


def _target_lines(targets: list[dict[str, Any]]) -> list[str]:
    """Phrases whose page was not read, or for which search shows another page."""
    lines = [
        str(sentence("answer.target-unread", phrase=target["phrase"], url=target["url"]))
        for target in targets
        if not target["was_read"]
    ]
    for target in targets:
        if target["was_read"] and target.get("shown_instead"):
            before = target["shown_instead"][0]
            lines.append(str(sentence("answer.target-shown", phrase=target["phrase"], shown=before, url=target["url"])))
    more = len(lines) - _SHOWN_TARGETS
    return lines[:_SHOWN_TARGETS] + ([str(sentence("answer.more-targets", n=more))] if more > 0 else [])


def _plan_table(first: pd.DataFrame) -> Table:
    table = new_table(show_edge=False)
    table.add_column("", justify="right", style="dim")
    table.add_column("action", style="bold")
    table.add_column("what", ratio=1, overflow="fold")
    table.add_column(
        "gain" if (first["gain_unit"] == GainUnit.LINK_WEIGHT).all() else "clicks/month", justify="right", no_wrap=True
    )
    table.add_column("hours", justify="right")
    table.add_column("confidence")
    for proposal in records(first.head(_SHOWN_PROPOSALS)):
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
    expected, low, high = proposal["gain"], proposal["gain_low"], proposal["gain_high"]
    if proposal["band"] == Band.BROKEN:
        return "broken"
    if not expected and not low and not high:
        return "–"
    if proposal["gain_unit"] == GainUnit.LINK_WEIGHT:
        return f"links {percent(expected)}"
    return f"{signed(expected)} ({gain_range(low, high)})"


def tell_unread(finished: mardok.Audit) -> bool:
    """Say on standard error what could not be read; whether there was anything."""
    unread = finished.tables["unread"]
    for row in records(unread.head(_SHOWN_UNREAD)):
        where = " ".join(filter(None, [row["place"], row["url"]]))
        errors.print(shown(f"mardok: {row['source']}, {where}: {row['reason']}"))
    if len(unread) > _SHOWN_UNREAD:
        errors.print(shown(f"mardok: {sentence('answer.more-unread', n=len(unread) - _SHOWN_UNREAD)}"))
    return len(unread) > 0
