"""Types of electric packs, stages, lubrication and regulation, each against its closed form."""

import math

import numpy as np
import pytest

from umweg.core.components import component_type
from umweg.core.components.base import ELECTRIC, evaluate


def through(type_name: str, across: dict[str, float], **k: float) -> dict[str, float]:
    """What flows into each port at these across variables."""
    kind = component_type(type_name)
    values = {**kind.Parameters().model_dump(), **{c.name: c.default for c in kind.commands}, **k}
    x = np.array([across.get(p, 0.0) for p in kind.port_names()]).reshape(1, -1, 1)
    rows = np.array([values[n] for n in kind.parameter_names()]).reshape(1, -1, 1)
    f, _ = evaluate(kind, x, rows, np.array([46.0]))
    return dict(zip(kind.port_names(), f[0, :, 0].tolist(), strict=True))


def test_a_reversible_pump_is_its_own_mirror() -> None:
    forth = through("reversible_pump", {"A": 2.0, "B": 90.0, "shaft": 1800.0})
    back = through("reversible_pump", {"A": 90.0, "B": 2.0, "shaft": -1800.0})
    assert forth["A"] == pytest.approx(back["B"])
    assert forth["B"] == pytest.approx(back["A"])
    assert forth["shaft"] == pytest.approx(-back["shaft"])
    # The side that sucks has to be filled, the other is not asked.
    starved = through("reversible_pump", {"A": -0.85, "B": 90.0, "shaft": 1800.0})
    assert starved["A"] < 0.2 * forth["A"]
    assert through("reversible_pump", {"A": 90.0, "B": -0.85, "shaft": 1800.0})["A"] > 2.0


def amps(volts: float, coil: float, port: str) -> float:
    """Current from a contact to the arm at so many volts between them."""
    across = {"plus": coil, port: volts, "rest": 0.0, "work": 0.0} | {port: volts}
    return through("changeover_relay", across)[port] / ELECTRIC


def test_a_changeover_relay_leaves_one_contact_before_it_makes_the_other() -> None:
    volts = 0.01
    assert amps(volts, 0.0, "rest") == pytest.approx(volts / 0.002)
    assert amps(volts, 0.0, "work") < 1e-6
    assert amps(volts, 12.0, "work") == pytest.approx(volts / 0.002)
    assert amps(volts, 12.0, "rest") < 1e-6
    between = 0.475 * 12.0
    assert max(amps(volts, between, "rest"), amps(volts, between, "work")) < 1e-6


def test_a_pressure_switch_conducts_less_and_less_and_in_time_all_or_nothing() -> None:
    def conductance(bar: float, **k: float) -> float:
        across = {"inlet": 1.0, "outlet": 0.0, "X": bar}
        return through("pressure_switch", across, **k)["inlet"] / ELECTRIC

    whole = 1 / 0.05
    assert conductance(100.0) == pytest.approx(whole)
    assert conductance(154.0) == pytest.approx(whole * math.exp(-6.0), rel=1e-3), "half way"
    assert conductance(161.0) == pytest.approx(whole * math.exp(-12.0), rel=1e-3)
    assert conductance(200.0, switched=1.0) == pytest.approx(whole), "what oil turned decides"
    assert conductance(20.0, switched=1.0, made=0.0) < 1e-6
    assert conductance(200.0, stuck=1.0) == pytest.approx(whole)


@pytest.mark.parametrize(("below", "open_at", "shut_at"), [(0.0, 1.0, 0.5), (1.0, 0.0, 0.5)])
def test_a_stage_valve_opens_on_its_side_of_the_place(
    below: float, open_at: float, shut_at: float
) -> None:
    at = 0.92 if below == 0.0 else 0.06

    def flow(position: float, dp: float = 16.0, **k: float) -> float:
        place = {"opens_at": at, "opens_below": below, "position": position}
        return through("position_valve", {"inlet": dp}, **place, **k)["inlet"]

    assert flow(open_at) == pytest.approx(9 * 4, rel=1e-3)
    assert flow(shut_at) < 1e-3
    assert flow(at) == pytest.approx(0.5 * flow(open_at), rel=1e-3)
    assert flow(shut_at, stuck=1.0) == pytest.approx(9 * 4, rel=1e-3)
    assert flow(open_at, roller=0.0) < 1e-3
    shut = {"opens_at": at, "opens_below": below, "position": shut_at}
    back = through("position_valve", {"outlet": 16.65}, **shut)["outlet"]
    assert back == pytest.approx(14 * math.sqrt(16.0), rel=0.01), "the check lets it back"


def test_the_return_shuttle_opens_the_side_that_does_not_push() -> None:
    found = through("return_shuttle", {"A": 120.0, "B": 9.0})
    assert found["B"] == pytest.approx(4 * 3, rel=2e-3)
    assert found["A"] < 0.01
    level = through("return_shuttle", {"A": 10.0, "B": 10.0})
    assert level["A"] == pytest.approx(level["B"])
    assert level["A"] < 0.01, "shut in the middle"


def test_grease_stands_below_its_yield_and_creeps_by_a_thousandth() -> None:
    def cm3(bar: float) -> float:
        return 1e3 * through("grease_line", {"inlet": bar}, leak_cm3_per_bar=1e-9)["inlet"]

    assert cm3(5.9) == pytest.approx(1e-3 * 0.4 * 5.9, rel=1e-3)
    assert cm3(60.0) - cm3(50.0) == pytest.approx(0.4 * 10, rel=2e-3)
    assert cm3(50.0) == pytest.approx(0.4 * (50 - 6 - 1.55) + 0.02, rel=1e-3)


def test_a_divider_takes_the_sum_of_its_pistons_times() -> None:
    def divided(*outlets: float) -> dict[str, float]:
        across = {"inlet": 60.0, **{f"out_{n}": p for n, p in enumerate(outlets, 1)}}
        return through("progressive_divider", across, bypass_cm3_per_bar=1e-8)

    outlets = (0.0, 10.0, 20.0, 30.0, 5.0, 15.0)
    found = divided(*outlets)
    cycle = sum(1 / 6 / (1.5e-3 * (60 - p - 8 - 2)) for p in outlets)
    assert found["inlet"] == pytest.approx(1 / cycle, rel=1e-3)
    for n in range(1, 7):
        assert found[f"out_{n}"] == pytest.approx(-found["inlet"] / 6, rel=1e-4)
    blocked = divided(0.0, 60.0, 0.0, 0.0, 0.0, 0.0)
    assert blocked["inlet"] < 1e-3 * found["inlet"], "one outlet that takes nothing stops all"


def test_a_sensor_says_half_a_volt_at_nothing_and_nothing_without_supply() -> None:
    def volts(bar: float, supply: float = 12.0, **k: float) -> float:
        """What it settles at, where nothing is drawn from it."""
        at = {"X": bar, "plus": supply, "minus": 0.0}
        out = through("pressure_sensor", {**at, "signal": 0.0}, output_ohm=100.0, **k)["signal"]
        return -out / ELECTRIC * 100.0

    assert volts(0.0) == pytest.approx(0.5)
    assert volts(250.0) == pytest.approx(4.5)
    assert volts(100.0, offset_v=0.8) == pytest.approx(0.5 + 1.6 + 0.8)
    assert volts(100.0, gain=0.5) == pytest.approx(0.5 + 0.8)
    assert volts(100.0, supply=3.0) == 0.0


def test_a_controller_opens_by_what_its_sensor_says_and_shuts_without_it() -> None:
    def flows(signal: float, demand: float = 140.0, supply: float = 12.0) -> tuple[float, float]:
        """Feed into the outlet and what is let to tank, at 160 and 100 bar."""
        across = {"inlet": 160.0, "outlet": 100.0, "signal": signal, "plus": supply}
        found = through("electronic_regulator", across, demand_bar=demand, leak_lpm_per_bar=1e-8)
        return found["inlet"], -found["tank"]

    said = 0.5 + 4 * 100 / 250
    feed, back = flows(said)
    assert feed == pytest.approx(9 * math.sqrt(60), rel=1e-3)
    assert back == 0.0
    feed, back = flows(said, demand=100.0)
    assert feed == pytest.approx(0.5 * 9 * math.sqrt(60), rel=1e-3), "half open at its demand"
    feed, back = flows(said, demand=60.0)
    assert feed < 1e-5
    assert back == pytest.approx(3 * math.sqrt(100), rel=1e-3)
    for signal, supply in ((0.1, 12.0), (said, 3.0)):
        feed, back = flows(signal, supply=supply)
        assert feed < 1e-5
        assert back == pytest.approx(30, rel=1e-3), "no signal or no power: let to tank"


def test_a_reverser_feeds_one_line_and_lets_the_other_back() -> None:
    at = {"P": 101.0, "A": 100.0, "B": 2.0}
    first = through("grease_reverser", at, bypass_cm3_per_bar=1e-8)
    assert first["A"] == pytest.approx(-0.06, rel=1e-3)
    assert first["T"] == pytest.approx(-0.12, rel=1e-3)
    second = through("grease_reverser", at, bypass_cm3_per_bar=1e-8, line_b=1.0)
    assert second["B"] == pytest.approx(-60e-3 * 99, rel=1e-3)
    assert second["T"] == pytest.approx(-60e-3 * 100, rel=1e-3)
    stuck = through("grease_reverser", at, bypass_cm3_per_bar=1e-8, line_b=1.0, shifts=0.0)
    assert stuck == pytest.approx(first)
    # Between its places the pump raises both lines, and neither can go back.
    between = through("grease_reverser", at, bypass_cm3_per_bar=1e-8, between=1.0)
    assert between["A"] == pytest.approx(first["A"])
    assert between["B"] < first["A"] < 0.0
    assert between["T"] == pytest.approx(0.0, abs=1e-9)


def test_a_blown_fuse_carries_nothing_and_a_whole_one_what_it_may() -> None:
    def carried(volts: float, **k: float) -> float:
        return -through("power_supply", {"plus": volts}, **k)["plus"] / ELECTRIC

    assert carried(0.0) == pytest.approx(15.0, rel=1e-3), "a short: what the fuse carries"
    assert carried(0.0, blown=1.0) < 1e-6
