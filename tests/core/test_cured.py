"""A hidden machine mended as advised, tried, and diagnosed again until nobody complains of it."""

from dataclasses import replace

import numpy as np
import pytest

from umweg.bench.cured import MOST_REPAIRS, Followed, follow, until_cured
from umweg.bench.isolate import _brought, _met
from umweg.bench.ways import Own
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.worth import try_min
from umweg.core.faults.population import parse_fault
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.observations import Observation
from umweg.library import load_circuit, load_jobs


@pytest.fixture(scope="module")
def turf() -> Diagnostician:
    return Diagnostician.of(load_circuit("turf_lift"), load_jobs()[0].instruments)


def met(turf: Diagnostician, *faults: str) -> tuple[HiddenMachine, list[Observation]]:
    parsed = [parse_fault(turf.predictor.network, fault) for fault in faults]
    return _met(turf, "model", parsed, np.random.default_rng(6))


def test_what_is_mended_is_sound_and_all_else_as_it_was(turf: Diagnostician) -> None:
    machine, _ = met(turf, "pump:worn=0.8", "relief:set_low=0.7")
    worn, low = machine.faults
    half = machine.mended([low])
    assert half.faults == (low,)
    assert [s for s in machine.own if machine.own[s] != half.own[s]] == [worn[0].slot]
    assert half.own[worn[0].slot] == met(turf)[0].own[worn[0].slot]
    assert half.mended([]).own == met(turf)[0].own
    assert machine.faults == (worn, low)


def test_what_hides_behind_a_broken_coupling_is_found_once_that_is_mended(
    turf: Diagnostician,
) -> None:
    machine, seen = met(turf, "coupling:broken=1", "pump:worn=0.8")
    found = follow(machine, seen, Own(turf))
    cured = until_cured(turf, machine, found, _brought)
    assert cured.whole
    assert 2 <= cured.repairs <= MOST_REPAIRS
    assert cured.in_vain == cured.repairs - 2
    assert cured.minutes >= found.minutes + try_min(("pump", "exchange"))
    work = ("coupling", "exchange"), ("pump", "exchange")
    assert cured.money > sum(turf.money.cost(w) for w in work)  # type: ignore[arg-type]


def test_the_wrong_repair_cures_nothing_and_is_counted(turf: Diagnostician) -> None:
    machine, seen = met(turf, "coupling:broken=1")
    found = follow(machine, seen, Own(turf))
    assert found.diagnosis.repairs[0].component_id == "coupling"
    wrong = replace(found.diagnosis.repairs[0], component_id="screen", work="clean", cost=25.0)
    misled = replace(found.diagnosis, repairs=(wrong,))
    cured = until_cured(turf, machine, Followed(misled, 1, 1, 9.0), _brought)
    assert cured.whole
    assert (cured.repairs, cured.in_vain) == (2, 1)


def test_a_machine_in_order_is_given_back(turf: Diagnostician) -> None:
    machine, seen = met(turf)
    found = follow(machine, seen, Own(turf))
    assert not found.diagnosis.suspects[0].hypothesis.faults
    cured = until_cured(turf, machine, found, _brought)
    assert (cured.whole, cured.quiet, cured.repairs, cured.money) == (True, True, 0, 0.0)
    assert cured.minutes == found.minutes
