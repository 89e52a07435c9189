"""Shaft speeds, the earth of an electric pack, a wrong spring, and what parts a pair of cylinders."""

from typing import get_args

import numpy as np
import pytest

from tests.core.machines import Nominal
from umweg.core.circuit.document import Circuit, Kind
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.may import may
from umweg.core.diagnose.plan import Planner
from umweg.core.diagnose.ranking import rank
from umweg.core.faults.population import parse_fault
from umweg.core.network.check import circuit_problems
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.quantities import Quantity, at_point, quantities_of
from umweg.core.observe.quantity_kinds import KINDS
from umweg.core.observe.weights import noise_sd
from umweg.library import load_circuit, load_jobs

TACHO = Instrument(
    id="tacho", label="Tachometer", measures="speed", high=6000, unit="rpm", accuracy_pct=0.1
)


def with_point(circuit: Circuit, **changes: object) -> Circuit:
    """The circuit with its last test point changed."""
    document = circuit.model_dump(mode="json")
    document["test_points"][-1].update(changes)
    return Circuit.model_validate(document)


def test_every_kind_of_quantity_is_declared() -> None:
    assert set(KINDS) == set(get_args(Kind))


# Shafts.


def test_a_slipping_clutch_shows_at_the_shaft_not_at_the_engine() -> None:
    """18 kW at 1,500 rpm are 115 Nm; a clutch that carries less lets the shaft fall behind."""
    state = "pump_loaded"
    healthy = Nominal("packer_truck").read("shaft_rpm", "shaft_speed", state)
    slips = Nominal("packer_truck", "pto:slips=1.0").read("shaft_rpm", "shaft_speed", state)
    worn = Nominal("packer_truck", "pump:worn=1.0").read("shaft_rpm", "shaft_speed", state)
    assert healthy > 1000
    assert slips < 0.8 * healthy
    assert worn == pytest.approx(healthy, rel=0.02)


def test_a_shaft_that_turns_backward_shows_how_fast() -> None:
    out = Nominal("platform_outriggers").read("shaft_rpm", "shaft_speed", "out_free")
    back = Nominal("platform_outriggers").read("shaft_rpm", "shaft_speed", "in_free")
    assert out > 500
    assert back > 500


def test_a_tachometer_counts_finer_than_a_gauge_but_the_engine_is_not_that_steady() -> None:
    quantity = Quantity("shaft_rpm", "shaft_speed")
    with_tacho = noise_sd(quantity, 1500.0, TACHO)
    assert with_tacho == pytest.approx(np.hypot(0.015 * 1500 + 15.0, 0.001 / 2 * 6000))


def test_without_a_tachometer_a_shaft_speed_is_refused_by_name() -> None:
    circuit = load_circuit("turf_lift")
    doctor = Diagnostician.of(circuit, [])
    steps = doctor.diagnose([]).steps
    refused = [s.refused for s in steps if s.quantity == "shaft_rpm"]
    assert all("tachometer" in words for words in refused)


def test_a_shaft_step_says_what_turns() -> None:
    doctor = Diagnostician.of(load_circuit("turf_lift"), [TACHO])
    planner_steps = doctor.diagnose([]).steps
    shafts = [s for s in planner_steps if s.quantity == "shaft_rpm"]
    assert shafts
    assert all(any("shaft that turns" in c for c in s.cautions) for s in shafts)
    assert all(s.instrument == TACHO for s in shafts)


def test_may_i_answers_at_a_shaft() -> None:
    doctor = Diagnostician.of(load_circuit("turf_lift"), [TACHO])
    planner = Planner(doctor.predictor, rank(doctor.exhibits, [], []), [TACHO], doctor.money)
    state = next(iter(doctor.circuit.steady.values()))
    answer = may(planner, state, "shaft_speed")
    assert answer.shows is not None
    assert answer.shows.quantity == Quantity("shaft_rpm", "shaft_speed")


@pytest.mark.parametrize(
    ("circuit", "net", "methods", "domain"),
    [
        ("packer_truck", "pump_out", ["tachometer"], "hydraulic"),
        ("packer_truck", "pump_shaft", ["tee_gauge"], "rotation"),
        ("tail_lift", "pack_earth", ["tee_gauge"], "electrical"),
        ("tail_lift", "pump_out", ["voltmeter"], "hydraulic"),
    ],
)
def test_a_method_must_fit_what_is_there(
    circuit: str, net: str, methods: list[str], domain: str
) -> None:
    wrong = with_point(load_circuit(circuit), net=net, methods=methods, port=None)
    problems = [p for p in circuit_problems(wrong) if p.code == "wrong_method"]
    assert [domain in p.message and methods[0] in p.message for p in problems] == [True]


def test_every_shaft_behind_a_coupling_or_a_motor_can_be_read() -> None:
    """What people look for: is it the pump, or is it what turns it."""
    for job in load_jobs():
        circuit = load_circuit(job.circuit)
        read = {p.net for p in circuit.test_points if "tachometer" in p.methods}
        turned = {
            part.connections["driven"]
            for part in circuit.components
            if part.type == "drive_coupling"
        } | {part.connections["shaft"] for part in circuit.components if part.type == "dc_motor"}
        assert turned <= read, circuit.id
        shafts = {at_point(p) for p in circuit.test_points if "tachometer" in p.methods}
        assert shafts <= set(quantities_of(circuit))


# The earth of a pack.


def test_a_bad_earth_lifts_the_pack_and_starves_its_motor() -> None:
    """Half an ohm's worth of joint under a hundred amperes: volts stand on the pack's housing."""
    good = Nominal("tail_lift")
    bad = Nominal("tail_lift", "earth:corroded=0.5")
    state = "lift_loaded"
    assert good.read("voltage_v", "earth_plug", state) < 0.3
    lifted = bad.read("voltage_v", "earth_plug", state)
    assert lifted > 1.0
    assert bad.read("shaft_rpm", "shaft_speed", state) < 0.9 * good.read(
        "shaft_rpm", "shaft_speed", state
    )
    # The feed looks right, even better than before, against the battery's own minus.
    assert bad.read("voltage_v", "motor_terminal", state) >= good.read(
        "voltage_v", "motor_terminal", state
    )


def test_brushes_and_earth_are_told_apart_at_the_earth() -> None:
    worn = Nominal("tail_lift", "motor:brushes_worn=0.6")
    bad = Nominal("tail_lift", "earth:corroded=0.5")
    state = "lift_loaded"
    assert worn.read("voltage_v", "earth_plug", state) < 0.3
    assert bad.read("voltage_v", "earth_plug", state) > 1.0


# A wrong spring, and twin cylinders.


def test_a_wrong_spring_opens_early_and_is_a_matter_of_what_was_fitted() -> None:
    network = Nominal("packer_truck").network
    fault, severity = parse_fault(network, "main_relief:wrong_spring=1.0")
    assert fault.mode.work == "wrong_part"
    assert fault.mode.value(fault.healthy, severity) == pytest.approx(0.35 * fault.healthy)


def test_a_torn_seal_shows_with_the_left_cylinder_capped_off() -> None:
    """Right torn: pressure is lost and the ring side fills. Left torn: nothing, it is shut off."""
    state = "blade_left_isolated"
    sound = Nominal("packer_truck")
    left = Nominal("packer_truck", "blade_left:piston_bypass=1.0")
    right = Nominal("packer_truck", "blade_right:piston_bypass=1.0")
    for point, least in (("blade_port_a", 10.0), ("blade_port_b", 4.0)):
        assert left.bar(point, state) == pytest.approx(sound.bar(point, state), abs=0.1)
        assert abs(right.bar(point, state) - sound.bar(point, state)) > least


def test_a_filters_drop_is_looked_at_not_read() -> None:
    """It has a number, and no reading takes it: an indicator does."""
    assert "filter_drop_bar" in KINDS
    with pytest.raises(ValueError, match="quantity"):
        Reading.model_validate(
            {"id": "r", "point": "filter", "quantity": "filter_drop_bar", "state": "rated",
             "value": 1.0, "unit": "bar"}
        )  # fmt: skip
