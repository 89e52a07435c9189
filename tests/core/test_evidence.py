"""Words that may be the wrong ones, gauges with offsets, looks seen the right way round."""

import numpy as np
import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.evidence import CLASSES, WRONG_STORY, believe
from umweg.core.observe.exhibits import Played
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.behaviours import (
    BEHAVIOURS,
    HEARD,
    NEIGHBOURS,
    NEXT_WORD_SHARE,
    Behaviour,
    Spoken,
)
from umweg.core.observe.kinds.indicators import IndicatorLook
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.quantities import Quantity
from umweg.core.observe.weights import Told, gauge_sd, noise_sd
from umweg.library import load_circuit

BAR = Quantity("pressure_bar", "p")


def gauge(high: float, low: float = 0.0) -> Instrument:
    return Instrument.model_validate(
        {"id": "g", "label": "g", "measures": "pressure", "low": low, "high": high, "unit": "bar"}
    )


def test_every_word_is_heard_as_itself_or_its_neighbour() -> None:
    assert HEARD.sum(axis=0) == pytest.approx(np.ones(len(BEHAVIOURS)))
    assert np.diag(HEARD) == pytest.approx(np.full(len(BEHAVIOURS), 1 - NEXT_WORD_SHARE))
    for true, right in enumerate(BEHAVIOURS):
        for said, word in enumerate(BEHAVIOURS):
            heard = said == true or word in NEIGHBOURS[right]
            assert (HEARD[said, true] > 0) == heard, (right, word)


def test_no_story_puts_anybody_further_behind_than_stories_are_wrong(
    packer_doctor: Diagnostician,
) -> None:
    exhibits = packer_doctor.exhibits
    story = [
        Behaviour(id=f"{f}-{m}", function=f, move=m, how="dead").weigh(exhibits, [])
        for f, m in (("blade", "extend"), ("blade", "retract"), ("tailgate", "raise"))
    ]
    assert all(isinstance(t, Told) and t.story for t in story)
    alone = np.sum([t.log_likelihood for t in story], axis=0)
    assert np.ptp(alone) > 3 * abs(np.log(WRONG_STORY)) / 2
    prior = exhibits.suspects.population.log_prior
    population = exhibits.suspects.population
    singles = np.flatnonzero(((population.below < 0) & (population.above < 0)).all(axis=1))
    gained = (believe(exhibits.suspects, story).log_weight - prior)[singles]
    assert gained.max() - gained.min() <= -np.log(WRONG_STORY) + 1e-6


def test_slow_and_drifting_is_called_either_and_a_dead_one_is_never_hidden_by_drift(
    packer_doctor: Diagnostician,
) -> None:
    words = packer_doctor.exhibits.seen(Spoken("tailgate", "raise", "warm"))
    assert words.sum(axis=0) == pytest.approx(np.ones(words.shape[1]))
    population = packer_doctor.predictor.population
    h = next(
        i for i, x in enumerate(population.hypotheses) if x.key == "tailgate_left:piston_bypass"
    )
    torn = population.members[h][-1]
    drifts, other = words[BEHAVIOURS.index("drifts"), torn], words[:4, torn].sum()
    assert other > 0.5 > drifts > 0.05


def test_who_is_taken_back_by_its_load_is_dead_not_reversed() -> None:
    doctor = Diagnostician.of(load_circuit("dumper_interlock"), [])
    population = doctor.predictor.population
    words = doctor.exhibits.seen(Spoken("release", "release", "warm"))
    for key in ("seat:never_makes", "supply:fuse_blown"):
        h = next(i for i, x in enumerate(population.hypotheses) if x.key == key)
        worst = population.members[h][-1]
        assert words[BEHAVIOURS.index("dead"), worst] > 0.9, key
        assert words[BEHAVIOURS.index("reversed"), worst] < 0.05, key


def test_a_fine_gauge_tells_a_slight_vacuum_from_a_bad_one() -> None:
    assert noise_sd(BAR, -0.06, gauge(1.5, -1.0)) < 0.05
    assert noise_sd(BAR, -0.06, None) < 0.05, "who names no gauge took one that fits"
    assert noise_sd(BAR, 180.0, None) == pytest.approx(noise_sd(BAR, 180.0, gauge(250.0)))
    assert noise_sd(BAR, 180.0, gauge(600.0)) > 1.5 * noise_sd(BAR, 180.0, gauge(250.0))


def test_a_gauges_class_is_two_standard_deviations_of_full_scale() -> None:
    assert gauge_sd(BAR, 100.0, gauge(250.0)) == pytest.approx(0.016 / 2 * 250)
    assert gauge_sd(Quantity("speed_mm_s", "f"), 100.0, None) == 0.0


def test_two_readings_off_by_the_same_are_likelier_with_one_gauge_than_with_two(
    packer_doctor: Diagnostician,
) -> None:
    exhibits = packer_doctor.exhibits
    kit = [gauge(250.0), gauge(250.0).model_copy(update={"id": "h"})]
    table = packer_doctor.predictor
    fits = []
    for second in ("g", "h"):
        readings = []
        for name, state, used in (
            ("a", "blade_extend_stalled", "g"),
            ("b", "tailgate_raise_stalled", second),
        ):
            prediction = table[packer_doctor.circuit.states[state]]
            row = prediction.row(Quantity("pressure_bar", "block_gauge"))
            readings.append(
                Reading.model_validate(
                    {
                        "id": name,
                        "point": "block_gauge",
                        "quantity": "pressure_bar",
                        "state": state,
                        "value": float(prediction.mean[row, 0]) + 5.0,
                        "unit": "bar",
                        "instrument": used,
                    }
                ).weigh(exhibits, kit)
            )
        fits.append(believe(exhibits.suspects, readings).log_weight[0])
    assert fits[0] > fits[1]


def test_tripped_is_not_told_as_not_tripped(packer_doctor: Diagnostician) -> None:
    population = packer_doctor.predictor.population
    h = next(i for i, x in enumerate(population.hypotheses) if x.key == "return_filter:clogged")
    worst = population.members[h][-1]
    look = IndicatorLook(id="i", component="return_filter", state="neutral_rated", tripped=True)
    yes = look.weigh(Played(packer_doctor.predictor), []).log_likelihood
    no = look.model_copy(update={"tripped": False}).weigh(packer_doctor.exhibits, [])
    assert yes[worst] > yes[0] + 2
    assert no.log_likelihood[worst] < no.log_likelihood[0] - 1
    assert np.exp(yes) + np.exp(no.log_likelihood) == pytest.approx(np.ones(population.count))


def test_the_classes_of_machines_are_all_there_are() -> None:
    assert sum(share for _, share in CLASSES) == pytest.approx(1.0)
    assert CLASSES[0][0] == 1.0
