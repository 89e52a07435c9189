"""A machine's own readings from when it was in order: they bind it, and speak for nobody."""

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.ranking import Ranking, rank
from umweg.core.faults.population import unknowns_of
from umweg.core.observe.baseline import SETTLED_HOURS, weigh_earlier
from umweg.core.observe.exhibits import Played
from umweg.core.observe.history import Earlier, History
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.predict import Predictor
from umweg.library import load_jobs

KIT = load_jobs()[0].instruments
STALLED = "blade_extend_stalled"


def reading(value: float, identifier: str = "r", state: str = STALLED) -> Reading:
    return Reading(
        id=identifier,
        point="block_gauge",
        quantity="pressure_bar",
        state=state,
        value=value,
        unit="bar",
        instrument="gauge_400",
    )


def with_baseline(*earlier: Earlier, hours: float = 1000.0) -> History:
    return History(hours=hours, baseline=earlier)


@pytest.fixture(scope="module")
def exhibits(packer_predictor: Predictor) -> Played:
    return Played(packer_predictor)


def share(ranking: Ranking, key: str) -> float:
    keys = [h.key for h in ranking.population.hypotheses]
    return float(ranking.shares[keys.index(key)])


def ranked(exhibits: Played, now: float | None, history: History) -> Ranking:
    seen = () if now is None else (reading(now),)
    return rank(exhibits, seen, KIT, history=history)


def healthy_bar(exhibits: Played) -> float:
    return float(reading(100.0).weigh(exhibits, KIT).mean[0])


def test_it_speaks_for_nobody_by_itself(exhibits: Played) -> None:
    high = healthy_bar(exhibits) + 6.0
    bare = ranked(exhibits, None, with_baseline())
    known = ranked(exhibits, None, with_baseline(Earlier(reading=reading(high), hours=900)))
    assert known.earlier == 1
    assert known.shares == pytest.approx(bare.shares, abs=1e-9)
    assert known.other_share == pytest.approx(bare.other_share, abs=1e-6)


def test_what_is_expected_follows_a_scalar_kalman_step(exhibits: Played) -> None:
    """Mean ρs²(y − m)/(s² + n²) above the documented, as one reading binds one unknown."""
    off = 4.0
    shown = reading(healthy_bar(exhibits) + off).weigh(exhibits, KIT)
    own = len(unknowns_of(exhibits.suspects.network).keys)
    slope = shown.slope[:, 0]
    s2, day2 = float(slope[:own] @ slope[:own]), float(slope[own:] @ slope[own:])
    rho = np.exp(-500.0 / SETTLED_HOURS)
    earlier = Earlier(reading=reading(float(shown.mean[0]) + off), hours=500)
    weighed = weigh_earlier(earlier, 1000.0, exhibits, KIT)
    noise2 = weighed.noise_sd**2
    assert noise2 == pytest.approx(shown.noise_sd**2 + day2 + (1 - rho**2) * s2, rel=1e-6)
    ranking = ranked(exhibits, None, with_baseline(earlier))
    assert ranking.belief.looseness[0] == 1.0
    mean, variance = ranking.belief.posterior(shown.mean, shown.slope)
    gain = rho * s2 / (rho**2 * s2 + noise2)
    assert mean[0] - shown.mean[0] == pytest.approx(gain * off, rel=1e-6)
    assert variance[0] == pytest.approx(s2 + day2 - gain * rho * s2, rel=1e-6)


def test_a_machine_that_always_was_high_is_not_suspected_for_it(exhibits: Played) -> None:
    # Beyond what the maker allows.
    always = healthy_bar(exhibits) + 18.0
    history = with_baseline(Earlier(reading=reading(always), hours=990))
    without, known = (ranked(exhibits, always, h) for h in (History(hours=1000), history))
    assert share(known, "healthy") > 1.5 * share(without, "healthy")
    # The same machine now reads what the paper says: for this one that is low.
    fallen = healthy_bar(exhibits) - 3.0
    without, known = (ranked(exhibits, fallen, h) for h in (History(hours=1000), history))
    assert share(known, "healthy") < share(without, "healthy")


@pytest.mark.parametrize("loss", ["hours", "renewed"])
def test_hours_and_new_parts_wear_it_away(exhibits: Played, packer: Circuit, loss: str) -> None:
    off = healthy_bar(exhibits) + 5.0
    everything = tuple(c.id for c in packer.components)
    # With another gauge: its own offset would not wear away.
    other = reading(off).model_copy(update={"instrument": "gauge_600"})
    gone = Earlier(
        reading=other,
        hours=0 if loss == "hours" else 990,
        renewed_since=everything if loss == "renewed" else (),
    )
    hours = 60_000.0 if loss == "hours" else 1000.0
    bare = ranked(exhibits, off, History(hours=hours))
    worn = ranked(exhibits, off, with_baseline(gone, hours=hours))
    assert worn.shares == pytest.approx(bare.shares, abs=0.006)
    fresh = ranked(exhibits, off, with_baseline(Earlier(reading=other, hours=hours), hours=hours))
    assert np.abs(fresh.shares - bare.shares).max() > 3 * np.abs(worn.shares - bare.shares).max()


def test_what_the_circuit_does_not_know_any_more_is_passed_over(exhibits: Played) -> None:
    lost = Earlier(reading=reading(150.0, state="never_described"), hours=900)
    ranking = ranked(exhibits, 180.0, with_baseline(lost))
    assert ranking.earlier == 0
    assert not ranking.left_out


def test_it_is_no_reading_of_this_job(exhibits: Played) -> None:
    """An earlier reading that fits badly is neither doubted nor counted as unexplained."""
    wild = Earlier(reading=reading(20.0, identifier="then"), hours=999)
    ranking = ranked(exhibits, healthy_bar(exhibits), with_baseline(wild))
    assert ranking.doubted == frozenset()
    assert ranking.set_aside < 0.01
    assert ranking.explained


def test_a_diagnosis_says_how_many_it_went_by(packer_doctor: Diagnostician) -> None:
    history = with_baseline(Earlier(reading=reading(180.0), hours=900))
    doctor = Diagnostician(packer_doctor.predictor, packer_doctor.instruments, history=history)
    assert doctor.diagnose([reading(120.0)]).earlier_readings == 1
