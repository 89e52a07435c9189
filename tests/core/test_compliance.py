"""What a solved machine says about its document: unmet, tight, turned round; and what is set."""

from typing import Any

import pytest
from scipy.stats import norm

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.errors import StateError
from umweg.core.faults.population import healthy_only
from umweg.core.network.network import Network
from umweg.core.observe.predict import Predictor
from umweg.core.observe.prediction import SEVERITIES
from umweg.core.observe.quantities import Quantity
from umweg.core.shop.adjust import Difference, adjustment_for
from umweg.core.shop.compliance import (
    findings,
    tight_specifications,
    turned_round,
    unmet_specifications,
    wrong_moves,
)
from umweg.core.shop.verdict import specification_for
from umweg.core.solve.respond import CONDITIONS
from umweg.core.solve.steady import SteadySolver
from umweg.library import load_circuit


def changed(circuit: Circuit, change: Any) -> Circuit:
    document = circuit.model_dump(mode="json")
    change(document)
    return Circuit.model_validate(document)


def specified(circuit: Circuit, low: float | None, high: float | None) -> Circuit:
    """The same with one specification only: the main pressure, with other limits."""

    def change(document: dict[str, Any]) -> None:
        one = next(s for s in document["specifications"] if s["id"] == "main_pressure")
        document["specifications"] = [{**one, "low": low, "high": high}]

    return changed(circuit, change)


def test_a_limit_inside_the_spread_of_good_machines_is_named_with_their_share(
    packer: Circuit,
) -> None:
    predictor = Predictor(packer, healthy_only())
    table = predictor[packer.states["tailgate_raise_stalled"]]
    row = table.row(Quantity("pressure_bar", "block_gauge"))
    mean = table.mean[row, 0]
    sd = float((table.slope[row][: -SEVERITIES - CONDITIONS, 0] ** 2).sum() ** 0.5)
    (found,) = tight_specifications(specified(packer, mean - 5 * sd, mean + sd))
    share = norm.cdf(1.0) - norm.cdf(-5.0)
    assert found.code == "tight"
    assert found.where == "specification main_pressure"
    assert f"only {share:.1%} of healthy machines" in found.message
    assert f"{mean - 2.6 * sd:.4g} … {mean + 2.6 * sd:.4g} bar" in found.hint
    assert tight_specifications(specified(packer, mean - 3 * sd, None)) == []
    assert tight_specifications(specified(packer, None, mean + 3 * sd)) == []


def test_an_unmet_specification_says_what_the_machine_shows(packer: Circuit) -> None:
    (found,) = unmet_specifications(specified(packer, 190, 200))
    assert (found.code, found.where) == ("unmet", "specification main_pressure")
    assert "shows 184" in found.message
    assert found.message.endswith("low against 190 … 200")
    assert findings(specified(packer, 178, 190)) == []


def test_a_check_that_was_drawn_the_wrong_way_is_found_by_turning_it(packer: Circuit) -> None:
    def turn(document: dict[str, Any]) -> None:
        part = next(c for c in document["components"] if c["id"] == "blade_feed_check")
        joins = part["connections"]
        joins["inlet"], joins["outlet"] = joins["outlet"], joins["inlet"]

    wrong = changed(packer, turn)
    assert {p.code for p in wrong_moves(wrong)} == {"wrong_move"}
    (found,) = turned_round(wrong)
    assert found.code == "turned_round"
    assert found.where == "component blade_feed_check"
    assert "points the wrong way" in found.message
    assert "everything is met" in found.message
    assert findings(wrong)[0] == found
    assert turned_round(packer) == []


def test_a_specification_answers_for_its_state_by_name_or_by_what_it_is(packer: Circuit) -> None:
    state = packer.states["tailgate_raise_stalled"]
    named = specification_for(packer, "pressure_bar", "block_gauge", "tailgate_raise_stalled")
    assert named is not None
    assert named.id == "main_pressure"
    assert specification_for(packer, "pressure_bar", "block_gauge", state) == named
    idle = MachineState(label="something else", engine="idle")
    assert specification_for(packer, "pressure_bar", "block_gauge", idle) is None


def test_turns_and_shims_follow_from_the_change_that_is_needed(packer: Circuit) -> None:
    solver = SteadySolver(Network(packer))
    adjuster = packer.component("main_relief").service.adjuster
    assert adjuster is not None
    state = packer.states["tailgate_raise_stalled"]
    reading = Difference(Quantity("pressure_bar", "block_gauge"))
    name = f"main_relief.{adjuster.parameter}"
    low = adjustment_for(solver, state, name, reading, 184.0, [(name, 150.0)])
    assert low.change == pytest.approx(low.value - 150.0)
    assert low.change > 20
    if adjuster.bar_per_turn is not None:
        assert low.turns == pytest.approx(low.change / adjuster.bar_per_turn)
    if adjuster.bar_per_shim is not None:
        assert low.shims == round(low.change / adjuster.bar_per_shim)
    with pytest.raises(StateError, match=r"no parameter “main_relief\.size”"):
        adjustment_for(solver, state, "main_relief.size", reading, 184.0)
    with pytest.raises(StateError, match="something else is wrong"):
        adjustment_for(solver, state, name, reading, 900.0)


def test_the_library_is_not_touched_by_what_is_tried_on_it() -> None:
    before = load_circuit("turf_lift").model_dump_json()
    circuit = load_circuit("turf_lift")
    turned_round(circuit)
    assert circuit.model_dump_json() == before
