"""What follows for two rivals: each row of the table of actions on figures of its own, first match wins."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from small_sites import rows_of, site_with

from mardok.compare.contention import Turns
from mardok.findings.kinds import PageKinds
from mardok.findings.rivals import QueryOverlap, Rival, Rivalry
from mardok.plan.rivals import lost, rival_drafts
from mardok.settings import Settings
from mardok.vocabulary import Action, KindSign, PageKind, RivalRule, ShareOf

SETTINGS = Settings()
SITE = site_with(dict.fromkeys(("/", "/a", "/b", "/c"), "<title>x</title><p>text"))
HOME, A, B, C = rows_of(SITE, ["/", "/a", "/b", "/c"])
TURNING = Turns(changes=9, weeks=20, led={A: 11, B: 9}, both_on_first_page=0.0)
STEADY = Turns(changes=0, weeks=20, led={A: 20}, both_on_first_page=0.0)
QUIET = Turns(changes=0, weeks=20, led={A: 11, B: 9}, both_on_first_page=0.0)
BOTH = replace(TURNING, both_on_first_page=0.9)
OVERLAP = QueryOverlap(
    queries=("tune a violin",), impressions=400.0, share=0.9, share_of=ShareOf.CLICKS, turns=TURNING, clicks=20.0,
    clicks_before=20.0, position=8.0, other_position=14.0, is_dated=True,
)  # fmt: skip

# (figures, kind of the rival, rule, action)
CASES: list[tuple[QueryOverlap | None, PageKind, RivalRule, Action]] = [
    (None, PageKind.ARTICLE, RivalRule.WORDING_ONLY, Action.INVESTIGATE),
    (OVERLAP, PageKind.ARTICLE, RivalRule.SAME_INTENT, Action.MERGE),
    (replace(OVERLAP, share=0.1), PageKind.ARTICLE, RivalRule.LESS_OVERLAP, Action.REWRITE),
    (replace(OVERLAP, turns=STEADY), PageKind.ARTICLE, RivalRule.LEADER_IN_FRONT, Action.LEAVE),
    (replace(OVERLAP, turns=STEADY, position=11.0), PageKind.ARTICLE, RivalRule.NOTHING_LOST, Action.LEAVE),
    (replace(OVERLAP, turns=STEADY, clicks=5.0), PageKind.ARTICLE, RivalRule.SAME_INTENT, Action.MERGE),
    (replace(OVERLAP, turns=QUIET), PageKind.ARTICLE, RivalRule.NOTHING_LOST, Action.LEAVE),
    (replace(OVERLAP, turns=QUIET, clicks=5.0), PageKind.ARTICLE, RivalRule.SAME_INTENT, Action.MERGE),
    (replace(OVERLAP, turns=BOTH), PageKind.ARTICLE, RivalRule.BOTH_ON_FIRST_PAGE, Action.LEAVE),
    (OVERLAP, PageKind.PRODUCT, RivalRule.DIFFERENT_KINDS, Action.RETITLE),
    (replace(OVERLAP, is_dated=False), PageKind.ARTICLE, RivalRule.NO_DAYS, Action.INVESTIGATE),
    (replace(OVERLAP, is_dated=False), PageKind.PRODUCT, RivalRule.DIFFERENT_KINDS, Action.RETITLE),
    (replace(OVERLAP, turns=STEADY, is_dated=False), PageKind.ARTICLE, RivalRule.NO_DAYS, Action.INVESTIGATE),
]  # fmt: skip


def drafts(overlap: QueryOverlap | None, kind: PageKind = PageKind.ARTICLE, row: int = B, **more: Any) -> list[Any]:
    kinds = [PageKind.ARTICLE] * len(SITE.pages)
    kinds[row] = kind
    n = len(SITE.pages)
    page_kinds = PageKinds(kinds, [KindSign.NONE] * n, [""] * n, np.zeros(n, np.int64), np.zeros(n, bool))
    rivalry = Rivalry(A, "it leads", "tune a violin", (Rival(row, 0.0, (), overlap),))
    settings = SETTINGS.model_copy(update={"plan": SETTINGS.plan.model_copy(update=more.pop("plan", {}))})
    return rival_drafts(SITE, [rivalry], page_kinds, more.pop("kept", ()), more.pop("moved", ()), settings)


@pytest.mark.parametrize(("overlap", "kind", "rule", "action"), CASES)
def test_the_first_row_that_holds_decides(
    overlap: QueryOverlap | None, kind: PageKind, rule: RivalRule, action: Action
) -> None:
    (draft,) = drafts(overlap, kind)
    assert (draft.rule, draft.action) == (rule, action)
    assert [(move.row, move.target) for move in draft.moved] == ([(B, A)] if action == Action.MERGE else [])


def test_a_page_that_others_lead_to_or_a_home_page_is_rewritten_not_merged() -> None:
    for kept, row in (([B], B), ([], HOME)):
        (draft,) = drafts(OVERLAP, row=row, kept=kept)
        assert (draft.rule, draft.action, draft.moved) == (RivalRule.OTHERS_LEAD_HERE, Action.REWRITE, ())


def test_an_exception_is_left_and_what_another_proposal_moves_is_told() -> None:
    (draft,) = drafts(OVERLAP, plan={"leave": ("/b",)})
    assert (draft.rule, draft.action) == (RivalRule.EXCEPTION, Action.LEAVE)
    assert drafts(OVERLAP, moved=[B]) == []
    assert drafts(OVERLAP, moved=[A]) == []


@pytest.mark.parametrize(
    ("clicks", "before", "is_lost"),
    [(10, 10, False), (10, float("nan"), False), (0, 1, False), (50, 100, True), (99, 100, False), (12, 10, False)],
)
def test_clicks_are_lost_only_beyond_both_limits(clicks: float, before: float, is_lost: bool) -> None:
    assert lost(clicks, before, SETTINGS.rivals) == is_lost
