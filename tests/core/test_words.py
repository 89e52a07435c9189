"""Several words for one move, and what is weighed together."""

import numpy as np
import pytest
from pydantic import ValidationError

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.network.network import Network
from umweg.core.observe.kinds.behaviours import (
    BEHAVIOURS,
    Behaviour,
    Spoken,
)
from umweg.core.observe.kinds.remarks import REMARKS
from umweg.core.observe.machine import Machine
from umweg.core.observe.moving import behaviour_states
from umweg.core.observe.observations import Observation
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import drift_of
from umweg.library import load_circuit, load_typed


def word(*words: str, move: str = "raise") -> Behaviour:
    how, *also = words
    return Behaviour.model_validate(
        {"id": "w", "function": "lift", "move": move, "how": how, "also": also}
    )


@pytest.fixture(scope="module")
def turf() -> Diagnostician:
    return Diagnostician.of(load_circuit("turf_lift"), [])


def shares(turf: Diagnostician, *seen: Observation) -> dict[str, float]:
    ranking, predictor = turf.rank(seen)
    hypotheses = predictor.population.hypotheses
    return {h.key: float(s) for h, s in zip(hypotheses, ranking.shares, strict=True)}


def log_fit(turf: Diagnostician, seen: Behaviour) -> np.ndarray:  # type: ignore[type-arg]
    return seen.weigh(turf.exhibits, ()).log_likelihood


def test_slow_and_drifting_speaks_for_what_does_both(turf: Diagnostician) -> None:
    """A pump that is worn makes it slow; only oil that goes past the piston makes it sink too."""
    slow, both = shares(turf, word("slow")), shares(turf, word("slow", "drifts"))
    assert both["cylinder:seal_leaks"] > 3.0 * slow["cylinder:seal_leaks"]
    assert both["pump:worn"] < slow["pump:worn"] / 3.0


def test_words_about_speed_leave_open_which_of_them_it_is(turf: Diagnostician) -> None:
    slow, weak = np.exp(log_fit(turf, word("slow"))), np.exp(log_fit(turf, word("weak")))
    either = np.exp(log_fit(turf, word("weak", "slow")))
    assert either == pytest.approx(slow + weak, abs=0.02)
    assert log_fit(turf, word("slow", "weak")) == pytest.approx(log_fit(turf, word("weak", "slow")))


def test_creep_is_weighed_beside_speed_whatever_the_order(turf: Diagnostician) -> None:
    slow, drifts = log_fit(turf, word("slow")), log_fit(turf, word("drifts"))
    for told in (word("slow", "drifts"), word("drifts", "slow")):
        assert log_fit(turf, told) == pytest.approx(slow + drifts)


def test_what_is_said_beside_how_it_moves_is_kept_with_it(turf: Diagnostician) -> None:
    noisy = word("slow", "hot", "noisy")
    assert noisy.words(turf.circuit).endswith("slow, noisy, gets hot, warm oil")
    assert (noisy.hows, noisy.remarks) == (("slow",), ("noisy", "hot"))
    again = type(noisy).model_validate_json(noisy.model_dump_json())
    assert again == noisy


@pytest.mark.parametrize(
    ("words", "why"),
    [
        (("dead", "slow"), "only slow, weak, drifts go together"),
        (("slow", "as_usual"), "only slow, weak, drifts go together"),
        (("slow", "slow"), "told twice"),
        (("slow", "noisy", "noisy"), "told twice"),
        (("slow", "loud"), "also"),
    ],
)
def test_words_that_do_not_go_together_are_refused(words: tuple[str, ...], why: str) -> None:
    with pytest.raises(ValidationError, match=why):
        word(*words)


def test_an_entry_without_further_words_reads_as_before() -> None:
    old = {"kind": "behaviour", "id": "b", "function": "lift", "move": "raise", "how": "slow"}
    assert Behaviour.model_validate(old).also == ()
    assert set(REMARKS).isdisjoint(BEHAVIOURS)


def test_what_is_pressed_against_its_stop_is_not_called_slow() -> None:
    """The sprayer's hold-downs stand at their stops under load: no fault elsewhere makes them slow."""
    predictor = Predictor.of(load_circuit("sprayer_boom"))
    words = Spoken("tip_left", "press", "warm").probability(predictor)
    slow = words[BEHAVIOURS.index("slow")]
    assert slow[0] < 0.05
    elsewhere = [
        int(c)
        for c in range(predictor.population.count)
        if predictor.population.hypotheses[predictor.population.hypothesis[c]].key.startswith(
            ("in_cam:", "wing_load_")
        )
    ]
    assert elsewhere
    assert slow[elsewhere].max() < 0.1


def test_what_always_crept_is_not_said_to_drift() -> None:
    """A word is about change: this winch's brake frees at so little that it crept from new."""
    winch = load_typed("yard_winch")
    own = {"brake": {"free_bar": 0.46}, "valve": {"centre_k": 0.6, "leak_lpm_per_bar": 1.4}}
    network, data = Network(winch), winch.model_dump(mode="json")
    for part in data["components"]:
        for name, share in own.get(part["id"], {}).items():
            documented = network.base_parameters[network.slot[f"{part['id']}.{name}"]]
            part["parameters"][name] = float(documented) * share
    crept = Circuit.model_validate(data)
    machine = Machine(crept)
    drift, limit = drift_of(crept, "winch")
    held = behaviour_states(crept, "winch", "forward", "warm")[-1]
    assert machine.value(drift, held) > limit
    predictor = Predictor.of(crept, shelved=False)
    drifts = BEHAVIOURS.index("drifts")
    itself = Spoken("winch", "forward", "warm").probability(predictor)[drifts]
    document = Spoken("winch", "forward", "warm", "document").probability(predictor)[drifts]
    assert itself[0] < 0.02
    assert document[0] > 0.5
    worn = predictor.population.members[
        [h.key for h in predictor.population.hypotheses].index("hold:seat_leaks")
    ]
    assert itself[worn].max() > 0.1, "what creeps more than it did is said to"
