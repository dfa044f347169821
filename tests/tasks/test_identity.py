"""One answer, file for file: at once, by a pool of processes, by the workers of a cluster; in whatever parts and order."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from pathlib import Path

import pyarrow.parquet as pq
import pytest
from conftest import html, warc_bytes
from distributed import LocalCluster
from small_parts import hold_as_columns

import mardok

HOST = "https://www.host.example"
N_PAGES, N_FAMILY = 20_000, 5_000
LETTERS = "天地玄黄宇宙洪荒日月盈昃辰宿列张寒来暑往秋收冬藏闰余成岁律吕调阳云腾致雨露结为霜"
Page = tuple[str, str, str]
"""Path, title, text."""


def a_site_with_a_family() -> Iterator[Page]:
    chance = random.Random(4)
    vocabulary = [f"{''.join(chance.choices('aeioulnrst', k=3))}{n}" for n in range(9_000)]
    pasted = chance.choices(vocabulary, k=90)
    for n in range(N_PAGES):
        text = [chance.choice(vocabulary) if chance.random() < 0.03 else word for word in pasted]
        text = text if n < N_FAMILY else chance.choices(vocabulary, k=90)
        yield f"p/{n}.html", f"{' '.join(text[:3])} {n % 700}", " ".join(text)


def scripts_without_spaces() -> Iterator[Page]:
    chance = random.Random(5)
    texts = ["".join(chance.choices(LETTERS, k=160)) for _ in range(400)]
    for n, text in enumerate(texts):
        yield f"{n}/", text[:6], f"{text}。{texts[n // 3][:90]}。ไวโอลิน{text[:20]}"


def a_crowd_of_identical_pages() -> Iterator[Page]:
    text = " ".join(f"word{n}" for n in range(80))
    for n in range(1_500):
        yield f"shop/{n}?size={n % 7}", "Violin bow", text if n % 10 else f"{text} and number {n} is another bow"


def a_page_that_contains_hundreds() -> Iterator[Page]:
    chance = random.Random(6)
    texts = [" ".join(f"{chance.choice('abcdefgh')}{chance.randrange(9999)}" for _ in range(40)) for _ in range(600)]
    yield "all/", "Everything that was ever asked", " ".join(texts)
    for n, text in enumerate(texts):
        yield f"one/{n}/", f"Question {n} of the day", text


SITES: list[Callable[[], Iterator[Page]]] = [
    a_site_with_a_family, scripts_without_spaces, a_crowd_of_identical_pages, a_page_that_contains_hundreds,
]  # fmt: skip


def written(folder: Path, pages: Iterator[Page]) -> list[Path]:
    """Two WARC files of a site, with every page in one of them."""
    answers = [(f"{HOST}/{path}", 200, [], html(text, title=title)) for path, title, text in pages]
    result = []
    for number in (0, 1):
        result.append(folder / f"part{number}.warc.gz")
        result[-1].write_bytes(warc_bytes(answers[number::2])[0])
    return result


def the_same_files(one: Path, other: Path) -> None:
    names = sorted(path.relative_to(one) for path in one.rglob("*") if path.suffix in (".csv", ".parquet"))
    names = [name for name in names if "kept" not in name.parts]
    assert len(names) > 30
    for name in names:
        if name.suffix == ".csv":
            assert (one / name).read_bytes() == (other / name).read_bytes(), name
        else:
            assert pq.read_table(one / name).equals(pq.read_table(other / name)), name


@pytest.mark.proof
@pytest.mark.parametrize("pages", SITES, ids=lambda pages: pages.__name__)
def test_whoever_audits_the_files_are_the_same(
    pages: Callable[[], Iterator[Page]], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    sources = written(tmp_path, pages())
    whole = mardok.audit(*sources)
    whole.save(tmp_path / "whole")

    def cut(n_parts: int) -> mardok.Settings:
        return mardok.read_settings(None, [f"work.part_pages={-(-len(whole.pages) // n_parts)}"])

    hold_as_columns(monkeypatch, 100)  # as of a site of more pages than these have
    mardok.audit(*sources, work=tmp_path / "pool", jobs=2, settings=cut(8)).save(tmp_path / "by-pool")
    the_same_files(tmp_path / "whole", tmp_path / "by-pool")
    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=":0") as cluster:
        for n_parts in (1, 3, 8):
            order = sources if n_parts != 3 else sources[::-1]
            address, work = cluster.scheduler_address, tmp_path / f"work{n_parts}"
            mardok.audit(*order, work=work, cluster=address, settings=cut(n_parts)).save(tmp_path / f"by{n_parts}")
            the_same_files(tmp_path / "whole", tmp_path / f"by{n_parts}")
