"""The maker's band is what sound machines show: inside it nothing is wrong by that, outside it is."""

import numpy as np
import pytest
from scipy import integrate

from umweg.core.circuit.document import Specification
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.observe.bands import Band, band_at, limits_of, of_ends, variances_of
from umweg.core.observe.exhibits import Played
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.predict import Predictor, state_key
from umweg.core.observe.quantities import Quantity
from umweg.core.observe.quantity_kinds import UNIT_OF_KIND
from umweg.core.observe.weights import Measured
from umweg.library import circuit_ids, load_circuit, load_jobs

KIT = load_jobs()[0].instruments
EVERY_RUN = ("mulcher_clutches", "sweeper_steering", "turf_lift")
OTHERS = [
    pytest.param(name, marks=pytest.mark.exhaustive)
    for name in circuit_ids()
    if name not in EVERY_RUN
]
OUTSIDE_SD = 4.0
"""Of the gauge: nearer the edge nobody can tell on which side of it a machine is."""


@pytest.fixture(scope="module", params=[*EVERY_RUN, *OTHERS])
def doctor(request: pytest.FixtureRequest) -> Diagnostician:
    return Diagnostician.of(load_circuit(request.param), KIT)


def reading(spec: Specification, value: float) -> Reading:
    return Reading.model_validate(
        {
            "id": "r",
            "point": spec.point,
            "quantity": spec.quantity,
            "state": spec.state,
            "value": value,
            "unit": UNIT_OF_KIND[spec.quantity],
        }
    )


def leader(doctor: Diagnostician, read: Reading, but: str = "") -> str:
    """Who leads where every move, but for those of one function, is as usual and this was read."""
    usual = [
        Behaviour(id=f"{f.id}.{m}", function=f.id, move=m, how="as_usual")
        for f in doctor.circuit.functions
        for m in f.moves
        if f.id != but
    ]
    ranking, _ = doctor.rank([*usual, read])
    found: str = ranking.keys[int(np.argmax(ranking.shares[: len(ranking.keys)]))]
    return found


def test_inside_its_band_no_reading_makes_a_fault(doctor: Diagnostician) -> None:
    for spec in doctor.circuit.specifications:
        limits = [v for v in (spec.low, spec.high) if v is not None]
        width = limits[-1] - limits[0] if len(limits) > 1 else 0.5 * abs(limits[0])
        for value, inward in zip(
            limits, (1.0, -1.0) if spec.low is not None else (-1.0,), strict=False
        ):
            assert leader(doctor, reading(spec, value + 0.02 * inward * width)) == "healthy", spec


def test_clearly_outside_it_one_is_looked_for(doctor: Diagnostician) -> None:
    asked = 0
    for spec in doctor.circuit.specifications:
        if spec.low is None or spec.high is None:
            continue
        evidence = reading(spec, spec.low).weigh(doctor.exhibits, KIT)
        noise = float(np.sqrt(evidence.noise_sd**2 - evidence.band_sd**2))
        beyond = max(0.1 * (spec.high - spec.low), OUTSIDE_SD * noise)
        if evidence.quantity.compressed or spec.low - beyond <= 0.0:
            continue
        asked += 1
        # Whoever timed a move far too slow does not call it as usual.
        found = leader(doctor, reading(spec, spec.low - beyond), but=spec.point)
        assert found != "healthy", spec
    assert asked > 2


def test_a_bands_density_is_that_of_a_uniform_with_noise_and_is_one_in_all() -> None:
    band = Band("b", 18.0, 24.0, 1.7)
    sd = 0.5

    def density(value: float) -> float:
        return float(np.exp(band.log_share(np.array([value]), np.array([sd]))[0]))

    total, _ = integrate.quad(density, 10.0, 32.0, points=[18.0, 24.0])
    assert total == pytest.approx(1.0, abs=1e-6)
    # In its middle 1/6; at its edge half of that; well beyond as good as nothing.
    assert density(21.0) == pytest.approx(1.0 / 6.0, rel=1e-6)
    assert density(18.0) == pytest.approx(1.0 / 12.0, rel=1e-6)
    assert density(15.0) < 1e-8


def test_a_band_is_as_wide_as_machines_anywhere_in_it_differ_from_the_model() -> None:
    band = of_ends("b", 18.0, 24.0, 22.0, 0.3)
    assert band is not None
    # Uniform: width²/12, and how far its middle is from what the model expects.
    assert band.sd**2 == pytest.approx(36.0 / 12.0 + 1.0 - 0.09)
    assert of_ends("b", 5.0, 5.0, 5.0, 0.1) is None


def test_readings_weighed_alone_have_the_bands_density() -> None:
    circuit = load_circuit("sweeper_steering")
    played = Played(Predictor.of(circuit))
    spec = next(s for s in circuit.specifications if (s.point, s.state) == ("pump_port", "idle"))
    evidence = reading(spec, 4.6).weigh(played, KIT)
    assert evidence.band is not None
    within = evidence.band.log_share(
        np.array([evidence.value]),
        np.array([np.sqrt(evidence.noise_sd**2 - evidence.band_sd**2)]),
    )
    # A sound machine, misreadings apart: 4 % of readings are wrong.
    alone = float(evidence.marginal()[0])
    mixed = np.logaddexp(within[0] + np.log(0.96), evidence.log_misread + np.log(0.04))
    assert alone == pytest.approx(float(mixed), abs=1e-9)


def test_a_place_without_a_band_is_as_the_model_has_it_and_others_are_in_proportion() -> None:
    circuit = load_circuit("mulcher_clutches")
    played = Played(Predictor.of(circuit))
    quantity = Quantity("pressure_bar", "supply_port")
    limits = limits_of(circuit)[("pressure_bar", "supply_port")]
    assert limits == {"neutral_hot": (18.0, 24.0)}
    own = band_at(played, quantity, circuit.states["neutral_hot"])
    other = band_at(played, quantity, circuit.states["travel_on"])
    assert own is not None
    assert other is not None
    assert own.name == other.name
    share = (
        played.shown(quantity, circuit.states["travel_on"]).mean[0]
        / (played.shown(quantity, circuit.states["neutral_hot"]).mean[0])
    )
    assert other.high == pytest.approx(24.0 * share, rel=1e-9)
    assert (
        band_at(played, Quantity("pressure_bar", "suction_port"), circuit.states["neutral"]) is None
    )
    assert variances_of(circuit)[
        ("pressure_bar", "supply_port", state_key(circuit.states["neutral_hot"]))
    ] == pytest.approx(3.0)


def test_two_readings_in_one_band_share_where_the_machine_lies_in_it() -> None:
    """Both low by the same is one thing that is not known, not two."""
    circuit = load_circuit("mulcher_clutches")
    doctor = Diagnostician.of(circuit, KIT)
    spec = next(s for s in circuit.specifications if s.point == "supply_port")
    first = reading(spec, 18.6)
    second = first.model_copy(update={"id": "s", "state": "travel_on", "value": 18.5})
    evidence = [o.weigh(doctor.exhibits, KIT) for o in (first, second)]
    assert all(isinstance(e, Measured) and e.band is not None for e in evidence)
    assert leader(doctor, second) == "healthy"
    ranking, _ = doctor.rank([first, second])
    assert ranking.explained
