"""Mending: prices, what else it could be, and a setting that is played to its value."""

import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.mend import Mend, mend
from umweg.core.errors import CircuitError, FormatError
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.machine import Machine
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantities import Quantity
from umweg.library import load_circuit, load_jobs

KIT = load_jobs()[0].instruments
LABOUR = 1.5


@pytest.fixture(scope="module")
def packer() -> Diagnostician:
    return Diagnostician.of(load_circuit("packer_truck"), KIT, LABOUR)


def stalled(value: float) -> Reading:
    return Reading(
        id="r1",
        point="block_gauge",
        quantity="pressure_bar",
        state="tailgate_raise_stalled",
        value=value,
        unit="bar",
    )


def relief(doctor: Diagnostician, *seen: Observation) -> Mend:
    return mend(doctor, seen, "main_relief")


def test_each_kind_of_work_has_its_price_and_what_it_cures(packer: Diagnostician) -> None:
    found = relief(packer)
    service = packer.circuit.component("main_relief").service
    by_work = {o.work: o for o in found.options}
    exchange = by_work["exchange"]
    assert exchange.part_cost == service.part_cost
    assert exchange.labour_min == service.access_min + service.replace_min
    assert exchange.cost == service.part_cost + exchange.labour_min * LABOUR
    assert {c for o in found.options for c in o.cures} == set(exchange.cures)
    others = [o.share for o in found.options if o.work != "exchange"]
    assert exchange.share == pytest.approx(sum(others))
    assert by_work["set"].cost < exchange.cost
    worth = [o.share / o.cost for o in found.options]
    assert worth == sorted(worth, reverse=True)


def test_only_the_fault_that_is_asked_for(packer: Diagnostician) -> None:
    found = mend(packer, (), "main_relief", "seat_leaks")
    assert len(found.look_for) == 1
    assert {o.work for o in found.options} == {"clean", "exchange"}
    with pytest.raises(FormatError, match="has no fault “bent”; it has set_low"):
        mend(packer, (), "main_relief", "bent")
    with pytest.raises(CircuitError, match="no component “nowhere”"):
        mend(packer, (), "nowhere")


def test_who_it_is_if_not_this_part_does_not_name_this_part(packer: Diagnostician) -> None:
    found = relief(packer, stalled(150.0))
    assert found.if_not
    assert not any(words.startswith("Main relief") for words in found.if_not)
    located = {c.location for c in packer.circuit.components if c.id in
               {b.component for b in found.beside}}  # fmt: skip
    assert located <= {packer.circuit.component("main_relief").location}


def test_a_relief_is_screwed_up_by_what_it_is_low(packer: Diagnostician) -> None:
    """It opens in proportion to its spring: so many bar more on the gauge are so many of the screw."""
    setting = relief(packer, stalled(150.0)).setting
    assert setting is not None
    assert (setting.point, setting.state) == ("block_gauge", "tailgate_raise_stalled")
    assert setting.as_found == 150.0
    assert setting.low is not None
    assert setting.high is not None
    assert setting.target == pytest.approx(0.5 * (setting.low + setting.high))
    assert setting.turns == pytest.approx((setting.target - 150.0) / 30.0, rel=0.05)
    shown = [w.reading for w in setting.on_the_way]
    assert shown == sorted(shown)
    assert shown[0] == pytest.approx(150.0, abs=0.1)
    assert shown[-1] == pytest.approx(setting.target, abs=0.1)
    assert setting.within_limit
    assert setting.never_above is not None
    assert setting.never_above > setting.target


def test_the_setting_is_played_on_the_machine(packer: Diagnostician) -> None:
    setting = relief(packer, stalled(150.0)).setting
    assert setting is not None
    solver = packer.predictor.solver
    slot = solver.network.slot["main_relief.set_bar"]
    state = packer.circuit.states[setting.state]
    quantity = Quantity("pressure_bar", setting.point)

    def gauge(set_bar: float) -> float:
        return Machine(packer.circuit, solver, {slot: set_bar}).value(quantity, state)

    low, high = 100.0, 185.0
    while high - low > 1e-6:
        low, high = (
            (0.5 * (low + high), high)
            if gauge(0.5 * (low + high)) < 150.0
            else (low, 0.5 * (low + high))
        )
    assert setting.turns is not None
    assert gauge(low + 30.0 * setting.turns) == pytest.approx(setting.target, abs=0.1)
    assert gauge(185.0) == pytest.approx(setting.never_above)


def test_what_meets_its_specification_is_left_alone(packer: Diagnostician) -> None:
    setting = mend(packer, [stalled(186.0)], "main_relief", "set_low").setting
    assert setting is not None
    assert setting.target == 186.0
    assert setting.turns == pytest.approx(0.0, abs=1e-3)
    assert setting.on_the_way == [], "nothing is turned, and no step of nothing is told"


def test_a_spring_that_needs_more_than_the_limit_is_weak() -> None:
    circuit = load_circuit("packer_truck").model_copy(deep=True)
    adjuster = circuit.component("main_relief").service.adjuster
    assert adjuster is not None
    tight = adjuster.model_copy(update={"limit": 160.0})
    service = circuit.component("main_relief").service.model_copy(update={"adjuster": tight})
    parts = [
        c.model_copy(update={"service": service}) if c.id == "main_relief" else c
        for c in circuit.components
    ]
    weak = Diagnostician.of(circuit.model_copy(update={"components": parts}), KIT, LABOUR)
    setting = relief(weak, stalled(150.0)).setting
    assert setting is not None
    assert not setting.within_limit
    assert setting.never_above is not None
    assert setting.never_above < setting.target
    assert max(w.reading for w in setting.on_the_way) <= setting.never_above + 1e-6


def test_a_seat_that_leaks_is_not_screwed_up(packer: Diagnostician) -> None:
    setting = mend(packer, [stalled(150.0)], "main_relief", "seat_leaks").setting
    assert setting is not None
    assert setting.as_found is None
    assert setting.turns == pytest.approx(0.0, abs=1e-3)


def test_the_weakest_part_is_the_one_nearest_to_its_rating(packer: Diagnostician) -> None:
    setting = relief(packer, stalled(150.0)).setting
    assert setting is not None
    assert "of 250 bar" in setting.weakest
    crane = Diagnostician.of(load_circuit("forwarder_crane"), KIT, LABOUR)
    pump = mend(crane, (), "pump").setting
    assert pump is not None
    assert (pump.point, pump.state) == ("pump_port", "standby")
    assert "of 320 bar" in pump.weakest


def test_shims_are_counted_whole() -> None:
    clutches = Diagnostician.of(load_circuit("mulcher_clutches"), KIT, LABOUR)
    spec = next(s for s in clutches.circuit.specifications if s.point == "travel_port")
    low = Reading(
        id="r1", point=spec.point, quantity="pressure_bar", state=spec.state, value=15.0, unit="bar"
    )
    setting = mend(clutches, [low], "regulator").setting
    assert setting is not None
    assert setting.turns is None
    assert setting.shims is not None
    assert setting.on_the_way[-1].reading == pytest.approx(setting.target, abs=0.7 / 2 + 0.1)
    assert [w.shims for w in setting.on_the_way][-1] == setting.shims
    assert all(w.turns is None for w in setting.on_the_way)


def test_no_shim_is_put_in_where_none_is_missing() -> None:
    clutches = Diagnostician.of(load_circuit("mulcher_clutches"), KIT, LABOUR)
    setting = mend(clutches, (), "regulator").setting
    assert setting is not None
    assert setting.shims == 0
    assert setting.on_the_way == []


def test_a_screw_that_the_circuit_does_not_describe_is_not_named() -> None:
    """The pump's card sets its margin; what is low here is its highest pressure."""
    crane = Diagnostician.of(load_circuit("forwarder_crane"), KIT, LABOUR)
    found = mend(crane, (), "pump", "set_low")
    assert found.setting is None
    assert "margin_bar" in found.why_no_setting
    assert "set_bar" in found.why_no_setting
    assert mend(crane, (), "pump", "margin_low").setting is not None


def test_what_cannot_be_set_on_the_machine_says_why(packer: Diagnostician) -> None:
    cylinder = mend(packer, (), "blade_left")
    assert cylinder.setting is None
    assert cylinder.why_no_setting.endswith("has nothing to set")
    port = mend(packer, (), "blade_relief_a")
    assert port.setting is None
    assert "set_bar of 195 is set as its maker says" in port.why_no_setting


def test_what_is_under_pressure_is_said_before_it_is_opened() -> None:
    turf = Diagnostician.of(load_circuit("turf_lift"), KIT, LABOUR)
    (words,) = mend(turf, (), "cylinder").cautions
    assert "keeps 74 bar here with the engine off" in words
