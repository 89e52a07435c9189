"""The scalar pieces of the flow laws against closed forms and finite differences."""

import math
from collections.abc import Callable

import numpy as np
import pytest

from umweg.core.components import kernels
from umweg.core.components.sources import filling

CURVES: dict[str, tuple[Callable[[float], tuple[float, float]], list[float]]] = {
    "turbulent": (lambda v: kernels.turbulent(v, 7.0, 0.5), [-40, -1, -0.2, 0, 0.3, 2, 150]),
    "ramp": (lambda v: kernels.ramp(v, 0.3), [-2, -0.1, 0.1, 0.29, 0.31, 9]),
    "cracking": (lambda v: kernels.cracking(v, 1.0), [-3, -0.4, 0.0, 0.4, 6]),
    "smooth_step": (lambda v: kernels.smooth_step(v, 0.1, 0.9), [0, 0.2, 0.5, 0.8, 1.2]),
    "regulated": (lambda v: kernels.regulated(v, 20.0), [0.0, 5, 20, 80]),
    "forward": (lambda v: kernels.forward(v, 4.0), [-5, 0.1, 0.5, 30]),
    "saturating": (lambda v: kernels.saturating(v, 2.0), [-9, -1, 0, 1, 9]),
    "soft_sign": (kernels.soft_sign, [-8, -2.9, -1, -0.01, 0, 0.4, 2, 2.99, 5]),
    "sliding": (lambda v: kernels.sliding(v, 5.0), [-60, -5, 0, 0.2, 40]),
    "pipe_flow": (
        lambda v: kernels.pipe_flow(v, 0.2, 0.0186, 0.01, 0.003, 50.0),
        [-50, -9, -1, 0.2, 7, 11, 13, 80, 600],
    ),
    "filling early": (lambda v: filling(v, -0.9), [-1.1, -0.96, -0.94, -0.9, -0.8]),
    "check_flow": (lambda v: kernels.check_flow(v, 9.0, 0.5, 1e-4), [-99, 0.2, 0.6, 0.9, 20]),
    "filling": (lambda v: filling(v, -0.6), [-1.5, -0.95, -0.7, -0.6, -0.4, 0.0, 2.0]),
}


@pytest.mark.parametrize("name", CURVES)
def test_slopes_are_exact(name: str) -> None:
    curve, places = CURVES[name]
    for place in places:
        step = 1e-6 * max(1.0, abs(place))
        numeric = (curve(place + step)[0] - curve(place - step)[0]) / (2.0 * step)
        assert curve(place)[1] == pytest.approx(numeric, rel=1e-5, abs=1e-7), place


@pytest.mark.parametrize("name", ["turbulent", "saturating", "soft_sign", "sliding", "pipe_flow"])
def test_both_directions_mirror(name: str) -> None:
    curve, places = CURVES[name]
    for place in places:
        (there, slope), (back, same) = curve(place), curve(-place)
        assert there == pytest.approx(-back)
        assert slope == pytest.approx(same)


def test_turbulent_is_the_square_root_law() -> None:
    """q = k·√Δp; the smoothing is 0.25 % at ten times its width and linear at zero."""
    assert kernels.turbulent(100.0, 3.0, 0.01)[0] == pytest.approx(30.0, rel=1e-7)
    assert kernels.turbulent(5.0, 1.0, 0.5)[0] == pytest.approx(math.sqrt(5.0), rel=2.6e-3)
    assert kernels.turbulent(0.0, 3.0, 0.25)[1] == pytest.approx(3.0 / math.sqrt(0.25))


def test_a_pipe_loses_what_its_two_laws_say() -> None:
    """Laminar up to Re 2000, Blasius from 3000, rising without a step between; solved for the flow."""
    laminar, blasius, re_per_lpm = 0.2, 0.0186, 50.0

    def drop(q: float) -> float:
        return kernels.pipe_drop(q, laminar, blasius, 0.0, 0.0, re_per_lpm)[0]

    assert drop(39.9) == pytest.approx(laminar * 39.9)
    assert drop(60.1) == pytest.approx(blasius * 60.1**1.75, rel=1e-9)
    grid = np.linspace(0.1, 300.0, 900)
    drops = np.array([drop(q) for q in grid])
    assert (np.diff(drops) > 0.0).all()
    found = [kernels.pipe_flow(d, laminar, blasius, 0.0, 0.0, re_per_lpm)[0] for d in drops]
    np.testing.assert_allclose(found, grid, rtol=1e-6)
    # Fittings come on top, each with its share at low and at high flow.
    with_fittings = kernels.pipe_drop(20.0, laminar, blasius, 0.05, 0.004, re_per_lpm)[0]
    assert with_fittings == pytest.approx(4.0 + 1.0 + 1.6)


def test_a_chamber_draws_nothing_where_oil_parts() -> None:
    for half in (-0.9, -0.6, -0.3):
        assert filling(-0.95, half)[0] < 0.03


def test_soft_sign_follows_tanh() -> None:
    grid = np.linspace(-6, 6, 601)
    found = np.array([kernels.soft_sign(v)[0] for v in grid])
    assert np.abs(found - np.tanh(grid)).max() < 0.0245
    assert kernels.soft_sign(3.0) == pytest.approx((1.0, 0.0))
    assert kernels.soft_sign(0.0) == (0.0, 1.0)
    assert (np.diff(found) >= 0.0).all(), "never falls"


def test_a_chamber_fills_half_where_it_says() -> None:
    assert filling(-0.6, -0.6)[0] == pytest.approx(0.5)
    assert filling(1.0, -0.6)[0] == 1.0
    assert filling(-1.2, -0.6)[0] < 0.0, "below absolute zero an iteration must find back"
    assert filling(-1.2, -0.6)[1] > 0.0


@pytest.mark.parametrize("first", [1.0, 0.0])
def test_couple_either_is_couple_with_the_chosen_port(first: float) -> None:
    def blank() -> tuple[np.ndarray, np.ndarray]:
        return np.zeros((1, 4, 1)), np.zeros((1, 4, 4, 1))

    f, j = blank()
    kernels.couple_either(f, j, 0, 0, 0, (2, 3), first, 12.0, 1.5)
    g, h = blank()
    kernels.couple(g, h, 0, 0, 0, 2 if first else 3, 12.0, 1.5)
    np.testing.assert_array_equal(f, g)
    np.testing.assert_array_equal(j, h)
