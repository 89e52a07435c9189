"""Somebody brought the machine: what nobody would notice is seldom the reason."""

import numpy as np
import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.play import complaint
from umweg.core.diagnose.prior import (
    UNNOTICED,
    history_factor,
    log_prior,
    noticed,
    with_pairs,
)
from umweg.core.faults.population import HEALTHY_PRIOR, faults_of
from umweg.core.network.network import Network
from umweg.core.observe.exhibits import Played
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.history import History
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
    assert suspects[0].share > 2 * suspects[1].share
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

    repaired = History(renewed=("main_relief",), cured=0.9)
    assert np.exp(log_prior(exhibits, history=repaired)).sum() == pytest.approx(1.0)
    assert share(repaired, "healthy") == pytest.approx(0.9)
    assert share(History(renewed=("main_relief",), cured=1.0), "healthy") == pytest.approx(0.95)
    # What was renewed is seldom at fault again; the others keep their order.
    plain = History()
    was = share(plain, "main_relief:set_low") / share(plain, "pump:worn")
    now = share(repaired, "main_relief:set_low") / share(repaired, "pump:worn")
    assert now == pytest.approx(was / 10, rel=1e-6)
