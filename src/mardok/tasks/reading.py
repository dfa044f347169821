"""Reading a site in parts, each of which stands in the working folder as soon as it is read.

In:  sources, and a working folder.
Out: all that stands in them, in columns; what an earlier run has read is not read again.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from mardok.errors import FolderError
from mardok.extract.batch import batch_of
from mardok.extract.extraction import bare_page, extract_batches
from mardok.kept import KeptParts, Tables, digest_of, digest_of_sources, write_part
from mardok.kept_pages import reading_of_parts, tables_of_reading, whole
from mardok.memory import give_back_memory
from mardok.processes import Lost
from mardok.progress import Counting, Progress
from mardok.settings import Settings
from mardok.sources.opening import Slice, pages_of_slice, slices_of
from mardok.sources.raw import Intake, OpenIntake, Unread
from mardok.sources.warc import Stretch, stretches_of
from mardok.tasks.runners import TRIES, Runner
from mardok.text.columns import Columns, columns_of

log = logging.getLogger(__name__)
_NAME, _CUT = "reading-", "cut_"


@dataclass(frozen=True)
class ReadingTask:
    """One part to be read."""

    name: str
    depends: Mapping[str, Any]
    part: Slice
    sources: Mapping[str, str]
    """The number that stands for each source in what is kept: the next audit may name the same files in another way."""
    settings: Settings
    room: Path | None
    """Where the part is written."""

    def __call__(self) -> dict[str, Any]:
        """Read it and write it; what is told of it."""
        assert self.room is not None
        intake = OpenIntake()
        raws = pages_of_slice(self.part, intake, self.settings.sources)
        columns = columns_of(extract_batches(raws, self.settings))
        return write_part(self.room, self.name, self.depends, _tables_of(self, intake, columns))


def read_in_parts(
    paths: Sequence[Path],
    base: str | None,
    settings: Settings,
    kept: KeptParts,
    runner: Runner,
    progress: Progress,
) -> tuple[Columns, Intake]:
    """Read all sources.

    Parameters
    ----------
    base : str or None
        Address that a folder of HTML stands for.
    kept : KeptParts
        Those of a working folder.
    runner : Runner
        Who reads the parts.

    Raises
    ------
    SourceError
        If a source cannot be used at all.
    FolderError
        If the disk does not take a part.
    ClusterError
        If the cluster has gone.
    """
    met = OpenIntake()
    tasks = _tasks(paths, base, settings, kept, met)
    missing = [task for task in tasks if not kept.has(task.name, task.depends)]
    counting = Counting("reading pages", len(tasks), len(missing), progress)
    _make(missing, kept, runner, counting.one_more)
    kept.forget(_NAME, {task.name for task in tasks})

    columns, intake = reading_of_parts((_part(task, kept, runner) for task in tasks), _names(paths))
    met.add(intake)
    kept.put_together("reading", [task.name for task in tasks])
    give_back_memory()
    return columns, met.closed()


def _tasks(
    paths: Sequence[Path], base: str | None, settings: Settings, kept: KeptParts, intake: OpenIntake
) -> list[ReadingTask]:
    chosen = {
        "opening": settings.sources.model_dump(mode="json"),
        "extract": settings.extract.model_dump(mode="json"),
        "text": settings.text.model_dump(mode="json", include={"only", "ignore"}),
    }
    numbers = _numbers(paths)
    # A worker may stand in another folder.
    seen_from_anywhere = _numbers([path.resolve() for path in paths])
    room = kept.room.resolve() if kept.room is not None else None
    states = {path: digest_of_sources([path]) for path in paths if not path.is_dir()}
    most = settings.work.part_pages

    def cut(path: Path) -> list[Stretch]:
        """A WARC file in parts, as it was cut by an earlier audit: to go through its records takes a while."""
        depends = {"source": states[path], "pages": most}
        return kept.part(f"{_CUT}{numbers[str(path)]}", depends, lambda: stretches_of(path, most), _tables_of_cut, _cut_of)

    kept.forget(_CUT, {f"{_CUT}{number}" for number in numbers.values()})
    result = []
    for number, part in enumerate(slices_of(paths, base, intake, most, cut)):
        depends = {**chosen, "number": numbers[str(part.path)], **_told_of(part, states)}
        placed = replace(part, path=part.path.resolve())
        result.append(ReadingTask(f"{_NAME}{number:06}", depends, placed, seen_from_anywhere, settings, room))
    return result


def _tables_of_cut(stretches: Sequence[Stretch]) -> Tables:
    columns: Mapping[str, Any] = {
        "start": np.array([one.start for one in stretches], np.int64),
        "end": np.array([-1 if one.end is None else one.end for one in stretches], np.int64),
        "asked_by_head": [one.asked_by_head for one in stretches],
    }
    return {"stretches": columns}


def _cut_of(tables: Tables) -> list[Stretch]:
    start, end, asked = (tables["stretches"][name] for name in ("start", "end", "asked_by_head"))
    bounds = zip(map(int, start), map(int, end), map(str, asked), strict=True)
    return [Stretch(first, None if last < 0 else last, address) for first, last, address in bounds]


def _numbers(paths: Sequence[Path]) -> dict[str, str]:
    return {str(path): str(number) for number, path in enumerate(paths)}


def _names(paths: Sequence[Path]) -> dict[str, str]:
    return {number: path for path, number in _numbers(paths).items()}


def _told_of(part: Slice, states: Mapping[Path, list[list[Any]]]) -> dict[str, Any]:
    """What a part is of, and what tells that it is as it was."""
    if part.files is None:
        stretch = part.stretch
        return {"source": states[part.path], "stretch": [stretch.start, stretch.end, stretch.asked_by_head]}
    told = []
    for file in part.files:
        try:
            state = (part.path / file.path).stat()
            told.append([file.path, file.url, file.short_url, state.st_size, state.st_mtime_ns])
        except OSError as error:
            told.append([file.path, file.url, file.short_url, str(error.errno), 0])
    return {"source": str(part.path.resolve()), "files": digest_of(told)}


def _make(tasks: Sequence[ReadingTask], kept: KeptParts, runner: Runner, then: Callable[[], None] = lambda: None) -> None:
    """Make parts and keep them; after each, do something."""
    for task, result in runner.results(tasks):
        if isinstance(result, Lost):
            kept.keep(task.name, task.depends, _read_in_halves(task, result, kept, runner))
        else:
            kept.note(task.name, result)
        then()


def _read_in_halves(task: ReadingTask, lost: Lost, kept: KeptParts, runner: Runner) -> Tables:
    """A part that ended its process again and again, in halves; of a single page it is said that it cannot be read."""
    intake = OpenIntake()
    raws = list(pages_of_slice(task.part, intake, task.settings.sources))
    if len(raws) <= 1:
        pages = batch_of(bare_page(raw, lost.signal, task.settings) for raw in raws)
        return _tables_of(task, intake, columns_of([pages]))
    log.warning("%s ended its process %d times; it is read in halves", task.name, TRIES)
    begin = task.part.first
    parts = [replace(task.part, end=begin + len(raws) // 2), replace(task.part, first=begin + len(raws) // 2)]
    halves = [
        replace(task, name=f"{task.name}-{number}", part=part, depends={**task.depends, "pages": [part.first, part.end]})
        for number, part in enumerate(parts)
    ]
    _make(halves, kept, runner)
    named = {number: path for path, number in task.sources.items()}
    columns, _ = reading_of_parts((_part(half, kept, runner) for half in halves), named)
    kept.forget(f"{task.name}-", ())
    return _tables_of(task, intake, columns)


def _tables_of(task: ReadingTask, intake: OpenIntake, columns: Columns) -> Tables:
    for page in columns.pages:
        intake.unread += [Unread(page.source, "", page.url, reason) for reason in page.unread]
    return tables_of_reading(columns, intake.closed(), task.sources)


def _part(task: ReadingTask, kept: KeptParts, runner: Runner) -> Tables:
    """The tables of a part; it is read again where what was written has been damaged."""
    found = kept.found(task.name, task.depends, whole)
    if found is None:
        _make([task], kept, runner)
        found = kept.found(task.name, task.depends, whole)
    if found is None:
        raise FolderError(f"{task.room}: what is written there is not what is read; look at the disk")
    return found
