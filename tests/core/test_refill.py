"""Draining, flushing, filling and bleeding against pencil and paper."""

import math

import pytest

from umweg.core.errors import StateError
from umweg.core.shop.refill import air_left, bubble_m_s, carries_from_lpm, refill, slug_m_s
from umweg.core.trace.level import drawn_l
from umweg.library import circuit_ids, load_circuit

CART, PACKER = "utility_cart", "packer_truck"


def test_a_hose_holds_its_tube_and_a_cylinder_what_its_posture_asks_for() -> None:
    packer = load_circuit(PACKER)
    hose = packer.component("suction_hose").parameters
    tube = math.pi / 4 * hose["bore_mm"] ** 2 * hose["length_m"] * 1e-3
    stays = {h.component: h.litres for h in refill(packer, 60.0).stays}
    assert stays["suction_hose"] == pytest.approx(tube + 2 * 0.02, rel=1e-6)
    assert "tank" not in stays
    out = {h.component: h.litres for h in refill(packer, 60.0, {"blade": 1.0}).stays}
    left = packer.component("blade_left").parameters
    stroke_dm = packer.function("blade").stroke_mm / 100
    bore, rod = (math.pi / 4 * (left[d] / 100) ** 2 for d in ("bore_mm", "rod_mm"))
    assert out["blade_left"] - stays["blade_left"] == pytest.approx(rod * stroke_dm, rel=1e-6)
    assert stays["blade_left"] == pytest.approx((bore - rod) * stroke_dm + 2 * 0.1 * bore + 0.04)


@pytest.mark.parametrize("name", circuit_ids())
def test_what_a_posture_draws_is_what_the_level_falls(name: str) -> None:
    """Two ways to the same volume: areas that come out, and chambers that fill."""
    circuit = load_circuit(name)
    for f in circuit.functions:
        if f.stroke_mm > 0:
            drawn = refill(circuit, 50.0, {f.id: 1.0}).drawn_l
            if circuit.component(f.actuator).type in ("cylinder", "single_acting_cylinder"):
                assert drawn == pytest.approx(drawn_l(circuit, {f.id: 1.0}), abs=1e-9)


def test_each_fill_leaves_the_share_that_stayed() -> None:
    found = refill(load_circuit(PACKER), 60.0, target=0.01)
    share = found.stays_l / (found.stays_l + 60.0)
    assert found.cycles == pytest.approx([share ** (n + 1) for n in range(len(found.cycles))])
    assert found.cycles[-1] <= 0.01 < found.cycles[-2]
    assert found.fresh_l == pytest.approx(60.0 * len(found.cycles))
    half = refill(load_circuit(PACKER), found.stays_l, target=0.1)
    assert half.cycles == pytest.approx((0.5, 0.25, 0.125, 0.0625)), "as much fresh as stays"


def test_a_drained_volume_that_is_short_says_so() -> None:
    packer = load_circuit(PACKER)
    assert "less ran out" in refill(packer, 60.0, drained_l=45.0).told
    out = refill(packer, 60.0, {"blade": 1.0}, drained_l=60.0 - drawn_l(packer, {"blade": 1.0}))
    assert out.missing_l == pytest.approx(0.0, abs=1e-9)
    assert out.told.startswith("as much")
    assert "more ran out" in refill(packer, 60.0, drained_l=70.0).told
    assert refill(packer, 60.0).missing_l is None


def test_what_lies_before_a_pump_is_filled_before_it_turns() -> None:
    (pump,) = refill(load_circuit(PACKER), 60.0).priming
    assert [h.component for h in pump.fill] == ["pump", "suction_hose", "suction_screen"]
    feeder = {p.pump for p in refill(load_circuit("sludge_feeder"), 200.0).priming}
    assert {"charge_pump", "change_pump"} <= feeder


def test_upward_takes_all_air_along_and_slowly_downward_leaves_some() -> None:
    """A bubble that fills a 4.5 mm pipe rises at 0.345·√(9.807·0.0045) = 72.5 mm/s."""
    assert slug_m_s(4.5) == pytest.approx(0.0725, abs=1e-4)
    # Stokes: g·d²/(18ν) = 9.807·1e-6/(18·12e-6) for 1 mm.
    assert bubble_m_s(1.0, 4.5, 12.0) == pytest.approx(0.0454, abs=1e-4)
    assert bubble_m_s(4.0, 4.5, 12.0) == slug_m_s(4.5), "no faster than one that fills the pipe"
    fast = carries_from_lpm(4.5, 12.0)
    assert fast == pytest.approx(0.0725 * math.pi / 4 * 0.45**2 * 1e-4 * 6e4, rel=1e-3)
    assert air_left(4.5, 0.3, 1e-6, 12.0) == 0.0
    assert air_left(4.5, -0.3, 1.01 * fast, 12.0) == 0.0
    slow, slower = (air_left(4.5, -0.3, f * fast, 12.0) for f in (0.5, 0.1))
    assert 0.5 < slow < slower < 1.0
    down = {b.component: b.carries_from_lpm for b in refill(load_circuit(CART), 0.4).bleeding}
    assert down["main_pipe"] > 0.0
    assert down["left_hose"] == down["right_hose"] == 0.0


@pytest.mark.parametrize(
    ("given", "told"),
    [
        ({"tank_l": 0.0}, "tank"),
        ({"tank_l": 60.0, "posture": {"crane": 1.0}}, "crane"),
        ({"tank_l": 60.0, "posture": {"blade": 1.2}}, "share"),
        ({"tank_l": 60.0, "drained_l": -1.0}, "negative"),
        ({"tank_l": 60.0, "target": 1.0}, "between 0 and 1"),
    ],
)
def test_what_cannot_be_is_refused(given: dict[str, object], told: str) -> None:
    with pytest.raises(StateError, match=told):
        refill(load_circuit(PACKER), **given)  # type: ignore[arg-type]
