"""What the oil's look says of a machine, and what it asks for before anything is tested."""

import numpy as np
import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.question import answer
from umweg.core.faults.population import parse_fault
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.oil import BY_ITSELF, OIL_LOOKS, SURE, Look, OilSeen
from umweg.core.observe.observations import Observation


@pytest.mark.parametrize(
    ("look", "words"), [("milky", "Drain it"), ("metal", "stop the machine"), ("foamy", "suction")]
)
def test_what_must_not_be_run_is_said_before_any_step(
    packer_doctor: Diagnostician, look: str, words: str
) -> None:
    seen: list[Observation] = [Look(id="o", look=look)]  # type: ignore[arg-type]
    (asked,) = answer(packer_doctor, seen).before_tests
    assert words in asked
    # Seen again after it was flushed, and clear: nothing stands in the way any more.
    assert answer(packer_doctor, [*seen, Look(id="p", look="clear")]).before_tests == ()


def test_metal_speaks_for_what_wears_and_not_for_a_screw(packer_doctor: Diagnostician) -> None:
    seen = OilSeen().probability(packer_doctor.predictor)
    assert seen.sum(axis=0) == pytest.approx(1.0)
    population = packer_doctor.predictor.population
    worst = {h.key: m[-1] for h, m in zip(population.hypotheses, population.members, strict=True)}
    metal = seen[OIL_LOOKS.index("metal")]
    assert metal[worst["pump:worn"]] > 5 * metal[worst["main_relief:set_low"]]
    assert metal[worst["main_relief:set_low"]] == pytest.approx(metal[0])
    assert metal[0] < 2 * BY_ITSELF["metal"]


def test_what_wears_slowly_is_seen_only_now_and_then(packer_doctor: Diagnostician) -> None:
    fault = parse_fault(packer_doctor.predictor.network, "pump:worn=0.9")
    looks = [
        Look(id="o", look="clear")
        .witnessed(
            HiddenMachine(
                packer_doctor.circuit,
                [fault],
                np.random.default_rng(seed),
                packer_doctor.predictor.solver,
            )
        )
        .look
        for seed in range(60)
    ]
    # Binomial, 60 machines: two and a half standard deviations.
    assert abs(looks.count("metal") - 60 * SURE["metal"]) < 2.5 * np.sqrt(60 * 0.4 * 0.6)
