"""Proved is what made the case, shown again; nothing less, and nothing by itself."""

from functools import cache

import pytest

from umweg.core.diagnose.proving import proved, sound_by
from umweg.core.observe.exhibits import Played
from umweg.core.observe.kinds.base import Observed
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.indicators import IndicatorLook
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.observations import OBSERVATIONS
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity
from umweg.core.record.proof import Kept, Proof, proof_of
from umweg.library import load_circuit, load_jobs

KIT = load_jobs()[0].instruments
RELIEF = ("blade_relief_a", "set_low")


@cache
def exhibits() -> Played:
    return Played(Predictor.of(load_circuit("packer_truck")))


def blade(how: str, identifier: str, **more: object) -> Behaviour:
    data = {"id": identifier, "function": "blade", "move": "extend", "how": how, **more}
    return Behaviour.model_validate(data)


def m2(value: float, identifier: str, state: str = "blade_extend_stalled") -> Reading:
    return Reading(
        id=identifier,
        point="block_gauge",
        quantity="pressure_bar",
        state=state,
        value=value,
        unit="bar",
    )


def record(*observed: Observed, repaired_after: int) -> tuple[list[Kept], int]:
    """Observations in their order, one entry each, with the repair behind so many of them."""
    sequences = [n if n <= repaired_after else n + 1 for n in range(1, len(observed) + 1)]
    return [Kept(n, o) for n, o in zip(sequences, observed, strict=True)], repaired_after + 1


def judged(*observed: Observed, repaired_after: int, accepted: tuple[str, ...] = ()) -> Proof:
    kept, repaired = record(*observed, repaired_after=repaired_after)
    return proved(exhibits(), KIT, kept, RELIEF, (0, repaired), accepted)


BEFORE = (blade("weak", "told"), m2(133.0, "low"))


def test_a_repair_alone_proves_nothing() -> None:
    proof = judged(*BEFORE, repaired_after=2)
    assert proof.word == "open"
    assert {(a.before, a.why) for a in proof.asked} == {("told", "complaint"), ("low", "spoke")}
    assert all(a.shown == "open" for a in proof.asked)


def test_all_of_it_shown_again_is_proved_and_part_of_it_is_not() -> None:
    half = judged(*BEFORE, m2(184.0, "right"), repaired_after=2)
    assert half.word == "open"
    assert [a.before for a in half.left] == ["told"]
    whole = judged(*BEFORE, m2(184.0, "right"), blade("as_usual", "tried"), repaired_after=2)
    assert whole.word == "proved"
    assert {a.after for a in whole.asked} == {"right", "tried"}


def test_a_move_that_is_tried_by_oneself_answers_a_complaint() -> None:
    tried = blade("as_usual", "tried", told_before="weak")
    assert judged(*BEFORE, m2(184.0, "right"), tried, repaired_after=2).word == "proved"


def test_what_is_still_wrong_contradicts_whatever_else_is_right() -> None:
    proof = judged(*BEFORE, m2(140.0, "still"), blade("as_usual", "tried"), repaired_after=2)
    assert proof.word == "contradicted"
    new = judged(*BEFORE, blade("slow", "now"), repaired_after=2)
    assert new.word == "contradicted"
    assert new.against == ("now",)


def test_a_reading_without_a_specification_counts_where_it_spoke() -> None:
    """An interval or a drift without one is what the customer came for."""
    circuit = load_circuit("packer_truck")
    states = {s.state for s in circuit.specifications if s.point == "block_gauge"}
    free = next(
        name
        for name, state in circuit.undisturbed().items()
        if name not in states and state.moves == {"blade": "extend"}
    )
    sound = sound_by(exhibits(), KIT)
    quantity = Quantity("pressure_bar", "block_gauge")
    healthy = float(exhibits().shown(quantity, circuit.states[free]).mean[0])
    assert sound(m2(healthy, "as it should", free)) is True
    assert sound(m2(0.4 * healthy, "far off", free)) is False


def test_an_accepted_reading_is_settled() -> None:
    out = m2(133.0, "low")
    kept, repaired = record(out, repaired_after=1)
    sound = sound_by(exhibits(), KIT)
    assert proof_of(kept, 0, repaired, (), sound).asked[0].why == "outside"
    assert proof_of(kept, 0, repaired, (), sound, accepted={"low"}).asked == ()


def test_what_nobody_can_judge_is_not_called_shown() -> None:
    kept, repaired = record(m2(133.0, "low"), m2(184.0, "right"), repaired_after=1)
    proof = proof_of(kept, 0, repaired, {"low"}, lambda _: None)
    assert proof.asked[0].shown == "not_known"
    assert proof.word == "open"


def test_only_what_came_since_the_repair_before_is_the_case() -> None:
    kept, repaired = record(*BEFORE, blade("as_usual", "between"), repaired_after=3)
    assert proof_of(kept, 2, repaired, {"told", "low"}, lambda _: None).asked == ()


def test_without_a_case_nothing_is_proved() -> None:
    assert judged(blade("as_usual", "fine"), repaired_after=1).word == "open"


@pytest.mark.parametrize("kind", OBSERVATIONS, ids=lambda k: k.__name__)
def test_each_kind_is_asked_again_with_all_of_its_answers(kind: type[Observed]) -> None:
    if not kind.answered_by:
        return
    field = kind.model_fields[kind.answered_by]
    look = kind.model_construct(id="x", **{kind.answered_by: None})
    found = [getattr(a, kind.answered_by) for a in look.answers()]
    assert len(found) == len(set(found)) >= 2, field


def test_an_indicator_is_asked_again_by_its_two_answers() -> None:
    look = IndicatorLook(id="i", component="return_filter", state="neutral", tripped=True)
    assert [a.tripped for a in look.answers()] == [False, True]
    assert blade("weak", "told").answers() == ()
