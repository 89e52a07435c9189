"""Words beside how a function moves are weighed by what of the solved machine makes them."""

from functools import cache
from typing import get_args

import numpy as np
import pytest

from umweg.core.components import component_types
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.observe.kinds.behaviours import Behaviour
from umweg.core.observe.kinds.remarks import (
    IN_TIME,
    REMARKS,
    STEADY,
    Heard,
    Remark,
    Remarked,
    either,
    new,
)
from umweg.library import load_circuit

EVERY = sorted(component_types())


@cache
def doctor(name: str) -> Diagnostician:
    return Diagnostician.of(load_circuit(name), [])


def told(name: str, function: str, move: str, remark: Remark) -> dict[str, float]:
    """How often a word is told, by fault at its worst, the sound machine among them."""
    predictor = doctor(name).predictor
    sight, row = Remarked.of(remark, function, move, "warm")
    said, population = sight.probability(predictor)[row], predictor.population
    return {
        h.key: float(said[rows].max())
        for h, rows in zip(population.hypotheses, population.members, strict=True)
    }


def shares(name: str, *words: str) -> dict[str, float]:
    how, *also = words
    seen = Behaviour.model_validate(
        {"id": "w", "function": "blade", "move": "extend", "how": how, "also": also}
    )
    ranking, predictor = doctor(name).rank([seen])
    hypotheses = predictor.population.hypotheses
    return {h.key: float(s) for h, s in zip(hypotheses, ranking.shares, strict=True)}


def test_every_word_is_declared_once() -> None:
    assert tuple(REMARKS) == get_args(Remark)
    assert {*STEADY, *IN_TIME} == set(REMARKS)
    assert all(0.0 < kind.imagined < kind.told < 1.0 for kind in REMARKS.values())
    assert len({kind.words for kind in REMARKS.values()}) == len(REMARKS)


@pytest.mark.parametrize("name", EVERY)
def test_faults_are_remarked_in_words_that_there_are(name: str) -> None:
    for mode in component_types()[name].fault_modes:
        assert set(mode.remarks) <= set(REMARKS), mode.name


@pytest.mark.parametrize("remark", REMARKS)
def test_of_a_sound_machine_a_word_is_only_imagined(remark: Remark) -> None:
    of = told("packer_truck", "tailgate", "raise", remark)
    assert of["healthy"] == pytest.approx(REMARKS[remark].imagined)
    assert all(
        REMARKS[remark].imagined - 1e-9 <= said <= REMARKS[remark].told for said in of.values()
    )


def test_a_pump_howls_that_draws_more_than_it_gets_or_air() -> None:
    whines = told("packer_truck", "blade", "extend", "whines")
    loud = {key for key, said in whines.items() if said > 0.3}
    assert {"suction_screen:clogged", "tank:pickup_blocked", "pump:draws_air"} <= loud
    assert not {k for k in loud if k.startswith(("main_relief", "blade", "tailgate"))}


def test_oil_squeals_where_it_is_throttled_and_belts_that_slip() -> None:
    squeals = told("packer_truck", "tailgate", "raise", "squeals")
    assert squeals["main_relief:set_low"] > 0.3
    assert squeals["pto:slips"] > 0.3
    assert squeals["suction_screen:clogged"] < 0.1
    hisses = told("packer_truck", "tailgate", "raise", "hisses")
    assert hisses["pto:slips"] < 0.1, "a clutch is no jet of oil"


def test_who_binds_jerks_where_it_has_a_share_in_the_move() -> None:
    raised = told("packer_truck", "tailgate", "raise", "jerky")
    assert raised["tailgate_load:binding"] > 0.4
    assert raised["blade_load:binding"] == pytest.approx(REMARKS["jerky"].imagined)
    assert told("packer_truck", "blade", "extend", "jerky")["blade_load:binding"] > 0.4


def test_heat_is_what_is_lost_on_the_way() -> None:
    hot = told("packer_truck", "tailgate", "raise", "hot")
    assert hot["tailgate_left:piston_bypass"] > 0.3
    # Who does not move at all lets the oil run round.
    assert hot["tailgate_section:linkage_off"] < hot["tailgate_left:piston_bypass"] - 0.1


def test_what_hangs_off_its_middle_goes_on_and_what_leaks_only_sinks() -> None:
    goes_on = told("packer_truck", "tailgate", "raise", "will_not_stop")
    assert goes_on["tailgate_section:stuck_shifted"] > 0.5
    assert goes_on["load_holding:seat_leaks"] == pytest.approx(REMARKS["will_not_stop"].imagined)
    moves = told("packer_truck", "tailgate", "raise", "by_itself")
    assert moves["tailgate_section:stuck_shifted"] > 0.5
    assert moves["load_holding:seat_leaks"] > 0.5
    assert moves["main_relief:set_low"] < 0.05


def test_a_brake_that_is_fed_through_a_small_hole_lets_go_late() -> None:
    late = told("dumper_interlock", "release", "release", "releases_late")
    assert late["branch_check:screen_blocked"] > 0.4
    assert late["tracks:overloaded"] < 0.05


def test_what_is_said_beside_it_parts_who_look_alike() -> None:
    plain, howls, squeals = (
        shares("packer_truck", "slow", *also) for also in ((), ("whines",), ("squeals",))
    )
    assert howls["suction_screen:clogged"] > 1.8 * plain["suction_screen:clogged"]
    assert squeals["suction_screen:clogged"] < plain["suction_screen:clogged"]
    assert squeals["blade_load:binding"] > plain["blade_load:binding"]


def test_two_words_count_one_after_the_other_and_are_read_back() -> None:
    packer = doctor("packer_truck")

    def fit(*also: str) -> np.ndarray:  # type: ignore[type-arg]
        seen = Behaviour.model_validate(
            {"id": "w", "function": "blade", "move": "extend", "how": "slow", "also": also}
        )
        assert type(seen).model_validate_json(seen.model_dump_json()) == seen
        return seen.weigh(packer.exhibits, ()).log_likelihood

    alone = fit()
    both = fit("whines", "hot")
    assert both - alone == pytest.approx((fit("whines") - alone) + (fit("hot") - alone))


def test_new_is_what_the_sound_machine_does_not_do_as_well() -> None:
    chance = np.array([0.5, 0.5, 0.75, 1.0, 0.1])
    assert new(chance) == pytest.approx([0.0, 0.0, 0.5, 1.0, 0.0])
    assert either(np.array([0.5]), np.array([0.5])) == pytest.approx([0.75])


def test_heat_is_driven_power_less_what_the_load_takes() -> None:
    """Closed form: with nothing commanded all that drives the pump ends as heat."""
    predictor = doctor("packer_truck").predictor
    heard = Heard(predictor, "tailgate", "raise", "warm")
    across = predictor[heard.let_go].healthy
    index = predictor.network.net_index
    pump = predictor.circuit.component("pump")
    ports = pump.connections
    drop_bar = across[index[ports["outlet"]]] - across[index[ports["inlet"]]]
    flow_lpm = pump.parameters["displacement_cm3"] * across[index[ports["shaft"]]] / 1000.0
    ideal_kw = drop_bar * flow_lpm / 600.0
    assert heard.heat_kw(heard.let_go)[0] == pytest.approx(ideal_kw, rel=0.35)
    assert heard.heat_kw(heard.let_go)[0] >= ideal_kw * 0.95
