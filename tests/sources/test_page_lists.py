"""What a person knows beside the crawl: bad rows are told with place and reason, the rest is used."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mardok.errors import TableError
from mardok.sources.page_lists import Signal, read_signals, read_targets
from mardok.sources.raw import OpenIntake, Unread

HOST = "https://www.host.example"


def table(folder: Path, text: str) -> Path:
    path = folder / "list.csv"
    path.write_text(text, "utf-8")
    return path


def test_targets_are_read_in_their_order_with_addresses_in_one_form(tmp_path: Path) -> None:
    intake = OpenIntake()
    path = table(
        tmp_path,
        f"phrase,url\n  violin   hire ,HTTPS://www.HOST.example:443/hire/../hire/#top\nbow hair,{HOST}/bows/\n"
        "rosin,/rosin/\n",
    )
    assert read_targets(path, intake) == {"violin hire": f"{HOST}/hire/", "bow hair": f"{HOST}/bows/", "rosin": "/rosin/"}
    assert intake.unread == []


# (row, what is said of it)
BAD_TARGETS = [
    (f",{HOST}/a/", "column 'phrase' is empty; row ignored"),
    ("bows,//bows/", "column 'url': '//bows/' is neither an http(s) address nor a path; row ignored"),
    (
        "bows,mailto:a@host.example",
        "column 'url': 'mailto:a@host.example' is neither an http(s) address nor a path; row ignored",
    ),
    ("bows,", "column 'url': '' is neither an http(s) address nor a path; row ignored"),
    (f"violin hire,{HOST}/b/", "phrase 'violin hire' stands in an earlier row; row ignored"),
]


@pytest.mark.parametrize(("row", "said"), BAD_TARGETS)
def test_a_target_that_cannot_be_used_is_told_and_the_others_are_used(tmp_path: Path, row: str, said: str) -> None:
    intake = OpenIntake()
    path = table(tmp_path, f"phrase,url\nviolin hire,{HOST}/hire/\n{row}\nrosin,{HOST}/rosin/\n")
    assert read_targets(path, intake) == {"violin hire": f"{HOST}/hire/", "rosin": f"{HOST}/rosin/"}
    (unread,) = intake.unread
    assert (unread.source, unread.place, unread.reason) == (str(path), "row 3", said)


def test_signals_are_figures_or_nothing_and_the_last_row_of_an_address_counts(tmp_path: Path) -> None:
    intake = OpenIntake()
    text = (
        "url,external_links,conversions,sessions,index_state\n"
        f'{HOST}/a/,"1,204",0.5,,Crawled  - not INDEXED\n'
        f"{HOST}/b/,,,,\n"
        f"{HOST}/c/,7,1,1,\n"
        f"{HOST}/c/,8,,2,\n"
    )
    assert read_signals(table(tmp_path, text), intake) == {
        f"{HOST}/a/": Signal(1204.0, 0.5, None, "crawled - not indexed"),
        f"{HOST}/b/": Signal(),
        f"{HOST}/c/": Signal(8.0, None, 2.0, ""),
    }
    assert intake.unread == []


# (row, the signal that is left, what is said of the cell or row)
BAD_SIGNALS = [
    (f"{HOST}/a/,many,2", Signal(None, 2.0), "column 'external_links': 'many' is not a number from 0; cell ignored"),
    (f"{HOST}/a/,-1,2", Signal(None, 2.0), "column 'external_links': '-1' is not a number from 0; cell ignored"),
    (f"{HOST}/a/,1.5,2", Signal(None, 2.0), "column 'external_links': '1.5' is not a number from 0; cell ignored"),
    (f"{HOST}/a/,1,n/a", Signal(1.0, None), "column 'conversions': 'n/a' is not a number from 0; cell ignored"),
    ("www.host.example,1,2", None, "column 'url': 'www.host.example' is not an http(s) address; row ignored"),
]


@pytest.mark.parametrize(("row", "left", "said"), BAD_SIGNALS)
def test_a_bad_cell_is_left_out_and_told(tmp_path: Path, row: str, left: Signal | None, said: str) -> None:
    intake = OpenIntake()
    path = table(tmp_path, f"url,external_links,conversions\n{row}\n")
    found = read_signals(path, intake)
    assert found == ({f"{HOST}/a/": left} if left is not None else {})
    url = f"{HOST}/a/" if left is not None else ""
    assert intake.unread == [Unread(str(path), "row 2", url, said)]


def test_files_that_lack_what_they_need_are_refused_with_what_they_have(tmp_path: Path) -> None:
    with pytest.raises(TableError, match="there is no such file"):
        read_targets(tmp_path / "none.csv", OpenIntake())
    with pytest.raises(TableError, match="has no column 'url'; its columns are 'phrase', 'page'"):
        read_targets(table(tmp_path, "phrase,page\na,b\n"), OpenIntake())
    with pytest.raises(TableError, match="beside 'url' it needs at least one of external_links, conversions, sessions"):
        read_signals(table(tmp_path, f"url,clicks\n{HOST}/,1\n"), OpenIntake())


@given(
    st.lists(st.tuples(st.text("ab \t", max_size=4), st.sampled_from([f"{HOST}/a/", f"{HOST}/b/", "x", ""])), max_size=12)
)
def test_every_row_is_a_target_or_is_told(tmp_path_factory: pytest.TempPathFactory, rows: list[tuple[str, str]]) -> None:
    intake = OpenIntake()
    text = "phrase,url\n" + "".join(f'"{phrase}","{url}"\n' for phrase, url in rows)
    found = read_targets(table(tmp_path_factory.mktemp("targets"), text), intake)
    assert len(found) + len(intake.unread) == len(rows)
    told = {int(unread.place.removeprefix("row ")) - 2 for unread in intake.unread}
    used = [" ".join(phrase.split()) for number, (phrase, _) in enumerate(rows) if number not in told]
    assert list(found) == used
