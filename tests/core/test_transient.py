"""Machines in time against cases that can be written down."""

from collections.abc import Callable
from math import exp, pi, sqrt
from typing import Any

import numpy as np
import pytest
from scipy.integrate import quad, solve_ivp

from tests.core.machines import solver_of
from tests.core.test_closed_form import PUMP_LPM, orifice, relief
from umweg.bench.play import radau
from umweg.core.circuit.document import Circuit
from umweg.core.components.base import Array, ComponentType
from umweg.core.faults.population import parse_fault
from umweg.core.fluid import AIR_POLYTROPIC, ATMOSPHERE_BAR, BULK_MODULUS_BAR, FREE_AIR
from umweg.core.network.check import check_circuit
from umweg.core.network.network import Network
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.core.solve.transient import Accuracy, Curves, Phase, TransientSolver
from umweg.library import load_circuit
from umweg.validation.machines import part

Bench = Callable[..., Circuit]
OFF = {"label": "Stopped", "engine": "off", "oil_c": 40}
RUN = {"label": "Running", "engine": "rated", "oil_c": 40}
LINE_L = 0.25e-3 * pi * 20**2 * 10
"""Ten metres of 20 mm hose."""
QUICK = 0.001
"""A change of commands that takes no time to speak of [s]."""


def hose(identifier: str, a: str, b: str) -> dict[str, Any]:
    """Ten metres of 20 mm: 3.14 L, and no drop to speak of."""
    joins = {"inlet": a, "outlet": b}
    return part(identifier, "line", joins, length_m=10, bore_mm=20, fittings_zeta=0)


def check(identifier: str, a: str, b: str, **parameters: float) -> dict[str, Any]:
    return part(identifier, "check_valve", {"inlet": a, "outlet": b}, **parameters)


def play(
    circuit: Circuit,
    program: list[tuple[str, float]],
    nets: list[str],
    samples: int = 101,
    **options: Any,
) -> Curves:
    """A circuit as documented through named states, from steady in the first."""
    check_circuit(circuit)
    network = Network(circuit)
    steady = SteadySolver(network)
    phases = [Phase(network.state(circuit.states[name]), s, QUICK) for name, s in program]
    nothing = Cases.as_documented(1)
    start = steady.solve([phases[0].state], nothing)
    assert start.converged.all()
    kept = np.array([network.net_index[n] for n in nets])
    accuracy = options.pop("accuracy", None)
    found = TransientSolver(steady, accuracy).play(
        phases, nothing, start=start.across, kept=kept, samples=samples, **options
    )
    assert found.finished.all(), found.reached_s
    return found


def slope_l_per_bar(p: float) -> float:
    """What a litre of oil with its air takes for a bar: the two moduli side by side."""
    air = (ATMOSPHERE_BAR / (ATMOSPHERE_BAR + p)) ** (1 / AIR_POLYTROPIC)
    return 1 / BULK_MODULUS_BAR + FREE_AIR * air / AIR_POLYTROPIC / (ATMOSPHERE_BAR + p)


def trapped(make_bench: Bench, leak: dict[str, Any]) -> Circuit:
    """A hose that the pump fills through a check, with a leak; the engine can be stopped."""
    parts = [relief(200.0), check("hold", "p", "v", leak_lpm_per_bar=1e-7), hose("store", "v", "w")]
    # What the pump's own line holds is gone at once.
    bleed = orifice("bleed", "p", "tank", 0.5)
    return make_bench([*parts, bleed, leak], states={"run": RUN, "off": OFF})


def time_to(curves: Curves, column: int, level: float) -> float:
    """When a falling curve passes a level [s]."""
    values: Array = curves.across[0, :, column]
    return float(np.interp(-level, -values, curves.time_s))


def test_a_trapped_volume_decays_through_an_orifice(make_bench: Bench) -> None:
    """``V·c(p)·dp = −K·√p·dt``: the time from one pressure to another is an integral over p."""
    k = 0.02
    found = play(
        trapped(make_bench, orifice("leak", "w", "tank", k)), [("run", 1), ("off", 60)], ["w"], 601
    )
    volume = LINE_L + 4 * ComponentType.fittings_l
    p0 = float(found.across[0, 0, 0])
    for level in (0.8 * p0, 0.4 * p0, 0.1 * p0):
        seconds = quad(lambda p: 60 * volume * slope_l_per_bar(p) / (k * sqrt(p)), level, p0)[0]
        assert time_to(found, 0, level) - 1.0 == pytest.approx(seconds, rel=0.01, abs=0.05)


def test_a_trapped_volume_decays_through_a_seat_exponentially(make_bench: Bench) -> None:
    """``V·c·dp = −G·p·dt``: at high pressure ``p = p₀·e^(−G·t/(60·V·c))``."""
    leak = check("leak", "tank", "w", leak_lpm_per_bar=2e-4)
    found = play(trapped(make_bench, leak), [("run", 1), ("off", 40)], ["w"], 411)
    p0, p1 = float(found.across[0, 10, 0]), float(found.across[0, 210, 0])
    volume = LINE_L + 4 * ComponentType.fittings_l
    seconds = quad(lambda p: 60 * volume * slope_l_per_bar(p) / (2e-4 * p), p1, p0)[0]
    assert seconds == pytest.approx(20.0, rel=0.01)
    assert p1 < 0.9 * p0
    rate = exp(-2e-4 * 20.0 / (60 * volume * slope_l_per_bar(150.0)))
    assert p1 / p0 == pytest.approx(rate, rel=0.05)


AT_ONCE_S, NEVER_S = 0.0, 1e6
"""How long gas takes to be as warm as its wall."""


@pytest.mark.parametrize(("cooling_s", "exponent"), [(AT_ONCE_S, 1.0), (NEVER_S, 1.4)])
def test_an_accumulator_takes_what_its_gas_gives_way(
    make_bench: Bench, cooling_s: float, exponent: float
) -> None:
    """``V_oil = V·(1 − (p_gas/p)^(1/n))``, absolute, n = 1 as warm as its wall, 1.4 as warm as it
    gets: the pump's flow over it is the time."""
    parts = [*stored(cooling_s), orifice("dump", "s", "tank", 1e-4)]
    circuit = make_bench(parts, states=EMPTY_AT_FIRST)
    found = play(circuit, [("dump", 0.1), ("run", 8)], ["s"], 811)
    values = found.across[0, :, 0]
    for level in (120.0, 200.0):
        ratio = (80 + ATMOSPHERE_BAR) / (level + ATMOSPHERE_BAR)
        oil_l = 4 * (1 - ratio ** (1 / exponent))
        seconds = 60 * oil_l / PUMP_LPM
        assert float(np.interp(level, values, found.time_s)) - 0.1 == pytest.approx(
            seconds, rel=0.02, abs=0.03
        )


def stored(cooling_s: float) -> list[dict[str, Any]]:
    """A store of 4 L at 80 bar that the pump fills through a check."""
    store = part("store", "accumulator", {"port": "s"}, volume_l=4, precharge_bar=80,
                 gas_bar=90, cooling_s=cooling_s)  # fmt: skip
    return [relief(250.0, 0.01), check("hold", "p", "s"), store]


EMPTY_AT_FIRST = {
    "run": {**RUN, "settings": {"store.empty": 1}},
    "dump": {**OFF, "settings": {"store.empty": 1}},
    "rest": {**OFF, "settings": {"store.empty": 1}},
}


def test_gas_that_was_pressed_quickly_cools_down_to_its_wall(make_bench: Bench) -> None:
    """Filled within two seconds, left alone for a minute: heat goes as ``θ' = (1 − θ)/τ − 0.4·θ·V'/V``
    says, by another method; the pressure comes down to Boyle's at the oil that is in it."""
    tau = 6.0
    parts = [*stored(tau), orifice("dump", "s", "tank", 1e-4)]
    circuit = make_bench(parts, states=EMPTY_AT_FIRST)
    found = play(circuit, [("dump", 0.1), ("run", 2.5), ("rest", 60)], ["s"], 1253)
    t, p = found.time_s, found.across[0, :, 0] + ATMOSPHERE_BAR
    filled = PUMP_LPM / 60

    def rate(at: float, x: Array) -> list[float]:
        volume, warm = x
        flow = -filled if 0.1 < at < 2.6 else 0.0
        return [flow, (1 - warm) / tau - 0.4 * warm * flow / volume]

    grid = np.array([0.0, 2.6, 6.0, 12.0, 60.0])
    own = solve_ivp(rate, (0, 60), [4.0, 1.0], t_eval=grid, max_step=0.05, rtol=1e-8).y
    gas_bar = 4 * (80 + ATMOSPHERE_BAR) * own[1] / own[0]
    shown = np.interp(grid, t, p)
    # At the end of filling the pump's own line gives a little after.
    assert shown[1:] == pytest.approx(gas_bar[1:], rel=0.01)
    peak, rest = float(shown[1]), float(shown[-1])
    assert peak > 1.08 * rest
    # A pressure that falls by itself is no leak: as much oil is in it as before.
    assert rest == pytest.approx(4 * (80 + ATMOSPHERE_BAR) / own[0, -1], rel=0.01)


def test_a_header_tank_runs_empty_in_its_time(make_bench: Bench) -> None:
    """``V/p_full·dp = −q(p)·dt``, the orifice being laminar below half a bar: ``K·p/(p² + ¼)^¼``."""
    tank = part(
        "header",
        "header_tank",
        {"feed": "p", "outlet": "h", "overflow": "tank"},
        head_bar=1,
        store_l=5,
    )
    parts = [relief(200.0), tank, orifice("draw", "h", "tank", 5.0)]
    circuit = make_bench(parts, states={"run": RUN, "off": OFF})
    found = play(circuit, [("run", 1), ("off", 120)], ["h"], 1211)
    for p0, p1 in ((0.98, 0.8), (0.8, 0.4)):
        seconds = quad(lambda p: 60 * 5 * (p * p + 0.25) ** 0.25 / (5.0 * p), p1, p0)[0]
        # Some of it leaves by the pump that stands.
        assert time_to(found, 0, p1) - time_to(found, 0, p0) == pytest.approx(seconds, rel=0.02)
    # Full it overflows: above its height it stores nothing.
    assert float(found.across[0, 0, 0]) > 1.0
    assert time_to(found, 0, 0.98) < 3.0


def test_a_header_tank_that_is_not_fed_is_played_until_its_functions_die() -> None:
    """Empty, the pump draws on nothing: what was fed second dies first, and it is told to its end."""
    network = Network(load_circuit("sprayer_feed"))
    steady = SteadySolver(network)
    states = network.circuit.states
    both = {"steering": "working", "lift": "working"}

    def at_idle(steering: str, lift: str) -> Phase:
        moves = {"steering": steering, "lift": lift}
        changed = states["declutched"].model_copy(update={"moves": moves, "loads": both})
        return Phase(network.state(changed), 5.0)

    phases = [Phase(network.state(states["neutral"]), 2.0)]
    phases += [at_idle("left", "raise"), at_idle("right", "lower")] * 12
    nothing = Cases.as_documented(1)
    start = steady.solve([phases[0].state], nothing).across
    kept = np.array([network.net_index[n] for n in ("header_out", "boom", "wheels")])
    found = TransientSolver(steady).play(phases, nothing, start=start, kept=kept, samples=1221)
    assert found.finished.all(), found.reached_s
    boom, wheels = np.abs(found.across[0, :, 1:].T)
    full, empty = found.time_s < 30.0, found.time_s > 40.0
    assert found.across[0, empty, 0].max() < -0.2, "the pump draws on an empty tank"
    assert boom[full].max() > 50.0
    assert boom[empty].max() < 3.0, "dead: what steering leaves is nothing"
    assert 3.0 < np.median(wheels[empty & (wheels > 1.0)]) < 0.1 * wheels[full].max(), "creeps"


def test_what_swings_on_and_on_is_played_to_its_end() -> None:
    """A lowered load behind its holding valve shudders: the step grows before patience ends."""
    network = Network(load_circuit("groomer_drive"))
    steady = SteadySolver(network)
    states = network.circuit.states
    nothing = Cases.as_documented(1)
    begin = network.state(next(iter(network.circuit.steady.values())))
    start = steady.solve([begin], nothing).across
    phases = [Phase(begin, 1.0), Phase(network.state(states["reverse_loaded"]), 20.0)]
    kept = np.array([network.net_index["travel"]])
    found = TransientSolver(steady).play(phases, nothing, start=start, kept=kept)
    assert found.finished.all(), found.reached_s
    settled = steady.solve([phases[1].state], nothing).across[kept[0], 0]
    assert found.across[0, -20:, 0].mean() == pytest.approx(settled, rel=0.1)


def test_the_stages_of_a_telescopic_cylinder_come_out_one_after_the_other(
    make_bench: Bench,
) -> None:
    """Each at ``q/A``, at ``F/A``: the narrowest last, fastest and with the most pressure."""
    ram = part(
        "cylinder", "telescopic_cylinder", {"A": "p", "vent": "tank", "rod": "rod"},
        friction_n=1.0, seal_lpm_per_bar=1e-9,
    )  # fmt: skip
    weight = part("weight", "mechanical_load", {"rod": "rod"}, mass_kg=500)
    lift = {
        "id": "lift", "label": "Lift", "actuator": "cylinder", "stroke_mm": 900, "load": "weight",
        "moves": {"up": {"label": "Up", "commands": {}}}, "loads": {},
    }  # fmt: skip
    loaded = {**RUN, "settings": {"weight.force_n": 30000.0}}
    states = {"rest": {**OFF, "settings": {"weight.force_n": 0.0}}, "up": loaded}
    circuit = make_bench([relief(200.0), ram, weight], states=states, functions=[lift])
    found = play(circuit, [("rest", 0.2), ("up", 60)], ["rod", "p"], 1205, place=np.array([0.0]))
    for place, bore in ((150, 120), (450, 100), (750, 80)):
        area = 0.25e-2 * pi * bore**2
        at = int(np.argmin(abs(found.place_mm[0, :, 0] - place)))
        assert found.across[0, at, 0] == pytest.approx(PUMP_LPM / (0.006 * area), rel=0.02)
        force = 30000 + 10 * found.across[0, at, 0]
        assert found.across[0, at, 1] == pytest.approx(force / (area * 10), rel=2e-3)


def on_a_rod(
    make_bench: Bench, states: dict[str, Any], *parts: dict[str, Any], **load: float
) -> Circuit:
    """A cylinder with a load, and whatever joins its oil."""
    cylinder = part(
        "cylinder", "single_acting_cylinder", {"A": "a", "vent": "tank", "rod": "rod"},
        bore_mm=80, friction_n=1, seal_lpm_per_bar=1e-9,
    )  # fmt: skip
    weight = part("weight", "mechanical_load", {"rod": "rod"}, **load)
    lift = {
        "id": "lift",
        "label": "Lift",
        "actuator": "cylinder",
        "stroke_mm": 600,
        "load": "weight",
        "moves": {"up": {"label": "Up", "commands": {}}},
        "loads": {},
    }
    return make_bench([relief(), cylinder, weight, *parts], states=states, functions=[lift])


def test_a_mass_is_set_in_motion_against_a_damper(make_bench: Bench) -> None:
    """``m·dv/dt = F − D·v``: ``v = F/D·(1 − e^(−D·t/m))``, D = 10 N·s/mm."""
    pull = {"weight.force_n": -400.0}
    states = {"rest": OFF, "pull": {**OFF, "settings": pull}}
    open_to_tank = orifice("open", "a", "tank", 2000.0)
    circuit = on_a_rod(make_bench, states, open_to_tank, mass_kg=5000)
    found = play(circuit, [("rest", 0.5), ("pull", 2)], ["rod"], 251, accuracy=Accuracy(scale=0.1))
    for at in (75, 100, 200):
        t = found.time_s[at] - 0.5
        assert found.across[0, at, 0] == pytest.approx(40 * (1 - exp(-t / 0.5)), rel=0.02, abs=0.4)


def test_a_load_is_lowered_through_an_orifice_and_stands_at_its_end(make_bench: Bench) -> None:
    """``v = K·√(F/A)/A`` down to the stop: 300 mm take their time, and there it stays."""
    down = {**OFF, "settings": {"weight.force_n": 20000.0}}
    circuit = on_a_rod(
        make_bench, {"rest": OFF, "down": down}, orifice("out", "a", "tank", 0.8), mass_kg=2000
    )
    found = play(circuit, [("rest", 0.2), ("down", 60)], ["rod", "a"], 602)
    area = 0.25e-2 * pi * 80**2
    bar = 20000 / (area * 10)
    speed = 0.8 * sqrt(bar) / (0.006 * area)
    middle = int(np.argmin(abs(found.place_mm[0, :, 0] - 150)))
    assert found.across[0, middle, 0] == pytest.approx(-speed, rel=0.03)
    end = next(e for e in found.events[0] if e.rod == 0 and e.on)
    assert end.at_s - 0.2 == pytest.approx(300 / speed, rel=0.03)
    assert found.place_mm[0, -1, 0] == pytest.approx(0.0, abs=0.05)
    assert abs(found.across[0, -1, 0]) < 0.1


def test_what_is_stored_is_what_flowed_in(make_bench: Bench) -> None:
    """Continuity over a whole filling: pump less leak is what the hose and the gas hold."""
    store = part("store", "accumulator", {"port": "w"}, volume_l=2, precharge_bar=60,
                 gas_bar=70, cooling_s=AT_ONCE_S)  # fmt: skip
    leak = orifice("leak", "w", "tank", 0.5)
    states = {
        "off": {**OFF, "settings": {"store.empty": 1}},
        "run": {**RUN, "settings": {"store.empty": 1}},
    }
    parts = [relief(280.0), check("hold", "p", "v"), hose("hose", "v", "w"), store, leak]
    found = play(make_bench(parts, states=states), [("off", 0.1), ("run", 5)], ["w", "p"], 2041)
    after = found.time_s > 0.12
    t, p = found.time_s[after], found.across[0, after, 0]
    out_l = float(np.trapezoid(0.5 * np.sqrt(np.maximum(p, 0)), t)) / 60
    in_l = PUMP_LPM / 60 * (t[-1] - t[0])

    def held(bar: float) -> float:
        gas = 2 * max(0.0, 1 - (60 + ATMOSPHERE_BAR) / (bar + ATMOSPHERE_BAR))
        return gas + (LINE_L + 5 * ComponentType.fittings_l) * quad(slope_l_per_bar, 0, bar)[0]

    kept = held(float(p[-1])) - held(float(p[0]))
    assert in_l - out_l == pytest.approx(kept, rel=0.02)


@pytest.mark.parametrize(("cooling_s", "exponent"), [(AT_ONCE_S, 1.0), (NEVER_S, 1.4)])
def test_no_energy_is_made_or_lost(make_bench: Bench, cooling_s: float, exponent: float) -> None:
    """What the gas gives (``∫p·dV``) lifts the load, speeds it up, heats orifice and damper."""
    force, mass, k = 20000.0, 2000.0, 1.5
    store = part("store", "accumulator", {"port": "s"}, volume_l=4, precharge_bar=60,
                 gas_bar=70, cooling_s=cooling_s)  # fmt: skip
    wide = {"store.empty": 1}
    states = {
        # So heavy that it presses the store: what the gas holds is given back below a lighter load.
        "fill": {**RUN, "settings": {**wide, "weight.force_n": 300000.0}},
        "lift": {**OFF, "settings": {**wide, "weight.force_n": force}},
    }
    parts = [check("hold", "p", "s", leak_lpm_per_bar=1e-7), store, orifice("meter", "s", "a", k)]
    found = play(
        on_a_rod(make_bench, states, *parts, mass_kg=mass),
        [("fill", 1), ("lift", 5)],
        ["s", "a", "rod"],
        24001,
        accuracy=Accuracy(scale=0.02),
    )
    s, a, speed = found.across[0].T
    place = found.place_mm[0, :, 0]
    here = (found.time_s > 2.0) & (place > 1.0) & (place < 590.0)
    begin, end = np.flatnonzero(here)[[0, -1]]
    part_s = slice(begin, end + 1)
    assert place[end] - place[begin] > 100.0

    # As warm as its wall before it is drawn upon.
    before = float(s[0]) + ATMOSPHERE_BAR

    def gas_l(bar: float) -> float:
        at_rest = 4 * (60 + ATMOSPHERE_BAR) / before
        return float(at_rest * (before / (bar + ATMOSPHERE_BAR)) ** (1 / exponent))

    def oil_bar_l(litres: float, bar: float) -> float:
        return litres * quad(lambda p: p * slope_l_per_bar(p), 0, bar)[0]

    first, last = float(s[begin]), float(s[end])
    given = quad(lambda p: p * gas_l(p) / exponent / (p + ATMOSPHERE_BAR), last, first)[0]
    given += oil_bar_l(3 * ComponentType.fittings_l, first)
    given -= oil_bar_l(3 * ComponentType.fittings_l, last)
    drop = s[part_s] - a[part_s]
    heat = float(np.trapezoid(drop * k * np.sqrt(np.abs(drop)), found.time_s[part_s])) / 60
    joule = 0.01  # bar·L
    lifted = force * (place[end] - place[begin]) * 1e-3 * joule
    faster = 0.5 * mass * (speed[end] ** 2 - speed[begin] ** 2) * 1e-6 * joule
    damped = float(np.trapezoid(DAMPER_N_S_MM * speed[part_s] ** 2, found.time_s[part_s]))
    damped *= 1e-3 * joule
    area = 0.25e-2 * pi * 80**2
    litres = 2 * ComponentType.fittings_l + area * 1e-4 * float(place[begin])
    pressed = oil_bar_l(litres, float(a[end])) - oil_bar_l(litres, float(a[begin]))
    assert given > 50.0
    assert heat + lifted + damped + faster + pressed == pytest.approx(given, rel=2e-3)


DAMPER_N_S_MM = 10.0
"""What every load has of it."""
RAMP_S = 0.2


@pytest.mark.parametrize(
    ("circuit_id", "fault", "states"),
    [
        ("turf_lift", None, ["held", "raise_loaded"]),
        ("packer_truck", None, ["neutral_rated", "blade_extend_free"]),
        ("packer_truck", "main_relief:set_low=0.7", ["neutral_rated", "blade_extend_working"]),
    ],
)
def test_whole_circuits_run_as_another_method_runs_them(
    circuit_id: str, fault: str | None, states: list[str]
) -> None:
    steady = solver_of(circuit_id)
    network = steady.network
    solver = TransientSolver(steady)
    own = {}
    if fault is not None:
        found, severity = parse_fault(network, fault)
        own = {found.slot: float(found.mode.value(found.healthy, severity))}
    phases = []
    for name in states:
        state = network.state(network.circuit.states[name])
        for slot, value in own.items():
            state.parameters[slot] = value
        phases.append(Phase(state, 0.6, RAMP_S))
    nothing = Cases.as_documented(1)
    start = steady.solve([phases[0].state], nothing)
    times = np.linspace(0.0, 1.2, 61)
    kept = np.arange(network.unknown_count)
    ours = solver.play(phases, nothing, start=start.across, kept=kept, grid=times)
    assert ours.finished.all()
    theirs = radau(solver, phases, start.across, times)
    assert theirs is not None
    oil = [i for i in kept if network.domains[i] == "hydraulic"]
    rods = [i for i in kept if network.domains[i] == "translation"]
    span = max(20.0, float(np.ptp(theirs[:, oil])))
    difference = np.abs(ours.across[0] - theirs)
    assert difference[:, oil].max() < 0.02 * span
    assert difference[-1, oil].max() < 0.2
    # A jerk faster than any gauge is damped; the way that is gone is the same.
    assert difference[:, rods].mean(axis=0).max() < 0.01 * max(20.0, float(np.ptp(theirs[:, rods])))
    assert difference[-1, rods].max() < 0.1
