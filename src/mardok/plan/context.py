"""What every kind of proposal is written with: addresses, gains, moves, links, texts.

In:  the site, what stands for its pages, all moves of the plan.
Out: steps and figures of single pages.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mardok.compare.contradictions import calendar_names, contradictions
from mardok.compare.difference import LINE_BREAK, difference
from mardok.findings.keeper import PageStrength
from mardok.findings.link_plan import LinkPlan, WaitingLink
from mardok.findings.promise import TURNING
from mardok.plan.gain import GainModel, sum_of_gains
from mardok.plan.moves import Moves
from mardok.plan.proposal import NO_CLICKS, NO_GAIN, Gain, Step
from mardok.sentences import Sentence, Text, clauses, clipped, counted, paragraph, quoted, sentence
from mardok.settings import Settings
from mardok.text.number_words import is_number
from mardok.text.site import Site
from mardok.text.words import words
from mardok.vocabulary import GainUnit, StepKind

_LONGEST_FIGURE = 12
"""Characters of the longest word with digits that is a figure to a reader, and no key of a machine."""
_MOST_FACTS = 2
_LEAST_UNIQUE_WORDS = 5
"""Words that a member has and its keeper has not, from which they are worth moving."""


@dataclass(frozen=True)
class PlanContext:
    """What proposals are written with."""

    site: Site
    strength: PageStrength
    gains: GainModel | None
    """What changes to pages bring in clicks; None without search data."""
    link_plan: LinkPlan
    """Pages that mention what others are about and do not link to them."""
    unsaid: Mapping[str, Sequence[str]]
    """For addresses the words they are asked for and do not say."""
    settings: Settings
    moves: Moves
    is_pasted: NDArray[np.bool_]
    """For each block of the corpus whether all of it is boilerplate, or a teaser of another page: not worth moving."""

    def url(self, row: int) -> str:
        """Address of a page."""
        return self.site.pages[row].url

    def merged(self, rows: Collection[int], moved: Collection[int]) -> Gain:
        """Gain when pages that are shown beside each other become one; see :meth:`GainModel.merged`."""
        gain = self.gains.merged(rows, moved) if self.gains is not None else NO_CLICKS
        return gain if gain.is_evident else self._handed_on(moved)

    def folded(self, rows: Collection[int], moved: Collection[int]) -> Gain:
        """Gain when addresses of one page, or copies, become one; see :meth:`GainModel.folded`."""
        gain = self.gains.folded(rows) if self.gains is not None else NO_CLICKS
        return gain if gain.is_evident else self._handed_on(moved)

    def _handed_on(self, moved: Collection[int]) -> Gain:
        """The link weight that moved pages hand on."""
        weight = float(self.strength.link_weight[sorted(moved)].sum()) if moved else 0.0
        return Gain(weight, weight, weight, GainUnit.LINK_WEIGHT)

    def reach(self, rows: Iterable[int]) -> Gain:
        """Clicks when pages come to a good position for the queries they are shown for, the site's name apart."""
        demand, position = self.strength.demand, self.settings.thin.good_position
        gains = []
        if demand is not None and self.gains is not None:
            for row in rows:
                queries = demand.of([row]).query
                asked = set(queries[~demand.is_brand[queries]].tolist())
                gains.append(self.gains.at_position(row, asked, position))
        return sum_of_gains(gains, GainUnit.CLICKS) if any(gain.is_evident for gain in gains) else NO_GAIN

    def end_url(self, target: str) -> str:
        """Where an address ends by what the plan makes of it."""
        row = self.site.row_of.get(target, -1)
        return self.url(self.moves.end_of(row)) if row >= 0 else target

    def moving(self, row: int, detail: Sentence) -> list[Step]:
        """The move itself with what must follow it; pages that stay reachable keep the links they have."""
        facts = self._differing_facts(row)
        move = self.moves.move_step(row, clauses(detail, facts) if facts is not None else detail)
        relinks = self.moves.relink_steps(row) if move.step == StepKind.REDIRECT else []
        return [move, *self.moves.pointer_steps(row), *relinks]

    def _differing_facts(self, row: int) -> Sentence | None:
        """The figures that a page states otherwise than the one that stays: one of them is wrong."""
        kept = self.moves.end_of(row)
        if kept == row or self.site.text_hashes[row] == self.site.text_hashes[kept]:
            return None
        found = contradictions([self.site.main_text(one) for one in (kept, row)], self.site.pages[kept].language)
        if not found:
            return None
        named = [
            sentence("step.fact", text=quoted(clipped(one.text)), kept=one.values[0], own=one.values[1])
            for one in found[:_MOST_FACTS]
        ]
        return sentence("step.settle-facts", facts=clauses(*named))

    def mention_steps(self, keeper: int, rows: Collection[int]) -> list[Step]:
        """Pages that mention what the keeper is about, of those that stay, to get a link to it."""
        if self.moves.is_moved(keeper):
            return []
        waiting = [link for link in self.link_plan.links.get(keeper, ()) if not self.moves.is_moved(link.source)]
        return [self.link_step(link, keeper) for link in waiting[: self.settings.plan.mentions] if link.source not in rows]

    def link_step(self, link: WaitingLink, target: int) -> Step:
        """The step that makes a link of words that wait to be one."""
        detail = sentence("step.mention", anchor=link.anchor, context=link.sentence)
        return Step(self.url(link.source), StepKind.RELINK, self.url(target), detail)

    def unique_text(self, row: int, keeper: int) -> list[Step]:
        """What a page says that its keeper does not, if that is worth moving."""
        if self.site.text_hashes[row] == self.site.text_hashes[keeper]:
            return []
        unique = [
            " ".join(piece for piece in run.b if piece != LINE_BREAK)
            for run in difference(self.site.main_text(keeper), self._text_worth_moving(row))
            if not run.is_same
        ]
        unique = [text for text in unique if text]
        n_words = sum(len(words(text)) for text in unique)
        if n_words < _LEAST_UNIQUE_WORDS:
            return []
        there = set(self.site.main_text(keeper).split("\n"))
        blocks = [line for line in self._text_worth_moving(row).split("\n") if line not in there]
        blocks = [line for line in blocks if line != self.site.pages[row].h1] or unique
        detail = sentence("step.move-text", words=n_words, text=clipped(max(blocks, key=len)))
        return [Step(self.url(row), StepKind.MOVE_TEXT, self.url(keeper), detail)]

    def _text_worth_moving(self, row: int) -> str:
        """Main text of a page without what is pasted on many pages, and without teasers of others."""
        first, end = self.site.corpus.first_blocks[row : row + 2]
        lines = self.site.main_text(row).split("\n")
        return "\n".join(line for line, pasted in zip(lines, self.is_pasted[first:end], strict=True) if not pasted)

    def decisive_words(self, row: int) -> frozenset[str]:
        """Words of a page's main text that can turn its sense: figures, numbers in words, names of days, and negations."""
        named = TURNING | calendar_names(self.site.pages[row].language)
        return frozenset(
            word
            for word in words(self.site.main_text(row))
            if word in named or is_number(word) or (len(word) <= _LONGEST_FIGURE and any(map(str.isdigit, word)))
        )

    def pasted_share(self, row: int) -> float:
        """Share of a page's words in blocks that are boilerplate."""
        corpus = self.site.corpus
        first, end = corpus.first_blocks[row : row + 2]
        n_words = np.diff(corpus.block_offsets[first : end + 1])
        total = int(n_words.sum())
        return float(n_words[self.is_pasted[first:end]].sum()) / total if total else 0.0

    def figures(self, gain: Gain, n_moved: int) -> Text:
        """What a gain rests on."""
        if gain.unit == GainUnit.LINK_WEIGHT:
            if not gain.is_evident:
                return sentence("figures.none")
            return sentence("figures.link-weight", n=n_moved, share=gain.expected)
        queries, demand = counted("query", gain.n_queries), self.strength.demand
        months = demand.months if demand is not None else 0.0
        return paragraph(
            sentence("figures.queries", n=n_moved, queries=queries, impressions=gain.impressions, months=months)
            if gain.n_queries
            else None,
            sentence("figures.at-risk", clicks=gain.at_risk) if gain.at_risk else None,
        )


def gain_basis(gain: Gain) -> dict[str, object]:
    """What a gain rests on, as figures."""
    return {"queries": gain.n_queries, "impressions": round(gain.impressions, 1)} if gain.n_queries else {}
