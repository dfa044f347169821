"""How many hours a proposal takes.

In:  the steps of a proposal, and the hours each kind takes (settings ``plan.effort``).
Out: hours, rounded up to a quarter.

What is left where it is takes no hours. A pattern of addresses costs its rule, however many addresses it covers; every
other step costs its rate.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable

from mardok.plan.proposal import Step
from mardok.settings import Effort
from mardok.vocabulary import StepKind

_BY_PATTERN = (StepKind.REDIRECT, StepKind.CANONICAL, StepKind.RETITLE, StepKind.NOINDEX, StepKind.RETIRE)
"""Steps that a rule does for many addresses."""


def step_rates(rates: Effort) -> dict[StepKind, float]:
    """Hours that one step of each kind takes."""
    return {
        StepKind.MOVE_TEXT: rates.move_text, StepKind.REWRITE: rates.rewrite, StepKind.EXPAND: rates.expand,
        StepKind.RELINK: rates.relink, StepKind.TRIM: rates.trim, StepKind.INVESTIGATE: rates.investigate,
        StepKind.REPAIR: rates.repair, StepKind.SITEMAP: rates.sitemap, StepKind.TRANSLATE: rates.translate,
        StepKind.REDIRECT: rates.redirect, StepKind.CANONICAL: rates.canonical, StepKind.RETITLE: rates.retitle,
        StepKind.NOINDEX: rates.noindex, StepKind.RETIRE: rates.retire,
    }  # fmt: skip


def effort_hours(steps: Iterable[Step], rates: Effort, *, n_rules: int = 0) -> float:
    """Hours in steps of 0.25.

    Parameters
    ----------
    n_rules : int
        Rules that do for all addresses what else is done one by one; 0 if there is none.

    Examples
    --------
    >>> steps = [Step("https://host.example/a", StepKind.REDIRECT), Step("https://host.example/b", StepKind.LEAVE)]
    >>> effort_hours(steps, Effort())
    0.5
    """
    counts = Counter(step.step for step in steps)
    if counts and set(counts) == {StepKind.LEAVE}:
        return 0.0
    rate_of = {step: rate for step, rate in step_rates(rates).items() if not (n_rules and step in _BY_PATTERN)}
    hours = rates.proposal + n_rules * rates.pattern
    hours += math.fsum(counts[step] * rate for step, rate in rate_of.items())
    return math.ceil(round(hours * 4, 9)) / 4
