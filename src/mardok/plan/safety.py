"""The proof that a plan does no harm.

In:  the steps of a plan and the pages they are about.
Out: nothing, if the plan is safe; else an error that names the first offence.

Rules: an address gets at most one of redirect, canonical, noindex, retire; what a redirect or canonical leads to answers
200, is indexable, is in the same language and is itself not moved; nothing leads to itself; the home page is not moved;
redirects and canonicals that exist do not end up in a chain: following all redirects once ends at a page that stays.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from mardok.compare.destinations import pointer_of
from mardok.errors import UnsafePlanError
from mardok.plan.proposal import Proposal
from mardok.text.site import Site
from mardok.vocabulary import STEPS_OF_ACTION, STRUCTURAL_STEPS, StepKind


def check_safety(proposals: Iterable[Proposal], site: Site, is_indexable: Mapping[int, bool], home: str) -> None:
    """Raise UnsafePlanError unless the plan is safe.

    Parameters
    ----------
    is_indexable : mapping of int to bool
        For each row of a page whether it is indexable.
    home : str
        Address of the home page.
    """
    fate: dict[str, tuple[str, str]] = {}
    for proposal in proposals:
        for step in proposal.steps:
            if step.step not in STEPS_OF_ACTION[proposal.action]:
                raise UnsafePlanError(f"proposal {proposal.id}: {proposal.action!r} must not hold a step {step.step!r}")
            if step.step in STRUCTURAL_STEPS:
                if step.url in fate and fate[step.url] != (step.step, step.target):
                    raise UnsafePlanError(f"{step.url} would get both {fate[step.url][0]} and {step.step}")
                fate[step.url] = (step.step, step.target)
    if home in fate:
        raise UnsafePlanError(f"{home} is the home page and would get {fate[home][0]}")
    for url, (step_name, target) in fate.items():
        if step_name in (StepKind.REDIRECT, StepKind.CANONICAL):
            _check_target(url, step_name, target, fate, site, is_indexable)
    for proposal in proposals:
        if proposal.keeper in fate:
            raise UnsafePlanError(
                f"{proposal.keeper} is the keeper of {proposal.id} and would get {fate[proposal.keeper][0]}"
            )
    for page in site.pages:
        pointed = pointer_of(page)
        if pointed in fate and page.url not in fate:
            raise UnsafePlanError(f"{page.url} would lead on through {pointed}, which gets {fate[pointed][0]}")


def _check_target(
    url: str, step: str, target: str, fate: Mapping[str, tuple[str, str]], site: Site, is_indexable: Mapping[int, bool]
) -> None:
    row = site.row_of.get(target, -1)
    if row < 0:
        raise UnsafePlanError(f"{url}: {step} to {target}, which was not read")
    if target == url:
        raise UnsafePlanError(f"{url}: {step} to itself")
    if target in fate:
        raise UnsafePlanError(f"{url}: {step} to {target}, which itself gets {fate[target][0]}")
    if not is_indexable[row]:
        raise UnsafePlanError(f"{url}: {step} to {target}, which is not indexable")
    page, there = site.pages[site.row_of[url]], site.pages[row].language
    here = (
        "" if pointer_of(page) else page.language
    )  # where a pointer leads was decided before; it follows the page that moves
    if here and there and here != there:
        raise UnsafePlanError(f"{url}: {step} to {target}, from language {here} to {there}")
