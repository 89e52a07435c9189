"""What is watched while something is read in time: the curve that the reading is taken from."""

import numpy as np
import pytest

from umweg.core.faults.population import parse_fault
from umweg.core.network.network import Network
from umweg.core.observe.quantities import from_scale, quantity_of
from umweg.core.observe.timed import TimedReader
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.trace.curves import Watched, can_be_watched, watched
from umweg.library import circuit_ids, load_circuit


def played(circuit_id: str, timing_id: str, fault: str = "") -> tuple[Watched, float]:
    """The curve of a timing, and what is read from it by itself."""
    circuit = load_circuit(circuit_id)
    solver = SteadySolver(Network(circuit))
    timing = circuit.timing(timing_id)
    own: dict[int, float] = {}
    if fault:
        found, severity = parse_fault(solver.network, fault)
        own[found.slot] = float(found.mode.value(found.healthy, severity))
    value, fine = TimedReader(circuit, solver).values(timing, Cases.one(own))
    assert fine[0]
    return watched(circuit, solver, timing, own), float(from_scale(quantity_of(timing), value)[0])


def test_what_is_left_is_where_the_curve_ends() -> None:
    curve, left = played("hauler_fan", "store_left")
    assert curve.unit == "bar"
    assert curve.values[-1] == pytest.approx(left, rel=0.02)
    assert curve.time_s[-1] == pytest.approx(601.0)
    assert curve.phases[0].label == load_circuit("hauler_fan").states["rated"].label


def test_the_highest_pressure_is_the_curves_peak() -> None:
    curve, peak = played("hauler_fan", "fan_peak")
    begins = curve.phases[-1].at_s
    last = [v for t, v in zip(curve.time_s, curve.values, strict=True) if t >= begins]
    # Samples may miss the very top, never exceed it.
    assert 0.8 * peak < max(last) <= peak * 1.01


def test_a_stroke_takes_as_long_as_the_rod_is_on_its_way() -> None:
    curve, seconds = played("turf_lift", "raise_time")
    assert curve.unit == "mm"
    at = curve.phases[-1].at_s
    end = max(curve.values)
    arrived = next(t for t, v in zip(curve.time_s, curve.values, strict=True) if v >= 0.995 * end)
    assert arrived - at == pytest.approx(seconds, abs=0.4)


def test_a_fault_is_seen_on_it() -> None:
    healthy, _ = played("turf_lift", "sink")
    leaking, _ = played("turf_lift", "sink", "cylinder:seal_leaks=0.8")
    way = [float(np.ptp(c.values)) for c in (healthy, leaking)]
    assert way[1] > way[0] + 5.0


def test_the_whole_machine_is_told_at_moments_of_the_curve() -> None:
    """What the map shows at a moment is what the gauge's curve has there, at its own net."""
    curve, _ = played("turf_lift", "sink")
    assert len(curve.moments_s) == 41
    assert curve.moments_s == pytest.approx(curve.time_s[::5], abs=1e-3)
    network = Network(load_circuit("turf_lift"))
    told = {n.net: n for n in curve.nets}
    assert set(told) == set(network.net_names[: network.unknown_count])
    assert {n.unit for n in curve.nets} <= {"bar", "mm/s", "rpm", "V"}
    pressed, _ = played("tail_lift", "tilt_left")
    point = load_circuit("tail_lift").test_point("tilt_port")
    at_point = next(n for n in pressed.nets if n.net == point.net)
    assert at_point.values == pytest.approx(pressed.values[::5], abs=0.01)


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_what_can_be_watched_has_a_place_to_be_watched_at(circuit_id: str) -> None:
    for timing in load_circuit(circuit_id).timings:
        assert can_be_watched(timing) == (
            timing.of != "settled_c" and bool(timing.point or timing.function)
        )


def test_a_cycle_of_work_is_no_curve() -> None:
    circuit = load_circuit("packer_truck")
    with pytest.raises(ValueError, match="nothing is watched"):
        watched(circuit, SteadySolver(Network(circuit)), circuit.timing("work_warm"), {})
