"""What to do about a site's name that is itself a wanted phrase.

In:  the phrases, with what search shows for them.
Out: one proposal a name: to look into it, to take it out of the titles by one edit of the template, or to leave it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from mardok.findings.groups import group_id
from mardok.findings.site_name import NamePhrase
from mardok.plan.context import PlanContext
from mardok.plan.effort import effort_hours
from mardok.plan.proposal import NO_CLICKS, NO_GAIN, Proposal, Step
from mardok.sentences import Text, counted, listing, page_name, reasoned, sentence
from mardok.vocabulary import Action, Confidence, Evidence, NameRule, Owner, StepKind

_LEAST_TITLES = 5
"""Titles that carry a name, from which it is worth an edit of the template."""


def site_name_proposals(names: Sequence[NamePhrase], context: PlanContext) -> list[Proposal]:
    """A proposal for each name."""
    return [_proposal(name, context) for name in names if len(name.rows) >= _LEAST_TITLES]


def _proposal(name_phrase: NamePhrase, context: PlanContext) -> Proposal:
    rule, decision = _decided(name_phrase, context)
    action = _ACTION[rule]
    rows = [*([name_phrase.home] if name_phrase.home >= 0 else []), *name_phrase.rows]
    urls = tuple(sorted(map(context.url, rows)))
    detail = sentence(f"site-name.step.{action}", name=name_phrase.name)
    keeps = sentence("site-name.step.leave", name=name_phrase.name)
    steps = [] if name_phrase.home < 0 else [Step(context.url(name_phrase.home), StepKind.LEAVE, detail=keeps)]
    whose = Owner.DEVELOPER if action == Action.RETITLE else None  # one edit of the template
    steps += [Step(context.url(row), StepKind(action), detail=detail, whose=whose) for row in name_phrase.rows]
    titles = counted("title", len(name_phrase.rows))
    named = {"titles": titles, "name": name_phrase.name, "phrase": name_phrase.phrase}
    if name_phrase.queries:
        why = sentence("site-name.why.searched", impressions=name_phrase.impressions, **named)
    elif name_phrase.promised_by >= 0:
        why = sentence("site-name.why.promised", page=page_name(context.url(name_phrase.promised_by)), **named)
    else:
        why = sentence("site-name.why.repeated", **named)
    is_searched, moved = bool(name_phrase.queries), name_phrase.movement
    is_open = action == Action.INVESTIGATE
    return Proposal(
        id=group_id("site name", [name_phrase.name.casefold(), *urls[:1]]), action=action, rule=rule,

        keeper=context.url(name_phrase.home) if name_phrase.home >= 0 else "", urls=urls,
        # Clicks that were lost may have other causes, so they are told and not promised.
        gain=NO_CLICKS if is_searched else NO_GAIN,
        # One template is looked at or edited, whatever the number of pages.
        effort_hours=0.0
        if action == Action.LEAVE
        else effort_hours([], context.settings.plan.effort, n_rules=int(action == Action.RETITLE)),
        confidence=Confidence.MEDIUM if is_searched and not is_open else Confidence.LOW,
        evidence=Evidence.SEARCH if is_searched else Evidence.WORDING,
        summary=sentence(f"site-name.summary.{action}", **named),
        why=reasoned(why, closing=[decision, None if action == Action.LEAVE else sentence("no-evidence")]),
        unless=sentence(f"site-name.unless.{rule}"), steps=tuple(steps),
        basis={
            "name": name_phrase.name, "phrase": name_phrase.phrase, "titles": len(name_phrase.rows),
            "queries": list(name_phrase.queries),
            "impressions": round(name_phrase.impressions, 1), "clicks": round(moved.clicks, 1),
            "clicks_before": None if math.isnan(moved.clicks_before) else round(moved.clicks_before, 1),
            "pages_shown": [context.url(row) for row in name_phrase.shown],
            "lead_changes": name_phrase.turns.changes if name_phrase.turns else 0,
        },
    )  # fmt: skip


_ACTION = {
    NameRule.NO_SEARCH_DATA: Action.INVESTIGATE, NameRule.NO_QUERY: Action.INVESTIGATE, NameRule.TURNS: Action.RETITLE,
    NameRule.LOSS: Action.RETITLE, NameRule.HARMLESS: Action.LEAVE,
}  # fmt: skip


def _decided(name_phrase: NamePhrase, context: PlanContext) -> tuple[NameRule, Text]:
    """The rule that holds, and the reason in a sentence."""
    rules, demand = context.settings.rivals, context.strength.demand
    values: dict[str, object] = {}
    turns = name_phrase.turns
    others = (
        []
        if turns is None
        else sorted((row for row in turns.led if row != name_phrase.home), key=lambda row: -turns.led[row])
    )
    if not name_phrase.queries:
        rule = NameRule.NO_QUERY if demand else NameRule.NO_SEARCH_DATA
    elif others and turns is not None and turns.changes >= rules.least_turns and turns.is_beyond_chance:
        rule = NameRule.TURNS
        home = [name_phrase.home] if turns.led.get(name_phrase.home) else []
        pages = listing([page_name(context.url(row)) for row in (*home, *others)])
        values = {"pages": pages, "changes": counted("time", turns.changes)}
    elif name_phrase.movement.is_lost and demand is not None:
        rule = NameRule.LOSS
        span = demand.spans.before_text if demand.spans else sentence("span.unknown")
        values = {"now": name_phrase.movement.clicks, "before": name_phrase.movement.clicks_before, "span": span}
    else:
        rule = NameRule.HARMLESS
    return rule, sentence(f"site-name.decision.{rule}", **values)
