"""Somebody brought the machine: what nobody would notice is seldom the reason."""

import numpy as np
import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.play import complaint
from umweg.core.diagnose.prior import (
    AFTER_WORK,
    BESIDE_WORK,
    PUT_BACK,
    RENEWED,
    UNNOTICED,
    expected_shares,
    experience_of,
    history_factor,
    kind_of,
    log_prior,
    noticed,
    with_pairs,
)
from umweg.core.diagnose.ranking import rank
from umweg.core.diagnose.report import ranking_report
from umweg.core.faults.population import HEALTHY_PRIOR, PAIR_PRIOR, faults_of
from umweg.core.network.network import Network
from umweg.core.observe.exhibits import Played
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.history import EXPECTED_AS, Experience, History
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantities import Quantity
from umweg.library import load_circuit, load_jobs

KIT = load_jobs()[0].instruments


def test_what_is_noticed_gains_and_the_healthy_machine_keeps_its_share(
    packer_doctor: Diagnostician,
) -> None:
    exhibits = packer_doctor.exhibits
    population = exhibits.suspects.population
    seen = noticed(exhibits)
    prior = np.exp(log_prior(exhibits, seen))
    assert prior.sum() == pytest.approx(1.0)
    assert prior[0] == pytest.approx(HEALTHY_PRIOR)
    assert seen.min() >= 0.0
    assert seen.max() <= 1.0
    worn = population.members[
        next(i for i, h in enumerate(population.hypotheses) if h.key == "pump:worn")
    ]
    assert seen[worn[-1]] > 0.95
    assert seen[worn[0]] < 0.6
    gain = prior[worn] / np.exp(population.log_prior[worn])
    assert np.all(np.diff(gain) > -1e-9), "the worse, the likelier it is brought in"
    least = UNNOTICED + (1 - UNNOTICED) * seen[worn[0]]
    assert gain[0] / gain[-1] == pytest.approx(least, rel=0.05)


def test_pairs_are_noticed() -> None:
    assert with_pairs(np.array([0.2, 0.4]), 4).tolist() == [0.2, 0.4, 1.0, 1.0]


@pytest.mark.parametrize(
    ("circuit", "readings"),
    [
        (
            "packer_truck",
            (("block_gauge", "blade_extend_stalled"), ("pump_outlet", "neutral_rated")),
        ),
        ("turf_lift", (("pump_port", "raise_stop"), ("outlet_port", "held"))),
        ("hedge_cutter", (("pump_port", "arm_stop"), ("suction_port", "neutral"))),
        ("sweeper_steering", (("pump_port", "left_stop"), ("pump_port", "idle"))),
    ],
)
def test_a_machine_as_it_should_be_is_not_given_a_part_to_exchange(
    circuit: str, readings: tuple[tuple[str, str], ...]
) -> None:
    doctor = Diagnostician.of(load_circuit(circuit), KIT)
    machine = HiddenMachine(doctor.circuit, (), np.random.default_rng(8), doctor.predictor.solver)
    seen: list[Observation] = complaint(machine)
    gauge = next(i for i in KIT if i.measures == "pressure" and i.high > 200)
    for number, (point, state) in enumerate(readings):
        taken = blank(Quantity("pressure_bar", point), state).witnessed(machine, gauge)
        seen.append(taken.model_copy(update={"id": f"r{number}"}))
    suspects = doctor.diagnose(seen, with_steps=False).suspects
    assert suspects[0].hypothesis.key == "healthy"
    assert suspects[0].share > 1.5 * suspects[1].share
    assert isinstance(doctor.exhibits, Played)


def factor(circuit: str, key: str, hours: float = 0, recent_work: str = "") -> float:
    document = load_circuit(circuit)
    fault = next(f for f in faults_of(Network(document)) if f.key == key)
    return history_factor(document, fault, History(hours=hours, recent_work=recent_work))


def test_what_only_hands_do_is_likely_after_work_on_that_part() -> None:
    crossed = "tailgate_left:hoses_crossed"
    there = factor("packer_truck", crossed, recent_work="Tailgate cylinder resealed.")
    elsewhere = factor("packer_truck", crossed, recent_work="Battery renewed.")
    nobody = factor("packer_truck", crossed)
    assert there == 20.0
    assert elsewhere == 1.0
    assert nobody == 0.2
    pump = "pump:worn"
    assert factor("packer_truck", pump, recent_work="Pump renewed") == 1.0


def test_oil_and_air_come_in_by_work_and_wear_by_hours() -> None:
    assert factor("hedge_cutter", "tank:oil_thin", recent_work="Refilled from a can.") == 6.0
    assert factor("hedge_cutter", "tank:oil_thin", recent_work="Knives changed.") == 1.0
    assert factor("hedge_cutter", "pump:draws_air", recent_work="Hose renewed.") == 2.0
    young, old = (factor("hedge_cutter", "pump:worn", hours=h) for h in (200, 12_000))
    assert young == pytest.approx(0.52)
    assert old == pytest.approx(1.7)
    assert factor("hedge_cutter", "relief:set_low", hours=12_000) == 1.0


def test_the_history_changes_the_ranking_and_the_healthy_share_stays() -> None:
    circuit = load_circuit("packer_truck")
    seen = [
        Behaviour(id="a", function="tailgate", move="raise", how="dead"),
        Behaviour(id="b", function="tailgate", move="lower", how="dead"),
    ]
    shares = []
    for text in ("", "Tailgate cylinder hoses renewed."):
        doctor = Diagnostician.of(circuit, KIT, history=History(recent_work=text))
        ranking, _ = doctor.rank(seen)
        keys = [h.key for h in ranking.population.hypotheses]
        shares.append(ranking.shares[keys.index("tailgate_left:hoses_crossed")])
    assert shares[1] > 4 * shares[0]


def test_after_a_repair_the_machine_is_in_order_as_surely_as_the_decision_was(
    packer_doctor: Diagnostician,
) -> None:
    exhibits = packer_doctor.exhibits
    population = exhibits.suspects.population
    members = {h.key: m for h, m in zip(population.hypotheses, population.members, strict=True)}

    def share(history: History, key: str) -> float:
        return float(np.exp(log_prior(exhibits, history=history))[members[key]].sum())

    repaired = History(renewed=("main_relief",), cured=0.8)
    assert np.exp(log_prior(exhibits, history=repaired)).sum() == pytest.approx(1.0)
    assert share(repaired, "healthy") == pytest.approx(0.8)
    # A second fault may have hidden behind the first, however sure of that one was.
    surest = share(History(renewed=("main_relief",), cured=1.0), "healthy")
    assert surest == pytest.approx(1.0 - PAIR_PRIOR)
    # What was renewed is seldom at fault again; the others keep their order.
    plain = History()
    was = share(plain, "main_relief:set_low") / share(plain, "pump:worn")
    now = share(repaired, "main_relief:set_low") / share(repaired, "pump:worn")
    assert now == pytest.approx(was / 10, rel=1e-6)


def test_a_repair_speaks_of_what_it_would_have_cured_as_often_as_it_was_done() -> None:
    circuit = load_circuit("packer_truck")
    faults = {f.key: f for f in faults_of(Network(circuit))}

    def factor(key: str, *renewed: str) -> float:
        return history_factor(circuit, faults[key], History(renewed=renewed))

    low, dirty = "main_relief:set_low", "main_relief:seat_leaks"
    assert factor(low, low) == factor(dirty, "main_relief") == pytest.approx(RENEWED)
    # A screw that was turned leaves the dirt under the seat; another valve would not.
    assert factor(dirty, low) == 1.0
    assert factor(dirty, "main_relief:wrong_spring") == pytest.approx(RENEWED)
    assert factor(dirty, dirty, dirty) == pytest.approx(RENEWED**2)
    assert factor("pump:worn", low) == 1.0


def test_what_was_renewed_is_less_worn_and_more_often_put_together_wrong() -> None:
    circuit = load_circuit("tail_lift")
    faults = {f.key: f for f in faults_of(Network(circuit))}

    def factor(key: str, *renewed: str) -> float:
        return history_factor(circuit, faults[key], History(renewed=renewed))

    loose, pair = "lift_valve:coil_open", "lift_valve"
    # A plug that was renewed is a plug that was in somebody's hands: no less suspect than another.
    assert factor(loose, loose) == AFTER_WORK["wiring"] * PUT_BACK > 1.0
    assert factor(loose, pair) == factor(loose, loose)
    assert factor("pump:worn", "pump") == RENEWED
    # What hangs on it was off for it; what is on the other side of the machine was not.
    assert factor("pendant_lift:loose", pair) == BESIDE_WORK
    assert factor("tilt_valve:coil_open", pair) == 1.0
    # A screw that was set is set: that is no joint.
    assert factor("relief:set_low", "relief:set_low") == RENEWED


WORN_PUMP = ("fixed_pump", "worn")


def test_what_is_to_be_expected_is_the_whole_of_what_is_brought_in(
    packer_doctor: Diagnostician,
) -> None:
    shares = expected_shares(packer_doctor.exhibits)
    assert sum(shares.values()) == pytest.approx(1.0)
    population = packer_doctor.exhibits.suspects.population
    prior = np.exp(log_prior(packer_doctor.exhibits))
    circuit = packer_doctor.circuit
    mine = [
        members
        for h, members in zip(population.hypotheses, population.members, strict=True)
        if h.faults and kind_of(circuit, h.faults[0]) == WORN_PUMP
    ]
    assert len(mine) == 1
    assert shares[WORN_PUMP] == pytest.approx(prior[mine[0]].sum() / (1.0 - HEALTHY_PRIOR))


def test_a_shop_that_finds_what_is_expected_believes_as_before() -> None:
    (usual,) = experience_of([({WORN_PUMP: 0.25}, [WORN_PUMP] * 1)] * 1)
    assert (usual.found, usual.expected) == (1, 0.25)
    rows = experience_of(
        [({WORN_PUMP: 0.25, ("relief_valve", "set_low"): 0.75}, [WORN_PUMP] * 3), ({}, [])]
    )
    by_kind = {(e.type, e.mode): e for e in rows}
    assert by_kind[WORN_PUMP].found == 3
    assert by_kind[WORN_PUMP].expected == pytest.approx(0.75)
    never = by_kind["relief_valve", "set_low"]
    assert (never.found, never.expected) == (0, pytest.approx(2.25))
    # Posterior mean of a Gamma(α, α) factor after so many Poisson finds.
    assert never.factor == pytest.approx(EXPECTED_AS / (EXPECTED_AS + 2.25))
    assert Experience(type="a", mode="b", found=4, expected=4.0).factor == 1.0


def test_finds_move_the_odds_by_their_factor_and_nothing_else(
    packer_doctor: Diagnostician,
) -> None:
    exhibits, circuit = packer_doctor.exhibits, packer_doctor.circuit
    often = Experience(type=WORN_PUMP[0], mode=WORN_PUMP[1], found=9, expected=1.0)
    assert often.factor == pytest.approx(3.0)
    before = np.exp(log_prior(exhibits))
    after = np.exp(log_prior(exhibits, history=History(experience=(often,))))
    population = exhibits.suspects.population
    is_worn = np.array(
        [
            bool(h.faults) and kind_of(circuit, h.faults[0]) == WORN_PUMP
            for h in population.hypotheses
        ]
    )[population.hypothesis]
    healthy = population.hypothesis == 0
    others = ~is_worn & ~healthy
    assert after[healthy] == pytest.approx(before[healthy]), "nothing is learned of no fault"
    assert after.sum() == pytest.approx(1.0)
    odds = after[is_worn].sum() / after[others].sum()
    assert odds == pytest.approx(3.0 * before[is_worn].sum() / before[others].sum())
    assert after[others] / before[others] == pytest.approx(
        after[others].sum() / before[others].sum()
    )


def test_a_suspect_says_what_the_shop_found_where_that_counts(
    packer_doctor: Diagnostician,
) -> None:
    told = [Behaviour(id="a", function="blade", move="extend", how="slow")]
    often = Experience(type=WORN_PUMP[0], mode=WORN_PUMP[1], found=9, expected=1.0)
    hardly = Experience(type="relief_valve", mode="set_low", found=1, expected=0.9)
    history = History(experience=(often, hardly))
    ranking = rank(packer_doctor.exhibits, told, KIT, history=history)
    view = ranking_report(ranking, told)
    (worn,) = [s for s in view.suspects if s.key == "pump:worn"]
    assert len(worn.experience) == 1
    assert "found it 9 times where 1.0 were to be expected" in worn.experience[0]
    assert "3.0 times as likely" in worn.experience[0]
    assert not any(s.experience for s in view.suspects if s.key != "pump:worn")
