"""Reading a site in parts, each of which stands in the working folder as soon as it is read.

In:  sources, and a working folder.
Out: all that stands in them, in columns; what an earlier run has read is not read again.
"""

from __future__ import annotations

import logging
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from mardok.extract.batch import Batch, batch_of
from mardok.extract.extraction import bare_page, extract_groups
from mardok.kept import KeptParts, Tables, digest_of, digest_of_sources, write_part
from mardok.kept_pages import reading_of_tables, tables_of_reading, with_sources
from mardok.memory import give_back_memory
from mardok.processes import Lost
from mardok.progress import Progress
from mardok.settings import Settings
from mardok.sources.opening import Slice, pages_of_slice, slices_of
from mardok.sources.raw import Intake, OpenIntake, RawPage, Unread
from mardok.tasks.cluster import TRIES, Cluster
from mardok.tasks.counting import Counting
from mardok.text.columns import Columns, batch_of_columns, columns_of

log = logging.getLogger(__name__)
_NAME = "reading-"


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
        _, tables = next(_read([self], 1))
        return write_part(self.room, self.name, self.depends, tables)


def read_in_parts(
    paths: Sequence[Path],
    base: str | None,
    settings: Settings,
    kept: KeptParts,
    progress: Progress,
    jobs: int = 1,
    cluster: Cluster | None = None,
) -> tuple[Columns, Intake]:
    """Read all sources.

    Parameters
    ----------
    base : str or None
        Address that a folder of HTML stands for.
    kept : KeptParts
        Those of a working folder.
    jobs : int
        Processes that read HTML, where there is no cluster.
    cluster : Cluster, optional
        Where the parts are read.

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
    _make(missing, kept, Counting("reading pages", len(tasks), len(missing), progress), jobs, cluster)
    kept.forget(_NAME, {task.name for task in tasks})

    def batches() -> Iterator[Batch]:
        for task in tasks:
            columns, intake = _value(task, kept)
            met.add(intake)
            yield batch_of_columns(columns)

    result = columns_of(batches())
    kept.put_together("reading", [task.name for task in tasks])
    give_back_memory()
    return result, met.closed()


def _tasks(
    paths: Sequence[Path], base: str | None, settings: Settings, kept: KeptParts, intake: OpenIntake
) -> list[ReadingTask]:
    chosen = {
        "opening": settings.sources.model_dump(mode="json"),
        "extract": settings.extract.model_dump(mode="json"),
        "text": settings.text.model_dump(mode="json", include={"only", "ignore"}),
    }
    numbers = _numbers(paths)
    states = {path: digest_of_sources([path]) for path in paths if not path.is_dir()}
    result = []
    for number, part in enumerate(slices_of(paths, base, intake, settings.work.part_pages)):
        depends = {**chosen, "number": numbers[str(part.path)], **_told_of(part, states)}
        result.append(ReadingTask(f"{_NAME}{number:06}", depends, part, numbers, settings, kept.room))
    return result


def _numbers(paths: Sequence[Path]) -> dict[str, str]:
    return {str(path): str(number) for number, path in enumerate(paths)}


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


def _make(missing: Sequence[ReadingTask], kept: KeptParts, counting: Counting, jobs: int, cluster: Cluster | None) -> None:
    """Read parts and keep them."""
    if cluster is None:
        for task, tables in _read(missing, jobs):
            kept.keep(task.name, task.depends, tables)
            counting.one_more()
        return
    for task, result in cluster.results(missing):
        if isinstance(result, Lost):
            kept.keep(task.name, task.depends, _read_in_halves(task, result, cluster, kept))
        else:
            kept.note(task.name, result)
        counting.one_more()


def _read(tasks: Sequence[ReadingTask], jobs: int) -> Iterator[tuple[ReadingTask, Tables]]:
    """Parts, read one after the other."""
    intakes: deque[OpenIntake] = deque()

    def groups() -> Iterator[Iterator[RawPage]]:
        for task in tasks:
            intakes.append(OpenIntake())
            yield pages_of_slice(task.part, intakes[-1], task.settings.sources)

    if tasks:
        for task, batches in zip(tasks, extract_groups(groups(), tasks[0].settings, jobs), strict=True):
            yield task, _tables(task, intakes.popleft(), batches)


def _read_in_halves(task: ReadingTask, lost: Lost, cluster: Cluster, kept: KeptParts) -> Tables:
    """A part that ended its process again and again, in halves; of a single page it is said that it cannot be read."""
    intake = OpenIntake()
    raws = list(pages_of_slice(task.part, intake, task.settings.sources))
    if len(raws) <= 1:
        return _tables(task, intake, [batch_of(bare_page(raw, lost.signal, task.settings) for raw in raws)])
    log.warning("%s ended its process %d times; it is read in halves", task.name, TRIES)
    begin = task.part.first
    parts = [replace(task.part, end=begin + len(raws) // 2), replace(task.part, first=begin + len(raws) // 2)]
    halves = [
        replace(task, name=f"{task.name}-{number}", part=part, depends={**task.depends, "pages": [part.first, part.end]})
        for number, part in enumerate(parts)
    ]
    for half, result in cluster.results(halves):
        if isinstance(result, Lost):
            kept.keep(half.name, half.depends, _read_in_halves(half, result, cluster, kept))
        else:
            kept.note(half.name, result)
    batches = [batch_of_columns(_value(half, kept)[0]) for half in halves]
    kept.forget(f"{task.name}-", ())
    return _tables(task, intake, batches)


def _tables(task: ReadingTask, intake: OpenIntake, batches: Sequence[Batch]) -> Tables:
    for batch in batches:
        for page in batch.pages:
            intake.unread += [Unread(page.source, "", page.url, reason) for reason in page.unread]
    return tables_of_reading(*with_sources(columns_of(batches), intake.closed(), task.sources))


def _value(task: ReadingTask, kept: KeptParts) -> tuple[Columns, Intake]:
    """What a part holds; read here if what was written has been damaged."""
    names = {number: path for path, number in task.sources.items()}

    def value_of(tables: Tables) -> tuple[Columns, Intake]:
        return with_sources(*reading_of_tables(tables), names)

    found = kept.found(task.name, task.depends, value_of)
    if found is not None:
        return found
    _, tables = next(_read([task], 1))
    kept.keep(task.name, task.depends, tables)
    return value_of(tables)
