"""Everything an audit is made from, read to the end.

In:  the files that the user names.
Out: pages in columns, search data, lists and decisions, and an :class:`mardok.sources.raw.Intake` that is closed: what
     robots.txt closes or a sitemap lists is known only when the last record has been read.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import pandas as pd

from mardok.errors import SourceError
from mardok.extract.batch import Batch
from mardok.extract.extraction import extract_batches, extract_pages
from mardok.extract.page import Page
from mardok.kept import KeptParts, digest_of_sources
from mardok.kept_pages import reading_of_parts, tables_of_reading
from mardok.progress import Progress
from mardok.settings import Settings
from mardok.sources.decisions import PlanDecision, read_accepted, read_decisions, read_done
from mardok.sources.opening import raw_pages
from mardok.sources.page_lists import Signal, read_signals, read_targets
from mardok.sources.raw import Intake, OpenIntake, Unread
from mardok.sources.search_data import read_search
from mardok.tasks.reading import read_in_parts
from mardok.tasks.runners import Runner
from mardok.text.columns import Columns, columns_of


@dataclass(frozen=True)
class InputFiles:
    """What the user names."""

    sources: tuple[Path, ...]
    base: str | None
    """Address that a folder of HTML stands for."""
    search: tuple[Path, ...]
    targets: Path | None
    signals: Path | None
    decisions: Path | None


@dataclass(frozen=True)
class Inputs:
    """What stood in it beside the pages."""

    intake: Intake
    probes: Sequence[Page]
    """What servers said of addresses that cannot exist."""
    search: pd.DataFrame | None
    targets: Mapping[str, str]
    """Address of the page meant for each phrase."""
    signals: Mapping[str, Signal]
    """What other tools say of each address."""
    decisions: Sequence[PlanDecision]
    """What a person decided about the proposals of an earlier plan."""
    done: Mapping[tuple[str, str, str], str]
    """When a person did a step of it, by its address, kind and target."""
    accepted: Mapping[tuple[str, str], str]
    """What a person accepted as it is written, by its check (``""`` of an unknown word) and the words."""


@dataclass(frozen=True)
class Workplace:
    """Where an audit keeps what it makes, and who makes it."""

    kept: KeptParts
    runner: Runner | None = None
    """Who reads pages part by part, where there is a working folder."""


def read_inputs(
    files: InputFiles, settings: Settings, jobs: int, progress: Progress, place: Workplace | None = None
) -> tuple[Columns, Inputs]:
    """Read everything: the pages, and what is known beside.

    Parameters
    ----------
    files : InputFiles
        Every file that is read.
    jobs : int
        Processes that read HTML.
    progress : callable
        Called with the name of the step at hand and the number of pages done.
    place : Workplace, optional
        What earlier audits kept, where pages need not be read again; keeps what is read.

    Raises
    ------
    SourceError
        If the sources hold no page, or one cannot be used at all.
    TableError
        If a table cannot be used at all.
    FolderError
        If the decisions lie in an audit folder whose plan cannot be read, or the disk does not take what is kept.
    ClusterError
        If the cluster has gone.
    """
    intake, met = OpenIntake(), OpenIntake()
    search = read_search(files.search, settings.search, intake) if files.search else None
    targets = read_targets(files.targets, intake) if files.targets is not None else {}
    signals = read_signals(files.signals, intake) if files.signals is not None else {}
    decisions = read_decisions(files.decisions, intake) if files.decisions is not None else ()
    done = read_done(files.decisions) if files.decisions is not None else {}
    accepted = read_accepted(files.decisions) if files.decisions is not None else {}

    def read() -> tuple[Columns, Intake]:
        raws = raw_pages(files.sources, files.base, met, settings.sources)
        return columns_of(_told_of(extract_batches(raws, settings, jobs), progress, met)), met.closed()

    if place is None:
        pages, closed = read()
    elif place.runner is not None:
        pages, closed = read_in_parts(files.sources, files.base, settings, place.kept, place.runner, progress)
    else:
        pages, closed = _kept_or_read(files, settings, place.kept, read)
    closed = replace(closed, unread=(*intake.unread, *closed.unread))
    if not pages.pages:
        raise SourceError(f"{', '.join(map(str, files.sources))}: no page could be read; {_what_was_met(closed)}")
    probes = extract_pages(closed.probes, settings)
    return pages, Inputs(closed, probes, search, targets, signals, decisions, done, accepted)


def _kept_or_read(
    files: InputFiles, settings: Settings, kept: KeptParts, read: Callable[[], tuple[Columns, Intake]]
) -> tuple[Columns, Intake]:
    """What stands in the sources: as an earlier audit kept it, where nothing has changed that it depends on."""
    depends = {
        "sources": digest_of_sources(files.sources),
        "base": files.base,
        "opening": settings.sources.model_dump(mode="json"),
        "extract": settings.extract.model_dump(mode="json"),
        "text": settings.text.model_dump(mode="json", include={"only", "ignore"}),
    }
    # Sources go by their numbers there: the next audit may name the same files in another way.
    numbers = {str(path): str(number) for number, path in enumerate(files.sources)}
    names = {number: path for path, number in numbers.items()}
    return kept.part(
        "reading",
        depends,
        read,
        lambda value: tables_of_reading(*value, numbers),
        lambda tables: reading_of_parts([tables], names),
    )


def _told_of(batches: Iterable[Batch], progress: Progress, intake: OpenIntake) -> Iterator[Batch]:
    """The same batches; the progress is told of each, and the intake of what was not read of its pages."""
    n_pages = 0
    for batch in batches:
        n_pages += len(batch.pages)
        progress("reading pages", n_pages)
        for page in batch.pages:
            intake.unread += [Unread(page.source, "", page.url, reason) for reason in page.unread]
        yield batch


def _what_was_met(intake: Intake) -> str:
    skipped = ", ".join(f"{n} of type {kind}" for kind, n in sorted(intake.skipped.items()))
    unread = f"{len(intake.unread)} records could not be read" if intake.unread else ""
    return "; ".join(filter(None, [skipped and f"skipped {skipped}", unread])) or "it is empty"
