"""Every library circuit: sound, solved, in agreement with pencil, scipy and its own job."""

import itertools

import numpy as np
import pytest

from tests.core.machines import Nominal, solver_of
from umweg.bench.solve import random_cases, scipy_solution
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.faults.population import faults_of, single_faults
from umweg.core.network.check import check_circuit
from umweg.core.observe.job import Job
from umweg.core.observe.predict import Predictor
from umweg.core.shop.compliance import findings
from umweg.core.solve.power import power_balance
from umweg.core.solve.steady import Cases
from umweg.core.trace.level import drawn_l
from umweg.library import HERE, circuit_ids, load_circuit, load_jobs
from umweg.library.hand import CALCULATIONS, Hand

each_circuit = pytest.mark.parametrize("name", circuit_ids())
POWER_FAMILIES = {
    "F1",
    "F2",
    "F5",
    "F6",
    "F7",
    "F8",
    "F9",
    "F10",
    "F13",
    "F14",
    "F18",
    "F19",
    "F21",
}


def test_every_power_family_has_a_circuit_and_a_job() -> None:
    families = {f for name in circuit_ids() for f in load_circuit(name).family}
    assert families >= POWER_FAMILIES
    assert {job.circuit for job in load_jobs()} == set(circuit_ids())


@each_circuit
def test_circuit_is_sound_and_meets_its_specifications(name: str) -> None:
    circuit = load_circuit(name)
    check_circuit(circuit)
    assert findings(circuit) == []
    assert circuit.notes["level"]
    assert len(circuit.specifications) >= 5
    assert all(m.direction for f in circuit.functions for m in f.moves.values())
    assert {s.state for s in circuit.specifications} <= set(circuit.states)


@pytest.mark.parametrize(
    ("name", "hand"),
    [(name, hand) for name, hands in CALCULATIONS.items() for hand in hands],
    ids=[f"{n}-{h.place}-{h.state}" for n, hands in CALCULATIONS.items() for h in hands],
)
def test_solved_values_agree_with_the_hand_calculation(name: str, hand: Hand) -> None:
    solved = Nominal(name).read(hand.kind, hand.place, hand.state)
    assert solved == pytest.approx(hand.value, rel=hand.within_pct / 100)


@each_circuit
def test_every_circuit_is_reckoned_by_hand(name: str) -> None:
    assert len(CALCULATIONS[name]) >= 4


@each_circuit
def test_faulted_machines_settle_and_agree_with_an_independent_solution(name: str) -> None:
    """One or two random faults in random states; scipy.optimize.root: 0.1 % or 0.05 bar."""
    solver = solver_of(name)
    network = solver.network
    states = [network.state(s) for s in network.circuit.steady.values()]
    cases = random_cases(network, len(states), 400, np.random.default_rng(19))
    many = random_cases(network, len(states), 2000, np.random.default_rng(20))
    nothing = Cases(
        np.arange(len(states)), np.full((len(states), 1), -1), np.zeros((len(states), 1))
    )
    healthy = solver.solve(states, nothing)
    assert healthy.converged.all()
    n = network.unknown_count
    solution = solver.solve(states, cases, healthy.across[:n][:, cases.state])
    settled_share = solver.solve(states, many, healthy.across[:n][:, many.state]).converged.mean()
    assert settled_share >= 0.999
    oil = [i for i in range(n) if network.domains[i] == "hydraulic"]
    compared = 0
    # What leaks through a good seat, or creeps as grease, is a millionth of a litre a minute.
    settled = 1e-8
    for b in range(0, 400, 7):
        if compared == 15:
            break
        if not solution.converged[b]:
            continue
        ours, agrees = solution.across[oil, b], None
        # A slipping drive can have two equilibria: then the one nearer to ours is found from nearer.
        for share, method in itertools.product((1.0, 0.1, 1e-3), ("hybr", "lm")):
            start = solution.across[:n, b] * (1.0 + 0.01 * share) + 0.01 * share
            found = scipy_solution(solver, cases, states, b, start, method=method)
            if np.abs(found.fun).max() < settled:
                apart = np.abs(found.x[oil] - ours)
                agrees = bool((apart <= np.maximum(0.05, 1e-3 * np.abs(ours))).all())
                if agrees:
                    break
        if agrees is not None:
            compared += 1
            assert agrees, f"case {b}"
    assert compared >= 12
    assert solution.across[oil].min() > -1.6, "no net far below absolute zero"


@each_circuit
def test_power_put_in_is_load_and_heat(name: str) -> None:
    solver = solver_of(name)
    network = solver.network
    for state in network.circuit.steady.values():
        solvable = network.state(state)
        nothing = Cases.as_documented(1)
        across = solver.solve([solvable], nothing).across[:, 0]
        if solver.cavitating(across):
            continue  # the gas that fills a cavity brings power of its own
        found = power_balance(network, solvable, across[:, None])
        taken = found.load_kw + found.stored_kw + found.heat_kw
        assert found.driven_kw[0] == pytest.approx(taken[0], abs=2e-3)
        parts = {p.id for p in network.circuit.components}
        for part, heat in found.heat_by_part_kw.items():
            if part in parts:
                assert heat[0] > -1e-3, f"{part} makes power from nothing in {state.label}"


@pytest.mark.parametrize("job", load_jobs(), ids=lambda j: j.id)
def test_the_hidden_truth_is_found(job: Job) -> None:
    """Given what each job has observed, the truth is in the leading group, among the first two, or
    as likely as who leads: lines of one divider are alike until one of them is looked at."""
    circuit = load_circuit(job.circuit)
    solver = solver_of(job.circuit)
    predictor = Predictor(circuit, single_faults(solver.network), solver)
    # What nobody observed is not waited for: as where a worker plays it later.
    predictor.patient = False
    diagnosis = Diagnostician(predictor, job.instruments).diagnose(job.observations)
    text = (HERE / "truth" / f"{job.id}.json").read_text()
    truth = next(f.key for f in faults_of(solver.network) if f'"{f.key}=' in text)
    first = diagnosis.suspects[0].share
    alike = [s for s in diagnosis.suspects if s.share > 0.9 * first]
    leaders = [s.hypothesis.key for s in (*diagnosis.suspects[:2], *alike)]
    assert truth in {*diagnosis.suspects[0].group, *leaders}
    assert diagnosis.explained


def test_level_falls_by_what_the_cylinders_draw() -> None:
    """Two single-acting rams take their bores, two double-acting cylinders only their rods."""
    lift = load_circuit("tail_lift")
    assert drawn_l(lift, {"lift": 1.0}) == pytest.approx(2 * 19.635 * 420e-4, rel=1e-3)
    packer = load_circuit("packer_truck")
    assert drawn_l(packer, {"blade": 0.5}) == pytest.approx(2 * 28.274 * 450e-4, rel=1e-3)
    with pytest.raises(KeyError, match="crane"):
        drawn_l(packer, {"crane": 1.0})
