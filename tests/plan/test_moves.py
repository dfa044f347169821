"""Where pages end when a plan is carried out, and who is free to be moved."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st
from small_sites import ORIGIN, rows_of, site_with

from mardok.compare.destinations import find_destinations
from mardok.plan.moves import Move, Moves
from mardok.plan.reservations import Reservations
from mardok.sentences import sentence
from mardok.vocabulary import StepKind

PAGES = {
    "/a": "<p>a <a href=/c>see c</a>",
    "/b": "<p>b <a href=/c>c</a> <a href=/c>c again</a>",
    "/c": "<nav><a href=/d>menu</a></nav><p>c",
    "/d": "<nav><a href=/c>menu</a></nav><p>d",
    "/e": "<nav><a href=/c>menu</a></nav><p>e",
    "/f": "<nav><a href=/c>menu</a></nav><p>f",
    "/old": "<link rel=canonical href=/c><p>c",
}
SITE = site_with(PAGES)
A, B, C, D, E, F, OLD = rows_of(SITE, list(PAGES))


def moves(*pairs: tuple[int, int]) -> Moves:
    return Moves(SITE, find_destinations(SITE), [Move(row, StepKind.REDIRECT, target) for row, target in pairs])


def test_steps_lead_straight_to_the_end() -> None:
    found = moves((A, B), (B, C))
    assert found.end_of(A) == found.end_of(B) == C
    step = found.move_step(A, sentence("copies.step.near"))
    assert (step.url, step.step, step.target) == (f"{ORIGIN}/a", StepKind.REDIRECT, f"{ORIGIN}/c")


def test_what_points_at_a_moved_page_follows_it() -> None:
    (step,) = moves((C, A)).pointer_steps(C)
    assert (step.url, step.step, step.target) == (f"{ORIGIN}/old", StepKind.CANONICAL, f"{ORIGIN}/a")
    assert moves((C, A), (OLD, A)).pointer_steps(C) == []  # it is moved itself


def test_links_to_a_moved_page_are_changed_once_a_page_and_once_a_template() -> None:
    steps = moves((C, A)).relink_steps(C)
    assert [(step.url.removeprefix(ORIGIN), step.target) for step in steps] == [
        ("/b", f"{ORIGIN}/a"),
        ("/b", f"{ORIGIN}/a"),
        ("/d", f"{ORIGIN}/a"),
    ]
    assert "in the furniture of 3 pages" in str(steps[-1].detail)
    assert [str(step.detail).split("'")[1] for step in steps] == ["c", "c again", "menu"]


@given(st.dictionaries(st.integers(0, 6), st.integers(0, 6), max_size=7))
def test_every_page_ends_somewhere_even_where_moves_go_in_circles(targets: dict[int, int]) -> None:
    found = moves(*targets.items())
    for row in range(len(SITE.pages)):
        end = found.end_of(row)
        assert (end == row) or found.is_moved(row)
        seen, at = {row}, row
        while at in targets and targets[at] not in seen:
            at = targets[at]
            seen.add(at)
        assert end == at


@given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), max_size=6), st.sets(st.integers(0, 9), max_size=3))
def test_what_is_reserved_stays_reserved(pairs: list[tuple[int, int]], fixed: set[int]) -> None:
    reserved = Reservations(fixed=fixed, pointed_at=[9])
    for row, target in pairs:
        before = (set(reserved.moved), set(reserved.kept))
        reserved.reserve([Move(row, StepKind.REDIRECT, target)], kept=[target])
        assert before[0] <= reserved.moved
        assert before[1] <= reserved.kept
    assert reserved.moved == {row for row, _ in pairs}
    assert reserved.kept == fixed | {target for _, target in pairs}
    assert reserved.fixed_in_place == reserved.kept | {9}
    assert reserved.busy == reserved.moved
    reserved.in_copies, reserved.out_of_index, reserved.worked_on = {1}, {2}, {3}
    assert reserved.busy == reserved.moved | {1}
    assert reserved.gone == reserved.moved | {2}
    assert reserved.disposed_of == reserved.moved | reserved.kept | {3}
