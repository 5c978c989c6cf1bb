"""What touch tests say about the clock: interval-censored evidence for one factor."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.units import Minutes

NOISE_LN_SD = 0.10  # by which one coat differs from the next
_SPREADS = np.linspace(-12.0, 12.0, 6001)  # the grid, in spreads of the prior
_Z = np.linspace(-9.0, 9.0, 36_001)  # a table of the normal distribution: the error of a straight line is under 1e-8
_PHI_OF_Z = np.array([0.5 * (1 + math.erf(z / math.sqrt(2))) for z in _Z.tolist()])
_RISE = np.diff(_PHI_OF_Z, append=_PHI_OF_Z[-1])
_PER_Z = (len(_Z) - 1) / (_Z[-1] - _Z[0])  # places of the table in one spread
_LEAST = 1e-300  # a likelihood that is nought, as far as a logarithm can say so


@dataclass(frozen=True, slots=True)
class TouchTest:
    """A film that was predicted for one time, and seen not ready or ready at others (minutes since the coat).

    ``prompted``: it was touched for the first time, and ready, when the screen had said "go and test".
    """

    predicted_minutes: Minutes
    not_ready_minutes: Minutes | None = None
    ready_minutes: Minutes | None = None
    prompted: bool = False

    @property
    def adds_up(self) -> bool:
        """Whether it is evidence beside others like it; of those that only say one thing the strongest alone counts."""
        return self.prompted or None not in (self.not_ready_minutes, self.ready_minutes)


@dataclass(frozen=True, slots=True)
class Posterior:
    """What is believed about the factor on all times."""

    ln_mean: float
    ln_sd: float
    factor_p10: float
    factor_p50: float
    factor_p90: float


def learn(
    tests: Sequence[TouchTest], prior_ln_sd: float = 0.25, noise_ln_sd: float = 0.10, prior_ln_mean: float = 0.0
) -> Posterior:
    """Factor on a product's times after touch tests.

    Args:
        tests: Evidence; each with one bound at least.
        prior_ln_sd: Spread of ln factor before. [1]
        noise_ln_sd: Spread of the observation itself. [1]
        prior_ln_mean: Mean of ln factor before. [1]

    Returns: Mean and spread of ln factor, percentiles of the factor. [1]
    Raises: Inconsistent: evidence that contradicts itself beyond what the grid can weigh.
    Source: docs/trade.md, Touch: Bayes on a grid of 24 spreads in 6000 steps; likelihood
        Phi((ln(ready/pred) - x)/s) - Phi((ln(not/pred) - x)/s).
    """
    return _learned(tuple(tests), prior_ln_sd, noise_ln_sd, prior_ln_mean)


@lru_cache(4096)  # every page that shows a coat asks what its tests say
def _learned(tests: tuple[TouchTest, ...], prior_ln_sd: float, noise_ln_sd: float, prior_ln_mean: float) -> Posterior:
    return believe(evidence(tests, prior_ln_sd, noise_ln_sd, prior_ln_mean), prior_ln_sd, prior_ln_mean)


def evidence(
    tests: Sequence[TouchTest], prior_ln_sd: float = 0.25, noise_ln_sd: float = 0.10, prior_ln_mean: float = 0.0
) -> Floats:
    """Log likelihood of tests along the grid of a prior, as ``learn`` takes them: several together are their sum. [1]

    Source: docs/trade.md, Touch.
    """
    grid = prior_ln_mean + prior_ln_sd * _SPREADS
    total = np.zeros_like(grid)
    for test in tests:
        known = [m for m in (test.not_ready_minutes, test.ready_minutes) if m is not None]
        if not known:
            continue
        at = [math.log(minutes / test.predicted_minutes) for minutes in known]
        first, last = np.searchsorted(grid, [min(at) + _Z[0] * noise_ln_sd, max(at) + _Z[-1] * noise_ln_sd])
        near = grid[first:last]
        upper = 1.0 if test.ready_minutes is None else _phi((at[-1] - near) / noise_ln_sd)
        lower = 0.0 if test.not_ready_minutes is None else _phi((at[0] - near) / noise_ln_sd)
        total[first:last] += np.log(np.maximum(upper - lower, _LEAST))
        # Further out it is sure: a film that much faster was ready before, one that much slower is not ready yet.
        if test.not_ready_minutes is not None:
            total[:first] += math.log(_LEAST)
        if test.ready_minutes is not None:
            total[last:] += math.log(_LEAST)
    return total


def pooled(tests: Sequence[TouchTest]) -> list[TouchTest]:
    """Return the tests of a shop that count: all with two sides, and of those with one the strongest of each kind.

    Somebody who only ever presses "ready", and comes late, does not say more with every coat.

    Source: docs/trade.md, Touch.
    """
    alone = [t for t in tests if not t.adds_up]
    ready = [t for t in alone if t.ready_minutes is not None]
    not_yet = [t for t in alone if t.ready_minutes is None and t.not_ready_minutes is not None]
    first = sorted(ready, key=lambda t: (t.ready_minutes or 0.0) / t.predicted_minutes)[:1]
    last = sorted(not_yet, key=lambda t: -(t.not_ready_minutes or 0.0) / t.predicted_minutes)[:1]
    return [*(t for t in tests if t.adds_up), *first, *last]


def next_coat_sd(ln_sd: float, noise_ln_sd: float = NOISE_LN_SD) -> float:
    """Spread of ln factor of the next coat: what is not known of the factor, and what coats differ by. [1]

    Source: docs/trade.md, Clock.
    """
    return math.hypot(ln_sd, noise_ln_sd)


def believe(log_likelihood: Floats, prior_ln_sd: float = 0.25, prior_ln_mean: float = 0.0) -> Posterior:
    """What is believed after evidence.

    Args:
        log_likelihood: The evidence, along the grid of the prior.
        prior_ln_sd: Spread of ln factor before. [1]
        prior_ln_mean: Mean of ln factor before. [1]

    Raises: Inconsistent: evidence that contradicts itself beyond what the grid can weigh.
    """
    grid = prior_ln_mean + prior_ln_sd * _SPREADS
    log_weight = log_likelihood - 0.5 * _SPREADS**2
    weight = np.exp(log_weight - log_weight.max())
    total = float(weight.sum())
    if not math.isfinite(total) or total <= 0:
        raise Inconsistent("These tests contradict each other beyond weighing.", "tests")
    weight /= total
    mean = float((weight * grid).sum())
    spread = math.sqrt(float((weight * (grid - mean) ** 2).sum()))
    below = np.cumsum(weight) - weight / 2
    p10, p50, p90 = (math.exp(float(np.interp(p, below, grid))) for p in (0.1, 0.5, 0.9))
    return Posterior(mean, spread, p10, p50, p90)


def _phi(z: Floats) -> Floats:
    """The normal distribution, by its table."""
    place = (np.clip(z, _Z[0], _Z[-1]) - _Z[0]) * _PER_Z
    whole = place.astype(np.intp)
    found: Floats = _PHI_OF_Z[whole] + (place - whole) * _RISE[whole]
    return found
