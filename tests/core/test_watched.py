"""A play that ends once it has shown what is waited for shows the same as one to its end."""

from dataclasses import replace

import numpy as np
import pytest

from umweg.core.faults.population import parse_fault
from umweg.core.network.network import Network
from umweg.core.observe import timed
from umweg.core.observe.timed import TimedReader
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.solve.transient import Curves, TransientSolver
from umweg.library import load_circuit


@pytest.mark.parametrize(
    ("name", "timing", "faults", "apart"),
    [
        # A rod that comes to its end, from the other one and from between.
        ("packer_truck", "blade_out", ["pump:worn=0.6", "main_relief:set_low=1"], 1e-9),
        ("turf_lift", "raise_time", ["pump:worn=0.5", "coupling:broken=1"], 1e-9),
        # A level that is passed, upward.
        ("hauler_fan", "charge_time", ["pump:worn=0.6", "charging:never_cuts_out=1"], 1e-9),
        # Starts of the same pump again and again: of four alike, not of the last two.
        ("platform_outriggers", "restart_fl", ["lock:seat_leaks=1", "release:leaks=0.6"], 0.02),
    ],
)
def test_what_has_shown_itself_is_played_no_further(
    monkeypatch: pytest.MonkeyPatch, name: str, timing: str, faults: list[str], apart: float
) -> None:
    circuit = load_circuit(name)
    solver = SteadySolver(Network(circuit))
    broken = [parse_fault(solver.network, text) for text in faults]
    cases = Cases(
        np.zeros(len(broken) + 1, dtype=np.intp),
        np.array([[-1], *([fault.slot] for fault, _ in broken)], dtype=np.intp),
        np.array([[0.0], *([f.mode.value(f.healthy, severity)] for f, severity in broken)]),
    )
    curves: list[Curves] = []
    play = TransientSolver.play
    monkeypatch.setattr(
        TransientSolver, "play", lambda *a, **k: curves.append(play(*a, **k)) or curves[-1]
    )
    wanted = circuit.timing(timing)
    early, known = TimedReader(circuit, solver).values(wanted, cases)
    monkeypatch.setitem(timed.READ, wanted.of, replace(timed.READ[wanted.of], watch=None))
    late, known_late = TimedReader(circuit, solver).values(wanted, cases)
    assert known.all()
    assert known_late.all()
    np.testing.assert_allclose(early, late, atol=apart, rtol=0)
    assert curves[0].finished.all()
    ended = curves[0].reached_s < curves[1].time_s[-1] - 1e-6
    assert ended.any()
    assert (curves[0].steps[ended] < curves[1].steps[ended]).all()
    # What never comes is waited for to the end.
    assert (early[~ended] == late[~ended]).all()


def test_a_machine_alone_is_played_as_in_a_batch() -> None:
    """Lanes are as many as there are cases for; how many does not matter to any of them."""
    circuit = load_circuit("turf_lift")
    solver = SteadySolver(Network(circuit))
    fault, _ = parse_fault(solver.network, "pump:worn=1")
    severities = np.linspace(0.0, 1.0, 18)
    cases = Cases(
        np.zeros(18, dtype=np.intp),
        np.full((18, 1), fault.slot, dtype=np.intp),
        np.array([[fault.mode.value(fault.healthy, s)] for s in severities]),
    )
    reader = TimedReader(circuit, solver)
    timing = circuit.timing("raise_time")
    together, _ = reader.values(timing, cases)
    for some in (slice(0, 1), slice(3, 9), slice(4, 17)):
        alone, _ = reader.values(timing, cases.part(some))
        np.testing.assert_allclose(alone, together[some], rtol=1e-9)
