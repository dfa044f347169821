"""Whatever breaks off, and wherever: the old folder or the new one stands, decisions are kept, the next run is clean.

Each file operation of a run is made to fail in turn: the process ends at it, the disk is full, or it is not permitted. When
the process ends, what was written and not synced is lost, as after a power cut.
"""

from __future__ import annotations

import errno
import io
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any
from unittest import mock

import pytest
from web_server import send, serving

import mardok
from mardok.errors import MardokError
from mardok.sources.crawl.archive import SCOPE_FIELD, Archive
from mardok.sources.crawl.fetched import Fetched, Task

PAGES = "url,title,text\nhttps://host.example/,Bows,{0}\nhttps://host.example/a,Bows,{0}\nhttps://host.example/b,Hire,{1}\n"
TEXTS = (
    "Bows and strings for every violin that there is from the smallest to the largest and what they cost. " * 3,
    "We hire violins by the month and mend bows and cut bridges for schools whatever the size of the school. " * 3,
)
OPERATIONS = ("mkdir", "rename", "replace", "fsync", "unlink", "rmdir", "chmod", "truncate", "link")
pytestmark = pytest.mark.harm
SAMPLE = None if os.environ.get("MARDOK_FULL_PROOFS") else 12
"""Places that are tried of each run; all of them in the long proofs."""


class PowerCut(BaseException):
    """The end of the process."""


class Disk:
    """Counts the file operations below a folder, and lets one of them fail."""

    def __init__(self, folder: Path, fails_at: int, how: str) -> None:
        self.folder, self.fails_at, self.how = folder, fails_at, how
        self.n = 0
        self.is_dead = False
        self.unsynced: dict[str, int] = {}
        """Files that were written and not synced, with the bytes that are safe."""

    def operate(self, path: Any) -> None:
        if not str(path).startswith(str(self.folder)) and not isinstance(path, int):
            return
        if self.is_dead:
            raise PowerCut
        self.n += 1
        if self.n == self.fails_at:
            if self.how == "ends":
                self.is_dead = True
                raise PowerCut
            raise OSError(getattr(errno, self.how), os.strerror(getattr(errno, self.how)), str(path))

    @contextmanager
    def watched(self) -> Iterator[None]:
        real_open, disk = io.open, self

        class Watched(io.FileIO):
            def write(self, data: Any) -> int:
                disk.operate(str(self.name))
                return super().write(data)

        def opened(file: Any, mode: str = "r", buffering: int = -1, *more: Any, **options: Any) -> Any:
            if isinstance(file, int) or not str(file).startswith(str(disk.folder)) or not set(mode) & set("wax+"):
                return real_open(file, mode, buffering, *more, **options)
            disk.operate(file)
            disk.unsynced[str(file)] = os.path.getsize(file) if "a" in mode and os.path.exists(file) else 0
            binary = io.BufferedWriter(Watched(str(file), mode.replace("b", "").replace("t", "")))
            return binary if "b" in mode else io.TextIOWrapper(binary, *more, **options, write_through=False)

        def patched(name: str) -> Callable[..., Any]:
            real = getattr(os, name)

            def call(path: Any, *more: Any, **options: Any) -> Any:
                disk.operate(path)
                result = real(path, *more, **options)
                if name == "fsync":
                    disk.unsynced.pop(os.readlink(f"/proc/self/fd/{path}"), None)
                elif name in ("rename", "replace"):
                    old, new = str(path), str(more[0])
                    disk.unsynced = {
                        new + one[len(old) :] if one.startswith(old) else one: size for one, size in disk.unsynced.items()
                    }
                return result

            return call

        with mock.patch.multiple(os, **{name: patched(name) for name in OPERATIONS}), mock.patch("io.open", opened):
            yield

    def lose_what_was_not_synced(self) -> None:
        for name, size in self.unsynced.items():
            if self.is_dead and Path(name).is_file():
                os.truncate(name, size)


def broken_off(folder: Path, prepare: Callable[[], None], run: Callable[[], None], check: Callable[[], None]) -> int:
    """Break a run off at its file operations, and check what is left each time; how many there are."""
    prepare()
    counting = Disk(folder, 0, "")
    with counting.watched():
        run()
    places = list(range(1, counting.n + 1))
    if SAMPLE is not None:
        places = sorted(random.Random(counting.n).sample(places, min(SAMPLE, len(places))))
    for place in places:
        for how in ("ends", "ENOSPC", "EACCES") if SAMPLE is None else (random.Random(place).choice(["ends", "ENOSPC"]),):
            prepare()
            disk = Disk(folder, place, how)
            with disk.watched(), suppress(PowerCut, MardokError, OSError):
                run()
            disk.lose_what_was_not_synced()
            check()
    return counting.n


def test_an_audit_is_the_old_one_or_the_new_one_with_its_decisions(tmp_path: Path) -> None:
    site, out, kept = tmp_path / "site.csv", tmp_path / "in" / "audit", tmp_path / "kept"
    site.write_text(PAGES.format(*TEXTS))
    mardok.audit(site).save(kept)
    plan = (kept / "plan.csv").read_text()
    decided = plan.replace(",open,", ",accept,") if ",open," in plan else plan
    (kept / "plan.csv").write_text(decided)
    newer = mardok.audit(
        site, decisions=kept / "plan.csv", settings=mardok.read_settings(assignments=["rivals.generic_words=bows"])
    )
    whole = {}
    for name, of in (("old", kept), ("new", tmp_path / "new")):
        if name == "new":
            newer.save(of)
        whole[name] = {path.relative_to(of): path.read_bytes() for path in sorted(of.rglob("*")) if path.is_file()}

    def prepare() -> None:
        shutil.rmtree(out.parent, ignore_errors=True)
        out.parent.mkdir()
        shutil.copytree(kept, out)

    def check() -> None:
        found = {path.relative_to(out): path.read_bytes() for path in sorted(out.rglob("*")) if path.is_file()}
        assert found in (whole["old"], whole["new"])
        newer.save(out)
        assert [path.name for path in out.parent.iterdir()] == ["audit"]

    assert broken_off(out.parent, prepare, lambda: newer.save(out), check) > 30


def test_a_hand_over_is_the_old_one_or_the_new_one(tmp_path: Path) -> None:
    site, out, kept = tmp_path / "site.csv", tmp_path / "in" / "orders", tmp_path / "kept"
    site.write_text(PAGES.format(*TEXTS))
    audited = mardok.audit(site)
    mardok.hand_off(audited, kept, all_proposals=True)
    (kept / "redirects.csv").write_text("an older one")

    def prepare() -> None:
        shutil.rmtree(out.parent, ignore_errors=True)
        out.parent.mkdir()
        shutil.copytree(kept, out)

    def check() -> None:
        names = sorted(path.name for path in out.iterdir())
        assert names == sorted(path.name for path in kept.iterdir())
        assert all(path.stat().st_size for path in out.rglob("*") if path.is_file())
        mardok.hand_off(audited, out, all_proposals=True)
        assert [path.name for path in out.parent.iterdir()] == ["orders"]

    assert broken_off(out.parent, prepare, lambda: mardok.hand_off(audited, out, all_proposals=True), check) > 10  # type: ignore[arg-type,func-returns-value]


def test_a_recheck_is_the_old_one_or_the_new_one_with_its_audit(tmp_path: Path) -> None:
    site, out, kept = tmp_path / "site.csv", tmp_path / "in" / "recheck", tmp_path / "kept"
    site.write_text(PAGES.format(*TEXTS))
    first = mardok.audit(site)
    checked = mardok.recheck(first, site)
    checked.save(kept)
    whole = sorted(str(path.relative_to(kept)) for path in kept.rglob("*"))

    def prepare() -> None:
        shutil.rmtree(out.parent, ignore_errors=True)
        out.parent.mkdir()
        shutil.copytree(kept, out)

    def check() -> None:
        assert sorted(str(path.relative_to(out)) for path in out.rglob("*")) == whole
        assert all(path.stat().st_size for path in out.rglob("*") if path.is_file())
        mardok.load(out / "audit")
        checked.save(out)
        assert [path.name for path in out.parent.iterdir()] == ["recheck"]

    assert broken_off(out.parent, prepare, lambda: checked.save(out), check) > 20


@pytest.mark.parametrize("command", ["versus", "topic"])
def test_a_comparison_or_an_answer_is_the_old_one_or_the_new_one(tmp_path: Path, command: str) -> None:
    site, kept, out = tmp_path / "site.csv", tmp_path / "kept", tmp_path / "in" / "made"
    site.write_text(PAGES.format(*TEXTS))
    first = mardok.audit(site)
    made = mardok.versus([first, first]) if command == "versus" else mardok.topic(first, "bows", rivals=site)
    made.save(kept)
    whole = {path.name: path.read_bytes() for path in kept.iterdir()}

    def prepare() -> None:
        shutil.rmtree(out.parent, ignore_errors=True)
        out.parent.mkdir()
        shutil.copytree(kept, out)

    def check() -> None:
        assert {path.name: path.read_bytes() for path in out.iterdir()} == whole
        made.save(out)
        assert [path.name for path in out.parent.iterdir()] == ["made"]

    assert broken_off(out.parent, prepare, lambda: made.save(out), check) > 10


@pytest.mark.parametrize("damage", [False, True])
def test_a_crawl_keeps_every_answer_that_was_kept_before(tmp_path: Path, damage: bool) -> None:
    folder = tmp_path / "in"
    path, kept = folder / "site.warc.gz", tmp_path / "kept.warc.gz"
    answers = [Fetched(Task(f"https://host.example/{n}", "page", 1), 200, (), b"words" * n) for n in range(6)]
    archive = Archive(kept, {SCOPE_FIELD: "x"})
    for one in answers[:4]:
        archive.add(one, [])
    archive.close()
    if damage:
        content = bytearray(kept.read_bytes())
        content[len(content) // 2] ^= 1
        kept.write_bytes(content)

    def prepare() -> None:
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir()
        shutil.copyfile(kept, path)

    def run() -> None:
        crawl = Archive(path, {SCOPE_FIELD: "x"})
        try:
            for one in answers[4:]:
                crawl.add(one, [])
        finally:
            crawl.close()

    def check() -> None:
        again = Archive(path, {SCOPE_FIELD: "x"})
        found = [one.task.url for one in again.answers()]
        again.close()
        missing = {one.task.url for one in answers[:4]} - set(found)
        assert len(missing) <= damage
        assert not damage or any(other.name.startswith("site.warc.gz.damaged") for other in folder.iterdir())

    assert broken_off(folder, prepare, run, check) > 1


def test_a_folder_that_was_set_aside_is_found_again(tmp_path: Path) -> None:
    site, out = tmp_path / "site.csv", tmp_path / "audit"
    site.write_text(PAGES.format(*TEXTS))
    mardok.audit(site).save(out)
    old = (out / "plan.csv").read_bytes()
    for left in (".audit.mardok-abcdefgh", ".audit.mardok-abcdefgi-old"):
        shutil.copytree(out, tmp_path / left)
    shutil.rmtree(out)
    command = [sys.executable, "-m", "mardok", "audit", str(site), "-o", str(out), "--set", "copies.resemblance=7"]
    assert subprocess.run(command, capture_output=True, check=False).returncode == 2  # it does not get to writing
    assert (out / "plan.csv").read_bytes() == old
    assert sorted(path.name for path in tmp_path.iterdir()) == ["audit", "site.csv"]


def test_the_second_of_two_runs_on_one_folder_is_told(tmp_path: Path) -> None:
    site, out = tmp_path / "site.csv", tmp_path / "audit"
    site.write_text(PAGES.format(*TEXTS))
    with subprocess.Popen([sys.executable, "-c", HOLDING, str(out)], stdout=subprocess.PIPE, text=True) as first:
        assert first.stdout is not None
        assert first.stdout.readline() == "has\n"
        command = [sys.executable, "-m", "mardok", "audit", str(site), "-o", str(out)]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        first.kill()
    assert done.returncode == 2
    assert "another run is writing it" in done.stderr
    mardok.audit(site).save(out)


HOLDING = """
import sys, time
from pathlib import Path
from mardok.folder import claimed
with claimed(Path(sys.argv[1])):
    print("has", flush=True)
    time.sleep(60)
"""
COMMANDS = {
    "audit": ["audit", "{site}", "-o", "{out}"],
    "handoff": ["handoff", "{kept}", "-o", "{orders}", "--all"],
    "recheck": ["recheck", "{kept}", "{site}", "-o", "{checked}"],
    "crawl": ["crawl", "{base}/", "-o", "{warc}", "--set", "crawl.delay_s=0"],
    "page": ["page", "{kept}", "/"],
    "pages": ["pages", "{kept}"],
    "pair": ["pair", "{kept}", "/", "/a"],
    "phrases": ["phrases", "{kept}"],
    "demo": ["demo", "{demo}"],
    "versus": ["versus", "{kept}", "{kept}", "-o", "{compared}"],
    "topic": ["topic", "{kept}", "words of page", "-o", "{answered}", "--rivals", "{site}"],
    "draft": ["draft", "{kept}", "--phrase", "words of page"],
}


@pytest.mark.parametrize(("sign", "status"), [(signal.SIGKILL, -9), (signal.SIGINT, 130)])
def test_a_command_that_is_ended_leaves_nothing_running_and_nothing_broken(tmp_path: Path, sign: int, status: int) -> None:
    draw = random.Random(sign)
    site, kept, rooms = tmp_path / "site.csv", tmp_path / "kept", tmp_path / "rooms"
    rooms.mkdir()
    site.write_text(
        PAGES.format(*TEXTS) + "".join(f"https://host.example/{n},Page {n},words of page {n}\n" for n in range(400))
    )
    mardok.audit(site).save(kept)

    def answer(handler: Any) -> None:
        links = "".join(f"<a href=/{n}>x</a>" for n in range(300))
        send(handler, f"<title>{handler.path}</title><p>page {links}", 404 if handler.path.endswith("txt") else 200)

    with serving(answer) as server:
        for number in range(20 if SAMPLE else 100 if sign == signal.SIGINT else 200):
            name = draw.choice(list(COMMANDS))
            names = ("site", "kept", "out", "orders", "checked", "demo", "compared", "answered")
            places = {name: tmp_path / name for name in names} | {"warc": tmp_path / f"{number}.warc.gz"}
            places["site"] = site
            command = [part.format(base=server.base, **places) for part in COMMANDS[name]]
            command += ["--jobs", str(draw.randint(1, 8))] if name == "audit" else []
            process = subprocess.Popen(
                [sys.executable, "-m", "mardok", *command], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
                start_new_session=True, env={**os.environ, "TMPDIR": str(rooms)},
            )  # fmt: skip
            time.sleep(draw.uniform(0.3, 2.0))
            begun = time.monotonic()
            os.killpg(process.pid, sign) if sign == signal.SIGINT else process.kill()
            _, told = process.communicate(timeout=20)
            is_unborn = process.returncode == -sign and not told  # Python itself was still being loaded
            assert process.returncode in (0, status) or is_unborn, (command, process.returncode, told)
            assert len(told.splitlines()) <= 2, (command, told)
            if process.returncode == status == 130:
                assert time.monotonic() - begun < 5
            assert ends(process.pid), command
            for folder in (tmp_path / "out", kept):
                if folder.exists():
                    mardok.load(folder)
            if name == "crawl" and (tmp_path / f"{number}.warc.gz").exists():
                list(mardok.audit(tmp_path / f"{number}.warc.gz").pages["url"]) if process.returncode == 0 else None
    mardok.audit(site).save(tmp_path / "out")
    assert not list(tmp_path.glob(".*mardok*"))
    subprocess.run(
        [sys.executable, "-m", "mardok", "audit", str(site), "-o", str(tmp_path / "out")], check=True,
        env={**os.environ, "TMPDIR": str(rooms)},
    )  # fmt: skip
    assert not list(rooms.glob("mardok-kept-*"))  # what was killed left its room behind until now


def ends(session: int) -> bool:
    """Whether all processes of a session end soon."""
    until = time.monotonic() + 5
    while time.monotonic() < until:
        alive = []
        for stat in Path("/proc").glob("[0-9]*/stat"):
            try:
                fields = stat.read_text().rpartition(")")[2].split()
            except OSError:
                continue
            alive += [stat] if int(fields[3]) == session and fields[0] not in "ZX" else []
        if not alive:
            return True
        time.sleep(0.02)
    return False
