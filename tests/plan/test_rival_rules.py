"""What follows for two rivals: each row of the table of actions on figures of its own, first match wins."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from small_sites import ORIGIN, rows_of, site_with

from mardok.compare.contention import Turns
from mardok.compare.movement import Movement
from mardok.findings.keeper import Shares
from mardok.findings.kinds import PageKinds
from mardok.findings.rivals import QueryOverlap, Rival, Rivalry
from mardok.plan.proposal import Gain
from mardok.plan.rivals import rival_drafts
from mardok.settings import Settings
from mardok.vocabulary import Action, GainUnit, KindSign, PageKind, RivalRule, ShareOf

SETTINGS = Settings()
SITE = site_with(dict.fromkeys(("/", "/a", "/b", "/c"), "<title>x</title><p>text"))
HOME, A, B, C = rows_of(SITE, ["/", "/a", "/b", "/c"])
TURNING = Turns(9, 20, {A: 11, B: 9}, {A: 0.55, B: 0.45}, both_on_first_page=0.0, is_beyond_chance=True)
STEADY = Turns(0, 20, {A: 20}, {A: 1.0}, both_on_first_page=0.0)
NEARLY_STEADY = Turns(2, 20, {A: 19, B: 1}, {A: 0.95, B: 0.05}, both_on_first_page=0.0)
BY_CHANCE = replace(TURNING, is_beyond_chance=False)
QUIET = Turns(0, 20, {A: 11, B: 9}, {A: 0.55, B: 0.45}, both_on_first_page=0.0)
BOTH = replace(TURNING, both_on_first_page=0.9)
LOST = Movement(5.0, 20.0, chance=0.001, is_lost=True)
OVERLAP = QueryOverlap(
    queries=("tune a violin",), impressions=400.0, share=0.9, share_of=ShareOf.CLICKS, turns=TURNING,
    movement=Movement(20.0, 20.0, chance=0.5), kept=Shares(15.0, 300.0, 8.0), other=Shares(5.0, 100.0, 14.0), is_dated=True,
)  # fmt: skip
FAR = replace(OVERLAP, kept=Shares(15.0, 300.0, 11.0))

# (figures, kind of the rival, rule, action)
CASES: list[tuple[QueryOverlap | None, PageKind, RivalRule, Action]] = [
    (None, PageKind.ARTICLE, RivalRule.WORDING_ONLY, Action.INVESTIGATE),
    (OVERLAP, PageKind.ARTICLE, RivalRule.SAME_INTENT, Action.MERGE),
    (replace(OVERLAP, unread_leader=f"{ORIGIN}/x"), PageKind.ARTICLE, RivalRule.UNREAD_LEADER, Action.INVESTIGATE),
    (replace(OVERLAP, share=0.1), PageKind.ARTICLE, RivalRule.LESS_OVERLAP, Action.REWRITE),
    (replace(OVERLAP, turns=BY_CHANCE), PageKind.ARTICLE, RivalRule.NOTHING_LOST, Action.LEAVE),
    (replace(OVERLAP, turns=BY_CHANCE, movement=LOST), PageKind.ARTICLE, RivalRule.SAME_INTENT, Action.MERGE),
    (replace(OVERLAP, turns=STEADY), PageKind.ARTICLE, RivalRule.LEADER_IN_FRONT, Action.LEAVE),
    # A page that never lost the lead stays whatever the year did.
    (replace(OVERLAP, turns=STEADY, movement=LOST), PageKind.ARTICLE, RivalRule.LEADER_IN_FRONT, Action.LEAVE),
    (replace(OVERLAP, turns=NEARLY_STEADY), PageKind.ARTICLE, RivalRule.LEADER_IN_FRONT, Action.LEAVE),
    (replace(OVERLAP, turns=NEARLY_STEADY, movement=LOST), PageKind.ARTICLE, RivalRule.SAME_INTENT, Action.MERGE),
    (replace(FAR, turns=STEADY), PageKind.ARTICLE, RivalRule.NOTHING_LOST, Action.LEAVE),
    (replace(FAR, turns=STEADY, movement=LOST), PageKind.ARTICLE, RivalRule.SAME_INTENT, Action.MERGE),
    (replace(OVERLAP, turns=QUIET), PageKind.ARTICLE, RivalRule.NOTHING_LOST, Action.LEAVE),
    (replace(OVERLAP, turns=QUIET, movement=LOST), PageKind.ARTICLE, RivalRule.SAME_INTENT, Action.MERGE),
    (replace(OVERLAP, turns=BOTH), PageKind.ARTICLE, RivalRule.BOTH_ON_FIRST_PAGE, Action.LEAVE),
    (OVERLAP, PageKind.PRODUCT, RivalRule.DIFFERENT_KINDS, Action.RETITLE),
    (replace(OVERLAP, is_dated=False), PageKind.ARTICLE, RivalRule.NO_DAYS, Action.INVESTIGATE),
    (replace(OVERLAP, is_dated=False), PageKind.PRODUCT, RivalRule.DIFFERENT_KINDS, Action.RETITLE),
    (replace(OVERLAP, turns=STEADY, is_dated=False), PageKind.ARTICLE, RivalRule.NO_DAYS, Action.INVESTIGATE),
]


class Losing:
    """Gains of merges, all of which lose."""

    def merged(self, *_: Any) -> Gain:
        return Gain(-1.0, -5.0, 2.0, GainUnit.CLICKS)


def drafts(overlap: QueryOverlap | None, kind: PageKind = PageKind.ARTICLE, row: int = B, **more: Any) -> list[Any]:
    kinds = [PageKind.ARTICLE] * len(SITE.pages)
    kinds[row] = kind
    n = len(SITE.pages)
    page_kinds = PageKinds(kinds, [KindSign.NONE] * n, [""] * n, np.zeros(n, np.int64), np.zeros(n, bool))
    rivalry = Rivalry(A, "tune a violin", (Rival(row, "it leads", 0.0, (), overlap),))
    settings = SETTINGS.model_copy(update={"plan": SETTINGS.plan.model_copy(update=more.pop("plan", {}))})
    rivalries = [rivalry, *more.pop("others", ())]
    return rival_drafts(
        SITE, rivalries, page_kinds, more.pop("kept", ()), more.pop("moved", ()), more.pop("gains", None), settings
    )


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


def test_a_page_that_is_kept_beside_another_is_not_merged_away() -> None:
    other = Rivalry(B, "tune a fiddle", (Rival(C, "it leads", 0.0, (), OVERLAP),))
    first, second = drafts(OVERLAP, others=[other])
    assert (first.rule, first.moved) == (RivalRule.OTHERS_LEAD_HERE, ())
    assert [(move.row, move.target) for move in second.moved] == [(C, B)]


def test_a_merge_that_is_expected_to_lose_is_not_proposed() -> None:
    (draft,) = drafts(OVERLAP, gains=Losing())
    assert (draft.rule, draft.action, draft.moved) == (RivalRule.TWO_BRING_MORE, Action.LEAVE, ())
    (draft,) = drafts(replace(OVERLAP, share=0.1), gains=Losing())
    assert draft.action == Action.REWRITE


def test_an_exception_is_left_and_what_another_proposal_moves_is_told() -> None:
    (draft,) = drafts(OVERLAP, plan={"leave": ("/b",)})
    assert (draft.rule, draft.action) == (RivalRule.EXCEPTION, Action.LEAVE)
    assert drafts(OVERLAP, moved=[B]) == []
    assert drafts(OVERLAP, moved=[A]) == []
