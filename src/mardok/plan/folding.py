"""Many proposals of one kind as one.

In:  proposals, best first.
Out: the same work in fewer rows: what comes late in a long plan is one proposal for each section.

A plan with thousands of rows is not read. The best of each action stay as they are, each with its own reason; of the rest,
those that move pages of one section into one section are one work order, whose steps name every page.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Collection, Sequence

from mardok.findings.groups import group_id
from mardok.findings.wording import section_name
from mardok.plan.proposal import Gain, Proposal
from mardok.sentences import counted, path_of, sentence
from mardok.settings import Plan
from mardok.vocabulary import Action

_FOLDED = (Action.MERGE, Action.CANONICAL, Action.REWRITE, Action.RETITLE, Action.EXPAND, Action.TRIM)
_MOST_TOLD = 50


def fold(proposals: Sequence[Proposal], decided: Collection[str], settings: Plan) -> list[Proposal]:
    """Proposals with the late ones of long actions put together.

    Parameters
    ----------
    proposals : sequence of Proposal
        Best first.
    decided : collection of str
        Ids of proposals that a person has decided about; they stay as they are.
    """
    single: dict[Action, int] = defaultdict(int)
    result: list[Proposal] = []
    late: dict[tuple[object, ...], list[Proposal]] = defaultdict(list)
    for proposal in proposals:
        single[proposal.action] += 1
        is_late = single[proposal.action] > settings.single_proposals
        if is_late and proposal.action in _FOLDED and proposal.id not in decided and not proposal.is_by_pattern:
            late[proposal.action, proposal.rule, proposal.gain.unit, proposal.evidence, _sections(proposal)].append(proposal)
        else:
            result.append(proposal)
    for alike in late.values():
        result += [_as_one(alike)] if len(alike) > 1 else alike
    return result


def _sections(proposal: Proposal) -> tuple[str, str]:
    """Section of the first page that is worked on, and of the page that stays."""
    worked = next((url for url in proposal.urls if url != proposal.keeper), proposal.keeper)
    return section_name(worked), section_name(proposal.keeper or worked)


def _as_one(alike: Sequence[Proposal]) -> Proposal:
    first = alike[0]
    action, (source, target) = first.action, _sections(first)
    urls = tuple(sorted({url for one in alike for url in one.urls}))
    kept = {one.keeper for one in alike}
    n_pages = len(set(urls) - kept) if action != Action.EXPAND else len(urls)
    summary = sentence(
        f"folded.summary.{action}", pages=counted("page", n_pages), section=path_of(source),
        others=counted("other", len(kept)), target=path_of(target), cases=len(alike),
    )  # fmt: skip
    return Proposal(
        id=group_id(f"section {action}", urls), action=action, rule=first.rule, owner=first.owner, keeper="", urls=urls,
        gain=Gain(
            math.fsum(one.gain.low for one in alike), math.fsum(one.gain.high for one in alike), first.gain.unit,
            math.fsum(one.gain.at_risk for one in alike), sum(one.gain.n_queries for one in alike),
            math.fsum(one.gain.impressions for one in alike),
        ),
        effort_hours=math.fsum(one.effort_hours for one in alike),
        confidence=min((one.confidence for one in alike), key=lambda confidence: confidence.rank),
        evidence=max((one.evidence for one in alike), key=lambda evidence: evidence.rank),
        summary=summary, why=sentence("folded.why", first=first.why), unless=first.unless,
        steps=tuple(step for one in alike for step in one.steps),
        basis={
            "cases": [
                {"summary": str(one.summary), "gain_low": round(one.gain.low, 6), "gain_high": round(one.gain.high, 6)}
                for one in alike[:_MOST_TOLD]
            ],
            "n_cases": len(alike),
        },
    )  # fmt: skip
