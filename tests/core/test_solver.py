"""The batch solver on the packer truck: agreement, honesty, order."""

import tracemalloc
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

from umweg.bench.solve import random_cases, scipy_solution
from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.faults.population import single_faults, unknowns_of
from umweg.core.network.network import Network, SolvableState
from umweg.core.solve.respond import NO_ANSWER
from umweg.core.solve.steady import Cases, Options, Rule, SteadySolver
from umweg.library import load_circuit


@pytest.fixture(scope="module")
def sample(packer: Circuit, packer_solver: SteadySolver):  # type: ignore[no-untyped-def]
    states = [packer_solver.network.state(s) for s in packer.states.values()]
    cases = random_cases(packer_solver.network, len(states), 600, np.random.default_rng(11))
    return states, cases, packer_solver.solve(states, cases)


def test_every_faulted_case_settles(sample) -> None:  # type: ignore[no-untyped-def]
    _, _, solution = sample
    assert solution.converged.all()
    assert solution.residual_lpm.max() <= 1e-6


def test_agrees_with_an_independent_solution(sample, packer_solver: SteadySolver) -> None:  # type: ignore[no-untyped-def]
    """scipy.optimize.root from another start: 0.1 % or 0.05 bar."""
    states, cases, solution = sample
    network = packer_solver.network
    n = network.unknown_count
    hydraulic = [i for i in range(n) if network.domains[i] == "hydraulic"]
    compared = 0
    for b in range(0, 600, 12):
        start = solution.across[:n, b] * 1.02 + 0.01
        found = scipy_solution(packer_solver, cases, states, b, start)
        if not found.success:
            continue
        compared += 1
        ours = solution.across[hydraulic, b]
        gap = np.abs(found.x[hydraulic] - ours)
        assert (gap <= np.maximum(0.05, 1e-3 * np.abs(ours))).all()
    assert compared >= 30


def test_warm_start_and_lanes_do_not_change_the_answer(  # type: ignore[no-untyped-def]
    sample, packer: Circuit, packer_solver: SteadySolver
) -> None:
    states, cases, solution = sample
    n = packer_solver.network.unknown_count
    other = SteadySolver(packer_solver.network, Options(lanes=(16,), threads=1))
    again = other.solve(states, cases, solution.across[:n] + 0.5)
    np.testing.assert_allclose(again.across, solution.across, rtol=1e-4, atol=5e-3)


def test_same_input_gives_the_same_bits(
    sample, packer: Circuit, packer_solver: SteadySolver
) -> None:  # type: ignore[no-untyped-def]
    states, cases, solution = sample
    again = SteadySolver(Network(packer)).solve(states, cases)
    assert np.array_equal(again.across, solution.across)


def test_what_does_not_settle_is_flagged_and_stays_finite(
    packer: Circuit, packer_solver: SteadySolver
) -> None:
    hasty = SteadySolver(packer_solver.network, Options(rounds=(Rule(1.5, 1.5, 3),)))
    states = [packer_solver.network.state(packer.states["blade_extend_stalled"])]
    nothing = Cases.as_documented(1)
    solution = hasty.solve(states, nothing)
    assert not solution.converged[0]
    assert solution.residual_lpm[0] > 1e-6
    assert np.isfinite(solution.across).all()


def test_one_impossible_member_does_not_spoil_the_batch(
    packer: Circuit, packer_solver: SteadySolver
) -> None:
    network = packer_solver.network
    states = [network.state(packer.states["neutral_rated"])]
    slot = network.slot["pump.displacement_cm3"]
    cases = Cases(
        np.zeros(3, dtype=np.intp), np.full((3, 1), slot), np.array([[51.0], [np.nan], [51.0]])
    )
    solution = packer_solver.solve(states, cases)
    assert solution.converged.tolist() == [True, False, True]
    assert np.array_equal(solution.across[:, 0], solution.across[:, 2])


def test_assembled_derivatives_are_exact(sample, packer_solver: SteadySolver) -> None:  # type: ignore[no-untyped-def]
    """The whole matrix against differences of the whole residual, at solved and unsolved points."""
    states, cases, solution = sample
    network, s = packer_solver.network, packer_solver.structure
    n = network.unknown_count
    part = cases.part(slice(0, 3))
    parameters = packer_solver.parameters_of(states, part)
    env = np.array([[states[i].viscosity_mm2_s for i in part.state]])
    across = solution.across[:, :3] + 0.37
    pairs = {}
    for rows, slots in zip(s.rows_of, s.slots_of, strict=True):
        for member, places in zip(rows, slots, strict=True):
            for a, i in enumerate(member):
                for c, j in enumerate(member):
                    if places[a, c] >= 0:
                        pairs[int(i), int(j)] = int(places[a, c])
    _, values = packer_solver.linearise(across, parameters, env)
    for column in range(n):
        step = 1e-6
        up, down = across.copy(), across.copy()
        up[s.order[column]] += step
        down[s.order[column]] -= step
        numeric = (
            packer_solver.linearise(up, parameters, env)[0]
            - packer_solver.linearise(down, parameters, env)[0]
        ) / (2 * step)
        exact = np.array(
            [values[pairs[r, column]] if (r, column) in pairs else np.zeros(3) for r in range(n)]
        )
        assert np.abs(numeric - exact).max() < 2e-3 * (1 + np.abs(exact).max())


def test_sensitivities_match_solving_again(packer: Circuit, packer_solver: SteadySolver) -> None:
    network = packer_solver.network
    unknowns = unknowns_of(network)
    states = [network.state(packer.states["blade_extend_stalled"])]
    nothing = Cases.as_documented(1)
    base = packer_solver.solve(states, nothing)
    slopes = packer_solver.sensitivities(
        states, nothing, base.across, unknowns.slot, 1e-3 * unknowns.sigma
    )
    for key in ("main_relief.set_bar", "pump.displacement_cm3", "pump.leakage_lpm_per_bar"):
        u = unknowns.keys.index(key)
        value = network.parameters[unknowns.slot[u]].value
        ends = []
        for sign in (1, -1):
            changed = Cases(
                np.zeros(1, dtype=np.intp),
                np.array([[unknowns.slot[u]]]),
                np.array([[value + sign * 0.2 * unknowns.sigma[u]]]),
            )
            ends.append(packer_solver.solve(states, changed).across)
        numeric = (ends[0] - ends[1]) / (0.4 * unknowns.sigma[u])
        n = network.unknown_count
        np.testing.assert_allclose(slopes[u, :, 0], numeric[:n, 0], rtol=0.02, atol=2e-3)


def test_some_sensitivities_are_those_among_all(
    packer: Circuit, packer_solver: SteadySolver
) -> None:
    network, nothing = packer_solver.network, Cases.as_documented(1)
    unknowns = unknowns_of(network)
    state = [network.state(packer.states["blade_extend_stalled"])]
    across = packer_solver.solve(state, nothing).across
    asked = state, nothing, across, unknowns.slot, 1e-3 * unknowns.sigma
    every = packer_solver.sensitivities(*asked)
    rows = np.array([7, 2, network.unknown_count - 1])
    np.testing.assert_array_equal(packer_solver.sensitivities(*asked, rows), every[:, rows])
    assert packer_solver.sensitivities(*asked, rows[:0]).shape == (len(every), 0, 1)
    per = np.arange(1.0, len(every) + 1.0)[:, None]
    wider = packer_solver.sensitivities(*asked, None, per)
    np.testing.assert_allclose(wider, every * per[:, None], rtol=1e-6)


def test_a_machine_whose_answers_are_no_numbers_is_told_of(
    packer: Circuit, packer_solver: SteadySolver
) -> None:
    network, twice = packer_solver.network, Cases.as_documented(1).part(np.array([0, 0]))
    unknowns = unknowns_of(network)
    state = [network.state(packer.states["blade_extend_stalled"])]
    across = packer_solver.solve(state, twice).across
    across[0, 1] = np.nan
    found = packer_solver.sensitivities(state, twice, across, unknowns.slot, 1e-3 * unknowns.sigma)
    assert np.abs(found[..., 0]).max() < NO_ANSWER
    assert found[..., 1].max() == NO_ANSWER


def test_sensitivities_to_engine_speed_and_oil_match_solving_again(
    packer: Circuit, packer_solver: SteadySolver
) -> None:
    network, nothing = packer_solver.network, Cases.as_documented(1)
    state = network.state(packer.states["blade_extend_free"])
    base = packer_solver.solve([state], nothing)
    none = np.zeros(0, dtype=np.intp), np.zeros(0)
    slopes = packer_solver.sensitivities([state], nothing, base.across, *none)
    share = 0.005

    def change(made: Callable[[float], SolvableState]) -> Array:
        ends = [packer_solver.solve([made(1 + s)], nothing).across[:, 0] for s in (share, -share)]
        result: Array = ((ends[0] - ends[1]) / (2 * share))[: network.unknown_count]
        return result

    faster = change(lambda f: replace(state, boundary=state.boundary * f))
    thicker = change(lambda f: replace(state, viscosity_mm2_s=state.viscosity_mm2_s * f))
    assert np.abs(faster).max() > 10.0
    assert np.abs(thicker).max() > 0.5
    np.testing.assert_allclose(slopes[0, :, 0], faster, rtol=0.02, atol=0.02)
    np.testing.assert_allclose(slopes[1, :, 0], thicker, rtol=0.02, atol=0.02)


def test_a_shaft_that_nothing_holds_follows_the_engine_through_a_coupling_that_slips() -> None:
    """The two differ by a thousandth of a turn a minute: a wider step tells of another machine."""
    circuit = load_circuit("loading_ramp")
    solver = SteadySolver(Network(circuit))
    network, population = solver.network, single_faults(solver.network)
    state = network.state(circuit.states["neutral"])
    h = [x.key for x in population.hypotheses].index("drive_two:slips")
    cases = population.cases(0, 50.0).part(population.members[h])
    row = network.net_index[circuit.test_point("speed_two").net]
    across = solver.solve([state], cases).across
    assert across[row].min() > 1599.0
    none = np.zeros(0, dtype=np.intp), np.zeros(0)
    slopes = solver.sensitivities([state], cases, across, *none, np.array([row]))
    np.testing.assert_allclose(slopes[0, 0], across[row], rtol=2e-3)


def test_elimination_order_fills_little(packer_solver: SteadySolver) -> None:
    s = packer_solver.structure
    assert s.slot_count <= 1.2 * s.original_count


def test_state_names_what_the_circuit_lacks(packer_solver: SteadySolver) -> None:
    from umweg.core.errors import StateError

    wrong = MachineState.model_validate(
        {
            "label": "wrong",
            "moves": {"crane": "up", "blade": "sideways"},
            "interventions": [{"point": "return_gauge", "kind": "cap"}],
        }
    )
    with pytest.raises(StateError) as caught:
        packer_solver.network.state(wrong)
    text = str(caught.value)
    assert "no function “crane”" in text
    assert "no move “sideways” (has extend, retract)" in text
    assert "cap at “return_gauge”" in text


@pytest.mark.parametrize("lanes", [(64, 16, 4), (16,), (4,), (128, 8)], ids=str)
def test_width_of_the_lanes_does_not_change_the_answer(  # type: ignore[no-untyped-def]
    sample, packer_solver: SteadySolver, lanes: tuple[int, ...]
) -> None:
    """Refilled, left dry and carried on in a narrower block: the same machine, the same state."""
    states, cases, solution = sample
    for threads in (1, 2):
        other = SteadySolver(packer_solver.network, Options(lanes=lanes, threads=threads))
        again = other.solve(states, cases)
        assert again.converged.all()
        np.testing.assert_allclose(again.across, solution.across, rtol=1e-4, atol=5e-3)


def test_a_careful_rule_takes_what_the_bold_one_leaves(  # type: ignore[no-untyped-def]
    sample, packer_solver: SteadySolver
) -> None:
    """With the bold rule cut to two iterations everything goes through the later rules."""
    states, cases, solution = sample
    rules = (
        Rule(1.5, 10.0, 2),
        Rule(1.5, 1.5, 3, fresh=True),
        Rule(1.2, 10.0, 400, fresh=True, from_rest=True),
    )
    again = SteadySolver(packer_solver.network, Options(rounds=rules)).solve(states, cases)
    assert again.converged.mean() > 0.95
    assert again.iterations.min() >= 6
    fine = again.converged
    np.testing.assert_allclose(
        again.across[:, fine], solution.across[:, fine], rtol=1e-4, atol=5e-3
    )


def test_oil_parts_instead_of_falling_below_absolute_zero(packer_solver: SteadySolver) -> None:
    """The blade pulled out by its load with the port relief shut and the feed stopped."""
    network = packer_solver.network
    state = MachineState(label="pulled", engine="off")
    solvable = network.state(state)
    slot = network.slot["blade_load.force_n"]
    cases = Cases(np.zeros(1, dtype=np.intp), np.array([[slot]]), np.array([[-150000.0]]))
    solution = packer_solver.solve([solvable], cases)
    assert solution.converged[0]
    low = packer_solver.cavitating(solution.across[:, 0])
    assert "blade_cap" in low
    assert solution.across[network.net_index["blade_cap"], 0] > -1.6


def test_memory_of_ten_thousand_candidates_stays_small(packer_solver: SteadySolver) -> None:
    """10,000 cases of the packer truck in well under 500 MB of arrays."""
    network = packer_solver.network
    states = [network.state(s) for s in network.circuit.states.values()]
    cases = random_cases(network, len(states), 10000, np.random.default_rng(3))
    tracemalloc.start()
    packer_solver.solve(states, cases)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 100e6
