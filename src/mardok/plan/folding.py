"""Many proposals of one kind as one.

In:  proposals, best first.
Out: the same work in fewer rows: one pattern of addresses is one proposal, and what comes late in a long plan is one for
each      section.

What a folder, a language, a version or a template repeats is decided once: three proposals or more whose pages differ in
the same part of their addresses, in the same way, are one. And a plan with thousands of rows is not read: the best of each
action stay as they are, each with its own reason; of the rest, those that move pages of one section into one section are one
work order, whose steps name every page.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from mardok.findings.groups import group_id
from mardok.findings.wording import section_name
from mardok.plan.effort import effort_hours
from mardok.plan.gain import sum_of_gains
from mardok.plan.proposal import Proposal
from mardok.sentences import counted, path_of, reasoned, sentence
from mardok.settings import Plan
from mardok.urls import split_url
from mardok.vocabulary import MERGING, Action, GainUnit

_FOLDED = (*MERGING, Action.REWRITE, Action.RETITLE, Action.EXPAND, Action.TRIM, Action.LINK)
_MOST_TOLD = 50


def fold(proposals: Sequence[Proposal], decided: Collection[str], settings: Plan) -> list[Proposal]:
    """Proposals with those of one pattern, and the late ones of long actions, put together.

    Parameters
    ----------
    proposals : sequence of Proposal
        Best first.
    decided : collection of str
        Ids of proposals that a person has decided about; they stay as they are.
    """
    patterns: dict[tuple[object, ...], list[Proposal]] = defaultdict(list)
    for proposal in proposals:
        change = None if proposal.id in decided else _change(proposal)
        if change is not None:
            patterns[proposal.action, proposal.rule, change].append(proposal)
    several = [alike for alike in patterns.values() if len(alike) >= settings.pattern_proposals]
    in_pattern = {one.id for alike in several for one in alike}
    single: dict[Action, int] = defaultdict(int)
    result: list[Proposal] = [_as_pattern(alike, settings) for alike in several]
    proposals = [proposal for proposal in proposals if proposal.id not in in_pattern]
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


@dataclass(frozen=True)
class _Change:
    """The one part of an address in which pages differ from those that stay."""

    before: str
    """What stands before it: scheme, host and folders."""
    old: str
    new: str
    """``""`` where the part is missing."""


def _change(proposal: Proposal) -> _Change | None:
    """How the pages of a proposal differ from its keeper; None unless all do in one part of the path, in one way."""
    others = [url for url in proposal.urls if url != proposal.keeper]
    is_of_pages = proposal.action in _FOLDED and proposal.action != Action.LINK  # pages that link are no counterparts
    if not is_of_pages or proposal.is_by_pattern or not proposal.keeper or not others:
        return None
    changes = {_changed_part(url, proposal.keeper) for url in others}
    return changes.pop() if len(changes) == 1 else None


def _changed_part(url: str, keeper: str) -> _Change | None:
    here, there = (split_url(one).path.split("/") for one in (url, keeper))
    if split_url(url)[:2] != split_url(keeper)[:2] or split_url(url).query != split_url(keeper).query:
        return None
    head = next((k for k, (a, b) in enumerate(zip(here, there, strict=False)) if a != b), min(len(here), len(there)))
    rest, other = here[head:], there[head:]
    before = "/".join(here[:head]) + "/"
    # The last part names the page itself: pages that differ there have nothing in common but their folder.
    if len(rest) == len(other) > 1 and rest[1:] == other[1:] and any(rest[1:]):
        return _Change(before, rest[0], other[0])
    if len(rest) == len(other) + 1 and rest[1:] == other and any(other):
        return _Change(before, rest[0], "")
    if len(other) == len(rest) + 1 and other[1:] == rest and any(rest):
        return _Change(before, "", other[0])
    return None


def _as_pattern(alike: Sequence[Proposal], settings: Plan) -> Proposal:
    first, change = alike[0], _change(alike[0])
    assert change is not None  # by it they were put together
    in_clicks = [one.gain for one in alike if one.gain.unit == GainUnit.CLICKS and one.gain.is_evident]
    gain = sum_of_gains(in_clicks or [one.gain for one in alike], in_clicks[0].unit if in_clicks else first.gain.unit)
    folded = _as_one(alike)
    n_pages = sum(len(one.urls) - 1 for one in alike)
    summary = sentence(
        f"folded.pattern.{first.action}", pages=counted("page", n_pages), old=f"{change.before}{change.old}",
        new=f"{change.before}{change.new}",
    )  # fmt: skip
    is_rule = first.action in MERGING
    hours = effort_hours(folded.steps, settings.effort, n_rules=1) if is_rule else folded.effort_hours
    return replace(
        folded, id=group_id(f"pattern {first.action}", folded.urls), gain=gain, summary=summary, effort_hours=hours
    )


def _sections(proposal: Proposal) -> tuple[str, str]:
    """Section of the first page that is worked on, and of the page that stays."""
    others = (url for url in proposal.urls if url != proposal.keeper)
    worked = proposal.keeper if proposal.action == Action.LINK else next(others, proposal.keeper)
    return section_name(worked), section_name(proposal.keeper or worked)


def _as_one(alike: Sequence[Proposal]) -> Proposal:
    first = alike[0]
    action, (source, target) = first.action, _sections(first)
    urls = tuple(sorted({url for one in alike for url in one.urls}))
    kept = {one.keeper for one in alike}
    moved = len(set(urls) - kept)
    n_pages = {Action.EXPAND: len(urls), Action.LINK: len(kept)}.get(action, moved)
    summary = sentence(
        f"folded.summary.{action}", pages=counted("page", n_pages), section=path_of(source),
        others=counted("other", len(kept)), target=path_of(target), cases=len(alike),
    )  # fmt: skip
    return Proposal(
        id=group_id(f"section {action}", urls), action=action, rule=first.rule, keeper="", urls=urls,
        gain=sum_of_gains((one.gain for one in alike), first.gain.unit),
        effort_hours=math.fsum(one.effort_hours for one in alike),
        confidence=min((one.confidence for one in alike), key=lambda confidence: confidence.rank),
        evidence=max((one.evidence for one in alike), key=lambda evidence: evidence.rank),
        summary=summary, why=reasoned(sentence("folded.why", first=first.why)), unless=first.unless,
        steps=tuple(step for one in alike for step in one.steps),
        basis={
            "cases": [
                {"summary": str(one.summary), "gain": round(one.gain.expected, 6)}
                for one in alike[:_MOST_TOLD]
            ],
            "n_cases": len(alike),
        },
    )  # fmt: skip
