"""What touch tests say about the clock: interval-censored evidence for one factor."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from cool_sheen.core.climate.air import Floats
from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.units import Minutes

_SPREADS = np.linspace(-12.0, 12.0, 6001)  # the grid, in spreads of the prior
_Z = np.linspace(-9.0, 9.0, 36_001)  # a table of the normal distribution: the error of a straight line is under 1e-8
_PHI_OF_Z = np.array([0.5 * (1 + math.erf(z / math.sqrt(2))) for z in _Z.tolist()])


@dataclass(frozen=True, slots=True)
class TouchTest:
    """A film that was predicted for one time, and seen not ready or ready at others (minutes since the coat)."""

    predicted_minutes: Minutes
    not_ready_minutes: Minutes | None = None
    ready_minutes: Minutes | None = None


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
        upper = _phi(grid, test.ready_minutes, test.predicted_minutes, noise_ln_sd, missing=1.0)
        lower = _phi(grid, test.not_ready_minutes, test.predicted_minutes, noise_ln_sd, missing=0.0)
        total += np.log(np.maximum(upper - lower, 1e-300))
    return total


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


def _phi(grid: Floats, minutes: Minutes | None, predicted: Minutes, noise: float, missing: float) -> Floats:
    if minutes is None:
        return np.full_like(grid, missing)
    at = math.log(minutes / predicted)
    first, last = np.searchsorted(grid, [at + _Z[0] * noise, at + _Z[-1] * noise])
    phi = np.full_like(grid, _PHI_OF_Z[0])
    phi[:first] = _PHI_OF_Z[-1]
    phi[first:last] = np.interp((at - grid[first:last]) / noise, _Z, _PHI_OF_Z)
    return phi
