"""The normal distribution against the published one."""

import numpy as np
import pytest
from scipy.stats import norm

from umweg.core.observe.normal import normal_cdf


def test_it_is_that_of_the_tables_tails_and_all() -> None:
    z = np.linspace(-37.0, 9.0, 500).reshape(4, 125)
    np.testing.assert_allclose(normal_cdf(z), norm.cdf(z), rtol=1e-12)
    assert float(normal_cdf(1.96)) == pytest.approx(0.9750021, abs=1e-7)


def test_what_is_no_number_stays_none_and_the_ends_are_sure() -> None:
    found = normal_cdf(np.array([-np.inf, np.inf, np.nan]))
    assert found[:2].tolist() == [0.0, 1.0]
    assert np.isnan(found[2])
    assert normal_cdf(np.zeros((0, 3))).shape == (0, 3)
