"""Whether a pressure falls by itself; where a rod ends; what a cooler takes; against closed forms."""

import numpy as np
import pytest

from tests.core.machines import Nominal, solver_of
from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components import component_type
from umweg.core.diagnose.falling import DUMPED_S, Falling, below_after_s
from umweg.core.diagnose.make_safe import make_safe
from umweg.core.diagnose.rest import AtRest
from umweg.core.faults.population import healthy_only
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S
from umweg.core.network.network import Network
from umweg.core.observe.predict import Predictor
from umweg.core.observe.timed import TimedReader
from umweg.core.solve.power import cooling_kw_per_k, power_balance
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.library import circuit_ids, load_circuit


def predictor_of(circuit: Circuit) -> Predictor:
    return Predictor(circuit, healthy_only(), SteadySolver(Network(circuit)))


def at_rest(predictor: Predictor) -> MachineState:
    return AtRest(predictor).state("at rest")


@pytest.mark.parametrize(
    ("bar", "wanted"),
    [
        ([9.0, 6.0, 3.0, 1.0], 2.0),
        ([3.0, 1.0, 1.0, 1.0], 0.0),
        ([9.0, 9.0, 9.0, 9.0], None),
        ([9.0, 1.0, 9.0, 1.0], 3.0),
    ],
)
def test_a_pressure_is_gone_when_it_stays_below(bar: list[float], wanted: float | None) -> None:
    """Dipping below for a moment is not gone."""
    assert below_after_s(np.arange(4.0), np.array(bar), 5.0) == wanted


def test_a_store_falls_as_its_leak_lets_it() -> None:
    """Isothermal gas through a laminar leak: V·p₀·(1/p₂ − 1/p₁) drawn in two minutes."""
    predictor = predictor_of(load_circuit("hauler_fan"))
    rest = at_rest(predictor)
    found = Falling(predictor, rest).opened(rest)
    assert found is not None
    time_s, bar = found
    store = bar[predictor.network.net_index["brake_store"]]
    assert time_s[-1] == pytest.approx(DUMPED_S)
    assert np.all(np.diff(store) <= 1e-9), "nothing fills it"
    gas_l, precharge = 2.0, 81.013
    # A bar of it is one litre of gas at so many bar absolute, twice.
    given_l = gas_l * precharge * (1 / (store[-1] + 1.013) - 1 / (store[0] + 1.013))
    middle = 0.5 * (store[0] + store[-1])
    circuit = predictor.circuit
    valve = component_type("charging_valve").Parameters()
    leaks = dict(valve.model_dump() | circuit.component("charging").parameters)
    brake = circuit.component("brake_valve").parameters["leak_lpm_per_bar"]
    thin = REFERENCE_VISCOSITY_MM2_S / predictor.network.state(rest).viscosity_mm2_s
    per_bar = leaks["leak_lpm_per_bar"] + 0.1 * brake * thin
    assert given_l == pytest.approx(per_bar * middle * DUMPED_S / 60, rel=0.05)


def test_a_dump_valve_empties_as_an_orifice_does() -> None:
    """6 L of gas at 110 bar behind K = 3: ∫ dV/(K·√p), with V = V₀·p₀·(1/p − 1/p₁)."""
    predictor = predictor_of(load_circuit("sludge_feeder"))
    rest = AtRest(predictor)
    opened = rest.state("open", settings={"dump.open": 1.0})
    found = Falling(predictor, rest.state("at rest")).opened(opened)
    assert found is not None
    time_s, bar = found
    store = bar[predictor.network.net_index["store"]]
    grid = np.linspace(195.0, 120.0, 400)
    volume = 6.0 * 111.013 * (1 / (grid + 1.013) - 1 / (195.0 + 1.013))
    speed = 3.0 * np.sqrt(grid) / 60.0
    seconds = float(np.sum(np.diff(volume) / (0.5 * (speed[1:] + speed[:-1]))))
    reached = below_after_s(time_s, store, 120.0)
    assert reached is not None
    # It opens over half a second, and the samples stand half a second apart.
    assert reached == pytest.approx(seconds, abs=0.8)


@pytest.mark.parametrize("name", circuit_ids())
def test_what_is_said_of_a_line_left_alone_is_what_it_does(name: str) -> None:
    """Left alone as it rests it keeps no more than is said of it after whatever it did before."""
    predictor = predictor_of(load_circuit(name))
    plan = make_safe(predictor)
    rest = at_rest(predictor)
    found = Falling(predictor, rest).opened(rest)
    for line in plan.lines:
        if line.healthy_bar <= 5.0:
            assert line.falls == ""
            continue
        if "still" in line.falls:
            said = float(line.falls.split("still ")[1].split(" bar")[0])
            # It is told in whole bars.
            assert said >= 5.0
            assert said <= line.healthy_bar + 0.5
            row = predictor.network.net_index[line.net]
            pressed = AtRest(predictor).table.healthy[row]
            assert found is None or said >= min(found[1][row, -1], pressed) - 0.6
        else:
            assert "falls by itself" in line.falls


def test_a_rod_ends_where_its_part_says() -> None:
    """Shoes stop at the drum after their clearance, whatever stroke the function has."""
    circuit = load_circuit("utility_cart")
    assert circuit.function("left").stroke_mm > 0.8
    cart = Nominal("utility_cart")
    network = cart.network
    reader = TimedReader(circuit, cart.solver)
    timing = circuit.timing("left_moves")
    slot = network.slot["left_shoes.clearance_mm"]
    ways = (0.3, 0.8, 2.0, 3.5)
    cases = Cases(
        np.zeros(len(ways), dtype=np.intp),
        np.full((len(ways), 1), slot, dtype=np.intp),
        np.array(ways).reshape(-1, 1),
    )
    moved, fine = reader.values(timing, cases)
    assert fine.all()
    assert np.sinh(moved) == pytest.approx(ways, rel=0.02)


def test_a_cooler_cools_by_the_oil_that_goes_through_its_core() -> None:
    kind = component_type("cooler")
    k = {n: np.array([v]) for n, v in kind.Parameters().model_dump().items()}
    nu = np.array([REFERENCE_VISCOSITY_MM2_S])

    def share(bar: float) -> float:
        across = {"inlet": np.array([bar]), "outlet": np.zeros(1)}
        return float(kind.cooling(k, across, nu)[0] / k["air_kw_per_k"][0])

    assert share(2.0) == pytest.approx(1.0), "bypass shut"
    core, past = 90 * 5.0, 45 * np.sqrt(5.0 - 4.0)
    assert share(5.0) == pytest.approx(core / (core + past))
    open_bypass = {**k, "bypass_bar": np.array([0.02 * 4.0])}
    across = {"inlet": np.array([0.5]), "outlet": np.zeros(1)}
    through = 45.0 / (45.0 + 45 * np.sqrt(0.5 - 0.08))
    assert kind.cooling(open_bypass, across, nu)[0] == pytest.approx(0.35 * through)


@pytest.mark.parametrize("name", ["packer_truck", "groomer_drive", "sludge_feeder"])
def test_many_machines_are_balanced_as_one_is(name: str) -> None:
    """A batch of three gives what three batches of one do, faults and all."""
    solver = solver_of(name)
    network = solver.network
    state = network.state(next(iter(network.circuit.steady.values())))
    unknown = network.slot[f"{network.circuit.components[0].id}.pickup_k"]
    values = np.array([[300.0], [500.0], [900.0]])
    cases = Cases(np.zeros(3, dtype=np.intp), np.full((3, 1), unknown, dtype=np.intp), values)
    across = solver.solve([state], cases).across
    parameters = solver.parameters_of([state], cases)
    together = power_balance(network, state, across, parameters)
    cooled = cooling_kw_per_k(network, state, across, parameters)
    for b in range(3):
        alone = power_balance(network, state, across[:, [b]], parameters[:, [b]])
        assert alone.heat_kw[0] == pytest.approx(together.heat_kw[b])
        taken = alone.load_kw + alone.stored_kw + alone.heat_kw
        assert alone.driven_kw[0] == pytest.approx(taken[0], abs=2e-3)
        own = cooling_kw_per_k(network, state, across[:, [b]], parameters[:, [b]])
        assert own[0] == pytest.approx(cooled[b])
