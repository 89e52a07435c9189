"""What shows only hot, comes and goes, or is a wrong part; and how warm a machine gets at work."""

from collections.abc import Sequence
from functools import cache

import numpy as np
import pytest

from tests.core.machines import Nominal, Still
from umweg.core.components import component_type
from umweg.core.components.base import WORKS
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.evidence import believe
from umweg.core.diagnose.pairs import Drawn, chosen_grids
from umweg.core.diagnose.plan import Planner, steps_of
from umweg.core.diagnose.prior import AFTER_WORK, NOBODY_WORKED, RENEWED, history_factor
from umweg.core.diagnose.ranking import rank
from umweg.core.diagnose.setup import Setup
from umweg.core.errors import ObservationError
from umweg.core.faults.population import faults_of, parse_fault
from umweg.core.network.network import Network
from umweg.core.observe.exhibits import Played
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.history import History
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.confirmations import Confirmation
from umweg.core.observe.kinds.readings import Reading, blank
from umweg.core.observe.kinds.warmth import WARMTHS, RunsHot, WarmthFelt, cycle_of
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantities import Quantity
from umweg.core.solve.power import KW_PER_BAR_LPM
from umweg.library import load_circuit

PACKER, FEEDER = "packer_truck", "sludge_feeder"


@cache
def doctor_of(circuit: str) -> Diagnostician:
    return Diagnostician.of(load_circuit(circuit), [])


def shares_of(doctor: Diagnostician, observations: Sequence[Observation]) -> dict[str, float]:
    """Share of every single fault."""
    ranking = rank(doctor.exhibits, observations, [])
    keys = [h.key for h in ranking.population.hypotheses]
    return dict(zip(keys, ranking.shares.tolist(), strict=True))


def settled(circuit: str, *faults: str) -> float:
    timing = load_circuit(circuit).timing("work_warm")
    return Nominal(circuit, *faults).read("settled_c", "work_warm", timing.state)


# How warm it gets.


def test_oil_settles_where_heat_and_cooling_are_the_same() -> None:
    """A pump that only circulates: its whole power heats the oil, tank and cooler take it away."""
    document = load_circuit(PACKER).model_dump(mode="json")
    timing = next(t for t in document["timings"] if t["id"] == "work_warm")
    timing["phases"] = [{"state": "neutral_rated", "seconds": 10}]
    timing["ambient_c"] = 30
    circuit = load_circuit(PACKER).model_validate(document)
    machine = Nominal(PACKER)
    nets = machine.nets("neutral_rated")
    flows = machine.flows("neutral_rated")
    pump = circuit.component("pump").connections
    shaft_kw = KW_PER_BAR_LPM * flows["pump.inlet"] * (nets[pump["outlet"]] - nets[pump["inlet"]])
    cooling = 0.02 + circuit.component("cooler").parameters["air_kw_per_k"]
    moved = HiddenMachine(circuit, [], Still(), Nominal(PACKER).solver)  # type: ignore[arg-type]
    found = moved.value(Quantity("settled_c", "work_warm"), circuit.states["neutral_rated"])
    # What leaks in the pump heats, too: a few hundredths more than what it gives out.
    assert found == pytest.approx(30 + shaft_kw / cooling, rel=0.04)


@pytest.mark.parametrize(
    ("fault", "least_k"),
    [
        ("cooler:air_clogged=0.6", 20),
        ("cooler:fan_slow=0.8", 20),
        ("cooler:bypass_open=1", 3),
        ("main_relief:set_low=0.6", 5),
        ("pump:worn=0.8", 1),
    ],
)
def test_what_makes_a_machine_run_hot(fault: str, least_k: float) -> None:
    assert settled(PACKER, fault) - settled(PACKER) > least_k


def test_an_hours_work_is_told_as_a_cycle_and_not_as_a_row_of_moments() -> None:
    circuit = load_circuit(PACKER)
    words = steps_of(circuit, circuit.timing("work_warm"))
    assert words.startswith("again and again for an hour: ")
    assert "air at 20 °C" in words
    assert "watched" not in words


def test_half_the_fins_clogged_doubles_what_the_cooler_needs() -> None:
    """The rise over the air goes with one over what cools."""
    ua = load_circuit(PACKER).component("cooler").parameters["air_kw_per_k"]
    fault = component_type("cooler").mode("air_clogged")
    severity = np.log(0.5) / np.log(fault.severe)
    rise, clogged = settled(PACKER) - 20, settled(PACKER, f"cooler:air_clogged={severity}") - 20
    assert clogged / rise == pytest.approx((0.02 + ua) / (0.02 + ua / 2), rel=0.01)


def test_nobody_lets_the_oil_boil() -> None:
    """A brake that drags would bring it to hundreds of degrees: it is stopped before, and whoever
    would get hotter still looks the same then."""
    dumper, heat = "dumper_interlock", Quantity("settled_c", "work_warm")
    shown = [settled(dumper, f"brake:seal_leaks={s}") for s in (0.3, 0.75, 0.95)]
    assert shown[0] < 60
    assert shown[1:] == [heat.of.stopped_at, heat.of.stopped_at]
    found = doctor_of(dumper).predictor.timed(heat)
    assert heat.of.stopped_at == found.mean.max()
    spread = np.sqrt(np.einsum("uc,uc->c", found.slope, found.slope))
    assert spread[found.mean == heat.of.stopped_at].min() == 0.0
    assert spread[0] > 1.0
    # A thermometer may have shown more; nobody is told apart by how much.
    usual, hot, hotter = (
        shares_of(doctor_of(dumper), [warm(dumper, value)]) for value in (57.0, 100.0, 112.0)
    )
    assert hot == pytest.approx(hotter)
    assert hot["healthy"] < 0.05 * usual["healthy"]


def warm(circuit: str, value: float) -> Observation:
    """The oil's temperature after an hour's work."""
    state = load_circuit(circuit).timing("work_warm").state
    reading = blank(Quantity("settled_c", "work_warm"), state)
    return reading.model_copy(update={"id": "w", "value": value})


def test_the_step_says_when_to_stop() -> None:
    doctor = doctor_of(PACKER)
    planner = Planner(doctor.predictor, rank(doctor.exhibits, [], []), [], doctor.money)
    reading = blank(Quantity("settled_c", "work_warm"), "blade_extend_working")
    (step,) = planner.reading_steps([reading], Setup())
    assert any("Stop when the oil passes 100 °C" in words for words in step.cautions)


def test_hotter_than_it_did_speaks_for_the_cooler_and_not_for_a_wire() -> None:
    doctor = doctor_of(PACKER)
    hot = [RunsHot(id="w", warmth="hotter")]
    before, after = shares_of(doctor, []), shares_of(doctor, hot)
    assert after["cooler:air_clogged"] > 3 * before["cooler:air_clogged"]
    cycle = cycle_of(doctor.circuit)
    assert cycle is not None
    words = WarmthFelt(cycle).probability(doctor.predictor)
    assert words.sum(axis=0) == pytest.approx(np.ones(words.shape[1]))
    assert words[WARMTHS.index("as_usual"), 0] > 0.97
    with pytest.raises(ObservationError, match="cycle of work"):
        RunsHot(id="w", warmth="hotter").check(doctor_of("tail_lift").exhibits.suspects)


def test_machines_that_differ_are_called_hot_as_often_as_they_differ() -> None:
    """On a cutter whose load is hardly known one in forty runs hot though nothing is wrong with it."""
    doctor = doctor_of("hedge_cutter")
    solver, generator = doctor.predictor.solver, np.random.default_rng(4)
    machines = [HiddenMachine(doctor.circuit, [], generator, solver) for _ in range(150)]
    look = RunsHot(id="w", warmth="hotter")
    hot = np.mean([look.witnessed(m).warmth == "hotter" for m in machines])
    cycle = cycle_of(doctor.circuit)
    assert cycle is not None
    words = WarmthFelt(cycle).probability(doctor.predictor)
    assert words[WARMTHS.index("hotter"), 0] == pytest.approx(0.026, abs=0.01)
    assert hot == pytest.approx(words[WARMTHS.index("hotter"), 0], abs=0.05)


# Hot only.


def test_a_coil_that_drops_out_hot_works_cold() -> None:
    fault = "changeover:coil_b_drops_hot=1"
    healthy, hot = Nominal(FEEDER), Nominal(FEEDER, fault)
    assert hot.mm_s("swing", "change_2") == pytest.approx(healthy.mm_s("swing", "change_2"))
    assert abs(hot.mm_s("swing", "hot_change")) < 0.02 * healthy.mm_s("swing", "hot_change")


def test_candidates_show_it_in_hot_states_alone() -> None:
    predictor = doctor_of(FEEDER).predictor
    population = predictor.population
    rows = next(
        m
        for h, m in zip(population.hypotheses, population.members, strict=True)
        if h.key == "changeover:coil_b_drops_hot"
    )
    swing = Quantity("speed_mm_s", "swing")
    for state, alike in (("change_2", True), ("hot_change", False)):
        table = predictor[predictor.circuit.states[state]]
        shown = table.mean[table.row(swing)]
        assert bool(abs(shown[rows[-1]] - shown[0]) < 1.0) is alike


# Now and then.


def test_a_loose_plug_is_there_every_other_time() -> None:
    solver = Nominal(FEEDER).solver
    fault = parse_fault(solver.network, "changeover:coil_b_loose=1")
    machine = HiddenMachine(solver.network.circuit, [fault], np.random.default_rng(5), solver)
    state = machine.circuit.states["change_2"]
    swing = Quantity("speed_mm_s", "swing")
    moved = np.array([machine.value(swing, state) > 100 for _ in range(60)])
    assert 18 <= moved.sum() <= 42


def test_readings_that_contradict_one_another_speak_for_what_comes_and_goes() -> None:
    doctor = doctor_of(FEEDER)

    def reading(name: str, mm_s: float) -> Reading:
        return Reading.model_validate(
            {"id": name, "point": "swing", "quantity": "speed_mm_s", "state": "change_2",
             "value": mm_s, "unit": "mm/s"}
        )  # fmt: skip

    taken = [reading(str(i), v) for i, v in enumerate((480.0, 0.0, 478.0, 0.2, 0.0))]
    shares = shares_of(doctor, taken)
    assert shares["changeover:coil_b_loose"] > 4 * shares["changeover:coil_b_open"]
    always = [reading(str(i), 0.0) for i in range(5)]
    shares = shares_of(doctor, always)
    assert shares["changeover:coil_b_open"] > 4 * shares["changeover:coil_b_loose"]


def test_a_reading_that_is_the_same_with_and_without_says_nothing_of_a_loose_plug() -> None:
    """The other coil's move: whether this coil's plug holds just then is not asked of it."""
    doctor = doctor_of(FEEDER)
    state, speed = doctor.circuit.states["change_1"], Quantity("speed_mm_s", "swing")
    shown = doctor.exhibits.shown(speed, state).mean
    dead = Behaviour.model_validate(
        {"id": "b", "function": "swing", "move": "to_2", "how": "dead", "when": "warm"}
    )
    other = blank(speed, "change_1").model_copy(update={"value": float(shown[0]), "unit": "mm/s"})
    taken = [other.model_copy(update={"id": f"o{i}"}) for i in range(6)]
    told, read = (shares_of(doctor, seen) for seen in ([dead], [dead, *taken]))
    loose, broken = "changeover:coil_b_loose", "changeover:coil_b_open"
    assert read[loose] / read[broken] == pytest.approx(told[loose] / told[broken], rel=0.05)


def test_a_loose_plug_is_seen_to_be_loose_while_it_holds() -> None:
    """Looking for it weighs as much as looking for a plug that is off for good."""
    doctor = doctor_of(FEEDER)
    dead = Behaviour.model_validate(
        {"id": "b", "function": "swing", "move": "to_2", "how": "dead", "when": "warm"}
    )
    mode = "coil_b_loose"
    looked = {
        seen: Confirmation(id="c", component="changeover", mode=mode, seen=seen)
        for seen in ("found", "not_found")
    }
    loose, broken = f"changeover:{mode}", "changeover:coil_b_open"
    before = shares_of(doctor, [dead])
    after = {seen: shares_of(doctor, [dead, look]) for seen, look in looked.items()}
    work = WORKS[component_type("detent_solenoid_valve").mode(mode).work]
    found, missed = work.look_sure / work.look_mistaken, 1.0 - work.look_sure
    for seen, chance in (("found", found), ("not_found", missed)):
        gain = after[seen][loose] / after[seen][broken] / (before[loose] / before[broken])
        assert gain == pytest.approx(chance, rel=0.35)


def test_a_loose_plug_is_planned_for_as_there_every_other_time() -> None:
    """Its coil's move is either what a broken plug shows, or what a sound one does."""
    doctor = doctor_of(FEEDER)
    dead = Behaviour.model_validate(
        {"id": "b", "function": "swing", "move": "to_2", "how": "dead", "when": "warm"}
    )
    ranking, predictor = doctor.rank([dead])
    planner = Planner(predictor, ranking, [], doctor.money)
    state, speed = doctor.circuit.states["change_2"], Quantity("speed_mm_s", "swing")
    spread = planner.spread(planner.reading_steps([blank(speed, "change_2")], Setup(), -1.0)[0])
    shown = planner.exhibits.shown(speed, state).mean
    population = predictor.population
    live = [population.hypotheses[population.hypothesis[c]].key for c in planner.live]
    loose, broken = (live.index(f"changeover:coil_b_{how}") for how in ("loose", "open"))
    usual, gone = float(shown[0]), float(shown[planner.live[loose]])
    assert usual > gone + 300.0
    assert spread.mean[loose] == pytest.approx(0.5 * (usual + gone), rel=0.02)
    assert spread.sd[loose] == pytest.approx(0.5 * (usual - gone), rel=0.1)
    assert spread.mean[broken] == pytest.approx(float(shown[planner.live[broken]]), abs=1.0)


def test_beside_another_fault_a_loose_plug_comes_and_goes_as_well() -> None:
    """The worn pump stays when the plug holds: swings that stand and swings that are slow are both
    its."""
    doctor = doctor_of(FEEDER)
    by_key = {f.key: f for f in faults_of(doctor.predictor.network)}
    loose, worn = by_key["changeover:coil_b_loose"], by_key["change_pump:worn"]
    pair = Drawn((worn, loose), (0.7, 1.0))
    predictor = doctor._with_pairs([pair], chosen_grids([pair], frozenset()), doctor.predictor)
    population = predictor.population
    rows = {h.key: m for h, m in zip(population.hypotheses, population.members, strict=True)}
    both, alone = rows[f"{worn.key}+{loose.key}"], rows[worn.key]
    left = population.gone[both]
    assert np.isin(left, alone).all()
    which = [f.key for f in population.hypotheses[population.hypothesis[both[0]]].faults]
    worn_of = population.severity[both, which.index(worn.key)]
    assert population.severity[left, 0] == pytest.approx(worn_of)
    assert (population.gone[rows[loose.key]] == 0).all()
    assert (population.gone[alone] == alone).all()
    assert set(both) < set(population.wandering)

    speed, state = Quantity("speed_mm_s", "swing"), doctor.circuit.states["change_2"]
    shown = Played(predictor).shown(speed, state).mean
    slow = float(shown[alone].min())
    assert shown[both].max() < 1.0 < slow
    taken = [
        blank(speed, "change_2").model_copy(update={"id": f"r{i}", "value": v})
        for i, v in enumerate((slow, 0.0, slow, 0.0))
    ]
    told = [r.weigh(Played(predictor), []) for r in taken]
    fit = believe(Played(predictor).suspects, told).log_weight - population.log_prior
    assert fit[both].max() > fit[rows["changeover:coil_b_open"]].max() + 5.0


# The wrong part.


def test_a_wrong_part_is_likely_where_it_was_just_fitted() -> None:
    network = Network(load_circuit(PACKER))
    fault = next(f for f in faults_of(network) if f.key == "pump:wrong_size")
    worn = next(f for f in faults_of(network) if f.key == "pump:worn")
    circuit = network.circuit
    assert history_factor(circuit, fault, History()) == NOBODY_WORKED
    told = History(recent_work="The gear pump 51 cm³ was exchanged.", renewed=("pump",))
    assert history_factor(circuit, fault, told) == AFTER_WORK["wrong_part"], "once"
    assert history_factor(circuit, worn, told) == RENEWED
    # Its flow is short at any pressure; a worn one gives it while nothing presses.
    small, leaky = Nominal(PACKER, "pump:wrong_size=0.4"), Nominal(PACKER, "pump:worn=0.9")
    healthy = Nominal(PACKER)

    def kept(machine: Nominal, state: str) -> float:
        return machine.read("flow_lpm", "pump_outlet", state) / healthy.read(
            "flow_lpm", "pump_outlet", state
        )

    assert kept(small, "pump_open") == pytest.approx(0.5**0.4, abs=0.03)
    assert kept(small, "pump_loaded") == pytest.approx(0.5**0.4, abs=0.06)
    assert kept(leaky, "pump_loaded") < kept(leaky, "pump_open") - 0.1
