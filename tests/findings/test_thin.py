"""Whether a page is thin, and what follows: the rows of the table of actions, and their silence."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mardok.findings.thin import NO_DEMAND, Candidate, PageDemand, Verdict, judge, nearest_relatives
from mardok.settings import Settings
from mardok.vocabulary import PageKind, ThinRule

SETTINGS = Settings()
SHORT = Candidate(PageKind.ARTICLE, words=200, own_words=30, least=60)
WANTED = PageDemand((4, 7), 14.2, 300.0)
WELL_PLACED = PageDemand((4,), 2.4, 300.0)
HARDLY = PageDemand((4,), 14.2, 0.5)
YEAR = SETTINGS.thin.months

# (page, months of search data, whether it is thin, the rule that holds, what the reason says)
CASES: list[tuple[Candidate, float, bool, ThinRule, str]] = [
    (SHORT, 0, True, ThinRule.WAIT, "30 of its 200 words are its own, fewer than 60 for an article"),
    (replace(SHORT, own_words=60), 0, False, ThinRule.NONE, ""),
    (replace(SHORT, kind=PageKind.UTILITY), YEAR, False, ThinRule.NONE, "a utility page does its task"),
    (replace(SHORT, kind=PageKind.TOOL), YEAR, False, ThinRule.NONE, "a tool does its task"),
    (replace(SHORT, kind=PageKind.MEDIA), YEAR, False, ThinRule.NONE, "pictures or sound"),
    (replace(SHORT, is_exception=True, demand=WANTED), YEAR, False, ThinRule.NONE, "an exception"),
    (replace(SHORT, demand=WANTED), 3, True, ThinRule.ASKED_FOR, "30 of its 200 words"),
    (replace(SHORT, demand=WELL_PLACED), 3, True, ThinRule.WELL_PLACED, "and yet it stands at position 2.4"),
    (replace(SHORT, demand=HARDLY), 3, True, ThinRule.WAIT, "30 of its 200 words"),
    (replace(SHORT, demand=WANTED, relative=3), 3, True, ThinRule.ASKED_FOR, "30 of its 200"),  # demand before a relative
    (replace(SHORT, relative=3, resemblance=0.6), 0, True, ThinRule.RELATIVE, "30 of its 200 words"),
    (replace(SHORT, relative=3, kind=PageKind.HOME), 0, True, ThinRule.WAIT, "a home page"),
    (replace(SHORT, relative=3, words=3, own_words=1), 0, True, ThinRule.WAIT, "1 of its 3 words"),  # too short to compare
    (SHORT, YEAR, True, ThinRule.NO_CLICKS, f"no clicks in {YEAR:.0f} months"),
    (SHORT, YEAR - 1, True, ThinRule.WAIT, "30 of its 200 words"),
    (replace(SHORT, has_clicks=True), YEAR, True, ThinRule.WAIT, "30 of its 200 words"),
    (replace(SHORT, kind=PageKind.PRODUCT), YEAR, True, ThinRule.WAIT, "a product page"),  # what is sold stays
    (replace(SHORT, kind=PageKind.SERVICE), YEAR, True, ThinRule.WAIT, "a service page"),
    (replace(SHORT, kind=PageKind.LISTING), YEAR, False, ThinRule.NONE, "a listing is what it lists"),
    (replace(SHORT, kind=PageKind.LISTING, n_listed=2), YEAR, True, ThinRule.SMALL_TAG, "it only lists 2 pages"),
    (replace(SHORT, kind=PageKind.LISTING, n_listed=1), YEAR, True, ThinRule.SMALL_TAG, "it only lists 1 page"),
    (replace(SHORT, kind=PageKind.LISTING, n_listed=3), YEAR, False, ThinRule.NONE, "a listing is what it lists"),
    (replace(SHORT, kind=PageKind.LISTING, n_listed=2), 0, False, ThinRule.NONE, "a listing is what it lists"),
    (replace(SHORT, kind=PageKind.LISTING, n_listed=2, has_clicks=True), YEAR, False, ThinRule.NONE, "a listing"),
    (replace(SHORT, kind=PageKind.LISTING, demand=WANTED), 3, True, ThinRule.ASKED_FOR, "beside what it lists"),
    (replace(SHORT, kind=PageKind.LISTING, demand=WELL_PLACED), 3, True, ThinRule.WELL_PLACED, "beside what it lists"),
]  # fmt: skip


@pytest.mark.parametrize(("page", "months", "is_thin", "rule", "reason"), CASES)
def test_the_first_rule_that_holds_decides(
    page: Candidate, months: float, is_thin: bool, rule: ThinRule, reason: str
) -> None:
    verdict = judge(page, months, SETTINGS)
    assert (verdict.is_thin, verdict.rule) == (is_thin, rule)
    assert reason in str(verdict.reason)
    assert (verdict.relative >= 0) == (rule == ThinRule.RELATIVE)


@given(
    st.builds(
        Candidate,
        kind=st.sampled_from([kind for kind in PageKind if kind]),
        words=st.integers(0, 400),
        own_words=st.integers(0, 200),
        least=st.sampled_from([0, 40, 60]),
        demand=st.sampled_from([NO_DEMAND, WANTED, WELL_PLACED, HARDLY]),
        has_clicks=st.booleans(),
        relative=st.integers(-1, 3),
        resemblance=st.floats(0.5, 1),
        n_listed=st.integers(0, 4),
        is_exception=st.booleans(),
    ),
    st.sampled_from([0.0, 6.0, YEAR]),
)
def test_no_page_leaves_that_has_words_clicks_or_demand(page: Candidate, months: float) -> None:
    verdict = judge(page, months, SETTINGS)
    assert (verdict.rule != ThinRule.NONE) == verdict.is_thin
    if verdict.rule in (ThinRule.NO_CLICKS, ThinRule.SMALL_TAG):
        assert months
        assert not page.has_clicks
        assert page.demand.impressions < SETTINGS.thin.minimum_impressions
        assert page.own_words < page.least
    if verdict.is_thin:
        assert not page.is_exception
        assert page.kind not in (PageKind.UTILITY, PageKind.TOOL, PageKind.MEDIA)


def test_a_relative_is_the_nearest_page_that_stays_and_promises_all_of_it() -> None:
    pairs = [(0, 1, 0.6, 0.7, 0.6), (0, 2, 0.5, 0.9, 0.5), (0, 3, 0.95, 0.99, 0.99), (1, 2, 0.55, 0.55, 0.9)]
    stays = np.array([True, True, True, False])
    promised = {(0, 1), (0, 2), (0, 3), (2, 1)}
    found = nearest_relatives(pairs, stays, lambda page, other: (page, other) in promised)
    assert found.row.tolist() == [2, -1, 1, -1]
    assert found.share.tolist() == [0.9, 0, 0.9, 0]


def test_a_verdict_of_a_page_that_is_not_thin_has_no_rule() -> None:
    assert Verdict(False, "").rule == ThinRule.NONE
