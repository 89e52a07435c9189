"""If this fails, that is seen: what the trade knows, held against what the models show."""

from functools import cache

import numpy as np
import pytest

from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.symptoms import SHOWN_AT, Symptoms, symptoms_of
from umweg.core.faults.population import SEVERITIES, single_faults
from umweg.core.observe.predict import Predictor
from umweg.library import circuit_ids, load_circuit

UP, DOWN = "rises", "falls"

# circuit, fault, what is read where and in which state, which way it goes; why.
TRADE: tuple[tuple[str, str, str, str, str, str], ...] = (
    ("packer_truck", "pump:worn", "flow_lpm pump_outlet", "pump_loaded", DOWN, "slip grows"),
    ("packer_truck", "pump:worn", "speed_mm_s blade", "blade_extend_working", DOWN, "less flow"),
    ("packer_truck", "pump:draws_air", "flow_lpm pump_outlet", "pump_loaded", DOWN, "air in it"),
    ("packer_truck", "pto:slips", "pressure_bar block_gauge", "blade_extend_stalled", DOWN, "torque"),
    ("packer_truck", "pto:broken", "flow_lpm pump_outlet", "pump_loaded", DOWN, "pump stands"),
    ("packer_truck", "main_relief:set_low", "pressure_bar block_gauge", "blade_extend_stalled", DOWN,
     "it opens early"),
    ("packer_truck", "main_relief:seat_leaks", "pressure_bar block_gauge", "blade_extend_stalled",
     DOWN, "it passes below its setting"),
    ("packer_truck", "blade_relief_a:set_low", "pressure_bar block_gauge", "blade_extend_stalled",
     DOWN, "the port relief bounds this side"),
    ("packer_truck", "suction_hose:collapsed", "pressure_bar suction_gauge", "neutral_rated", DOWN,
     "vacuum before the pump"),
    ("packer_truck", "return_filter:clogged", "pressure_bar return_gauge", "neutral_rated", UP,
     "dam before it"),
    ("packer_truck", "blade_left:piston_bypass", "speed_mm_s blade", "blade_extend_working", DOWN,
     "oil past the piston"),
    ("packer_truck", "tailgate_left:piston_bypass", "drift_mm_min tailgate", "tailgate_held", UP,
     "it sinks"),
    ("packer_truck", "load_holding:seat_leaks", "drift_mm_min tailgate", "tailgate_held", UP,
     "what holds it leaks"),
    ("packer_truck", "blade_section:linkage_off", "speed_mm_s blade", "blade_extend_free", DOWN,
     "the spool does not follow"),
    ("packer_truck", "blade_feed_check:stuck_shut", "pressure_bar block_gauge", "blade_extend_free",
     UP, "the pump works against it"),
    ("packer_truck", "tank:oil_thick", "pressure_bar return_gauge", "neutral_rated", UP,
     "laminar drop grows with viscosity"),
    ("packer_truck", "tank:oil_thin", "flow_lpm pump_outlet", "pump_loaded_hot", DOWN, "slip"),
    ("packer_truck", "tank:low_level", "flow_lpm pump_outlet", "pump_loaded", DOWN,
     "air takes its share of the chamber"),
    ("forwarder_crane", "tank:low_level", "speed_mm_s lift", "lift_working", DOWN, "air in it"),
    ("platform_outriggers", "pump:worn", "speed_mm_s legs", "out_lift", DOWN, "slip under load"),
    ("platform_outriggers", "battery:weak", "speed_mm_s legs", "out_free", DOWN, "slower motor"),
    ("platform_outriggers", "relief_in:set_low", "pressure_bar in_port", "in_stop", DOWN,
     "opens early"),
    ("inspection_platform", "short_circuit:leaks", "pressure_bar hand_port", "hand_stop", DOWN,
     "dirt under its seat: no resistance at the lever"),
    ("inspection_platform", "hand_relief:set_low", "pressure_bar hand_port", "hand_stop", DOWN,
     "opens early"),
    ("sprayer_boom", "reducer:set_low", "pressure_bar hold_left_port", "spraying", DOWN,
     "reduces too far on both sides"),
    ("sprayer_boom", "out_cam:not_reached", "pressure_bar wings_port", "wings_stop", DOWN,
     "the stage never arrives"),
    ("chipper_lubrication", "line_3:plugged", "pressure_bar main_port", "cycle", UP,
     "one outlet that takes nothing stops all"),
    ("chipper_lubrication", "pump:element_worn", "pressure_bar main_port", "capped", DOWN,
     "does not reach its relief against a plug"),
    ("harvester_head", "sensor:reads_high", "pressure_bar head_port", "commanded_140", DOWN,
     "the controller believes it"),
    ("harvester_head", "regulator:hangs_open", "pressure_bar head_port", "forced_shut", UP,
     "commanded to nothing, still there"),
    ("crusher_lubrication", "reverser:bypass", "pressure_bar b_pump_port", "line_a", UP,
     "both lines rise"),
    ("crusher_lubrication", "relief:set_low", "pressure_bar a_pump_port", "line_a", DOWN,
     "the pump's own maximum is not reached"),
    ("suction_boom", "pump:draws_air", "speed_mm_s lift", "lift_working", DOWN, "air in it"),
    ("turf_lift", "cylinder:seal_leaks", "drift_mm_min lift", "held", UP, "the load goes past it"),
    ("turf_lift", "lift_check:leaks_back", "drift_mm_min lift", "held", UP, "the check holds it"),
    ("turf_lift", "relief:set_low", "pressure_bar pump_port", "raise_stop", DOWN, "opens early"),
    ("turf_lift", "relief:seat_leaks", "pressure_bar pump_port", "raise_stop", DOWN, "passes"),
    ("turf_lift", "coupling:slips", "pressure_bar pump_port", "raise_stop", DOWN, "no torque"),
    ("turf_lift", "coupling:broken", "speed_mm_s lift", "raise_empty", DOWN, "pump stands"),
    ("turf_lift", "screen:clogged", "speed_mm_s lift", "raise_empty", DOWN, "pump starves"),
    ("turf_lift", "pump:worn", "speed_mm_s lift", "raise_loaded", DOWN, "slip under load"),
    ("turf_lift", "arms:binding", "pressure_bar outlet_port", "raise_empty", UP, "drag to lift"),
    ("loading_ramp", "cylinder:piston_bypass", "drift_mm_min ramp", "held_half", UP, "it sinks"),
    ("loading_ramp", "hold_a:seat_leaks", "drift_mm_min ramp", "held_half", UP, "seat leaks"),
    ("loading_ramp", "ramp:binding", "pressure_bar bore_port", "raise_50", UP, "drag to lift"),
    ("loading_ramp", "relief_one:set_low", "pressure_bar port_one", "stop_up", DOWN, "opens early"),
    ("forwarder_crane", "pump:margin_low", "speed_mm_s lift", "lift_working", DOWN,
     "less drop over the spool"),
    ("forwarder_crane", "pump:set_low", "pressure_bar pump_port", "lift_stall", DOWN, "cut-off low"),
    ("forwarder_crane", "pump:bleed_open", "speed_mm_s lift", "lift_working", DOWN, "signal lost"),
    ("forwarder_crane", "safety:set_low", "pressure_bar pump_port", "lift_stall", DOWN,
     "the safety takes it"),
    ("forwarder_crane", "signal_relief:set_low", "pressure_bar pump_port", "lift_stall", DOWN,
     "the demand is cut"),
    ("forwarder_crane", "lift_section:demand_blocked", "speed_mm_s lift", "lift_working", DOWN,
     "the pump hears nothing"),
    ("forwarder_crane", "lift_cylinder:piston_bypass", "drift_mm_min lift", "lift_held", UP, "sinks"),
    ("forwarder_crane", "suction_hose:collapsed", "speed_mm_s lift", "lift_working", DOWN, "starved"),
    ("groomer_drive", "charge_relief:set_low", "pressure_bar charge_port", "neutral", DOWN,
     "charge falls"),
    ("groomer_drive", "charge_pump:worn", "pressure_bar charge_port", "neutral", DOWN, "slip"),
    ("groomer_drive", "servo:worn", "speed_rpm travel", "forward_loaded", DOWN, "slip under load"),
    ("groomer_drive", "motor:worn", "speed_rpm travel", "forward_loaded", DOWN, "slip under load"),
    ("groomer_drive", "servo:linkage_off", "speed_rpm travel", "forward_light", DOWN, "no command"),
    ("groomer_drive", "control:feed_blocked", "pressure_bar control_port", "neutral", DOWN,
     "no control oil"),
    ("groomer_drive", "cut_off:seat_leaks", "pressure_bar control_port", "neutral", DOWN,
     "control oil leaves through it"),
    ("groomer_drive", "inching:open_at_rest", "pressure_bar control_port", "neutral", DOWN,
     "control oil leaves through it"),
    ("suction_boom", "pilot_supply:set_low", "pressure_bar pilot_port", "standby", DOWN, "set low"),
    ("suction_boom", "safety:set_low", "pressure_bar pump_port", "lift_stall", DOWN, "opens early"),
    ("tail_lift", "battery:bad_contact", "voltage_v motor_terminal", "lift_loaded", DOWN,
     "the drop is over the contact"),
    ("suction_boom", "lift_cylinder:piston_bypass", "drift_mm_min lift", "lift_held", UP, "creeps"),
    ("hauler_fan", "fan_motor:worn", "speed_rpm fan_drive", "rated", DOWN, "oil past the motor"),
    ("hauler_fan", "fan_relief:set_low", "speed_rpm fan_drive", "max", DOWN, "bypassed"),
    ("hauler_fan", "fan_motor:worn", "flow_lpm case_port", "drain_flow", UP, "drain grows"),
    ("hauler_fan", "pump:worn", "flow_lpm pump_port", "pump_loaded", DOWN, "slip"),
    ("hedge_cutter", "pump:worn", "speed_rpm head", "cutter_loaded", DOWN, "slip under load"),
    ("hedge_cutter", "arm_cylinder:piston_bypass", "drift_mm_min arm", "arm_held", UP, "sinks"),
    ("hedge_cutter", "relief:set_low", "pressure_bar pump_port", "arm_stop", DOWN, "opens early"),
    ("hedge_cutter", "screen:clogged", "pressure_bar suction_port", "neutral", DOWN, "vacuum"),
    ("sweeper_steering", "pump_relief:set_low", "pressure_bar pump_port", "left_stop", DOWN, "early"),
    ("sweeper_steering", "belt:slips", "pressure_bar pump_port", "left_stop", DOWN, "belt slips"),
    ("sweeper_steering", "unit:worn", "speed_mm_s steering", "left_free", DOWN, "past the rotor"),
    ("sweeper_steering", "tank:low_level", "speed_mm_s steering", "left_free", DOWN, "starved"),
    ("tail_lift", "relief:set_low", "pressure_bar pump_port", "lift_stop", DOWN, "opens early"),
    ("tail_lift", "lift_left:seal_leaks", "drift_mm_min lift", "held", UP, "sinks"),
    ("tail_lift", "battery:weak", "speed_mm_s lift", "lift_loaded", DOWN, "the motor is slow"),
    ("sprayer_feed", "steer_feed:set_low", "speed_mm_s steering", "steer_left", DOWN, "less flow"),
    ("sprayer_feed", "lift_hold:seat_leaks", "drift_mm_min lift", "lift_held", UP, "sinks"),
    ("dumper_interlock", "servo:worn", "speed_rpm travel", "uphill", DOWN, "slip under load"),
    ("dumper_interlock", "charge_relief:set_low", "pressure_bar charge_port", "braked", DOWN, "low"),
    ("mulcher_clutches", "regulator:spring_weak", "pressure_bar supply_port", "neutral", DOWN, "weak"),
    ("mulcher_clutches", "pump:worn", "flow_lpm pump_port", "pump_loaded", DOWN, "slip"),
    ("mulcher_clutches", "filter:clogged", "pressure_bar pump_port", "neutral", UP, "dam behind it"),
    ("utility_cart", "master:cup_leaks", "speed_mm_s pedal", "applying", UP, "oil gets back"),
    ("utility_cart", "left_hose:collapsed", "speed_mm_s left", "applying", DOWN, "dam before it"),
    ("utility_cart", "right_cylinder:seized", "speed_mm_s right", "applying", DOWN, "it is stuck"),
    ("utility_cart", "pedal:pin_out", "pressure_bar left_port", "pressed", DOWN, "nobody presses"),
    ("sludge_feeder", "limiter:set_low", "pressure_bar loop_1_port", "blocked_1", DOWN, "limits"),
    ("sludge_feeder", "signal_2:not_reached", "pressure_bar control_2_port", "stroke_2", DOWN,
     "the roller is not pressed: no signal to that side"),
    ("sludge_feeder", "signal_2:not_reached", "speed_mm_s piston_2", "stroke_2", DOWN, "neutral"),
    ("sludge_feeder", "charge_relief:set_low", "pressure_bar charge_port", "rest", DOWN, "low"),
    ("sludge_feeder", "change_pump:worn", "flow_lpm change_port", "pump_loaded", DOWN, "slip"),
    ("sludge_feeder", "changeover:coil_b_open", "speed_mm_s swing", "change_2", DOWN, "no pull"),
    ("sludge_feeder", "agitator_relief:set_low", "speed_rpm agitator", "stroke_1", DOWN, "passes"),
    ("sludge_feeder", "change_relief:set_low", "pressure_bar change_port", "charging", DOWN, "early"),
)  # fmt: skip


@cache
def doctor_of(circuit: str) -> Diagnostician:
    return Diagnostician.of(load_circuit(circuit), [])


@cache
def all_symptoms(circuit: str) -> tuple[Symptoms, ...]:
    # At the severities that are described and no others: half of what is played in time is saved.
    solver = doctor_of(circuit).predictor.solver
    described = tuple(min(SEVERITIES, key=lambda s: abs(s - shown)) for shown in SHOWN_AT)
    population = single_faults(solver.network, described)
    return tuple(symptoms_of(Predictor(load_circuit(circuit), population, solver)))


@pytest.mark.parametrize(("circuit", "fault", "what", "state", "way", "why"), TRADE)
def test_what_the_trade_knows(
    circuit: str, fault: str, what: str, state: str, way: str, why: str
) -> None:
    predictor = doctor_of(circuit).predictor
    kind, place = what.split()
    table = predictor[predictor.circuit.states[state]]
    row = next(i for i, q in enumerate(table.quantities) if (q.kind, q.place) == (kind, place))
    population = predictor.population
    h = next(i for i, hy in enumerate(population.hypotheses) if hy.key == fault)
    change = table.mean[row, population.members[h][-1]] - table.mean[row, 0]
    spread = np.hypot(np.sqrt((table.slope[row][:-1, 0] ** 2).sum()), 1e-3)
    moved = change / spread
    assert moved > 1.0 if way == UP else moved < -1.0, f"{why}: moved by {moved:.1f} widths"


def test_the_table_is_long_enough_and_every_row_has_its_reason() -> None:
    assert len(TRADE) >= 60
    assert all(row[-1] for row in TRADE)
    assert len({row[0] for row in TRADE}) == len(circuit_ids())


@pytest.mark.parametrize("circuit", circuit_ids())
def test_who_is_silent_at_half_severity_is_found_by_eye(circuit: str) -> None:
    found = all_symptoms(circuit)
    silent = [s.key for s in found if s.shown[min(1, len(s.shown) - 1)].silent]
    assert len(silent) <= 0.25 * len(found), silent
    assert all(s.look for s in found)


def test_symptoms_are_sorted_said_and_told_apart() -> None:
    found = {s.key: s for s in all_symptoms("packer_truck")}
    worn = found["pump:worn"]
    assert [s.severity for s in worn.shown] == pytest.approx([2 / 7, 4 / 7, 1.0])
    widths = [abs(m.widths) for m in worn.shown[-1].moved]
    assert widths == sorted(widths, reverse=True)
    assert any("slow" in word for _, word in worn.shown[-1].said)
    assert "blade_right:piston_bypass" in found["blade_left:piston_bypass"].alike or (
        "blade_left:piston_bypass" not in found["blade_right:piston_bypass"].alike
    )
    assert len(found["pto:broken"].shown) == 1, "broken or not: there is no half"
