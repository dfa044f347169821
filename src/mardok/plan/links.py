"""Links to be set: to pages that could be found better, and to those that hardly a link leads to.

In:  links that wait to be made, what search shows, what becomes of pages.
Out: proposals: one for each page that few pages link to from their text although search shows it in the middle ranks or a
     person named it; one for pages without any link, and one for pages with clicks that lie deep.

What links move cannot be told from one audit, so that their gain is link weight; the reason says what one place is worth.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from mardok.findings.facts import SiteFacts
from mardok.findings.groups import group_id
from mardok.findings.link_plan import WaitingLink
from mardok.findings.parents import Parent, natural_parent
from mardok.plan.context import PlanContext
from mardok.plan.effort import effort_hours
from mardok.plan.proposal import Gain, Proposal, Step
from mardok.sentences import Text, clipped, listing, page_name, quoted, reasoned, sentence
from mardok.urls import is_home, matches
from mardok.vocabulary import Action, Confidence, Evidence, GainUnit, LinkRule, PageKind, StepKind

_NAMED_QUERIES, _LONGEST_QUERY = 3, 50
_MOST_TOLD = 20
_LEAST_CLICKS = 1.0
"""Clicks a month from which a page that lies deep is worth a shorter way."""


@dataclass(frozen=True)
class _Shown:
    """What search shows of a page, queries for the site's name apart."""

    queries: tuple[str, ...]
    """Those that show it most first."""
    impressions: float
    """A month."""
    position: float
    clicks_a_place: float
    """What one place further up would bring a month, by the site's own rate by position."""


def link_proposals(
    facts: SiteFacts, gone: Collection[int], others: Sequence[Proposal], context: PlanContext
) -> list[Proposal]:
    """Proposals to set links.

    Parameters
    ----------
    gone : collection of int
        Pages that go, or leave the index.
    others : sequence of Proposal
        All other proposals: links that they set are not set twice.
    """
    return _Links(facts, gone, others, context).proposals()


def _links_set(proposals: Iterable[Proposal]) -> set[tuple[str, str]]:
    """Page and target of each link that proposals set or change."""
    return {(step.url, step.target) for one in proposals for step in one.steps if step.step == StepKind.RELINK}


class _Links:
    def __init__(self, facts: SiteFacts, gone: Collection[int], others: Sequence[Proposal], context: PlanContext) -> None:
        self.facts, self.gone, self.context = facts, gone, context
        self.site, self.rules = context.site, facts.settings.links
        self.set_already = _links_set(others)
        self.named = {
            facts.destinations[self.site.row_of[url]].row: phrase
            for phrase, url in facts.targets.items()
            if url in self.site.row_of
        }

    def proposals(self) -> list[Proposal]:
        result = [proposal for row in sorted(self.context.link_plan.links) for proposal in self._of_page(row)]
        self.set_already |= _links_set(result)
        orphans = {row: parent for row in self.facts.coverage.orphans for parent in self._parent(row)}
        deep = {row: parent for row in self._deep_rows() for parent in self._parent(row, self.rules.deep - 1)}
        for rule, found in ((LinkRule.ORPHAN, orphans), (LinkRule.DEEP, deep)):
            if found:
                result.append(self._by_parents(rule, found))
        return result

    def _may_be_found(self, row: int) -> bool:
        """Whether a page stays and is meant to be found."""
        url = self.context.url(row)
        is_left = matches(url, self.facts.settings.plan.leave) or is_home(url, self.facts.settings.variants)
        is_utility = self.facts.kinds.kind[row] == PageKind.UTILITY
        return bool(self.context.strength.is_indexable[row]) and row not in self.gone and not is_left and not is_utility

    def _of_page(self, row: int) -> Iterator[Proposal]:
        """The proposal for one page, if it needs links and there are any to set."""
        n_linking = int(self.context.link_plan.n_linking[row])
        if n_linking >= self.rules.few or not self._may_be_found(row):
            return
        shown = self._shown(row)
        is_between = shown is not None and self.rules.first_position <= shown.position <= self.rules.last_position
        if not is_between and row not in self.named:
            return
        url = self.context.url(row)
        links = [
            link
            for link in self.context.link_plan.links[row]
            if link.source not in self.gone and (self.context.url(link.source), url) not in self.set_already
        ]
        if links:
            yield self._proposal(row, links, shown if is_between else None)

    def _proposal(self, row: int, links: Sequence[WaitingLink], shown: _Shown | None) -> Proposal:
        url, n_linking = self.context.url(row), int(self.context.link_plan.n_linking[row])
        rule = LinkRule.SHOWN if shown is not None else LinkRule.NAMED
        steps = [
            Step(url, StepKind.LEAVE, detail=sentence("link.step.target")),
            *(self.context.link_step(link, row) for link in links),
        ]
        urls = tuple(sorted({step.url for step in steps}))
        weight = sum(link.weight for link in links)
        own_weight = float(self.context.strength.link_weight[row])
        anchors = list(dict.fromkeys(link.anchor.casefold() for link in links))
        few = sentence("link.why.few", n=n_linking) if n_linking else sentence("link.why.none")
        why: Text = sentence("link.why.named", phrase=self.named.get(row, ""))
        worth: Text = ""
        if shown is not None:
            queries = listing([quoted(clipped(query, _LONGEST_QUERY)) for query in shown.queries], most=_NAMED_QUERIES)
            why = sentence("link.why.shown", impressions=shown.impressions, queries=queries, position=shown.position)
            if shown.clicks_a_place >= 1:
                worth = sentence("link.why.a-place", clicks=shown.clicks_a_place)
        return Proposal(
            id=group_id("link", urls), action=Action.LINK, rule=rule, keeper=url, urls=urls,
            gain=Gain(weight, weight, weight, GainUnit.LINK_WEIGHT),
            effort_hours=effort_hours(steps, self.facts.settings.plan.effort), confidence=Confidence.MEDIUM,
            evidence=Evidence.SEARCH if shown is not None else Evidence.TEXT,
            summary=sentence(
                "link.summary.page", page=page_name(url), n=len(links), words=listing(map(quoted, anchors), most=2)
            ),
            why=reasoned(
                why, few, sentence("link.why.weight", share=weight, own=own_weight), worth or None
            ),
            unless=sentence("link.unless.page"), steps=tuple(steps),
            basis={
                "pages_that_link": n_linking, "links": len(links),
                **({"position": round(shown.position, 1), "impressions": round(shown.impressions, 1),
                    "clicks_a_place": round(shown.clicks_a_place, 1)} if shown is not None else {}),
            },
        )  # fmt: skip

    def _shown(self, row: int) -> _Shown | None:
        """What search shows of a page of late; None if that is little, or there is no search data."""
        demand, gains = self.context.strength.demand, self.context.gains
        if demand is None or gains is None:
            return None
        page, query, shown, placed = self._by_query
        first, end = np.searchsorted(page, [row, row + 1])
        months = demand.spans.months if demand.spans is not None else demand.months
        impressions = float(shown[first:end].sum()) / months
        if not impressions or impressions < self.facts.settings.thin.minimum_impressions:
            return None
        position = float(placed[first:end].sum() / shown[first:end].sum())
        best = first + np.argsort(-shown[first:end], kind="stable")[:_NAMED_QUERIES]
        above, here = gains.curve.at(np.array([max(position - 1, 1.0), position])).tolist()
        named = tuple(demand.queries[number] for number in query[best].tolist())
        return _Shown(named, impressions, position, impressions * max(above - here, 0.0))

    @cached_property
    def _by_query(self) -> tuple[NDArray[Any], ...]:
        """Page, query, impressions, and positions weighted by them, without the site's name, in the span that is now."""
        demand = self.context.strength.demand
        assert demand is not None  # asked for with search data only
        is_asked = ~demand.is_brand[demand.rows.query] & (demand.rows.row < demand.n_pages)
        rows = demand.rows.select(np.flatnonzero(is_asked & (demand.is_now if demand.spans is not None else True)))
        n_queries = max(len(demand.queries), 1)
        keys, number = np.unique(rows.row.astype(np.int64) * n_queries + rows.query, return_inverse=True)
        shown, placed = (
            np.bincount(number.ravel(), weights=weights, minlength=len(keys))
            for weights in (rows.impressions, rows.impressions * rows.position)
        )
        return keys // n_queries, keys % n_queries, shown, placed

    def _deep_rows(self) -> list[int]:
        """Pages with clicks that lie deep, those with most clicks first; none where the site was not read whole."""
        strength = self.context.strength
        if not self.facts.coverage.is_whole:
            return []
        is_deep = (self.facts.coverage.depth > self.rules.deep) & (strength.clicks >= _LEAST_CLICKS)
        return sorted(np.flatnonzero(is_deep).tolist(), key=lambda row: (-strength.clicks[row], row))

    def _parent(self, row: int, most: int | None = None) -> Iterator[Parent]:
        """The page that should link to a page, if there is one that lies no deeper than that."""
        if not self._may_be_found(row):
            return
        page, meant_for, depth = self.site.pages[row], self.facts.meant_for, self.facts.coverage.depth

        def fits(above: int) -> bool:
            is_near = depth[above] >= 0 and (most is None or depth[above] <= most)
            stays = bool(self.context.strength.is_indexable[above]) and above not in self.gone
            # A page that is not translated yet belongs where it is meant to.
            own, other = (meant_for[at] or self.site.pages[at].language for at in (row, above))
            return is_near and stays and own == other

        parent = natural_parent(self.site, self.facts.destinations, self.context.link_plan, row, fits)
        if parent is not None and (self.context.url(parent.row), page.url) not in self.set_already:
            yield parent

    def _by_parents(self, rule: LinkRule, found: dict[int, Parent]) -> Proposal:
        """One proposal for pages that get one link each from their natural parent."""
        url, depth, clicks = self.context.url, self.facts.coverage.depth, self.context.strength.clicks
        steps: list[Step] = []
        for row, parent in found.items():
            detail: Text = sentence("link.step.parent", title=self.site.pages[row].h1 or self.site.pages[row].title)
            if parent.link is not None:
                detail = sentence("step.mention", anchor=parent.link.anchor, context=parent.link.sentence)
            steps += [
                Step(url(parent.row), StepKind.RELINK, url(row), sentence(f"link.parent.{parent.sign}", link=detail)),
                Step(
                    url(row), StepKind.LEAVE,
                    detail=sentence(f"link.step.{rule}", depth=int(depth[row]), clicks=float(clicks[row])),
                ),
            ]  # fmt: skip
        weight = float(sum(self.context.link_plan.passes[parent.row] for parent in found.values()))
        urls = tuple(sorted({step.url for step in steps}))
        rows = list(found)
        is_deep = rule == LinkRule.DEEP
        return Proposal(
            id=group_id(f"link {rule}", [url(row) for row in rows]), action=Action.LINK, rule=rule,
            keeper=url(rows[0]) if len(rows) == 1 else "", urls=urls,
            gain=Gain(weight, weight, weight, GainUnit.LINK_WEIGHT),
            effort_hours=effort_hours(steps, self.facts.settings.plan.effort), confidence=Confidence.MEDIUM,
            evidence=Evidence.SEARCH if is_deep else Evidence.TEXT,
            summary=sentence(f"link.summary.{rule}", n=len(rows), page=page_name(url(rows[0]))),
            why=reasoned(
                sentence(
                    f"link.why.{rule}", n=len(rows), deep=self.rules.deep, clicks=float(clicks[rows].sum()),
                    pages=listing([page_name(url(row)) for row in rows], most=3),
                )
            ),
            unless=sentence(f"link.unless.{rule}", n=len(rows)), steps=tuple(steps),
            basis={"pages": len(rows), "parents": {url(row): url(found[row].row) for row in rows[:_MOST_TOLD]}},
        )  # fmt: skip
