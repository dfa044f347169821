"""How many hours a proposal takes.

In:  the steps of a proposal, and the hours each kind takes (settings ``plan.effort``).
Out: hours, rounded up to a quarter.

A pattern of addresses costs its rule, however many addresses it covers; every other step costs its rate.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable

from mardok.plan.proposal import Step
from mardok.settings import Effort


def effort_hours(steps: Iterable[Step], rates: Effort, *, n_rules: int = 0) -> float:
    """Hours in steps of 0.25.

    Parameters
    ----------
    n_rules : int
        Rules that do for all addresses what else is done one by one; 0 if there is none.

    Examples
    --------
    >>> effort_hours([Step("https://host.example/a", "redirect"), Step("https://host.example/b", "leave")], Effort())
    0.5
    """
    counts = Counter(step.step for step in steps)
    by_pattern = ("redirect", "canonical", "retitle", "noindex", "retire")
    one_by_one = ("move_text", "rewrite", "expand", "relink", "trim", "investigate", "repair", "sitemap", "translate")
    hours = rates.proposal + n_rules * rates.pattern
    hours += math.fsum(counts[step] * getattr(rates, step) for step in (one_by_one if n_rules else by_pattern + one_by_one))
    return math.ceil(round(hours * 4, 9)) / 4
