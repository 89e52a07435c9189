"""Flow at several pressures as one step: which pressures, what each shows, what they tell together."""

import json
from functools import cache

import pytest
from typer.testing import CliRunner

from umweg.cli import app
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.flow_curve import flow_curve, loaded, loads_of, meter_of
from umweg.core.diagnose.plan import Planner
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.readings import Reading, blank
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantities import Quantity
from umweg.library import load_circuit, load_jobs

KIT = load_jobs()[0].instruments
FLOW = Quantity("flow_lpm", "pump_outlet")
SLOW: list[Observation] = [
    Behaviour.model_validate(
        {"id": "b", "kind": "behaviour", "function": "blade", "move": "extend", "how": "slow"}
    )
]


@cache
def planner_of() -> Planner:
    doctor = Diagnostician.of(load_circuit("packer_truck"), KIT)
    ranking, predictor = doctor.rank(SLOW)
    return Planner(predictor, ranking, doctor.instruments, doctor.money)


def flow(state: str) -> Reading:
    return blank(FLOW, state)


def test_it_is_loaded_to_thirds_of_what_its_meter_is_loaded_to_elsewhere() -> None:
    circuit = load_circuit("packer_truck")
    assert loads_of(circuit, flow("pump_loaded")) == (50.0, 100.0, 150.0)
    assert loads_of(circuit, flow("pump_open"))[-1] == 150.0
    assert meter_of(circuit, blank(Quantity("pressure_bar", "pump_outlet"), "pump_loaded")) is None


def test_what_is_a_named_state_is_called_by_its_name() -> None:
    circuit = load_circuit("packer_truck")
    assert loaded(circuit, flow("pump_loaded"), 150.0).state == "pump_loaded"
    turned = loaded(circuit, flow("pump_loaded"), 80.0).state
    assert not isinstance(turned, str)
    assert turned.label.endswith("meter loaded to 80 bar")
    assert [i.load_bar for i in turned.interventions] == [80.0]
    with pytest.raises(ValueError, match="no meter"):
        loaded(circuit, blank(Quantity("pressure_bar", "pump_outlet"), "neutral_rated"), 80.0)


def test_a_meter_that_no_named_state_has_is_loaded_below_what_its_parts_bear() -> None:
    """Put together on the spot: four fifths of the pump's 250 bar at its outlet, by thirds."""
    document = load_circuit("packer_truck")
    states = {n: s for n, s in document.states.items() if not s.interventions}
    circuit = document.model_copy(update={"states": states})
    named = document.states["pump_open"].model_copy(update={"label": "On the spot"})
    own = [i.model_copy(update={"load_bar": 0.0}) for i in named.interventions]
    state = named.model_copy(update={"interventions": own})
    assert loads_of(circuit, flow("x").model_copy(update={"state": state})) == (
        0.0,
        65.0,
        135.0,
        200.0,
    )


def test_a_sound_pump_loses_its_leakage_with_pressure() -> None:
    """``q = V·n − G·p``: between two pressures the flow falls by G times their difference."""
    planner = planner_of()
    found = flow_curve(planner, flow("pump_loaded"), SLOW)
    assert found is not None
    assert found.loads_bar == (50.0, 100.0, 150.0)
    pump = planner.circuit.component("pump").parameters
    middle = [0.5 * (s.healthy.low + s.healthy.high) for s in found.steps if s.healthy]
    lost = pump["leakage_lpm_per_bar"] * 100.0
    # The prime mover holds its speed; warm oil leaks as stated at 46 mm²/s.
    assert middle[0] - middle[2] == pytest.approx(lost, rel=0.2)


def test_together_they_tell_more_than_one_and_no_more_than_all() -> None:
    planner = planner_of()
    found = flow_curve(planner, flow("pump_loaded"), SLOW)
    assert found is not None
    single = [s.bits for s in found.steps]
    assert max(single) - 0.05 < found.bits < sum(single)
    assert found.minutes == pytest.approx(max(s.minutes for s in found.steps) + 2.0)


def test_of_the_same_pressure_twice_it_tells_what_one_does() -> None:
    """Drawn machines against the sum over all outcomes: two readings that hardly differ."""
    planner = planner_of()
    found = flow_curve(planner, flow("pump_loaded"), SLOW, (149.0, 150.0))
    assert found is not None
    (single,) = [s.bits for s in found.steps if s.state == "pump_loaded"]
    assert found.bits == pytest.approx(single, abs=0.12)


def test_a_pressure_that_could_do_harm_is_not_offered() -> None:
    """600 bar at the meter: the hose before it is rated 280."""
    assert flow_curve(planner_of(), flow("pump_loaded"), SLOW, (150.0, 600.0)) is None


def test_it_is_a_command() -> None:
    asked = ["flow", "packer_truck", "--state", "pump_loaded", "--point", "pump_outlet", "--json"]
    told = CliRunner().invoke(app, [*asked, "--load", "60", "--load", "120"])
    assert told.exit_code == 0, told.output
    view = json.loads(told.output)
    assert view["loads_bar"] == [60.0, 120.0]
    assert view["steps"][0]["healthy"]["low"] > view["steps"][1]["healthy"]["low"]
    wrong = CliRunner().invoke(app, ["flow", "packer_truck", "--state", "neutral_rated",
                                     "--point", "pump_outlet"])  # fmt: skip
    assert wrong.exit_code != 0
