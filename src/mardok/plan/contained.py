"""What to do about pages most of which stands on another page.

In:  such pages, with whether both promise the same.
Out: proposals: merge where they do, after what only the page says was moved; else one for each pair of sections, to say the
     rest once and link to it.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from mardok.findings.contained import Repeated
from mardok.findings.groups import group_id
from mardok.findings.wording import section_name
from mardok.plan.effort import effort_hours
from mardok.plan.moves import Move
from mardok.plan.proposal import Gain, Proposal, Step
from mardok.plan.wording import count, path_of, percent, percent_range
from mardok.plan.workbench import Workbench, gain_basis
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.urls import matches


@dataclass(frozen=True)
class ContainedDraft:
    """What to do about one page."""

    found: Repeated
    moved: tuple[Move, ...] = ()


def contained_drafts(
    site: Site, repeated: Sequence[Repeated], busy: Collection[int], kept: Collection[int], settings: Settings
) -> list[ContainedDraft]:
    """What to do about each page.

    Parameters
    ----------
    busy : collection of int
        Pages about which something else is done.
    kept : collection of int
        Pages that stay for another reason.
    """
    drafts = []
    for one in repeated:
        if one.row in busy or one.other in busy or matches(site.pages[one.row].url, settings.plan.leave):
            continue
        goes = one.is_same_promise and one.row not in kept
        drafts.append(ContainedDraft(one, (Move(one.row, "redirect", one.other),) if goes else ()))
    return drafts


def contained_proposals(drafts: Sequence[ContainedDraft], bench: Workbench) -> list[Proposal]:
    """Drafts written out."""
    together: dict[tuple[str, str], list[Repeated]] = defaultdict(list)
    for draft in drafts:
        if not draft.moved:
            one = draft.found
            together[section_name(bench.url(one.row)), section_name(bench.url(one.other))].append(one)
    return [
        *(_merge(draft.found, bench) for draft in drafts if draft.moved),
        *(_trim(alike, bench) for alike in together.values()),
    ]


def _merge(one: Repeated, bench: Workbench) -> Proposal:
    target = bench.moves.end_of(one.row)
    url, kept = bench.url(one.row), bench.url(target)
    steps = [
        Step(kept, "leave", detail="keeper: has most of what the other page says"),
        *bench.unique_text(one.row, target),
        *bench.moving(one.row, "most of it stands on the keeper"),
    ]
    gain = bench.gain([one.row, target], [one.row])
    urls = tuple(sorted([url, kept]))
    return Proposal(
        id=group_id("contained", urls), action="merge", owner="editor", keeper=kept, urls=urls, gain=gain,
        effort_hours=effort_hours(steps, bench.settings.plan.effort), confidence="medium", evidence="text",
        summary=f"Merge {path_of(url)} into {path_of(kept)}: most of it stands there too",
        why=(
            f"{percent(one.share)} of {path_of(url)} stands word for word on {path_of(kept)}, "
            f"and both promise the same.{bench.figures(gain, 1)}"
        ),
        unless="both must stay reachable, as an older edition may; then a canonical does",
        steps=tuple(steps), basis={"containment": round(one.share, 6), **gain_basis(gain)},
    )  # fmt: skip


def _trim(alike: Sequence[Repeated], bench: Workbench) -> Proposal:
    """Pages of one section that pages of one section repeat: one decision."""
    urls = tuple(sorted({bench.url(row) for one in alike for row in (one.row, one.other)}))
    steps = tuple(
        Step(
            bench.url(one.row),
            "trim",
            bench.url(one.other),
            f"{one.shared_words} of its words stand on {path_of(bench.url(one.other))} too: say them on one of the two, "
            "and link there from the other",
        )
        for one in alike
    )
    first = alike[0]
    shares = [one.share for one in alike]
    n_words = sum(one.shared_words for one in alike)
    pair = f"{path_of(bench.url(first.row))} and {path_of(bench.url(first.other))}"
    what = pair if len(alike) == 1 else f"{count(len(alike), 'page')} that other pages repeat, such as {pair}"
    return Proposal(
        id=group_id("contained", urls), action="trim", owner="editor", keeper="", urls=urls,
        gain=Gain(0.0, 0.0, "link weight"), effort_hours=effort_hours(steps, bench.settings.plan.effort),
        confidence="medium", evidence="text", summary=f"Say it once: {what}",
        why=(
            f"{percent_range(shares)} of the words of {count(len(alike), 'page')}, {n_words:,} in all, stand on another "
            "page too, which promises something else. No evidence of a gain."
        ),
        unless="readers need the whole text in both places, as in an appendix or a print edition",
        steps=steps,
        basis={"containment": {bench.url(one.row): round(one.share, 6) for one in alike}, "shared_words": n_words},
    )  # fmt: skip
