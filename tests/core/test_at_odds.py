"""Readings that do not go together are named, both, before anything is made of them."""

import math
from itertools import pairwise

import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.question import answer
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.readings import WRONG_AGAIN, Reading
from umweg.core.observe.observations import Observation
from umweg.library import load_circuit, load_jobs

STATE = "blade_extend_stalled"


@pytest.fixture(scope="module")
def packer() -> Diagnostician:
    kit = tuple(load_jobs()[0].instruments)
    return Diagnostician.of(load_circuit("packer_truck"), kit)


def bar(name: str, value: float, *repeats: float, state: str = STATE) -> Reading:
    return Reading(
        id=name,
        point="pump_outlet",
        quantity="pressure_bar",
        state=state,
        value=value,
        unit="bar",
        repeats=list(repeats),
    )


def test_what_a_machine_shows_alike_is_not_at_odds(packer: Diagnostician) -> None:
    sound = packer.predictor[packer.circuit.states[STATE]]
    row = next(
        i
        for i, q in enumerate(sound.quantities)
        if (q.kind, q.place) == ("pressure_bar", "pump_outlet")
    )
    shown = float(sound.mean[row, 0])
    assert packer.rank([bar("a", shown), bar("b", shown - 1.0)])[0].at_odds == ()
    assert packer.rank([bar("a", shown - 60.0)])[0].at_odds == (), "one alone is news"


def test_two_that_contradict_one_another_are_both_named(packer: Diagnostician) -> None:
    """The same pump at the same stop, 190 bar and then 120: either may be the wrong one."""
    seen: list[Observation] = [bar("a", 190.0), bar("b", 120.0)]
    ranking, _ = packer.rank(seen)
    assert ranking.at_odds == (("a", "b"),)
    (odd,) = answer(packer, seen).at_odds
    assert odd.observations == ["a", "b"]
    assert "190" in odd.words
    assert "120" in odd.words
    assert odd.words.endswith("Read both again before going on.")


def test_one_that_all_others_speak_against_is_named_alone(packer: Diagnostician) -> None:
    seen = [bar("a", 191.0), bar("b", 189.5), bar("c", 192.0), bar("d", 70.0)]
    ranking, _ = packer.rank(seen)
    assert ranking.at_odds == (("d",),)
    (odd,) = answer(packer, seen).at_odds
    assert "Read it again" in odd.words


def test_a_reading_that_was_repeated_is_seldom_outvoted_by_words(packer: Diagnostician) -> None:
    """The more often it was read alike, the less of the belief keeps who does not show it."""
    words = [
        Behaviour(id="w1", function="blade", move="extend", how="weak"),
        Behaviour(id="w2", function="tailgate", move="raise", how="weak"),
    ]
    low, h = (
        [],
        [x.key for x in packer.predictor.population.hypotheses].index("main_relief:set_low"),
    )
    for repeats in ((), (250.0,)):
        ranking, _ = packer.rank([*words, bar("a", 250.0, *repeats)])
        low.append(float(ranking.shares[h]))
    assert all(after < before for before, after in pairwise(low))
    once, twice = (
        bar("a", 250.0, *repeats).weigh(packer.exhibits, ()).log_misread
        for repeats in ((), (250.0,))
    )
    assert math.exp(twice - once) == pytest.approx(WRONG_AGAIN)
    # Who reads 250 and then 150 has not read the same again.
    mean = bar("b", 200.0).weigh(packer.exhibits, ()).log_misread
    assert bar("a", 250.0, 150.0).weigh(packer.exhibits, ()).log_misread == pytest.approx(mean)


def test_what_contradicts_itself_is_read_again_before_anything_else(packer: Diagnostician) -> None:
    twice: list[Observation] = [bar("a", 190.0), bar("b", 120.0)]
    found = packer.diagnose(twice)
    first = found.steps[0]
    # However sure the belief is: with two that contradict one another nothing is decided.
    assert not found.enough
    assert first.asks.topic() == twice[0].topic()
    # The third time settles it: now another step leads, whatever the first two were.
    thrice = [*twice, bar("c", 189.0)]
    assert packer.diagnose(thrice).steps[0].asks.topic() != twice[0].topic()
    # What nobody doubts is not taken again.
    assert all(s.asks.topic() != twice[0].topic() for s in packer.diagnose(twice[:1]).steps)


def test_the_lonely_one_is_read_again_and_not_those_that_agree(packer: Diagnostician) -> None:
    others = [
        bar("a", 191.0, state="blade_extend_stalled"),
        bar("b", 189.0, state="blade_retract_stalled"),
        bar("c", 190.0, state="tailgate_raise_stalled"),
    ]
    odd = Reading(
        id="d",
        point="block_gauge",
        quantity="pressure_bar",
        state="blade_extend_stalled",
        value=70.0,
        unit="bar",
    )
    ranking, _ = packer.rank([*others, odd])
    assert ranking.at_odds
    steps = packer.diagnose([*others, odd]).steps
    assert steps[0].asks.topic() in {o.topic() for o in (others[0], odd)}


def test_a_slip_is_asked_for_whichever_way_a_reading_came_in(packer: Diagnostician) -> None:
    """A file says 2,683 bar where the gauge showed as many psi."""
    slip = bar("a", 2683.0)
    told = [o.words for o in answer(packer, [slip, bar("b", 188.0, state="pump_loaded")]).at_odds]
    assert any("2683 psi, read as bar?" in words for words in told), told
    assert answer(packer, [bar("a", 185.0)]).at_odds == ()
