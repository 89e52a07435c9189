"""What a machine's own readings say of the numbers in its circuit."""

import copy

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.calibrate import SETTLED_BELOW, calibrate
from umweg.core.faults.population import unknowns_of
from umweg.core.observe.baseline import SETTLED_HOURS
from umweg.core.observe.exhibits import Played
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.history import Earlier, History
from umweg.core.observe.instruments import Instrument
from umweg.core.observe.kinds.readings import Reading, blank
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity
from umweg.core.solve.steady import SteadySolver
from umweg.library import load_jobs

FINE = Instrument.model_validate(
    {
        "id": "fine",
        "label": "Test gauge",
        "measures": "pressure",
        "high": 250,
        "unit": "bar",
        "accuracy_pct": 0.25,
    }
)
KIT = (*load_jobs()[0].instruments, FINE)


@pytest.fixture(scope="module")
def exhibits(packer_predictor: Predictor) -> Played:
    return Played(packer_predictor)


def at_stop(exhibits: Played, off: float) -> Reading:
    found = blank(Quantity.named("pressure_bar", "block_gauge"), "blade_extend_stalled")
    healthy = float(found.weigh(exhibits, KIT).mean[0])
    return found.model_copy(update={"value": healthy + off, "instrument": "fine"})


def history(*readings: Reading, hours: float = 500.0, now: float = 500.0) -> History:
    return History(hours=now, baseline=tuple(Earlier(reading=r, hours=hours) for r in readings))


def test_nothing_read_settles_nothing(exhibits: Played) -> None:
    assert calibrate(exhibits, History(hours=10), KIT) == []


def test_a_relief_read_at_its_stop_is_where_the_gauge_says(exhibits: Played) -> None:
    """One reading y = m + s u + noise: u is s·(y − m)/(Σs² + n²), in standard deviations."""
    reading = at_stop(exhibits, 5.0)
    found = calibrate(exhibits, history(reading), KIT)
    first = found[0]
    assert (first.component, first.unit) == ("main_relief", "bar")
    weighed = reading.weigh(exhibits, KIT).without_band()
    unknowns = unknowns_of(exhibits.suspects.network)
    own = weighed.slope[: len(unknowns.keys), 0]
    day = weighed.slope[len(unknowns.keys) :, 0]
    total = own @ own + day @ day + weighed.noise_sd**2
    i = unknowns.keys.index(f"{first.component}.{first.parameter}")
    assert first.value - first.documented == pytest.approx(
        unknowns.sigma[i] * own[i] * 5.0 / total, rel=1e-6
    )
    assert first.spread == pytest.approx(
        unknowns.sigma[i] * np.sqrt(1.0 - own[i] ** 2 / total), rel=1e-6
    )
    assert first.spread < first.spread_before == pytest.approx(unknowns.sigma[i])
    assert all(s.spread <= SETTLED_BELOW * s.spread_before for s in found)


def test_it_is_known_the_less_the_longer_ago(exhibits: Played) -> None:
    reading = at_stop(exhibits, 5.0)
    fresh = calibrate(exhibits, history(reading), KIT)[0]
    old = calibrate(exhibits, history(reading, hours=0, now=SETTLED_HOURS / 3), KIT)[0]
    assert old.spread > fresh.spread
    assert abs(old.value - old.documented) < abs(fresh.value - fresh.documented)
    assert old.spread < old.spread_before
    assert calibrate(exhibits, history(reading, hours=0, now=20 * SETTLED_HOURS), KIT) == []


def test_the_true_numbers_lie_where_it_says(
    packer: Circuit, packer_solver: SteadySolver, exhibits: Played
) -> None:
    """Over drawn machines the error is as large as the spread that is told for it."""
    errors = []
    for seed in range(12):
        machine = HiddenMachine(packer, (), np.random.default_rng(seed), packer_solver)
        readings = []
        for spec in packer.specifications:
            if spec.quantity not in ("pressure_bar", "speed_mm_s"):
                continue
            instrument = FINE if spec.quantity == "pressure_bar" else None
            asked = blank(Quantity.named(spec.quantity, spec.point), spec.state)
            readings.append(asked.witnessed(copy.copy(machine), instrument))
        for settled in calibrate(exhibits, history(*readings), KIT):
            key = f"{settled.component}.{settled.parameter}"
            unknowns = unknowns_of(packer_solver.network)
            true = machine.own[int(unknowns.slot[unknowns.keys.index(key)])]
            errors.append((settled.value - true) / settled.spread)
    assert len(errors) > 30
    assert 0.6 < float(np.sqrt(np.mean(np.square(errors)))) < 1.3


def test_another_circuits_readings_are_passed_over(exhibits: Played) -> None:
    lost = at_stop(exhibits, 2.0).model_copy(update={"state": "never_described"})
    assert calibrate(exhibits, history(lost), KIT) == []
