"""Asking first: what would break, on which machine, and the gentler way."""

import json
from math import pi

import pytest
from typer.testing import CliRunner

from umweg.cli import app
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.may import Permission, may
from umweg.core.diagnose.plan import Planner
from umweg.core.errors import ObservationError, StateError
from umweg.library import load_circuit, load_jobs

KIT = load_jobs()[0].instruments


def asked(circuit: str, state: str, point: str | None = None, **changes: object) -> Permission:
    doctor = Diagnostician.of(load_circuit(circuit), KIT)
    ranking, predictor = doctor.rank([])
    planner = Planner(predictor, ranking, KIT, doctor.money)
    wanted = doctor.circuit.states[state].model_copy(update=changes)
    return may(planner, wanted, point)


def test_the_healthy_machine_is_named_first_when_it_breaks_its_own_parts() -> None:
    answer = asked("hauler_fan", "outlet_plugged")
    assert not answer.allowed
    assert answer.healthy_breaks.startswith("the healthy machine itself would put")
    assert "port B of Fan motor" in answer.healthy_breaks
    assert "rated 60 bar" in answer.healthy_breaks
    assert answer.gentler == ("a gauge at a coupling in the same state, nothing opened",)


def test_what_is_allowed_says_what_it_would_show_and_with_what() -> None:
    answer = asked("turf_lift", "held", "outlet_port")
    assert answer.allowed
    assert answer.healthy_breaks == ""
    assert answer.gentler == ()
    assert answer.shows is not None
    held_bar = 42_000 / (pi / 4 * 85**2) * 10
    assert answer.shows.healthy is not None
    assert answer.shows.healthy.low < held_bar < answer.shows.healthy.high
    assert answer.shows.instrument is not None
    assert answer.shows.instrument.high > (answer.shows.highest_bar or 0) > held_bar - 1
    assert "lower and support" in answer.cautions[0]


def test_half_the_load_on_the_meter_is_gentler_where_it_is_safe() -> None:
    answer = asked("packer_truck", "pump_loaded")
    assert answer.allowed
    state = load_circuit("packer_truck").states["pump_loaded"]
    loaded = [i.model_copy(update={"load_bar": 320.0}) for i in state.interventions]
    refused = asked("packer_truck", "pump_loaded", interventions=loaded)
    assert not refused.allowed
    assert "the same with the load valve at 160 bar" in refused.gentler


def test_what_the_machine_lacks_is_named() -> None:
    with pytest.raises(ObservationError, match="no test point “nose”; the machine has "):
        asked("turf_lift", "held", "nose")
    with pytest.raises(StateError):
        asked("turf_lift", "held", None, moves={"wing": "up"})


def test_the_command_answers_in_words_and_in_json() -> None:
    words = CliRunner().invoke(
        app, ["may", "turf_lift", "--state", "held", "--point", "outlet_port"]
    )
    assert words.exit_code == 0
    assert words.stdout.startswith("yes\n  caution: Gauge plug of the lift gallery")
    found = CliRunner().invoke(app, ["may", "hauler_fan", "--state", "outlet_plugged", "--json"])
    answer = json.loads(found.stdout)
    assert answer["allowed"] is False
    assert answer["hazard"]["refused"] is True
