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
    one_by_one = {
        StepKind.MOVE_TEXT: rates.move_text, StepKind.REWRITE: rates.rewrite, StepKind.EXPAND: rates.expand,
        StepKind.RELINK: rates.relink, StepKind.TRIM: rates.trim, StepKind.INVESTIGATE: rates.investigate,
        StepKind.REPAIR: rates.repair, StepKind.SITEMAP: rates.sitemap, StepKind.TRANSLATE: rates.translate,
    }  # fmt: skip
    by_pattern = {
        StepKind.REDIRECT: rates.redirect, StepKind.CANONICAL: rates.canonical, StepKind.RETITLE: rates.retitle,
        StepKind.NOINDEX: rates.noindex, StepKind.RETIRE: rates.retire,
    }  # fmt: skip
    rate_of = one_by_one if n_rules else by_pattern | one_by_one
    hours = rates.proposal + n_rules * rates.pattern
    hours += math.fsum(counts[step] * rate for step, rate in rate_of.items())
    return math.ceil(round(hours * 4, 9)) / 4
