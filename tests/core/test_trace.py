"""The ways of the oil: they begin at a source, end at a tank, and lose pressure on the way."""

from functools import cache

import pytest

from umweg.core.components import component_type
from umweg.core.trace.trace import shared_by, trace
from umweg.core.trace.way_views import CircuitTrace, MoveTrace
from umweg.library import circuit_ids, load_circuit


@cache
def traced(circuit_id: str) -> CircuitTrace:
    return trace(load_circuit(circuit_id))


def of(circuit_id: str, function: str, move: str) -> MoveTrace:
    moves = traced(circuit_id).moves
    return next(m for m in moves if (m.function, m.move) == (function, move))


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_every_way_runs_downhill_from_a_source(circuit_id: str) -> None:
    circuit = load_circuit(circuit_id)
    for move in traced(circuit_id).moves:
        assert move.known
        assert move.pressure
        for station in (*move.pressure, *move.returning):
            kind = component_type(circuit.component(station.component).type)
            works = kind.makes_flow or any(
                p.domain in ("translation", "rotation") for p in kind.ports
            )
            if station.entered_by and station.left_by and not works:
                assert station.before_bar >= station.after_bar - 0.05, station
        pumped = [
            s
            for s in move.pressure
            if component_type(circuit.component(s.component).type).makes_flow
        ]
        # What is lowered by its weight, or pressed by a store, needs no pump.
        first = circuit.component(move.pressure[0].component)
        pressed = component_type(first.type)
        assert pumped or pressed.stores_oil or pressed.by_hand
        if move.returning and not component_type(first.type).makes_flow:
            assert move.returning[-1].after_bar < 1.0


@pytest.mark.parametrize(
    ("circuit_id", "function", "move", "names"),
    [
        (
            "packer_truck",
            "tailgate",
            "raise",
            ["pump", "pressure_hose", "tailgate_feed_check", "tailgate_section", "load_holding"],
        ),
        ("groomer_drive", "travel", "forward", ["servo", "motor"]),
        ("suction_boom", "telescope", "out", ["pump", "telescope_valve", "telescope_lock"]),
    ],
)
def test_the_way_passes_these_in_this_order(
    circuit_id: str, function: str, move: str, names: list[str]
) -> None:
    way = [s.component for s in of(circuit_id, function, move).pressure]
    places = [way.index(name) for name in names]
    assert places == sorted(places)


def test_a_spool_passes_two_streams_and_each_is_followed_to_its_own_end() -> None:
    move = of("packer_truck", "blade", "extend")
    to = next(s for s in move.pressure if s.component == "blade_section")
    back = next(s for s in move.returning if s.component == "blade_section")
    assert (to.entered_by, to.left_by) != (back.entered_by, back.left_by)
    assert back.flow_lpm < to.flow_lpm
    assert move.returning[-1].component == "tank"
    assert {"blade_left", "blade_right"} <= set(move.parts)


def test_what_holds_a_valve_is_said() -> None:
    out = of("suction_boom", "telescope", "out")
    section = next(s for s in out.pressure if s.component == "telescope_valve")
    assert any("bar" in words for words in section.held_by)
    assert out.contacts == ["Joystick, telescope out: lever 1"]
    lift = of("tail_lift", "lift", "raise")
    assert any("Lift valve" in c for c in lift.coils)
    assert not any("Tilt valve" in c for c in lift.coils)


def test_a_line_that_floats_along_is_no_part_of_a_move() -> None:
    slew = of("forwarder_crane", "slew", "left")
    assert "lift_hold" not in slew.parts
    assert not any("Load-holding" in s.label for s in slew.signals)
    lower = of("forwarder_crane", "lift", "lower")
    assert any("Load-holding valve, lift" in s.label for s in lower.signals)


def test_nothing_called_for_circulates_through_every_open_centre() -> None:
    names = [s.component for s in traced("packer_truck").neutral]
    assert names[0] == "pump"
    assert names.index("blade_section") < names.index("tailgate_section")
    assert names[-1] == "tank"


def test_what_the_bad_ones_share_and_the_good_ones_do_not_stands_first() -> None:
    found = traced("packer_truck")
    ranked = shared_by(
        found, ["tailgate.raise", "tailgate.lower"], ["blade.extend", "blade.retract"]
    )
    first = [p.component for p, score in ranked if score == 1.0]
    assert "tailgate_section" in first
    assert "pump" not in first
    assert {p.component: s for p, s in ranked}["pump"] == pytest.approx(0.0)
    assert ranked[-1][1] == -1.0


def test_every_source_of_a_move_stands_in_its_way() -> None:
    """Two pumps behind their own checks: half of the oil comes from each."""
    circuit, move = load_circuit("loading_ramp"), of("loading_ramp", "ramp", "raise")
    flow = {s.component: s.flow_lpm for s in move.pressure}
    pumps = [c.id for c in circuit.components if c.type == "fixed_pump"]
    assert len(pumps) == 2
    assert sum(flow[p] for p in pumps) == pytest.approx(flow["cylinder"], rel=0.02)
    assert set(pumps) <= set(move.parts)
