"""Figures and days are read in whatever way they are written, and never as another one."""

from __future__ import annotations

import datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mardok.sources.cells import DATE_FORMATS, date_formats, day, decimal_number, whole_number

SEPARATORS = [",", ".", " ", "\u00a0", "\u202f", "\u2009", "'"]


@given(st.integers(0, 10**12), st.sampled_from(SEPARATORS))
def test_counts_are_read_with_any_sign_between_thousands(value: int, separator: str) -> None:
    assert whole_number(f"{value:,}".replace(",", separator)) == value
    assert whole_number(str(value)) == value
    assert whole_number(f" {value}.00 ") == (value if value < 10**12 else float(value))


@given(
    st.integers(0, 10**9),
    st.integers(0, 99),
    st.sampled_from([(",", "."), (".", ","), (" ", ","), ("\u202f", ","), ("'", "."), ("", "."), ("", ",")]),
)
def test_fractions_are_read_by_the_habits_of_any_country(whole: int, cents: int, habit: tuple[str, str]) -> None:
    thousands, point = habit
    text = f"{whole:,}".replace(",", thousands) + f"{point}{cents:02}"
    assert decimal_number(text) == pytest.approx(whole + cents / 100)
    assert decimal_number(text + "%") == pytest.approx((whole + cents / 100) / 100)
    assert decimal_number(text + " %") == pytest.approx((whole + cents / 100) / 100)


@pytest.mark.parametrize(
    "text",
    ["", " ", "-", "n/a", "twelve", "1,2,3", "1.2.3.4", "12abc", "--3", "-3", "1e", "0x12", "nan", "inf", "1/2", "½", "%"],
)
def test_what_is_no_figure_is_none(text: str) -> None:
    assert decimal_number(text) is None
    assert whole_number(text) is None


@pytest.mark.parametrize(
    ("text", "value"), [("12.5", None), ("0.5", None), ("12,50", None), ("12,0", 12.0), ("1e3", 1000.0)]
)
def test_a_count_has_no_fraction(text: str, value: float | None) -> None:
    assert whole_number(text) == value


@given(st.text(max_size=20))
def test_no_text_breaks_the_readers(text: str) -> None:
    for read in (whole_number, decimal_number):
        value = read(text)
        assert value is None or value >= 0
    assert all(day(text, form) is None or isinstance(day(text, form), datetime.date) for form in DATE_FORMATS)


@given(st.dates(datetime.date(1970, 1, 1), datetime.date(2100, 1, 1)), st.sampled_from(DATE_FORMATS))
def test_a_day_is_read_in_the_form_it_is_written_in(written: datetime.date, form: str) -> None:
    assert day(f" {written.strftime(form)} ", form) == written
    if form == "%Y-%m-%d":
        assert day(f"{written}T12:30:00Z", form) == day(f"{written} 00:00:00", form) == written


@given(
    st.lists(st.dates(datetime.date(2020, 1, 1), datetime.date(2030, 1, 1)), min_size=1, max_size=40),
    st.sampled_from(DATE_FORMATS),
)
def test_the_form_of_days_is_among_those_found_and_only_left_open_where_the_days_leave_it_open(
    written: list[datetime.date], form: str
) -> None:
    texts = [one.strftime(form) for one in written]
    forms = date_formats(texts)
    assert form in forms
    for other in forms:
        assert all(day(text, other) is not None for text in texts)
    if any(one.day > 12 for one in written):
        assert forms == [form]


def test_few_bad_cells_do_not_change_the_form() -> None:
    assert date_formats(["31/03/2026", "01/04/2026", "Total", ""]) == ["%d/%m/%Y"]
    assert date_formats(["Total", ""]) == []
    assert date_formats([]) == []
