"""Further quantities given what was read, and a mixture's shares, against closed forms."""

import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.stats import norm

from umweg.core.diagnose.further import conditioned, shape_of, share_below
from umweg.core.diagnose.judged import judged, most_bits

OWN = 4
UNKNOWNS = 6


@pytest.mark.parametrize("readings", [0, 1, 5])
@pytest.mark.parametrize(("quantities", "count"), [(2, 3), (2, 150), (35, 20)])
def test_what_is_left_is_that_of_the_joint_normal(
    readings: int, quantities: int, count: int
) -> None:
    """Mean and variance by the covariance of everything at once, candidate by candidate."""
    random = np.random.default_rng(7)
    slope = random.normal(size=(quantities, UNKNOWNS, count))
    slope[1, 2] = 0.0
    before = random.normal(size=(readings, UNKNOWNS, count))
    mean, error = random.normal(size=(quantities, count)), random.normal(size=(count, readings))
    loose = random.choice([1.0, 2.2], count)
    spread = np.ones((UNKNOWNS, count))
    spread[:OWN] = loose**2
    precision = np.empty((count, readings, readings))
    solved = np.empty((count, readings))
    expected = np.empty((2, quantities, count))
    for c in range(count):
        all_slopes = np.concatenate([before[:, :, c], slope[:, :, c]])
        together = all_slopes * spread[:, c] @ all_slopes.T
        noisy = together[:readings, :readings] + 0.3 * np.eye(readings)
        precision[c] = np.linalg.inv(noisy)
        solved[c] = precision[c] @ error[c]
        cross = together[readings:, :readings]
        expected[0, :, c] = mean[:, c] + cross @ np.linalg.solve(noisy, error[c])
        left = together[readings:, readings:] - cross @ np.linalg.solve(noisy, cross.T)
        expected[1, :, c] = np.diag(left)
    found = conditioned(mean, list(slope), OWN, loose, before * spread, precision, solved)
    np.testing.assert_allclose(found, expected, rtol=1e-9, atol=1e-9)


@pytest.mark.parametrize("share", [0.001, 0.05, 0.5, 0.95])
def test_shares_of_a_normal_are_its_published_quantiles(share: float) -> None:
    found = share_below(np.array([120.0]), np.array([3.0]), np.array([0.2]), share)
    assert found == pytest.approx(120.0 + 3.0 * norm.ppf(share), abs=1e-6)


def test_shares_of_a_mixture_are_the_root_of_its_distribution() -> None:
    mean, sd = np.array([0.0, 40.0, 41.0]), np.array([0.1, 2.0, 9.0])
    weight = np.array([0.5, 0.2, 0.3])
    for share in (0.3, 0.52, 0.97):
        root = brentq(lambda x, p=share: weight @ norm.cdf((x - mean) / sd) - p, -20, 120)
        assert share_below(mean, sd, weight, share) == pytest.approx(root, abs=1e-7)


def test_a_shape_is_the_density_of_its_mixture() -> None:
    mean, sd = np.array([0.0, 40.0, 41.0]), np.array([6.0, 7.0, 9.0])
    weight = np.array([0.5, 0.2, 0.3])
    grid = np.linspace(-40.0, 90.0, 40)
    density = (weight[:, None] * norm.pdf(grid, mean[:, None], sd[:, None])).sum(axis=0)
    found = shape_of(grid, mean, sd, 3.0 * weight)
    np.testing.assert_allclose(found, density / density.sum(), rtol=1e-9, atol=1e-15)


def test_no_reading_tells_more_than_its_bound() -> None:
    random = np.random.default_rng(3)
    count, readings = 30, 40
    mean = random.normal(0, random.uniform(0.01, 5.0, (readings, 1)), (readings, count))
    sd = random.uniform(0.5, 2.0, (readings, count))
    weight = random.dirichlet(np.ones(count))
    each, own = np.arange(count), np.repeat(np.arange(count)[:, None], 2, axis=1)
    told, saved = judged(mean, sd, weight, each, own, np.full(count, 100.0))
    bound = most_bits(mean, sd, weight)
    assert np.all(told <= bound + 1e-3)
    # It is a bound that parts: what tells much is not among what tells little.
    assert np.corrcoef(told, bound)[0, 1] > 0.8
    least = float(np.median(bound))
    some, less = judged(mean, sd, weight, each, own, np.full(count, 100.0), least)
    kept = bound >= least
    np.testing.assert_allclose(some[kept], told[kept])
    np.testing.assert_allclose(less[kept], saved[kept])
    assert np.all(some[~kept] < least)
    assert np.all(less[~kept] == 0.0)
