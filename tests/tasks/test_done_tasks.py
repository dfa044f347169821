"""What came of tasks: not done again after a crash, whoever does them, and made again where anything differs."""

from __future__ import annotations

import json
import logging
import os
import pickle
import subprocess
import sys
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pytest
import xxhash
from conftest import DEMO_SEARCH, DEMO_WARC
from numpy.typing import NDArray
from test_reading import same
from test_sharing import N, beside, files

import mardok
from mardok import sharing
from mardok.done_tasks import tasks_kept_in
from mardok.errors import FolderError
from mardok.large import laid_down
from mardok.mapped import large_arrays_in
from mardok.sharing import Distributed, Sharer, forked, shared_by, shared_out

WHO = pytest.mark.parametrize("sharer", [None, forked(2), Distributed(beside)], ids=["this process", "processes", "workers"])


@dataclass(frozen=True)
class Noted:
    """Work that notes each piece that it does, and fails over one of them."""

    log: Path
    array: NDArray[np.int64]
    words: frozenset[str] = frozenset({"violin", "viola", "cello"})
    fails: int = -1

    def __getstate__(self) -> dict[str, object]:
        return {**vars(self), "fails": -1}  # where it fails is nothing that decides what comes of it

    def __call__(self, piece: int) -> tuple[int, NDArray[np.int64], list[str]]:
        if piece == self.fails:
            raise RuntimeError("broken off")
        with self.log.open("a") as log:
            log.write(f"{piece}\n")
        return piece, laid_down(self.array + piece), sorted(self.words)


class Place:
    """A working folder in which tasks are done."""

    def __init__(self, folder: Path) -> None:
        self.work, self.log = folder / "work", folder / "log"
        self.tasks = self.work / "tasks" / "part"

    @contextmanager
    def at_work(self, sharer: Sharer | None, program: str = "this") -> Iterator[Noted]:
        with (
            large_arrays_in(self.work, are_shared=isinstance(sharer, Distributed)),
            shared_by(sharer),
            tasks_kept_in(self.tasks, program, are_kept_on=True),
        ):
            yield Noted(self.log, laid_down(np.arange(N)))

    def did(self) -> list[int]:
        """What was done since this was asked."""
        done = sorted(map(int, self.log.read_text().split())) if self.log.is_file() else []
        self.log.unlink(missing_ok=True)
        return done


@pytest.fixture
def place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Place:
    monkeypatch.setattr(sharing, "_FEWEST_KEPT", 2)
    return Place(tmp_path)


def told(
    work: Callable[[int], tuple[int, NDArray[np.int64], list[str]]], n: int = 5
) -> list[tuple[int, int, int, list[str]]]:
    came = [(piece, int(array[0]), int(array[-1]), words) for piece, array, words in shared_out(work, range(n))]
    assert came == [(piece, piece, piece + N - 1, ["cello", "viola", "violin"]) for piece in range(n)]
    return came


@WHO
def test_what_was_done_is_not_done_again(sharer: Sharer | None, place: Place) -> None:
    with place.at_work(None) as work, pytest.raises(RuntimeError, match="broken off"):
        told(replace(work, fails=3))
    assert place.did() == [0, 1, 2]
    for left in ([3, 4], []):
        with place.at_work(sharer) as work:
            told(work)
            del work
            assert not files(place.work / "arrays"), "an array that nobody has is left"
        assert place.did() == left
    assert not (place.work / "arrays").exists()


def test_whoever_does_them_goes_on_with_what_another_did(place: Place) -> None:
    for n, sharer in enumerate((None, forked(2), Distributed(beside), None), start=2):
        with place.at_work(sharer) as work:
            told(work, n)
        assert place.did() == ([0, 1] if n == 2 else [n - 1])


def test_of_few_pieces_nothing_is_kept(place: Place, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sharing, "_FEWEST_KEPT", 6)
    for n, expected in ((5, [*range(5)]), (5, [*range(5)]), (6, [*range(6)]), (6, [])):
        with place.at_work(None) as work:
            told(work, n)
        assert place.did() == expected


def test_another_task_is_done(place: Place) -> None:
    with place.at_work(None) as work:
        told(work)
        place.did()
        assert len(list(shared_out(replace(work, array=laid_down(np.arange(1, N + 1))), range(5)))) == 5
        assert place.did() == [*range(5)]
        assert len(list(shared_out(replace(work, words=frozenset({"violin"})), [4, 5]))) == 2
        assert place.did() == [4, 5]
        told(replace(work, words=frozenset(sorted(work.words, reverse=True)), array=np.arange(N)))
        assert not place.did(), "what is equal was done again"
    with place.at_work(None, program="another") as work:
        told(work)
    assert place.did() == [*range(5)]


@pytest.mark.parametrize("file", ["its own", "of an array"])
@pytest.mark.parametrize("harm", ["changed", "cut", "gone"])
def test_what_is_damaged_is_done_again(file: str, harm: str, place: Place, caplog: pytest.LogCaptureFixture) -> None:
    with place.at_work(None) as work:
        told(work)
    place.did()
    its = next(path for path in files(place.tasks) if (path.suffix == ".1") == (file == "of an array"))
    raw = its.read_bytes()
    if harm == "gone":
        its.unlink()
    else:
        its.write_bytes(raw[:-1] + (bytes([raw[-1] ^ 1]) if harm == "changed" else b""))
    with caplog.at_level(logging.WARNING), place.at_work(None) as work:
        told(work)
    assert len(place.did()) == 1
    n_told = 0 if (file, harm) == ("its own", "gone") else 1
    assert [line.message.partition(": ")[0] for line in caplog.records] == [str(place.tasks)] * n_told


def of_function(module: str, name: str) -> Callable[[str], bytes]:
    """What makes a pickle that calls a function with a text."""
    return lambda text: (
        b"\x80\x04"
        + b"".join(
            pickle.SHORT_BINUNICODE + bytes([len(told)]) + told.encode() + after
            for told, after in ((module, b""), (name, pickle.STACK_GLOBAL), (text, pickle.TUPLE1 + pickle.REDUCE + b"."))
        )
    )


@pytest.mark.parametrize(
    "function", [("os", "mkdir"), ("mardok.folder", "os.mkdir"), ("mardok.folder", "check_replaceable")]
)
def test_nothing_is_run_of_what_stands_on_the_disk(function: tuple[str, str], place: Place, tmp_path: Path) -> None:
    with place.at_work(None) as work:
        told(work)
    place.did()
    raw = of_function(*function)(str(tmp_path / "harm"))
    if function[1] != "check_replaceable":
        pickle.loads(raw)
        (tmp_path / "harm").rmdir()
    for path in files(place.tasks):
        if not path.suffix:
            path.write_bytes(json.dumps({"digest": xxhash.xxh3_128_hexdigest(raw), "files": {}}).encode() + b"\n" + raw)
    with place.at_work(None) as work:
        told(work)
    assert place.did() == [*range(5)]
    assert not (tmp_path / "harm").exists()


def test_no_other_file_is_taken_for_an_array(place: Place, tmp_path: Path) -> None:
    its = tmp_path / "of somebody"
    its.write_bytes(bytes(8 * N))
    with place.at_work(None) as work:
        told(work)
        place.did()
        raw = next(path for path in files(place.tasks) if not path.suffix)
        line, _, kept = raw.read_bytes().partition(b"\n")
        path = next(iter(json.loads(line)["files"])).encode()
        assert kept.count(path) == 1
        kept = kept.replace(path, str(its).encode().rjust(len(path), b"/"))  # a pickle tells how long it is
        raw.write_bytes(json.dumps({"digest": xxhash.xxh3_128_hexdigest(kept), "files": {}}).encode() + b"\n" + kept)
        told(work)
        assert len(place.did()) == 1
    assert its.read_bytes() == bytes(8 * N)


def test_storage_that_knows_no_second_names_has_copies(place: Place, monkeypatch: pytest.MonkeyPatch) -> None:
    def link(*_: object) -> None:
        raise PermissionError

    monkeypatch.setattr("os.link", link)
    for _ in range(2):
        with place.at_work(None) as work:
            told(work)
    assert place.did() == [*range(5)]


def test_a_disk_that_takes_nothing_ends_in_one_line(place: Place) -> None:
    place.work.mkdir()
    (place.work / "tasks").write_text("")
    with place.at_work(None) as work, pytest.raises(FolderError, match=r"work: cannot be written: .*goes on from it$"):
        told(work)


BROKEN_OFF = """
import sys
from pathlib import Path
import pytest
import mardok
from mardok.done_tasks import DoneTasks
from mardok.mapped import room_of_arrays
from small_parts import in_small_parts

warc, search, folder, most = *map(Path, sys.argv[1:4]), int(sys.argv[4])
in_small_parts(4_000, 30, pytest.MonkeyPatch(), folder)
keep, n_kept = DoneTasks.keep, 0

def kept(self, key, *given):
    global n_kept
    keep(self, key, *given)
    assert self.taken(key, room_of_arrays()) is not None
    with (folder / "log").open("a") as log:
        log.write(f"{self.folder.name}\\n")
    n_kept += 1
    if n_kept == most:
        raise SystemExit(3)

DoneTasks.keep = kept
settings = mardok.read_settings(None, ["work.part_pages=50"])
mardok.audit(warc, search=search, settings=settings, work=folder / "work").save(folder / "audit")
"""
"""An audit that ends after so many tasks."""


def tasks_of(folder: Path, most: int, seed: int) -> tuple[bool, Counter[str]]:
    """Whether such an audit came to its end, and of which parts the tasks were that it did."""
    # Each process has the members of sets in another order.
    told = {**os.environ, "PYTHONHASHSEED": str(seed), "PYTHONPATH": os.pathsep.join(sys.path)}
    command = [sys.executable, "-c", BROKEN_OFF, str(DEMO_WARC), str(DEMO_SEARCH), str(folder), str(most)]
    ended = subprocess.run(command, env=told, check=False, capture_output=True, text=True)
    assert ended.returncode in (0, 3), ended.stderr
    log = folder / "log"
    done = Counter(log.read_text().split()) if log.exists() else Counter[str]()
    log.unlink(missing_ok=True)
    return ended.returncode == 0, done


def test_an_audit_that_is_broken_off_again_and_again_does_each_task_once(tmp_path: Path) -> None:
    whole, broken = tmp_path / "whole", tmp_path / "broken"
    whole.mkdir()
    broken.mkdir()
    is_done, expected = tasks_of(whole, 1_000_000, 1)
    assert is_done
    assert {"words", "copies", "relations", "runs", "accounting", "names", "table_phrases"} <= set(expected)
    did: Counter[str] = Counter()
    is_done, n_begun = False, 0
    while not is_done:
        n_begun += 1
        is_done, its = tasks_of(broken, 110, n_begun)
        did += its
    assert n_begun > 2
    assert did == expected
    same(*(mardok.load(folder / "audit") for folder in (whole, broken)))
    assert not (broken / "work" / "tasks").exists()

    # What is kept as a whole, tables among it, is not made again, wherever the audit is put.
    (broken / "audit").rename(tmp_path / "elsewhere")
    is_done, its = tasks_of(broken, 1_000_000, 3)
    assert is_done
    assert set(its) == {"copies", "accounting"}
    same(*(mardok.load(folder) for folder in (broken / "audit", tmp_path / "elsewhere")))
