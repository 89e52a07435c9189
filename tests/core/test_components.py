"""Every declared component type keeps the promises of its declaration."""

import numpy as np
import pytest

from umweg.core.components import component_type, component_types
from umweg.core.components.base import ComponentType, evaluate
from umweg.core.errors import UmwegError
from umweg.validation import worked_case

TYPES = list(component_types().values())
IDS = [t.type_name for t in TYPES]
each_type = pytest.mark.parametrize("kind", TYPES, ids=IDS)
WITH_LAW = [t for t in TYPES if t.ports]
each_law = pytest.mark.parametrize("kind", WITH_LAW, ids=[t.type_name for t in WITH_LAW])
SCALE = {"hydraulic": 60.0, "translation": 40.0, "rotation": 900.0, "electrical": 8.0}


def defaults(kind: type[ComponentType], **changes: float) -> np.ndarray:
    values = {**kind.Parameters().model_dump(), **{c.name: c.default for c in kind.commands}}
    values.update(changes)
    return np.array([values[name] for name in kind.parameter_names()])


def commanded(kind: type[ComponentType], generator: np.random.Generator, count: int) -> np.ndarray:
    """(1, M, count) parameters with every command somewhere in its range."""
    rows = np.repeat(defaults(kind)[None, :, None], count, axis=2)
    names = kind.parameter_names()
    for command in kind.commands:
        high = min(command.high, 200.0)
        rows[0, names.index(command.name)] = generator.uniform(command.low, high, count)
    return rows


def points(kind: type[ComponentType], generator: np.random.Generator, count: int) -> np.ndarray:
    """(1, P, count) across variables: both directions, near zero, equal, and large."""
    scale = np.array([SCALE[p.domain] for p in kind.ports])[:, None]
    x = generator.normal(size=(len(kind.ports), count)) * scale
    x[:, : count // 5] *= 1e-3
    x[:, count // 5 : count // 4] = 0.0
    x[:, count // 4 : count // 3] *= 5.0
    for row, port in enumerate(kind.ports):
        if port.name == "inlet" and kind.makes_flow:
            x[row] = generator.uniform(-0.9, 1.0, count)
    return x[None]


@each_law
def test_worked_example_holds(kind: type[ComponentType]) -> None:
    case = worked_case(kind)
    assert not [p for p in case.points if not case.within(p)]
    assert case.source


@each_law
def test_derivatives_are_exact(kind: type[ComponentType]) -> None:
    """Central differences of the flows, both directions, at zero and far out."""
    generator = np.random.default_rng(3)
    x, k = points(kind, generator, 120), commanded(kind, generator, 120)
    for name in ("centre_k", "float_k", "normally_open", "normally_closed", "stuck", "crossed"):
        if name in kind.Parameters.model_fields:
            k[0, kind.parameter_names().index(name)] = generator.uniform(0, 1, 120)
    nu = generator.uniform(10, 200, 120)
    _, j = evaluate(kind, x, k, nu)
    for column in range(len(kind.ports)):
        step = 1e-5 * np.maximum(1.0, np.abs(x[:, column]) * 0.1)
        up, down = x.copy(), x.copy()
        up[:, column] += step
        down[:, column] -= step
        numeric = (evaluate(kind, up, k, nu)[0] - evaluate(kind, down, k, nu)[0]) / (2 * step)
        exact = j[:, :, column]
        size = np.abs(exact).max() + 1e-3
        assert np.abs(numeric - exact).max() < 2e-4 * size


@each_law
def test_oil_is_neither_made_nor_lost(kind: type[ComponentType]) -> None:
    """Hydraulic flows sum to zero, but for the volume a moving rod displaces."""
    if kind.stores_oil:
        pytest.skip("a cylinder or accumulator stores oil; its example checks what it takes")
    generator = np.random.default_rng(4)
    x, k = points(kind, generator, 80), commanded(kind, generator, 80)
    f, _ = evaluate(kind, x, k, np.full(80, 46.0))
    rows = [i for i, p in enumerate(kind.ports) if p.domain == "hydraulic"]
    np.testing.assert_allclose(f[0, rows].sum(axis=0), 0.0, atol=1e-9 * max(1, np.abs(f).max()))


@each_law
def test_passive_types_take_power_in(kind: type[ComponentType]) -> None:
    """No pressure from nothing: across × through summed over the ports is never negative."""
    if not kind.passive:
        pytest.skip("a source or a load")
    generator = np.random.default_rng(5)
    x, k = points(kind, generator, 200), commanded(kind, generator, 200)
    f, _ = evaluate(kind, x, k, np.full(200, 46.0))
    assert (x * f).sum(axis=1).min() > -1e-9
    for mode in kind.fault_modes:
        row = kind.parameter_names().index(mode.parameter)
        worst = k.copy()
        worst[0, row] = mode.value(float(k[0, row, 0]), 1.0)
        f, _ = evaluate(kind, x, worst, np.full(200, 46.0))
        assert (x * f).sum(axis=1).min() > -1e-9, mode.name


@each_law
def test_equal_pressures_move_nothing(kind: type[ComponentType]) -> None:
    if not kind.passive:
        pytest.skip("a source or a load")
    x = np.zeros((1, len(kind.ports), 1))
    f, _ = evaluate(kind, x, defaults(kind).reshape(1, -1, 1), np.array([46.0]))
    assert np.abs(f).max() < 0.02


@each_law
def test_a_batch_is_its_members(kind: type[ComponentType]) -> None:
    generator = np.random.default_rng(6)
    x, k = points(kind, generator, 30), commanded(kind, generator, 30)
    nu = generator.uniform(10, 200, 30)
    f, j = evaluate(kind, x, k, nu)
    for b in (0, 7, 29):
        one, slope = evaluate(kind, x[..., b : b + 1], k[..., b : b + 1], nu[b : b + 1])
        assert np.array_equal(one[..., 0], f[..., b])
        assert np.array_equal(slope[..., 0], j[..., b])


@each_type
def test_faults_start_healthy_and_stay_within_the_law(kind: type[ComponentType]) -> None:
    for mode in kind.fault_modes:
        healthy = float(defaults(kind)[kind.parameter_names().index(mode.parameter)])
        assert mode.value(healthy, 0.0) == healthy, "severity 0 is the healthy part"
        values = mode.value(healthy, np.linspace(0, 1, 8))
        steps = np.diff(values[:: 7 if mode.scale == "switch" else 1])
        assert (steps > 0).all() or (steps < 0).all(), "severity moves the parameter one way"
        assert mode.look, "how it is confirmed by eye"
        assert mode.base_rate > 0
        changed = defaults(kind, **{mode.parameter: float(values[-1])}).reshape(1, -1, 1)
        x = points(kind, np.random.default_rng(8), 40)
        k = np.repeat(changed[0][:, :, None], 40, axis=2).reshape(1, -1, 40)
        f, j = evaluate(kind, x, k, np.full(40, 46.0))
        assert np.isfinite(f).all()
        assert np.isfinite(j).all()


@each_type
def test_symbol_has_a_place_for_every_port(kind: type[ComponentType]) -> None:
    symbol = kind.symbol
    assert set(symbol.ports) == {*kind.port_names(), *kind.link_names()}
    for side, offset in symbol.ports.values():
        length = symbol.width if side in ("north", "south") else symbol.height
        assert 0 <= offset <= length
    assert symbol.strokes


@each_type
def test_documentation_says_what_it_is(kind: type[ComponentType]) -> None:
    assert len(kind.summary()) > 20
    assert kind.summary() != ComponentType.summary()
    for name in kind.Parameters.model_fields:
        assert kind.unit(name)
        assert kind.Parameters.model_fields[name].description


@pytest.mark.parametrize("kind", [t for t in TYPES if t.type_name in ("orifice", "line")])
def test_symmetric_types_mirror(kind: type[ComponentType]) -> None:
    x = np.array([[[12.0], [3.0]]])
    k = defaults(kind).reshape(1, -1, 1)
    forward, _ = evaluate(kind, x, k, np.array([46.0]))
    backward, _ = evaluate(kind, x[:, ::-1], k, np.array([46.0]))
    np.testing.assert_allclose(forward, -backward)


def test_check_valve_lets_oil_pass_one_way() -> None:
    kind = component_type("check_valve")
    k = defaults(kind).reshape(1, -1, 1)
    forward, _ = evaluate(kind, np.array([[[5.0], [0.0]]]), k, np.array([46.0]))
    backward, _ = evaluate(kind, np.array([[[0.0], [200.0]]]), k, np.array([46.0]))
    assert forward[0, 0, 0] > 60
    assert -0.05 < backward[0, 0, 0] < 0


def test_spool_mirrors_between_its_work_ports() -> None:
    kind = component_type("six_way_section")
    x = np.array([100.0, 90, 1, 60, 20, 0]).reshape(1, -1, 1)
    mirrored = x[:, [0, 1, 2, 4, 3, 5]]
    right, _ = evaluate(kind, x, defaults(kind, lever=1.0).reshape(1, -1, 1), np.array([46.0]))
    left, _ = evaluate(
        kind, mirrored, defaults(kind, lever=-1.0).reshape(1, -1, 1), np.array([46.0])
    )
    np.testing.assert_allclose(right[:, [0, 1, 2, 4, 3, 5]], left)


def test_two_types_of_one_name_are_refused() -> None:
    with pytest.raises(ValueError, match="declared twice"):
        type("Again", (ComponentType,), {"type_name": "orifice"})


def test_pump_starves_below_its_inlet_limit() -> None:
    kind = component_type("fixed_pump")
    k = defaults(kind).reshape(1, -1, 1)
    flows = [
        evaluate(kind, np.array([[[p], [10.0], [1500.0]]]), k, np.array([46.0]))[0][0, 0, 0]
        for p in (0.0, -0.3, -0.6, -0.9)
    ]
    assert flows[1] > 0.98 * flows[0]
    assert 0.4 * flows[0] < flows[2] < 0.6 * flows[0]
    assert flows[3] < 0.02 * flows[0]


def test_errors_carry_every_finding() -> None:
    error = UmwegError("two things")
    assert str(error) == "two things"
