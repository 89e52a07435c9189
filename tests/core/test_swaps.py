"""Like units changed with one another: the fault goes along, or it stays."""

import numpy as np
import pytest

from tests.core.machines import Nominal
from tests.core.test_plan import doctor_of
from umweg.core.errors import ObservationError
from umweg.core.faults.population import parse_fault
from umweg.core.observe.exhibits import Suspects
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.swaps import Swap, Unit, goes_along, likes, unit_label, units_of
from umweg.core.observe.observations import Observation
from umweg.library import circuit_ids, load_circuit

LIFT = "tail_lift"


def swap(one: str, two: str, went: str = "went_along") -> Swap:
    (a, ua), (b, ub) = one.split(":"), two.split(":")
    return Swap.model_validate(
        {
            "id": "s",
            "component": a,
            "unit": ua,
            "other_component": b,
            "other_unit": ub,
            "went": went,
        }
    )


def dead(function: str, move: str, how: str = "dead") -> Behaviour:
    return Behaviour.model_validate(
        {"id": f"{function}{move}", "function": function, "move": move, "how": how, "when": "warm"}
    )


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_what_fits_one_way_fits_the_other(circuit_id: str) -> None:
    circuit = load_circuit(circuit_id)
    for unit in units_of(circuit):
        assert unit not in likes(circuit, unit)
        assert all(unit in likes(circuit, other) for other in likes(circuit, unit))


def test_coils_of_one_voltage_and_resistance_are_alike_and_relays_of_one_type() -> None:
    block = load_circuit(LIFT)
    coil = Unit("lift_valve", "coil")
    assert {u.component for u in likes(block, coil)} == {"unload", "tilt_valve", "down_valve"}
    document = block.model_dump(mode="json")
    for part in document["components"]:
        if part["id"] == "tilt_valve":
            part["parameters"]["nominal_ohm"] = 9.0
    other = type(block).model_validate(document)
    assert {u.component for u in likes(other, coil)} == {"unload", "down_valve"}
    legs = load_circuit("platform_outriggers")
    assert likes(legs, Unit("relay_in", "relay")) == (Unit("relay_out", "relay"),)
    assert unit_label(legs, Unit("relay_in", "relay")) == "Relay, in"
    assert unit_label(block, coil) == "Coil of Lift valve S2"


def test_what_does_not_fit_is_refused_by_name() -> None:
    suspects = Suspects.of(load_circuit(LIFT))
    swap("lift_valve:coil", "tilt_valve:coil").check(suspects)
    with pytest.raises(ObservationError, match="does not fit"):
        swap("lift_valve:coil", "relay:relay").check(suspects)
    with pytest.raises(ObservationError, match="of this machine: "):
        swap("motor:coil", "tilt_valve:coil").check(suspects)


def test_it_is_one_topic_whichever_is_named_first() -> None:
    first = swap("lift_valve:coil", "tilt_valve:coil")
    assert first.topic() == swap("tilt_valve:coil", "lift_valve:coil", "stayed").topic()
    assert "the fault went along" in first.words(load_circuit(LIFT))


def test_an_open_coil_goes_along_a_loose_plug_and_a_stuck_spool_stay() -> None:
    doctor = doctor_of(LIFT)
    population = doctor.predictor.population
    along = goes_along(population, swap("lift_valve:coil", "tilt_valve:coil").units)
    keys = [population.hypotheses[h].key for h in population.hypothesis]

    def chance(key: str) -> float:
        return float(along[keys.index(key)])

    assert chance("lift_valve:coil_open") == chance("tilt_valve:coil_open") == 0.75
    assert chance("lift_valve:coil_shorted") == 0.9
    for key in ("lift_valve:coil_loose", "down_valve:coil_open", "pump:worn", "healthy"):
        assert chance(key) == pytest.approx(0.03)


def test_the_answer_weighs_for_the_coil_or_against_it() -> None:
    doctor = doctor_of(LIFT)
    told: list[Observation] = [
        dead("lift", "raise"),
        dead("lift", "lower"),
        dead("tilt", "raise", "as_usual"),
        dead("tilt", "lower", "as_usual"),
    ]

    def share(*more: Observation) -> float:
        ranking, _ = doctor.rank([*told, *more])
        keys = [h.key for h in ranking.population.hypotheses]
        return float(ranking.shares[keys.index("lift_valve:coil_open")])

    before = share()
    along = share(swap("lift_valve:coil", "tilt_valve:coil"))
    stayed = share(swap("lift_valve:coil", "tilt_valve:coil", "stayed"))
    assert before < 0.6
    assert along > 0.85
    assert stayed < 0.5 * before


def test_it_is_offered_for_a_coil_under_suspicion_with_its_minutes() -> None:
    doctor = doctor_of(LIFT)
    steps = doctor.diagnose([dead("lift", "raise"), dead("lift", "lower")]).steps
    offered = [s for s in steps if s.kind == "swap"]
    assert offered
    step = next(s for s in offered if s.point.startswith("lift_valve"))
    # Eight minutes to either valve, three for either coil.
    assert step.minutes == pytest.approx(22.0)
    assert step.bits > 0.0


def test_a_simulated_machine_answers_by_its_fault() -> None:
    solver = Nominal(LIFT).solver
    asked = swap("lift_valve:coil", "tilt_valve:coil")

    def along(fault: str) -> float:
        machine = HiddenMachine(
            solver.network.circuit,
            [parse_fault(solver.network, fault)],
            np.random.default_rng(3),
            solver,
        )
        return float(np.mean([asked.witnessed(machine).went == "went_along" for _ in range(200)]))

    assert along("tilt_valve:coil_shorted=0.8") > 0.8
    assert along("pump:worn=0.8") < 0.1
