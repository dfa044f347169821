"""Several audits at a glance: one line a site, what is decided, what got worse."""

from __future__ import annotations

import csv
import json
import re
from pathlib import Path

import pytest

import mardok

TEXT = "A violin is hired by the month, with a bow, a case and a cake of rosin, and comes back when it likes. " * 3


def saved(folder: Path, host: str, n_copies: int, search: str = "") -> Path:
    """An audit of a site with a page and copies of it."""
    folder.mkdir()
    rows = [
        {"url": f"https://{host}/{n or ''}", "title": "Violin hire", "text": TEXT, "status": 200}
        for n in range(1 + n_copies)
    ]
    (folder / "pages.jsonl").write_text("".join(json.dumps(row) + "\n" for row in rows), "utf-8")
    (folder / "search.csv").write_text(search.replace("HOST", host), "utf-8")
    made = mardok.audit(folder / "pages.jsonl", search=[folder / "search.csv"] if search else ())
    made.save(folder / "audit")
    return folder / "audit"


def test_one_line_a_site_tells_the_last_audit_what_is_decided_and_what_got_worse(tmp_path: Path) -> None:
    weeks = "".join(
        f"2030-{week // 4 + 1:02}-{week % 4 * 7 + 1:02},violin hire,https://HOST/,{9 if week < 20 else 3},90,4\n"
        for week in range(40)
    )
    earlier = saved(tmp_path / "earlier", "ours.example", 1)
    made = (earlier / "audit.json").read_text()
    (earlier / "audit.json").write_text(re.sub(r'"made": "\d+', '"made": "2020', made))  # both may be made in one second
    later = saved(tmp_path / "later", "ours.example", 3, f"date,query,page,clicks,impressions,position\n{weeks}")
    other = saved(tmp_path / "other", "theirs.example", 2)
    with (later / "plan.csv").open(newline="", encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    rows[0]["decision"] = "accept"
    with (later / "plan.csv").open("w", newline="", encoding="utf-8") as file:
        writer = csv.DictWriter(file, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
    told = mardok.overview([later, other, earlier]).set_index("site")
    assert list(told.index) == ["ours.example", "theirs.example"]
    ours = told.loc["ours.example"]
    work = [row for row in rows if row["action"] != "leave"]
    assert (ours["pages"], ours["accepted"], ours["open"]) == (4, 1, len(work) - 1)
    assert ours["folder"] == str(later)
    assert ours["clicks"] < ours["clicks_before"]
    assert "clicks fell by" in ours["worse"]
    assert "copied pages: 1 → 3" in ours["worse"]
    assert told.loc["theirs.example", "worse"] == ""


def test_a_folder_without_an_audit_is_refused(tmp_path: Path) -> None:
    with pytest.raises(mardok.FolderError, match="is not an audit folder"):
        mardok.overview([tmp_path])
