"""Every law keeps its band beside a source that nobody here wrote."""

import json

import pytest
from typer.testing import CliRunner

from umweg.cli import app
from umweg.validation import Comparison, Point, comparisons, worked_cases
from umweg.validation.machines import machine, part, steady


@pytest.mark.parametrize("comparison", comparisons(), ids=lambda c: c.name)
def test_a_law_keeps_its_band(comparison: Comparison) -> None:
    assert len(comparison.points) > 1
    outside = [p for p in comparison.points if not comparison.within(p)]
    assert not outside


def test_a_figure_outside_its_band_is_seen() -> None:
    def work() -> list[Point]:
        return [Point("here", 1.06, 1.0), Point("there", 1.04, 1.0)]

    equal = Comparison("n", "l", "s", "bar", 0.05, 0.0, "equal", work)
    assert not equal.holds
    assert equal.worst.at == "here"
    at_most = Comparison(
        "n", "l", "s", "bar", 0.0, 0.01, "at_most", lambda: [Point("x", 1.0, 1.005)]
    )
    assert at_most.holds
    assert not Comparison(
        "n", "l", "s", "bar", 0.0, 0.01, "at_least", lambda: [Point("x", 0.9, 1.0)]
    ).holds


def test_the_command_says_each_law_with_its_figures() -> None:
    done = CliRunner().invoke(app, ["validate", "--json"])
    assert done.exit_code == 0
    rows = [json.loads(line) for line in done.output.splitlines()]
    assert len(rows) == len(comparisons()) + len(worked_cases())
    assert all(r["holds"] and r["source"] for r in rows)


def test_a_closed_loop_pump_without_charge_gives_no_oil() -> None:
    """What it draws has to be there: its low side, cut off, gives it nothing."""
    joins = {"A": "low", "B": "high", "control": "p", "case": "tank", "shaft": "engine"}
    loop = part("loop", "servo_pump", joins, leakage_lpm_per_bar=1e-4)
    relief = part("relief", "relief_valve", {"inlet": "p", "outlet": "tank"}, set_bar=30.0)
    feed = part("feed", "orifice", {"inlet": "tank", "outlet": "low"}, k=1e-3)
    load = part("load", "orifice", {"inlet": "high", "outlet": "tank"}, k=5.0)
    lever = {"run": {"label": "Run", "engine": "rated", "oil_c": 40, "settings": {"loop.lever": 1}}}
    dry = steady(machine([loop, relief, feed, load], states=lever))
    assert dry["low"] > -1.014
    assert 5.0 * max(dry["high"], 0.0) ** 0.5 < 1.0
    feed["parameters"]["k"] = 500.0
    fed = steady(machine([loop, relief, feed, load], states=lever))
    assert 5.0 * fed["high"] ** 0.5 == pytest.approx(90.0, rel=0.03)


def test_a_bypass_that_engine_pump_and_hand_pump_share_takes_both_of_them() -> None:
    """Left open, neither lifts; shut, each does: what fails with both is what they share."""
    joins = {"inlet": "inlet", "outlet": "by_hand"}
    hand = part("hand", "hand_pump", joins, stroke_cm3=40.0)
    checks = [
        part("check_1", "check_valve", {"inlet": "p", "outlet": "common"}),
        part("check_2", "check_valve", {"inlet": "by_hand", "outlet": "common"}),
    ]
    reliefs = [
        part(f"relief_{net}", "relief_valve", {"inlet": net, "outlet": "tank"}, set_bar=180.0)
        for net in ("p", "by_hand")
    ]
    load = part("load", "orifice", {"inlet": "common", "outlet": "tank"}, k=0.05)

    def lifts(open_share: float, engine: str, strokes: float) -> float:
        bypass = part("bypass", "release_valve", {"inlet": "common", "outlet": "tank"})
        settings = {"bypass.open": open_share, "hand.strokes_per_min": strokes}
        state = {"label": "x", "engine": engine, "oil_c": 40, "settings": settings}
        document = machine([hand, *checks, *reliefs, bypass, load], states={"run": state})
        return steady(document)["common"]

    assert lifts(0.0, "rated", 0.0) > 150.0
    assert lifts(0.0, "off", 40.0) > 150.0
    assert lifts(1.0, "rated", 0.0) < 50.0
    assert lifts(1.0, "off", 40.0) < 15.0
