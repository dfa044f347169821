"""Workers on other machines: the same audit, whoever of them is killed, and an end where nobody is left."""

from __future__ import annotations

import json
import logging
import os
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from conftest import DEMO_SEARCH, DEMO_WARC
from distributed import Client
from small_parts import in_small_parts
from test_reading import same, write_folder

import mardok
from mardok.errors import ClusterError
from mardok.sharing import Distributed
from mardok.tasks import cluster as cluster_module
from mardok.tasks.cluster import cluster_of


class Processes:
    """A scheduler and workers, each a process of its own."""

    def __init__(self, folder: Path, n_workers: int) -> None:
        self.folder, self.running = folder, {}
        self.begin("scheduler", "--port", "0", "--scheduler-file", str(folder / "scheduler.json"), "--no-dashboard")
        while not (folder / "scheduler.json").is_file():
            time.sleep(0.05)
        self.address = json.loads((folder / "scheduler.json").read_text("utf-8"))["address"]
        for number in range(n_workers):
            self.begin_worker(number)
        with Client(self.address, set_as_default=False) as client:
            client.wait_for_workers(n_workers, timeout=60)

    def begin_worker(self, number: int) -> None:
        self.begin(
            "worker", self.address, "--nthreads", "1", "--no-dashboard", "--no-nanny", "--name", str(number),
            "--local-directory", str(self.folder), number=number,
        )  # fmt: skip

    def begin(self, what: str, *options: str, number: int = -1) -> None:
        command = [sys.executable, "-m", "dask", what, "--host", "127.0.0.1", *options]
        with (self.folder / f"{what}{number}.log").open("ab") as log:
            self.running[number] = subprocess.Popen(command, stdout=log, stderr=log, start_new_session=True)

    def kill(self, number: int) -> None:
        """Kill a worker, or by -1 the scheduler, with all that belongs to it."""
        process = self.running.pop(number)
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()


@pytest.fixture
def processes(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Callable[[int], Processes]]:
    begun: list[Processes] = []

    def begin(n_workers: int) -> Processes:
        begun.append(Processes(tmp_path_factory.mktemp("cluster"), n_workers))
        return begun[-1]

    yield begin
    for one in begun:
        for number in sorted(one.running, reverse=True):
            one.kill(number)


def settings(n_pages: int, wait_s: float = 30) -> mardok.Settings:
    return mardok.read_settings(None, [f"work.part_pages={n_pages}", f"work.wait_s={wait_s}"])


def test_workers_read_what_one_process_reads(tmp_path: Path, processes: Callable[[int], Processes]) -> None:
    folder, its = write_folder(tmp_path / "site"), processes(2)
    sources: list[Path] = [DEMO_WARC, folder]
    whole = mardok.audit(*sources, base="https://other.example/", search=DEMO_SEARCH)
    for n_parts in (1, 3, 8):
        n_pages = -(-len(whole.pages) // n_parts)
        made = mardok.audit(
            *sources, base="https://other.example/", search=DEMO_SEARCH, settings=settings(n_pages),
            work=tmp_path / str(n_parts), cluster=its.address,
        )  # fmt: skip
        same(made, whole)
    with Client(its.address, set_as_default=False) as client:
        other = mardok.audit(
            *reversed(sources), base="https://other.example/", search=DEMO_SEARCH, settings=settings(9),
            work=tmp_path / "other", cluster=client,
        )  # fmt: skip
    for name in other.tables:
        pd.testing.assert_frame_equal(other.tables[name], whole.tables[name], obj=name)
    same(mardok.audit(*sources, base="https://other.example/", search=DEMO_SEARCH, settings=settings(9),
                      work=tmp_path / "1"), whole)  # fmt: skip


def when_parts_stand(work: Path, n: int, then: Callable[[], Any]) -> threading.Thread:
    """Do something as soon as so many parts are read."""

    def wait() -> None:
        while len(list(work.glob("parts/reading-*.json"))) < n:
            time.sleep(0.01)
        then()

    thread = threading.Thread(target=wait, daemon=True)
    thread.start()
    return thread


@pytest.mark.harm
def test_a_killed_worker_costs_only_its_part(
    tmp_path: Path, processes: Callable[[int], Processes], caplog: pytest.LogCaptureFixture
) -> None:
    its, work = processes(2), tmp_path / "work"
    thread = when_parts_stand(work, 2, lambda: its.kill(0))
    with caplog.at_level(logging.WARNING, "mardok"):
        made = mardok.audit(DEMO_WARC, search=DEMO_SEARCH, settings=settings(1), work=work, cluster=its.address)
    thread.join(30)
    same(made, mardok.audit(DEMO_WARC, search=DEMO_SEARCH))
    assert "the worker was lost; its parts are done again by others" in caplog.text


def test_workers_compare_what_one_process_compares(
    tmp_path: Path, processes: Callable[[int], Processes], monkeypatch: pytest.MonkeyPatch
) -> None:
    its, elsewhere = processes(2), Path.cwd()
    monkeypatch.chdir(tmp_path)  # which is not where the workers stand
    site_file = Path(shutil.copy(DEMO_WARC, "site.warc.gz"))
    whole = mardok.audit(site_file, search=DEMO_SEARCH)
    in_small_parts(4_000, 30, monkeypatch, tmp_path)
    stages = noted_stages(monkeypatch, lambda _: None)
    made = mardok.audit(site_file, search=DEMO_SEARCH, settings=settings(50), work="work", cluster=its.address)
    same(made, whole)
    assert set(stages) == SHARED
    assert not (tmp_path / "work" / "arrays").exists()
    assert not (elsewhere / "work").exists()


SHARED = {
    "_hashed", "_Main.told", "_shingles_of", "_parted", "_told_in_order", "_Asked.pairs_of", "_Around.pairs_of",
    "_Runs.known", "_Grams.numbers", "_of_some", "_Looked.of", "_look_over_some", "_told_of_pages", "_counted_in_range",
    "_told_of", "_carried", "content_votes", "core_votes", "decided",
    "furniture_elsewhere", "_OfPages.teased", "_counted_without", "_shared_pairs", "_Marks.of_pages",
}  # fmt: skip


def noted_stages(monkeypatch: pytest.MonkeyPatch, begun: Callable[[str], None]) -> list[str]:
    """Names of the stages that workers do from now on; something is done as each of them begins for the first time."""
    stages: list[str] = []
    results = Distributed.results

    def noted(self: Distributed, work: Any, pieces: Sequence[Any]) -> Iterator[Any]:
        function = work.work
        while isinstance(function, partial):
            function = function.func
        if function.__qualname__ not in stages:
            stages.append(function.__qualname__)
            begun(function.__qualname__)
        return results(self, work, pieces)

    monkeypatch.setattr(Distributed, "results", noted)
    return stages


@pytest.mark.harm
def test_a_worker_may_be_killed_in_each_stage(
    tmp_path: Path, processes: Callable[[int], Processes], monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    whole, its = mardok.audit(DEMO_WARC, search=DEMO_SEARCH), processes(2)
    in_small_parts(1_000, 5, monkeypatch, tmp_path)
    threads: list[threading.Thread] = []

    def kill_one(_: str) -> None:
        def kill() -> None:
            its.kill(min(number for number in its.running if number >= 0))

        for thread in threads:
            thread.join()
        its.begin_worker(max(its.running) + 1)
        with Client(its.address, set_as_default=False) as client:
            client.wait_for_workers(2, timeout=60)
        threads.append(threading.Timer(0.1, kill))
        threads[-1].start()

    stages = noted_stages(monkeypatch, kill_one)
    with caplog.at_level(logging.WARNING, "mardok"):
        made = mardok.audit(DEMO_WARC, search=DEMO_SEARCH, work=tmp_path / "work", cluster=its.address)
    same(made, whole)
    assert set(stages) == SHARED
    assert len(threads) == len(SHARED)
    assert "the worker was lost; its parts are done again by others" in caplog.text


@pytest.mark.harm
@pytest.mark.parametrize("gone", ["all workers", "the scheduler"])
def test_when_nobody_is_left_the_audit_ends_and_can_go_on(
    gone: str, tmp_path: Path, processes: Callable[[int], Processes]
) -> None:
    its, work = processes(2), tmp_path / "work"

    def end() -> None:
        for number in (0, 1) if gone == "all workers" else (-1,):
            its.kill(number)

    thread = when_parts_stand(work, 2, end)
    begun = time.monotonic()
    with pytest.raises(ClusterError) as told:
        mardok.audit(DEMO_WARC, settings=settings(1, wait_s=2), work=work, cluster=its.address)
    thread.join(30)
    assert time.monotonic() - begun < 60
    assert f"what is done stands in {work}" in str(told.value)
    assert "\n" not in str(told.value)
    n_read = len(list(work.glob("parts/reading-*.json")))
    assert n_read >= 2
    same(mardok.audit(DEMO_WARC, settings=settings(1), work=work), mardok.audit(DEMO_WARC))


def test_workers_that_cannot_be_used_are_named(
    tmp_path: Path, processes: Callable[[int], Processes], monkeypatch: pytest.MonkeyPatch
) -> None:
    its, work = processes(1), tmp_path / "work"
    work.mkdir()
    with cluster_of(its.address, work, 30) as cluster:
        assert cluster is not None
        cluster.check([DEMO_WARC])
        with pytest.raises(ClusterError, match=r"127\.0\.0\.1.*does not see .*nowhere.warc; all workers need"):
            cluster.check([tmp_path / "nowhere.warc"])
        monkeypatch.setattr(cluster_module, "program_digest", lambda: "another")
        with pytest.raises(ClusterError, match="another version of Mardok"):
            cluster.check([DEMO_WARC])
    assert list(work.iterdir()) == []
    with pytest.raises(ClusterError, match="needs a working folder"):
        mardok.audit(DEMO_WARC, cluster=its.address)
    with pytest.raises(ClusterError, match="no scheduler of a cluster answers"):
        mardok.audit(DEMO_WARC, work=work, cluster="tcp://127.0.0.1:9", settings=settings(9, wait_s=1))
    its.kill(0)
    with pytest.raises(ClusterError, match="no worker within 1 s"):
        mardok.audit(DEMO_WARC, work=work, cluster=its.address, settings=settings(9, wait_s=1))
