"""The order of the trade, and the ways that the program's own steps are held against."""

from typing import cast

import numpy as np
import pytest

from tests.core.test_plan import SINKS, doctor_of
from umweg.bench import ways
from umweg.bench.isolate import IsolateFigures, _followed, _masked, _met, _one
from umweg.bench.ways import WAYS, AnyOrder, Everything, Ladder, Own
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.ladder import in_ladder, rung, stage
from umweg.core.diagnose.order import _tier
from umweg.core.diagnose.plan import Planner, readings_of
from umweg.core.diagnose.setup import setup_after
from umweg.core.faults.population import parse_fault
from umweg.core.observe.kinds.readings import Reading, blank
from umweg.core.observe.observations import Observation
from umweg.library import load_circuit, load_jobs


@pytest.fixture(scope="module")
def turf() -> Diagnostician:
    return doctor_of("turf_lift")


def test_standby_comes_before_stall_before_work_before_kit_in_the_line() -> None:
    circuit = load_circuit("packer_truck")
    found = {name: stage(circuit, state) for name, state in circuit.steady.items()}
    assert set(found.values()) == {0, 1, 2, 3}
    for name, state in circuit.steady.items():
        assert (found[name] == 3) == bool(state.interventions)
        if found[name] == 0:
            assert not state.moves
        if found[name] == 1:
            assert "stalled" in state.loads.values()


def test_a_ladder_goes_from_the_source_to_the_branch(turf: Diagnostician) -> None:
    predictor = turf.predictor
    predictor.prepare(predictor.circuit.steady.values())
    asked = list(readings_of(predictor))
    ladder = in_ladder(predictor, reversed(asked))
    assert sorted(map(str, ladder)) == sorted(map(str, asked))
    assert in_ladder(predictor, asked) == ladder
    stages = [rung(predictor, *a)[0] for a in ladder]
    assert stages == sorted(stages)
    state = next(name for name, q in ladder if q.kind == "pressure_bar")
    shown = [
        predictor.healthy(predictor.circuit.states[state])[
            predictor.network.net_index[predictor.circuit.test_point(q.place).net]
        ]
        for name, q in ladder
        if name == state and q.kind == "pressure_bar"
    ]
    assert len(shown) > 1
    assert shown == sorted(shown, reverse=True)


def test_of_steps_that_tell_as_much_the_trades_first_is_offered(turf: Diagnostician) -> None:
    planner = turf.planner(SINKS)
    steps = [s for s in turf.diagnose(SINKS).steps if not s.refused][1:]
    tiers = [_tier(s) for s in steps]
    assert tiers == sorted(tiers)
    together = [
        [planner.rung(s) for s, t in zip(steps, tiers, strict=True) if t == tier]
        for tier in set(tiers)
    ]
    assert all(rungs == sorted(rungs) for rungs in together)
    assert any(len(rungs) > 1 for rungs in together)


def walked(way: Ladder, planner: Planner, steps: int) -> list[str]:
    """What is asked, whatever it shows."""
    found, taken = [], list(SINKS)
    _, step = way.begun(taken)
    while step is not None and len(found) < steps:
        found.append(f"{step.kind} {step.point} {step.state} {step.quantity}")
        taken.append(cast(Observation, step.asks.model_copy(update={"id": f"s{len(found)}"})))
        step = way.next_step(planner, taken)
    return found


def test_a_ladder_looks_first_and_then_reads_all_of_it_in_order(turf: Diagnostician) -> None:
    planner = turf.planner(SINKS)
    asked = walked(Ladder(turf), planner, 1000)
    kinds = [a.split()[0] for a in asked]
    looks = kinds.index("reading")
    assert looks > 0
    assert set(kinds[looks:]) == {"reading"}
    assert len(set(asked)) == len(asked)
    setup = setup_after(planner.circuit, SINKS)
    all_of_it = [blank(q, n) for n, q in readings_of(turf.predictor)]
    offered = [s for s in planner.reading_steps(all_of_it, setup, -1.0) if not s.refused]
    assert len(kinds) - looks == len(offered)
    stages = [stage(turf.circuit, turf.circuit.states[a.split()[2]]) for a in asked[looks:]]
    assert stages[:-3] == sorted(stages[:-3])


def test_a_ladder_that_leads_nowhere_is_given_up_and_begun_again_with_the_next_machine(
    turf: Diagnostician, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(ways, "MOST_RUNGS", 2)
    way, seen = Ladder(turf), SINKS[:1]
    first = way.begun(seen)
    assert not first[0].enough
    # It shows what leaves everything open, so that only the number of rungs can end it.
    steps = [first[1], way.then(seen)[1]]
    assert None not in steps
    assert way.then(seen)[1] is None
    again = way.begun(seen)[1]
    assert again is not None
    assert steps[0] is not None
    assert (again.kind, again.point) == (steps[0].kind, steps[0].point)


def test_another_machine_another_order(turf: Diagnostician) -> None:
    way = AnyOrder(turf)
    first, second = way.order(), way.order()
    assert first != second
    assert sorted(map(str, first)) == sorted(map(str, second))


def test_everything_is_read_before_anybody_judges(
    turf: Diagnostician, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(ways, "MOST_READINGS", 15)
    circuit = turf.circuit
    fault = parse_fault(turf.predictor.network, "pump:worn=0.9")
    generator = np.random.default_rng(4)
    before = generator.bit_generator.state
    shown = {}
    for name, way in (("own", Own(turf)), ("everything", Everything(turf))):
        generator.bit_generator.state = before
        machine, seen = _met(turf, "model", [fault], generator)
        told = len(seen)
        played = _followed(turf, machine, seen, way)
        shown[name] = played, seen[:told], seen[told:]
    assert shown["own"][1] == shown["everything"][1]
    played, _, taken = shown["everything"]
    assert played.readings > shown["own"][0].readings
    assert played.minutes > shown["own"][0].minutes
    topics = [o.topic() for o in taken if isinstance(o, Reading)]
    assert len(set(topics)) == len(topics)
    assert circuit.id == "turf_lift"


def test_all_ways_meet_the_same_machines(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(cast(dict[str, object], WAYS), "again", Own)
    kit = tuple(load_jobs()[0].instruments)
    found = _one(load_circuit("turf_lift"), kit, 2, 3, "real", 1, ("again",))
    # Whoever does the same on the same machine sees the same, to the last digit of its gauges.
    assert found.by("again").played == found.played
    total = IsolateFigures("all")
    total.add(found)
    total.add(found)
    assert len(total.by("again").played) == len(total.played) == 4


@pytest.mark.parametrize(
    ("second", "hidden"),
    # Nothing lifts any more, whatever else leaks; what is slow in lowering is seen all the same.
    [("pump:worn=0.6", True), ("low_end:plugged=1", False)],
)
def test_a_fault_is_hidden_where_the_other_shows_all_that_both_do(
    turf: Diagnostician, second: str, hidden: bool
) -> None:
    keys = ["coupling:broken=1", second]
    faults = [parse_fault(turf.predictor.network, key) for key in keys]
    told = [
        _met(turf, "model", some, np.random.default_rng(1))[0]
        for some in (faults, faults[:1], faults[1:])
    ]
    assert _masked(told[0], told[1:]) == hidden
    assert not _masked(told[0], [])


@pytest.mark.parametrize(
    ("keys", "hidden"),
    # A pump that never runs, whatever else is wrong; a weak battery beside what does not shift.
    [
        (("controller:never_makes=1", "main_a:plugged=0.96"), True),
        (("battery:weak=0.6", "reverser:does_not_shift=0.6"), False),
    ],
)
def test_where_nobody_commands_the_gauges_show_it(keys: tuple[str, str], hidden: bool) -> None:
    crusher = Diagnostician.of(load_circuit("crusher_lubrication"), [])
    faults = [parse_fault(crusher.predictor.network, key) for key in keys]
    shown = [
        _met(crusher, "model", some, np.random.default_rng(1))[0]
        for some in (faults, faults[:1], faults[1:])
    ]
    assert _masked(shown[0], shown[1:]) == hidden
