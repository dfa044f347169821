"""Work that is shared out: the same whoever does it, whoever ends over it, and nothing left behind."""

from __future__ import annotations

import logging
import os
import pickle
import signal
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from mardok.large import laid_down
from mardok.mapped import large_arrays_in, place_of
from mardok.processes import is_worker
from mardok.progress import Staged
from mardok.sharing import Called, Distributed, begun, forked, shared_by, shared_out

N = 1 << 18
"""Numbers of an array that lies in a file."""


def doubled(piece: int) -> NDArray[np.int64]:
    if piece == 3 and is_worker():
        os.kill(os.getpid(), signal.SIGKILL)
    return np.full(N, 2 * piece)


class Itself:
    """Work that gives back what it was given."""

    def __init__(self, array: NDArray[np.int64]) -> None:
        self.array = array

    def __call__(self, piece: int) -> NDArray[np.int64]:
        return self.array[piece:]


def beside(calls: Sequence[Called]) -> Iterator[tuple[Called, bytes]]:
    """Each call as a process that shares nothing with this one would do it."""
    for call in calls:
        yield call, pickle.loads(pickle.dumps(call))()


def files(folder: Path) -> list[Path]:
    return [path for path in folder.rglob("*") if path.is_file()]


@pytest.mark.parametrize("in_files", [True, False])
def test_what_ends_a_process_is_done_by_the_one_that_asked(
    in_files: bool, tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    told: list[str] = []
    progress = Staged(lambda stage, _: told.append(stage))
    progress("doubling", 0)
    with large_arrays_in(tmp_path if in_files else None), shared_by(forked(2), progress), caplog.at_level(logging.WARNING):
        results = list(shared_out(doubled, range(6)))
        assert [int(result[-1]) for result in results] == [0, 2, 4, 6, 8, 10]
        assert not files(tmp_path), "an array that was handed over has a name"
    assert not list(tmp_path.iterdir())
    assert caplog.text.count("the work is done again") == 1
    assert [line.partition(", ")[2].partition(" parts")[0] for line in told[1:]] == [f"{n} of 6" for n in range(7)]


@pytest.mark.parametrize("in_files", [True, False])
def test_what_is_begun_is_done_by_another_process_where_there_is_one(in_files: bool, tmp_path: Path) -> None:
    def work() -> tuple[int, NDArray[np.int64]]:
        return os.getpid(), np.arange(N)

    assert begun(work) is None
    with large_arrays_in(tmp_path if in_files else None):
        with shared_by(forked(2)):
            asked = begun(work)
            assert asked is not None
            process, array = asked()
        assert process != os.getpid()
        assert (array == np.arange(N)).all()
    with shared_by(Distributed(beside)):
        assert begun(work) is None


def test_an_array_that_is_given_back_stays_as_long_as_anybody_has_it(tmp_path: Path) -> None:
    with large_arrays_in(tmp_path, are_shared=True), shared_by(Distributed(beside)):
        array = laid_down(np.arange(N))
        results = list(shared_out(Itself(array), [0, 5]))
        assert place_of(results[1][2:]) == place_of(array[7:])
        assert results[1][0] == 5
        del results
        assert len(files(tmp_path)) == 1
        assert list(shared_out(Itself(array), [1, 2]))[1][0] == 2
        del array
        assert not files(tmp_path)


def test_an_array_is_found_from_another_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "elsewhere").mkdir()
    monkeypatch.chdir(tmp_path)
    with large_arrays_in(Path("work"), are_shared=True), shared_by(Distributed(beside)):
        array = laid_down(np.arange(N))
        monkeypatch.chdir(tmp_path / "elsewhere")
        assert [int(result[0]) for result in shared_out(Itself(array), [1, 2])] == [1, 2]


def test_what_was_begun_beside_does_not_hold_up_the_end() -> None:
    script = "import time; from mardok.processes import begin; begin(lambda: time.sleep(100), 2); raise SystemExit(3)"
    begun = time.monotonic()
    assert subprocess.run([sys.executable, "-c", script], check=False).returncode == 3
    assert time.monotonic() - begun < 50
