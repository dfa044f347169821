"""The effect of a change: simulated sites of known effect say how often the stated interval holds it."""

from __future__ import annotations

import math

import numpy as np
import pytest

from mardok.rechecking.placebo import Effect, effect_of


def simulated(random: np.random.Generator, factor: float | None = None) -> tuple[float, Effect]:
    """The true effect and what is told of it: 1 to 20 touched units, a season, and each page's own drift."""
    n_touched, n_others = int(random.integers(1, 21)), int(random.integers(20, 150))
    n = n_touched + n_others
    usual = np.exp(random.normal(3, 1.5, n))
    season, drift = random.uniform(0.6, 1.6), np.exp(random.normal(0, random.uniform(0.05, 0.5), n))
    touched = np.zeros(n, bool)
    touched[random.choice(n, n_touched, replace=False)] = True
    factor = random.uniform(0.7, 2) if factor is None else factor
    before = random.poisson(usual).astype(float)
    after = random.poisson(usual * season * drift * np.where(touched, factor, 1)).astype(float)
    return math.log(factor), effect_of(before, after, touched)


def test_the_interval_holds_the_truth_as_often_as_it_says() -> None:
    random = np.random.default_rng(2030)
    told = [simulated(random) for _ in range(1000)]
    held = np.mean([effect.low <= truth <= effect.high for truth, effect in told])
    assert 0.76 <= held <= 0.84
    assert abs(np.mean([effect.log - truth for truth, effect in told])) < 0.05


def test_without_an_effect_none_is_claimed_four_times_in_five() -> None:
    random = np.random.default_rng(7)
    told = [simulated(random, 1.0)[1] for _ in range(300)]
    assert np.mean([effect.low <= 0 <= effect.high for effect in told]) > 0.73
    strong = [simulated(random, 4.0)[1] for _ in range(100)]
    assert np.mean([effect.low > 0 for effect in strong]) > 0.9


def test_the_effect_is_against_the_season_of_the_untouched() -> None:
    before, after = np.full(60, 400.0), np.full(60, 200.0)
    touched = np.arange(60) < 5
    after[touched] = 400.0  # all others lost half
    effect = effect_of(before, after, touched)
    assert effect.log == pytest.approx(math.log(2), abs=0.01)
    amount, low, high = effect.amount(5 * 400.0)
    assert low <= amount <= high
    assert amount == pytest.approx(1000, rel=0.01)
    gone = effect_of(before, np.where(touched, 0.0, 400.0), touched)
    assert gone.amount(0.0)[0] == pytest.approx(-2000, rel=0.01)
