"""Where each address goes when the whole plan is carried out.

In:  which page each proposal moves, and onto which.
Out: for each moved page the page it ends at, so that no step makes a chain; and the redirects, canonicals and links that
     already point at moved pages and must follow.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from mardok.compare.destinations import Destination
from mardok.plan.proposal import Step
from mardok.sentences import Text, sentence
from mardok.text.site import Site
from mardok.vocabulary import Owner, StepKind

_TEMPLATE_PAGES = 3


@dataclass(frozen=True)
class Move:
    """One page that goes."""

    row: int
    step: StepKind
    """Redirect or canonical."""
    target: int
    """Row of the page it goes to, as the proposal says."""


class Moves:
    """All moves of a plan, and what follows from them."""

    def __init__(self, site: Site, destinations: Sequence[Destination], moves: Iterable[Move]) -> None:
        self._site = site
        self._move_of = {move.row: move for move in moves}
        self._linking: dict[int, list[tuple[int, str, bool]]] = defaultdict(list)
        self._pointing: dict[int, list[tuple[int, StepKind]]] = defaultdict(list)
        self._collect_links()
        self._collect_pointers(destinations)
        self._led_on = {pointer for pointers in self._pointing.values() for pointer, _ in pointers}

    def end_of(self, row: int) -> int:
        """The page at which a page ends when every step is done."""
        seen = {row}
        while row in self._move_of and self._move_of[row].target not in seen:
            row = self._move_of[row].target
            seen.add(row)
        return row

    def is_moved(self, row: int) -> bool:
        """Whether the plan moves the page."""
        return row in self._move_of

    def is_led_on(self, row: int) -> bool:
        """Whether a page is moved, or an existing redirect or canonical of it gets another target."""
        return self.is_moved(row) or row in self._led_on

    def move_step(self, row: int, detail: Text) -> Step:
        """The step that moves a page straight to where it ends."""
        return Step(self._url(row), self._move_of[row].step, self._url(self.end_of(row)), detail)

    def pointer_steps(self, row: int) -> list[Step]:
        """Steps for existing redirects and canonicals that lead to a moved page."""
        target = self._url(self.end_of(row))
        return [
            Step(self._url(pointer), step, target, sentence("step.pointer", url=self._url(row)))
            for pointer, step in self._pointing[row]
        ]

    def relink_steps(self, row: int) -> list[Step]:
        """Steps for links to a moved page: one for each page, or one for a link that a template repeats."""
        old, target = self._url(row), self._url(self.end_of(row))
        by_anchor: dict[str, list[int]] = defaultdict(list)
        steps = []
        for source, anchor, in_chrome in self._linking[row]:
            if source in self._move_of or source == self.end_of(row):
                continue
            if in_chrome:
                by_anchor[anchor].append(source)
            else:
                link = sentence("step.relink", anchor=anchor, url=old)
                steps.append(Step(self._url(source), StepKind.RELINK, target, link, pattern_value=old))
        for anchor, sources in sorted(by_anchor.items()):
            if len(sources) >= _TEMPLATE_PAGES:
                detail = sentence("step.relink-template", anchor=anchor, url=old, pages=len(sources))
                first = self._url(sources[0])
                steps.append(Step(first, StepKind.RELINK, target, detail, pattern_value=old, whose=Owner.DEVELOPER))
            else:
                link = sentence("step.relink", anchor=anchor, url=old)
                steps += [Step(self._url(source), StepKind.RELINK, target, link, pattern_value=old) for source in sources]
        return steps

    def _url(self, row: int) -> str:
        return self._site.pages[row].url

    def _collect_links(self) -> None:
        site = self._site
        seen = set()
        for at in np.flatnonzero(np.isin(site.link_targets, list(self._move_of))).tolist():
            source, row = int(site.links.page[at]), int(site.link_targets[at])
            anchor = site.links.anchors[site.links.anchor[site.links.at[at]]]
            if row != source and (source, row, anchor) not in seen:
                seen.add((source, row, anchor))
                self._linking[row].append((source, anchor, bool(site.chrome_links[at])))

    def _collect_pointers(self, destinations: Sequence[Destination]) -> None:
        for source, (page, destination) in enumerate(zip(self._site.pages, destinations, strict=True)):
            if source in self._move_of:
                continue
            passed = (self._site.row_of.get(url, -1) for url in destination.hops)
            moved = next((row for row in passed if row in self._move_of), None)
            if moved is not None:
                self._pointing[moved].append((source, StepKind.REDIRECT if page.redirect_url else StepKind.CANONICAL))
