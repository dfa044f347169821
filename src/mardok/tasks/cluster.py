"""Many machines: parts of an audit done by the workers of a Dask cluster.

In:  tasks that can be pickled, each of which writes its part into the working folder.
Out: what is told of each part; the parts themselves never pass through here.

The working folder is storage that all workers see. That, and that each runs the same Mardok, is tried before anything is
asked of them.
"""

from __future__ import annotations

import logging
import time
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import CancelledError
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from mardok.errors import ClusterError
from mardok.kept import program_digest
from mardok.processes import Lost
from mardok.tasks.child import done_in_child
from mardok.tasks.runners import TRIES, Task, goes_on, unusable

if TYPE_CHECKING:
    from distributed import Client

log = logging.getLogger(__name__)
_PAUSE_S, _LOOK_S = 0.05, 1.0
_NEEDED = "a cluster needs Dask: pip install 'mardok[cluster]'"


class Cluster:
    """The workers of a cluster.

    Parameters
    ----------
    client : distributed.Client
        Who asks them.
    work : Path
        The working folder.
    wait_s : float
        Seconds without any worker after which an audit ends.
    """

    def __init__(self, client: Client, work: Path, wait_s: float) -> None:
        self._client, self._work, self._wait_s = client, work.resolve(), wait_s

    def check(self, paths: Sequence[Path]) -> None:
        """Try whether every worker sees the working folder and the sources, and is of this version.

        Raises
        ------
        ClusterError
            If one does not; it is named.
        """
        self._wait_for_workers()
        room, word = self._work / f"seen-{uuid.uuid4().hex}", uuid.uuid4().hex
        room.mkdir()
        try:
            (room / "asked").write_text(word, "utf-8")
            sources = [str(path.resolve()) for path in paths]
            with self._told_of_end():
                told: Mapping[str, tuple[str, str]] = self._client.run(_look, str(room), word, sources)
            for worker, (digest, trouble) in told.items():
                if trouble:
                    raise ClusterError(f"{worker}: {trouble}; all workers need the same storage")
                if digest != program_digest():
                    raise ClusterError(f"{worker}: runs another version of Mardok, Python or a library; install the same")
                if not any(path.read_text("utf-8") == worker for path in room.glob("seen-*")):
                    raise ClusterError(
                        f"{worker}: writes to {self._work}, and it is not seen here; all need the same storage"
                    )
        finally:
            for path in room.iterdir():
                path.unlink(missing_ok=True)
            room.rmdir()

    def results(self, tasks: Sequence[Task]) -> Iterator[tuple[Task, Any | Lost]]:
        """See :class:`mardok.tasks.runners.Runner`.

        Raises
        ------
        ClusterError
            If no worker is left, or the scheduler has gone.
        FolderError
            If a worker cannot read or write what it must.
        """
        with self._told_of_end():
            waiting = {self._submit(task, 0): (task, 1) for task in tasks}
            workers, looked, alone_since = self._workers(), time.monotonic(), time.monotonic()
            while waiting:
                done = [future for future in waiting if future.done()]
                for future in done:
                    result = self._result(future)
                    if result is None:
                        continue
                    task, n_tried = waiting.pop(future)
                    if isinstance(result, Lost) and n_tried < TRIES:
                        waiting[self._submit(task, n_tried)] = (task, n_tried + 1)
                    else:
                        yield task, result
                if not done:
                    time.sleep(_PAUSE_S)
                if time.monotonic() - looked < _LOOK_S:
                    continue
                before, workers, looked = workers, self._workers(), time.monotonic()
                for worker in before - workers:
                    log.warning("%s: the worker was lost; its parts are done again by others", worker)
                if workers:
                    alone_since = looked
                elif looked - alone_since > self._wait_s:
                    raise ClusterError(f"no worker is left{goes_on(self._work)}")

    def _submit(self, task: Callable[[], Any], n_tried: int) -> Any:
        # A key of its own: the cluster would give again what it knows of one that was tried.
        key = f"mardok-{uuid.uuid4().hex}-{n_tried}"
        return self._client.submit(done_in_child, task, alone=n_tried == 0, pure=False, key=key)

    def _result(self, future: Any) -> Any | Lost | None:
        """What came of a task; None where it went with the worker that had it, and is done again."""
        from distributed import KilledWorker

        try:
            return future.result(timeout=_LOOK_S)
        except TimeoutError:
            return None
        except KilledWorker:  # with it as many workers ended as the cluster allows
            return Lost(0)
        except OSError as error:
            if type(error).__module__.startswith("distributed"):
                raise
            raise unusable(error, self._work) from error

    def _workers(self) -> frozenset[str]:
        if self._client.status != "running":
            raise CancelledError
        return frozenset(self._client.ncores())

    def _wait_for_workers(self) -> None:
        try:
            self._client.wait_for_workers(1, timeout=self._wait_s)
        except (TimeoutError, OSError) as error:
            raise ClusterError(f"the cluster has no worker within {self._wait_s:g} s; begin one first") from error

    @contextmanager
    def _told_of_end(self) -> Iterator[None]:
        """Say in one line that the scheduler has gone."""
        try:
            yield
        except CancelledError as error:
            raise ClusterError(f"the scheduler of the cluster has gone{goes_on(self._work)}") from error
        except OSError as error:  # what the client raises of a connection that is no more
            if type(error).__module__.startswith("distributed"):
                raise ClusterError(f"the cluster cannot be asked any more ({error}){goes_on(self._work)}") from error
            raise


@contextmanager
def cluster_of(cluster: str | Client | None, work: Path | None, wait_s: float) -> Iterator[Cluster | None]:
    """The cluster at an address, or of a client; None of none.

    Raises
    ------
    ClusterError
        If there is no working folder, Dask is not installed, or nobody answers.
    """
    if cluster is None:
        yield None
        return
    if work is None:
        raise ClusterError("a cluster needs a working folder that all its workers see: name one (--work DIR)")
    try:
        from distributed import Client
    except ImportError as error:
        raise ClusterError(_NEEDED) from error
    if not isinstance(cluster, str):
        yield Cluster(cluster, work, wait_s)
        return
    try:
        client = Client(cluster, timeout=wait_s, set_as_default=False)
    except (OSError, ValueError) as error:
        raise ClusterError(f"{cluster}: no scheduler of a cluster answers there ({_line(error)})") from error
    try:
        yield Cluster(client, work, wait_s)
    finally:
        client.close()


def _look(room: str, word: str, paths: Sequence[str], dask_worker: Any) -> tuple[str, str]:
    """What a worker sees: a digest of its program, and what is wrong."""
    folder = Path(room)
    try:
        if (folder / "asked").read_text("utf-8") != word:
            return "", f"sees another {folder.parent}"
        (folder / f"seen-{uuid.uuid4().hex}").write_text(str(dask_worker.address), "utf-8")
    except OSError as error:
        return "", f"cannot read and write {folder.parent} ({error.strerror})"
    unseen = next((path for path in paths if not Path(path).exists()), "")
    return program_digest(), unseen and f"does not see {unseen}"


def _line(error: Exception) -> str:
    return " ".join(str(error).split())
