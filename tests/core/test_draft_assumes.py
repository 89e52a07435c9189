"""What a draft takes for granted of what was not typed is what such a machine is."""

import math

import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.components import component_type
from umweg.core.draft.frame import Drafted, drafted_of
from umweg.core.draft.listing import read_listing, write_listing
from umweg.core.draft.runs import runs
from umweg.core.faults.population import unknowns_of
from umweg.core.network.network import Network
from umweg.core.solve.steady import Cases, SteadySolver
from umweg.library import load_typed

PACK = """
machine "Dock table" kind="dock table" family=F17
battery power_supply frame=frame plus=plus {volts}
relay relay plus=start minus=frame inlet=plus outlet=motor_plus
motor dc_motor plus=motor_plus minus=frame shaft=shaft
tank reservoir tank=tank suction=tank_out
pump fixed_pump inlet=tank_out outlet=p shaft=shaft displacement_cm3=2.5
check check_valve inlet=p outlet=block
relief relief_valve inlet=p outlet=tank set_bar=140
raise switch "Button raise" inlet=plus outlet=start
lower switch "Button lower" inlet=plus outlet=y1
down solenoid_poppet_valve inlet=block outlet=low plus=y1 minus=frame {rated}
slow throttle inlet=low outlet=tank k=2
deck single_acting_cylinder A=block vent=tank rod=deck bore_mm=60
plate mechanical_load rod=deck
"""
LIFT = """
machine "Yard lift" kind="yard lift" family=F6
engine engine idle=900 rated=1800
tank reservoir tank=tank suction=tank_out
drive drive_coupling driver=engine driven=shaft
pump fixed_pump inlet=tank_out outlet=p shaft=shaft displacement_cm3=16
relief relief_valve inlet=p outlet=return set_bar=180
valve directional_valve P=p T=return A=up B=down centre_k=20
{between}
{rams}
filter return_filter inlet=return outlet=tank
"""
ONE_RAM = "ram cylinder A=cap B=down rod=arm bore_mm=80 rod_mm=45\narm mechanical_load rod=arm"
LOCK = "lock pilot_check_valve inlet=up outlet=cap pilot=down"


def drafted(text: str) -> Drafted:
    found = drafted_of(text)
    assert found.circuit.functions
    return found


def lift(between: str = "", rams: str = ONE_RAM.replace("A=cap", "A=up")) -> Drafted:
    return drafted(LIFT.format(between=between, rams=rams))


@pytest.mark.parametrize(
    ("volts", "rated", "supply", "coil_ohm"),
    [("", "", 12.6, 7.0), ("", "rated_v=24", 25.2, 28.0), ("volts=24", "", 24.0, 28.0)],
)
def test_an_electric_pack_runs_at_12_or_24_volts_and_its_voltage_is_known(
    volts: str, rated: str, supply: float, coil_ohm: float
) -> None:
    found = drafted(PACK.format(volts=volts, rated=rated))
    circuit = found.circuit
    given = circuit.component("battery").parameters
    assert given.get("volts", 12.6) == supply
    coil = circuit.component("down")
    kind = component_type("solenoid_poppet_valve")
    assert coil.parameters.get("coil_ohm", kind.Parameters().model_dump()["coil_ohm"]) == coil_ohm
    assert {m for f in circuit.functions for m in f.moves} == {"in", "out"}
    assert any("taken as 12 V" in note for note in found.notes) == (not volts and not rated)
    network = Network(circuit)
    slot = network.slot["battery.volts"]
    spread = dict(zip(unknowns_of(network).slot.tolist(), unknowns_of(network).sigma, strict=True))
    assert spread[slot] / supply < 0.05


def test_what_one_way_lifts_weighs_and_comes_down() -> None:
    function = drafted(PACK.format(volts="", rated="")).circuit.functions[0]
    assert function.loads["held"] == function.loads["working"] | {}
    assert function.loads["working"]["force_n"] > 0.0


@pytest.mark.parametrize(
    ("between", "rams", "carries"),
    [
        ("", ONE_RAM.replace("A=cap", "A=up"), 0),
        ("", ONE_RAM.replace("A=cap", "A=up") + " carries=yes", -1),
        (LOCK, ONE_RAM, -1),
        (LOCK, ONE_RAM + " carries=no", 0),
        (
            "lock pilot_check_valve inlet=down outlet=ring pilot=up",
            "ram cylinder A=up B=ring rod=arm bore_mm=80 rod_mm=45\narm mechanical_load rod=arm",
            1,
        ),
    ],
)
def test_a_load_weighs_where_something_holds_it_or_somebody_says_so(
    between: str, rams: str, carries: int
) -> None:
    found = lift(between, rams)
    loads = found.circuit.functions[0].loads["working"]
    if carries:
        # Positive is against going out.
        assert math.copysign(1.0, loads["force_n"]) == -carries
        assert any("taken to weigh" in note for note in found.notes)
    else:
        assert set(loads) == {"resistance_n"}
        assert any("taken to resist only" in note for note in found.notes)


def test_whether_it_carries_is_yes_or_no() -> None:
    text = LIFT.format(between="", rams=ONE_RAM.replace("A=cap", "A=up") + " carries=maybe")
    assert "carries is yes or no" in read_listing(text).problems[0].message


def test_what_hangs_on_nothing_that_holds_it_is_not_held_and_it_is_said() -> None:
    drum = "drum rotary_load shaft=drum carries=yes"
    motor = "motor hydraulic_motor A=up B=down shaft=drum displacement_cm3=80"
    found = lift("", f"{motor} leakage_lpm_per_bar=0.2\n{drum}")
    assert "held" not in found.circuit.functions[0].loads
    assert any("“drum” runs away while nobody moves “motor”" in note for note in found.notes)
    assert "motor_held" not in found.circuit.states
    sound = lift(LOCK, ONE_RAM)
    assert "held" in sound.circuit.functions[0].loads
    assert not any("runs away" in note for note in sound.notes)


def test_a_brake_set_too_weak_for_its_load_is_named() -> None:
    winch = load_typed("yard_winch")
    function = next(f for f in winch.functions if f.id == "winch")
    assert "held" in function.loads
    weak = winch.model_dump(mode="json", exclude_unset=True)
    for part in weak["components"]:
        if part["id"] == "brake":
            part["parameters"]["torque_nm"] = 20
        if part["id"] == "hold":
            part["parameters"]["set_bar"] = 12
    told = [o.words for o in runs(Circuit.model_validate(weak)).odd]
    assert any("would run away under its load" in words for words in told)
    assert not any("run away" in o.words for o in runs(winch).odd)


@pytest.mark.parametrize(
    "rams",
    [
        "ram cylinder A=up B=down rod=arm bore_mm=63\nother cylinder A=up B=down rod=arm bore_mm=63\n"
        "arm mechanical_load rod=arm",
        "ram cylinder A=up B=down rod=arm bore_mm=63\narm mechanical_load rod=arm\n"
        "other cylinder A=up B=down rod=arm_2 bore_mm=63\narm_2 mechanical_load rod=arm_2",
    ],
    ids=["on one arm", "each with its arm"],
)
def test_twins_are_one_function_with_their_load_once(rams: str) -> None:
    circuit = lift("", rams).circuit
    alone = lift(
        "", "ram cylinder A=up B=down rod=arm bore_mm=63\narm mechanical_load rod=arm"
    ).circuit
    assert [f.id for f in circuit.functions] == ["ram"]
    function, one = circuit.functions[0], alone.functions[0]
    shared = "arm_2" not in function.all_loads
    assert function.all_loads == (("arm",) if shared else ("arm", "arm_2"))
    share = function.loads["working"]["resistance_n"] / one.loads["working"]["resistance_n"]
    assert share == pytest.approx(2.0 if shared else 1.0, rel=0.01)
    # Both are loaded alike: both move alike.
    network = Network(circuit)
    solved = SteadySolver(network).solve(
        [network.state(circuit.states["ram_out_working"])], Cases.as_documented(1)
    )
    rods = {circuit.component(p).connections["rod"] for p in ("ram", "other")}
    speeds = [float(solved.across[network.net_index[rod], 0]) for rod in rods]
    assert max(speeds) == pytest.approx(min(speeds), rel=1e-3)
    assert speeds[0] > 5.0
    # As a list it says the same again.
    again = drafted_of(write_listing(circuit)).circuit.functions[0]
    assert (again.all_loads, again.loads) == (function.all_loads, function.loads)


def test_what_always_turns_is_a_function_without_a_lever_in_every_state() -> None:
    circuit = load_typed("salt_spreader")
    assert {f.id: {m: dict(v.commands) for m, v in f.moves.items()} for f in circuit.functions} == {
        "belt": {"run": {}},
        "disc": {"run": {}},
    }
    assert all(f.always for f in circuit.functions)
    network = Network(circuit)
    resisting = network.slot["salt.resistance_nm"]
    working = circuit.function("belt").loads["working"]["resistance_nm"]
    assert network.state(circuit.states["rated"]).parameters[resisting] == working


@pytest.mark.parametrize("port", ["up", "down"])
def test_a_branchs_own_relief_bounds_what_its_actuator_is_loaded_with(port: str) -> None:
    ram = ONE_RAM.replace("A=cap", "A=up")
    branch = f"branch relief_valve inlet={port} outlet=return set_bar=60"
    weak, usual = (
        lift(b, ram).circuit.functions[0].loads["working"]["resistance_n"] for b in (branch, "")
    )
    area_mm2 = math.pi / 4.0 * 80.0**2
    assert usual == pytest.approx(0.5 * 18.0 * area_mm2, rel=0.1)
    # All of the pump's oil goes over it: it opens further than where it is set.
    assert weak == pytest.approx(0.5 * 6.0 * area_mm2, rel=0.15)


def test_a_case_drain_is_metered_open_and_an_outlet_is_loaded() -> None:
    text = LIFT.format(
        between="",
        rams="motor drained_motor A=up B=down case=case shaft=drum displacement_cm3=80\n"
        "drum rotary_load shaft=drum\nhose line inlet=case outlet=tank\n"
        'point case "Case drain" net=case port=hose.inlet methods=inline_flow\n'
        'point outlet "Pump outlet" net=p port=valve.P methods=inline_flow',
    )
    states = drafted_of(text).circuit.states
    assert states["case_metered"].interventions[0].load_bar == 0
    assert states["outlet_loaded"].interventions[0].load_bar == pytest.approx(0.7 * 180)
    assert "case_loaded" not in states


def test_a_command_that_moves_nothing_is_named() -> None:
    lost = (
        "spare directional_valve P=other T=return A=x B=y\n"
        "plug orifice inlet=other outlet=return k=1\nloop orifice inlet=x outlet=y k=1"
    )
    notes = lift(lost, ONE_RAM.replace("A=cap", "A=up")).notes
    assert any("“spare.lever” moves nothing" in note for note in notes)
    assert not any("“valve.lever” moves nothing" in note for note in notes)
