"""The way to zero: what holds, who must be lowered running, what stays; against plain physics."""

import json
import math
from functools import cache

import pytest

from umweg.core.circuit.document import Circuit, read_circuit
from umweg.core.diagnose.make_safe import make_safe
from umweg.core.diagnose.safe_plan import SafePlan
from umweg.core.observe.predict import Predictor
from umweg.library import circuit_ids, load_circuit
from umweg.validation.machines import bench_circuit, part


def predictor_of(circuit: Circuit) -> Predictor:
    # What is played of a library machine is played once for all tests of it.
    return Predictor.of(circuit)


NOTHING_LETS_GO = ("chipper_lubrication", "crusher_lubrication", "sprayer_boom")
"""Grease behind a divider has no way back, or takes longer than anybody waits; nor has oil that a
pilot-operated check locks in behind a wing that was folded last."""


@cache
def plan_of(circuit_id: str) -> SafePlan:
    return make_safe(predictor_of(load_circuit(circuit_id)))


def kinds(plan: SafePlan) -> list[str]:
    return [s.kind for s in plan.steps]


def without_moves(circuit: Circuit, function: str, *moves: str) -> Circuit:
    document = circuit.model_dump(mode="json")
    for f in document["functions"]:
        if f["id"] == function:
            f["moves"] = {k: v for k, v in f["moves"].items() if k not in moves}
    document["states"] = {
        k: s for k, s in document["states"].items() if s["moves"].get(function) not in moves
    }
    document["specifications"] = [
        s for s in document["specifications"] if s["state"] in document["states"]
    ]
    return Circuit.model_validate(document)


def test_a_held_load_presses_with_force_over_area() -> None:
    circuit = load_circuit("turf_lift")
    cylinder = circuit.component("cylinder").parameters
    area_cm2 = math.pi / 4.0 * cylinder["bore_mm"] ** 2 / 100.0
    load_n = circuit.function("lift").loads["held"]["force_n"]
    line = plan_of("turf_lift").lines[0]
    # What friction carries is not in the line.
    assert line.healthy_bar == pytest.approx(load_n / area_cm2 / 10.0, rel=0.03)
    assert line.because == ["Rear lift: its load"]
    assert line.held_by


def test_what_needs_pilot_oil_is_lowered_while_the_engine_runs() -> None:
    """The boom's lift is moved by its lever, the telescope by a piloted spool behind a locking check."""
    plan = plan_of("suction_boom")
    lower = {s.function: s for s in plan.steps if s.kind == "lower"}
    order = kinds(plan)
    assert "while the engine still runs" in lower["telescope"].words
    assert "no pilot oil" in lower["telescope"].words
    assert "also comes down with the engine off" in lower["lift"].words
    assert order.index("lower") < order.index("stop") < order.index("levers") < order.index("read")
    assert plan.steps[1].function == "telescope"
    levers = {(v.function, v.move): v for v in plan.levers}
    assert levers["lift", "lower"].works_off
    assert not levers["lift", "raise"].works_off
    assert levers["lift", "lower"].lowers


def test_a_store_is_emptied_through_what_it_feeds_and_read() -> None:
    plan = plan_of("hauler_fan")
    (empty,) = [s for s in plan.steps if s.kind == "empty"]
    assert "service brake" in empty.words
    assert "read, never assumed" in empty.words
    assert empty.before_bar == pytest.approx(155, abs=3)
    assert empty.after_bar is not None
    assert abs(empty.after_bar) < 1.0


def test_a_load_that_cannot_be_lowered_is_said_and_is_not_safe() -> None:
    circuit = without_moves(load_circuit("turf_lift"), "lift", "lower")
    plan = make_safe(predictor_of(circuit))
    assert not plan.safe
    assert any("prop it mechanically" in s.words for s in plan.steps)
    stuck = [r for r in plan.remains if not r.faults]
    assert max(r.bar for r in stuck) > 60


def test_a_fault_that_keeps_the_load_up_is_named() -> None:
    plan = plan_of("suction_boom")
    port = next(r for r in plan.remains if r.label == "Boom lift port A")
    assert "lift_valve:linkage_off" in port.faults
    # The load alone presses with 95 bar; closed in after it was pressed up, there is more.
    assert 95 - 3 < port.bar < 140
    release = next(r for r in plan.releases if r.label == "Boom lift port A")
    assert 95 - 3 < release.before_bar < 130
    assert release.after_bar < 1.0
    assert release.worst_bar == pytest.approx(port.bar)


def test_only_the_faults_asked_for_count() -> None:
    predictor = predictor_of(load_circuit("turf_lift"))
    assert make_safe(predictor, []).remains == []
    some = make_safe(predictor, ["lowering:blocked", "pump:worn"]).remains
    assert {key for r in some for key in r.faults} == {"lowering:blocked"}


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_every_library_machine_comes_to_zero_and_is_read(circuit_id: str) -> None:
    circuit, plan = load_circuit(circuit_id), plan_of(circuit_id)
    # What nothing on the machine lets go is said at the step that reads it, never called safe.
    stays = {r.net for r in plan.remains if not r.faults}
    assert plan.safe == (not stays)
    assert bool(stays) == (circuit_id in NOTHING_LETS_GO), stays
    points = {p.id: p.net for p in circuit.test_points}
    for step in plan.steps:
        if step.kind == "read" and step.point is not None and points[step.point] in stays:
            assert "follow the maker's procedure" in step.words
    assert plan.steps[0].kind == "clear"
    assert len({s.key for s in plan.steps}) == len(plan.steps)
    live = {p for line in plan.lines for p in line.points}
    assert {s.point for s in plan.steps if s.kind == "read"} == live
    assert {r.point for r in plan.releases} == {p.id for p in circuit.test_points if p.hydraulic}
    stop = kinds(plan).index("stop")
    for number, step in enumerate(plan.steps):
        if step.kind == "lower" and "still runs" in step.words:
            assert number < stop
        if step.after_bar is not None and points.get(step.point or "") not in stays:
            assert step.after_bar <= 5.0
    for lever in plan.levers:
        assert lever.why_not or lever.works_off or not lever.works_running


def test_circuit_with_nothing_up_has_nothing_under_pressure() -> None:
    plan = plan_of("mulcher_clutches")
    assert [line for line in plan.lines if line.healthy_bar > 5] == []
    assert "lower" not in kinds(plan)


def test_a_line_that_no_test_point_sees_is_not_called_safe() -> None:
    """The crane's load stands between holding valve and cylinder, where nothing can be screwed in."""
    blind = [s for s in plan_of("forwarder_crane").steps if s.kind == "blind"]
    assert len([s for s in blind if "procedure says" in s.words]) == 2
    assert all("not known to be at zero" in s.words for s in blind)
    assert not [s for s in plan_of("tail_lift").steps if s.kind == "blind"]


def test_each_step_says_exactly_what_where_and_how_it_is_known() -> None:
    plan = plan_of("suction_boom")
    lower = next(s for s in plan.steps if s.function == "lift")
    assert (lower.move, lower.point) == ("lower", "lift_port")
    assert lower.before_bar is not None
    assert 95 - 3 < lower.before_bar < 130
    assert lower.after_bar is not None
    assert lower.after_bar < 1.0
    assert lower.state is not None
    assert lower.state.moves == {"lift": "lower"}
    levers = next(s for s in plan.steps if s.kind == "levers")
    assert levers.words.startswith("Key on, pilot armed; every lever both ways")
    read = {s.point: s for s in plan.steps if s.kind == "read"}
    assert read["lift_port"].words.endswith("Nothing is opened before it reads zero.")
    assert read["pump_port"].words.startswith("Read zero at Pump outlet.")
    assert "A fault may keep" in read["pump_port"].words
    (empty,) = [s for s in plan_of("hauler_fan").steps if s.kind == "empty"]
    assert empty.point == "store_port"
    assert empty.state is not None
    assert empty.state.settings == {"store.empty": 1.0}
    words = next(s for s in plan_of("turf_lift").steps if s.kind == "levers").words
    assert words == "Every lever both ways, twice: rear lift."


def test_what_opening_releases_names_a_fault_only_where_one_keeps_pressure() -> None:
    for release in plan_of("suction_boom").releases:
        assert bool(release.worst_with) == (
            release.worst_bar > 5.0 or "not known" in release.worst_with
        )
        assert release.label


def test_reasons_why_a_move_does_not_work_with_the_engine_off() -> None:
    levers = {(v.function, v.move): v for v in plan_of("suction_boom").levers}
    assert levers["telescope", "in"].why_not == (
        "no pilot oil with the engine off at Locking check, telescope"
    )
    assert levers["telescope", "out"].why_not == (
        "it takes the pump: nothing pushes it with the engine off"
    )
    assert levers["lift", "lower"].why_not == ""


def test_two_loads_that_stay_up_are_both_counted() -> None:
    """Without battery nothing of the tail-lift comes down: both lines keep their load."""
    remains = {r.label: r for r in plan_of("tail_lift").remains}
    for label, bar in (("Lift port", 107), ("Tilt port", 69)):
        assert "battery:fuse_blown" in remains[label].faults
        assert remains[label].bar == pytest.approx(bar, abs=3)
        assert "most with" in remains[label].words


def test_what_holds_a_line_lies_between_it_and_one_that_holds_less() -> None:
    line = next(x for x in plan_of("suction_boom").lines if x.label == "Boom lift port A")
    assert line.held_by == ["Boom lift section, lever"]
    assert line.points == ["lift_port"]
    store = plan_of("hauler_fan").lines[0]
    assert store.held_by == ["Brake charging valve", "Service brake valve"]
    assert store.because == ["Brake accumulator"]


def test_a_dead_engine_leaves_the_emergency_circuit() -> None:
    """The boom comes down by the store, before that is dumped; without the store's lever it stays."""
    predictor = predictor_of(load_circuit("inspection_platform"))
    dead = make_safe(predictor, lacks=["drive"])
    first = next(s for s in dead.steps if s.kind == "lower")
    assert "emergency circuit" in first.words
    assert first.state is not None
    assert first.state.engine == "off"
    assert not any(s.kind == "leave" for s in dead.steps)
    assert "takes its key" not in first.words
    assert dead.safe
    assert dead.lacks == ["drive"]


def test_where_nothing_is_left_one_stays_away() -> None:
    predictor = predictor_of(load_circuit("tail_lift"))
    usual, without = make_safe(predictor), make_safe(predictor, lacks=["electricity"])
    assert {a.key for a in usual.asks} >= {"drive", "electricity"}
    assert usual.safe
    assert not without.safe
    lower = [s for s in without.steps if s.kind == "lower"]
    assert lower
    assert all("stay away" in s.words and s.move is None for s in lower)
    assert not any("switch" in s.words for s in without.steps if s.kind == "levers")
    held = {r.net: r.bar for r in without.remains if not r.faults}
    assert max(held.values()) > 50.0


def test_a_store_whose_valve_stays_shut_is_drawn_upon_or_kept_away_from() -> None:
    feeder = make_safe(predictor_of(load_circuit("sludge_feeder")), lacks=["dump"])
    empty = next(s for s in feeder.steps if s.kind == "empty")
    assert "again and again" in empty.words
    assert "ump valve" not in empty.words
    both = make_safe(predictor_of(load_circuit("sludge_feeder")), lacks=["dump", "electricity"])
    assert not any(s.kind == "empty" for s in both.steps)
    away = next(s for s in both.steps if s.kind == "blind" and "cannot be emptied" in s.words)
    assert "Stay away" in away.words
    assert not both.safe


def test_what_moves_by_itself_while_a_store_is_emptied_is_said() -> None:
    """A store's dump valve into a cylinder's line: the cylinder goes, and one stands clear of it."""
    plan = make_safe(predictor_of(load_circuit("sludge_feeder")), lacks=["dump"])
    empty = next(s for s in plan.steps if s.kind == "empty")
    assert "stand clear of it" in empty.words

    data = bench_circuit(
        [
            part("relief", "relief_valve", {"inlet": "p", "outlet": "tank"}, set_bar=200.0),
            part("check", "check_valve", {"inlet": "p", "outlet": "s"}),
            part("store", "accumulator", {"port": "s"}, stored_bar=150.0, precharge_bar=80.0),
            part("dump", "release_valve", {"inlet": "s", "outlet": "cap"}),
            part("ram", "single_acting_cylinder", {"A": "cap", "vent": "tank", "rod": "rod"}),
            part("load", "mechanical_load", {"rod": "rod"}),
            part("away", "orifice", {"inlet": "cap", "outlet": "tank"}, k=0.05),
        ],
        states={"off": {"label": "Off", "engine": "off", "oil_c": 40}},
        functions=[
            {
                "id": "ram",
                "label": "Ram",
                "actuator": "ram",
                "stroke_mm": 300,
                "load": "load",
                "moves": {"out": {"label": "out", "commands": {}}},
                "loads": {"free": {"force_n": 200.0}},
            }
        ],
        test_points=[
            {"id": "gauge", "label": "Gauge of the store", "net": "s", "methods": ["tee_gauge"],
             "fitting": "M16", "access_min": 5}
        ],
    )  # fmt: skip
    plan = make_safe(predictor_of(read_circuit(json.dumps(data))))
    dumped = next(s for s in plan.steps if s.kind == "empty")
    assert "meanwhile Ram moves by itself" in dumped.words
