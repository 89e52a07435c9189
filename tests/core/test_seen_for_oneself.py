"""A move that somebody told of, tried by who tests the machine: is it as it was told?"""

import numpy as np
import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.observe.kinds.behaviours import (
    BEHAVIOURS,
    HEARD,
    KEEP_CLEAR,
    REPEATED_SHARE,
    Behaviour,
    How,
    Spoken,
    cautions_of,
    told_of,
)
from umweg.core.observe.observations import Observation
from umweg.core.observe.weights import CONFUSED_SHARE
from umweg.library import load_circuit


@pytest.fixture(scope="module")
def turf() -> Diagnostician:
    return Diagnostician.of(load_circuit("turf_lift"), [])


def word(how: How, before: How | None = None, name: str = "w") -> Behaviour:
    return Behaviour(id=name, function="lift", move="raise", how=how, told_before=before)


def share(turf: Diagnostician, key: str, *seen: Observation) -> float:
    ranking, predictor = turf.rank(seen)
    keys = [h.key for h in predictor.population.hypotheses]
    return float(ranking.shares[keys.index(key)])


@pytest.mark.parametrize("told", ["slow", "as_usual", "dead"])
@pytest.mark.parametrize("seen", ["slow", "as_usual", "reversed"])
def test_both_words_are_of_one_move_that_is_right_or_wrong(
    turf: Diagnostician, told: How, seen: How
) -> None:
    """By exact enumeration of what would be right, which is the same for both."""
    right = turf.exhibits.seen(Spoken("lift", "raise", "warm"))
    first, second = BEHAVIOURS.index(told), BEHAVIOURS.index(seen)
    any_word = CONFUSED_SHARE / len(BEHAVIOURS)
    heard = (1.0 - CONFUSED_SHARE) * HEARD[first] + any_word
    watched = REPEATED_SHARE * (first == second) + (1.0 - REPEATED_SHARE) * HEARD[second]
    together = (right * (heard * ((1.0 - CONFUSED_SHARE) * watched + any_word))[:, None]).sum(0)
    found = [
        Behaviour.weigh(w, turf.exhibits, ()).log_likelihood for w in (word(told), word(seen, told))
    ]
    assert np.exp(sum(found)) == pytest.approx(together)


def test_all_that_can_be_seen_after_a_word_is_something(turf: Diagnostician) -> None:
    each = [word(how, "slow").weigh(turf.exhibits, ()).log_likelihood for how in BEHAVIOURS]
    assert np.exp(each).sum(axis=0) == pytest.approx(np.ones(turf.predictor.population.count))


def test_a_word_that_is_not_so_is_taken_back_and_one_that_is_counts_for_less_again(
    turf: Diagnostician,
) -> None:
    told = word("slow")
    before = share(turf, "healthy", told)
    assert share(turf, "healthy", told, word("as_usual", "slow", "s")) > 4.0 * before
    repeated = share(turf, "healthy", told, word("slow", "slow", "s"))
    somebody_else = share(turf, "healthy", told, word("slow", name="s"))
    assert somebody_else < repeated < before


def test_who_was_told_of_a_move_is_sent_to_try_it_once(turf: Diagnostician) -> None:
    told = word("slow")

    def moves(*seen: Observation) -> dict[str, str]:
        steps = turf.diagnose(seen).steps
        return {s.point: s.point_label for s in steps if s.kind == "behaviour"}

    first = moves(told)
    assert first["lift.raise"].endswith("try it for yourself")
    assert "yourself" not in first.get("lift.lower", "")
    step = next(s for s in turf.diagnose([told]).steps if s.point == "lift.raise")
    answers = [answer.observation for answer, _ in step.outcomes]
    assert all(isinstance(a, Behaviour) and a.told_before == "slow" for a in answers)
    assert sum(chance for _, chance in step.outcomes) == pytest.approx(1.0)
    assert "lift.raise" not in moves(told, word("as_usual", "slow", "s"))


def test_what_is_told_and_what_is_seen_are_two_things_that_are_said_apart(
    turf: Diagnostician,
) -> None:
    told, seen = word("dead"), word("slow", "dead")
    assert told.topic() != seen.topic()
    assert seen.topic() == word("dead", "dead").topic()
    said = seen.words(turf.circuit)
    assert said.endswith("slow, warm oil; seen for oneself, told before: dead")
    assert "told before" not in told.words(turf.circuit)
    assert told_of([told], "dead") == {"lift"}
    assert told_of([told, seen], "dead") == set(), "it moves"


def test_nobody_is_sure_of_a_part_by_a_story_told_twice_over(turf: Diagnostician) -> None:
    seen = [
        Behaviour(id=f"{m}{b}", function="lift", move=m, how="slow", told_before=b)
        for m in ("raise", "lower")
        for b in (None, "slow")
    ]
    assert max(s.share for s in turf.diagnose(seen).suspects) < 0.97


def test_who_tries_a_move_hears_what_its_states_say_of_it(packer_doctor: Diagnostician) -> None:
    told = Behaviour(id="w", function="blade", move="extend", how="slow")
    step = next(s for s in packer_doctor.diagnose([told]).steps if s.point == "blade.extend")
    assert step.cautions == ("Nobody in or near the hopper; the guard stays closed.",)
    assert cautions_of(packer_doctor.circuit, "blade", "nowhere") == (KEEP_CLEAR,)
