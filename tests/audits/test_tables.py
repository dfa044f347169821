"""The contract of the audit folder: what is declared is what is written."""

from __future__ import annotations

import csv
import json
import re
from pathlib import Path

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import mardok
from mardok.cells import neutral_cell, original_cell
from mardok.tables import PAIRS, TABLES
from mardok.visible import visible
from mardok.vocabulary import RULES, STEPS_OF_ACTION, CheckId, StepKind, VariantRule


def test_every_table_is_as_declared(demo: mardok.Audit) -> None:
    assert set(demo.tables) == set(TABLES)
    for name, frame in demo.tables.items():
        TABLES[name].check(frame)


def test_files_have_the_declared_columns_and_all_rows(demo: mardok.Audit, demo_folder: Path) -> None:
    for name, frame in demo.tables.items():
        table = TABLES[name]
        stored = pd.read_parquet(demo_folder / "data" / f"{name}.parquet")
        assert list(stored.columns) == table.names
        assert len(stored) == len(frame)
        if table.csv:
            with (demo_folder / f"{name}.csv").open(encoding="utf-8", newline="") as file:
                rows = list(csv.reader(file))
            assert rows[0] == [column.name for column in table.columns if column.csv]
            assert len(rows) == len(frame) + 1
    assert {path.name for path in demo_folder.glob("*.csv")} == {f"{n}.csv" for n in demo.tables if TABLES[n].csv}


def test_numbers_have_the_declared_decimals(demo_folder: Path) -> None:
    pairs = pd.read_csv(demo_folder / "pairs.csv", dtype=str)
    assert pairs["resemblance"].str.fullmatch(r"[01]\.\d{6}").all()
    plan = pd.read_csv(demo_folder / "plan.csv", dtype=str)
    in_clicks = plan["gain_unit"] == "clicks/month"
    assert plan.loc[in_clicks, "gain_high"].str.fullmatch(r"-?\d+\.\d").all()
    assert plan.loc[~in_clicks, "gain_high"].str.fullmatch(r"0\.\d{6}").all()
    assert plan["effort_hours"].str.fullmatch(r"\d+\.(00|25|50|75)").all()


def test_an_audit_reads_back_as_it_was(demo: mardok.Audit, demo_folder: Path) -> None:
    loaded = mardok.load(demo_folder)
    assert loaded.meta == demo.meta
    for name, frame in demo.tables.items():
        pd.testing.assert_frame_equal(loaded.tables[name], frame)


def test_steps_belong_to_their_proposals(demo: mardok.Audit) -> None:
    action = demo.plan.set_index("proposal")["action"]
    for proposal, step in demo.steps[["proposal", "step"]].itertuples(index=False):
        assert step in STEPS_OF_ACTION[action[proposal]]
    assert set(demo.plan["proposal"]) == set(demo.steps["proposal"])
    assert {step for steps in STEPS_OF_ACTION.values() for step in steps} == set(StepKind)


def test_every_step_tells_the_rule_of_its_proposal_and_the_pattern_of_its_address(demo: mardok.Audit) -> None:
    rule = demo.plan.set_index("proposal")["rule"]
    of_proposal = demo.steps["proposal"].map(rule)
    is_repair = of_proposal.str.startswith("repair-")
    assert (demo.steps["rule"] == of_proposal)[~is_repair].all()
    assert set(demo.steps.loc[is_repair, "rule"]) <= set(CheckId)  # a repair is of what a check found
    assert set(rule) <= set(RULES)
    assert len(set(RULES)) == len([rule for rule in RULES if rule]) + 1
    with_pattern = demo.steps[demo.steps["pattern"] != VariantRule.NONE]
    assert set(with_pattern["step"]) == {StepKind.REDIRECT, StepKind.CANONICAL}
    has_value = with_pattern["pattern"].isin([VariantRule.PARAMETER, VariantRule.SCHEME, VariantRule.HOST])
    assert ((with_pattern["pattern_value"] != "") == has_value).all()


def test_every_address_of_a_proposal_has_a_step(demo: mardok.Audit) -> None:
    of_links = demo.plan.loc[demo.plan["action"].isin(["repair", "link"]), "proposal"]
    for proposal, n_pages in demo.plan[["proposal", "pages"]].itertuples(index=False):
        own = demo.steps[demo.steps["proposal"] == proposal]
        is_beside = own["step"].eq("relink") & ~own["proposal"].isin(of_links)  # in these a relink is the work itself
        assert own.loc[~is_beside, "url"].nunique() >= n_pages


def test_basis_is_json_and_check_ids_name_subject_and_trouble(demo: mardok.Audit) -> None:
    assert all(isinstance(json.loads(basis), dict) for basis in demo.plan["basis"])
    assert all(re.fullmatch(r"[a-z0-9]+(-[a-z0-9]+)+", check) for check in CheckId)


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (lambda frame: frame.drop(columns="a_in_b"), "columns"),
        (lambda frame: frame.astype({"shared_words": "float64"}), "dtype"),
        (lambda frame: frame.iloc[::-1], "ordered"),
    ],
)
def test_a_table_that_is_not_as_declared_is_refused(change, message: str) -> None:  # type: ignore[no-untyped-def]
    frame = PAIRS.frame([("https://a.example/", "https://b.example/", 1.0, 1.0, 1.0, n) for n in (3, 4)])
    frame.loc[1, "url_a"] = "https://b.example/"
    PAIRS.check(frame)
    with pytest.raises(ValueError, match=message):
        PAIRS.check(change(frame))


@given(st.text(alphabet="'=+-@\t\rab,\n\"", max_size=6) | st.text())
def test_cells_are_never_formulas_and_read_back(text: str) -> None:
    cell = neutral_cell(text)
    assert not re.match(r"[=+\-@\t\r]", cell)
    assert original_cell(cell) == visible(text)
