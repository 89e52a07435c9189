"""Hand calculations of the library circuits: what a technician would expect with a pencil.

Each value is arithmetic on numbers of the circuit document and, where a flow hangs on a pressure,
on the pressure a gauge beside it would show. The pages in ``docs/circuits/`` set them beside the
solved values, and a test holds the two together.
"""

from dataclasses import dataclass
from math import exp, pi, sqrt

from umweg.core.circuit.document import Kind


@dataclass(frozen=True)
class Hand:
    """One expected reading: where, in which state, by which arithmetic, and how close it must be."""

    kind: Kind
    place: str
    state: str
    formula: str
    value: float
    within_pct: float


def bore_cm2(diameter_mm: float) -> float:
    """Area of a piston [cm²]."""
    return pi / 4.0 * diameter_mm**2 / 100.0


def ring_cm2(bore_mm: float, rod_mm: float) -> float:
    """Area on the rod side [cm²]."""
    return bore_cm2(bore_mm) - bore_cm2(rod_mm)


def speed_mm_s(flow_lpm: float, area_cm2: float) -> float:
    """Speed of a piston from the flow it gets."""
    return flow_lpm / (0.006 * area_cm2)


def pressure_bar(force_n: float, area_cm2: float) -> float:
    """Pressure that a force asks for."""
    return force_n / (10.0 * area_cm2)


def torque_bar(torque_nm: float, displacement_cm3: float) -> float:
    """Pressure difference that a torque asks of a motor, ``2π·T/V``."""
    return 20.0 * pi * torque_nm / displacement_cm3


THIN = 46.0 / 31.24
"""How much more clearances leak at 50 °C (31.24 mm²/s) than at 46 mm²/s, HVLP 46."""

CALCULATIONS: dict[str, tuple[Hand, ...]] = {
    "packer_truck": (
        Hand("flow_lpm", "pump_outlet", "pump_loaded",
             "51 cm³ × 1400 rpm, less 0.016 × 150 bar leakage",
             51 * 1.4 - 0.016 * 150 * THIN, 1),
        Hand("speed_mm_s", "blade", "blade_extend_free",
             "71.4 L/min on two bores of 100 mm",
             speed_mm_s(71.4, 2 * bore_cm2(100)), 2.5),
        Hand("pressure_bar", "blade_left_port", "blade_extend_working",
             "190 kN and 3 kN of friction on 157 cm²",
             pressure_bar(193000, 2 * bore_cm2(100)), 3),
        Hand("pressure_bar", "block_gauge", "blade_extend_stalled",
             "175 bar and 0.12 bar for each of 67 L/min",
             175 + 0.12 * (71.4 - 0.016 * 184 * THIN), 1),
    ),
    "sweeper_steering": (
        Hand("flow_lpm", "pump_port", "pump_loaded",
             "11 cm³ × 2000 rpm, less 0.012 × 70 bar leakage",
             11 * 2.0 - 0.012 * 70 * THIN, 1),
        Hand("pressure_bar", "pump_port", "rated",
             "22 L/min through the open centre, (22/9)²; 0.64 bar in the pressure hose (Re 1300), 0.21 in "
             "the return hose (Re 970), 0.1 in the filter",
             (22 / 9) ** 2 + 0.64 + 0.21 + 0.1, 4),
        Hand("pressure_bar", "pump_port", "left_stop",
             "100 bar and 0.35 bar for each of 19 L/min",
             100 + 0.35 * 19, 1.5),
        Hand("pressure_bar", "pump_port", "deadhead",
             "100 bar and 0.35 bar for each of 9.35 − 1.8 L/min at idle",
             100 + 0.35 * (9.35 - 1.8), 1.5),
        Hand("pressure_bar", "left_port", "left_working",
             "9 kN and 0.3 kN of friction on 19.6 cm², and what the ring side presses back",
             pressure_bar(9300, bore_cm2(50)) + 1.7 * ring_cm2(50, 28) / bore_cm2(50) + 5, 4),
        Hand("speed_mm_s", "steering", "left_working",
             "4.2 × √8.5 L/min metered on 19.6 cm²",
             speed_mm_s(4.2 * sqrt(8.5), bore_cm2(50)), 4),
    ),
    "sprayer_feed": (
        Hand("pressure_bar", "pump_port", "neutral",
             "180 bar is half stroke; nearly no flow stands near the end of its 8 bar droop",
             180 + 3.2, 1),
        Hand("speed_mm_s", "steering", "steer_left",
             "14 L/min regulated on a 60 mm bore",
             speed_mm_s(14, bore_cm2(60)), 1.5),
        Hand("speed_mm_s", "lift", "lift_raise",
             "20 cm³ × 2000 rpm less 1.2 L/min leakage on a 90 mm bore",
             speed_mm_s(40 - 1.2, bore_cm2(90)), 1.5),
        Hand("pressure_bar", "lift_port", "lift_raise",
             "49 kN, 0.9 kN and 10 N·s/mm on 63.6 cm², the return's share, 39 L/min through the check",
             pressure_bar(49900 + 1020, bore_cm2(90))
             + (27 / 6) ** 2 * ring_cm2(90, 50) / bore_cm2(90) + (39 / 25) ** 2 + 0.65, 2),
        Hand("speed_mm_s", "lift", "steer_and_lift",
             "what steering leaves of 39 L/min",
             speed_mm_s(40 - 1.2 - 14, bore_cm2(90)), 2.5),
    ),
    "turf_lift": (
        Hand("flow_lpm", "external", "flow_loaded",
             "8 cm³ × 2200 rpm, less 0.006 × 110 bar leakage in thinner oil",
             8 * 2.2 - 0.006 * 110 * 46 / 38.92, 1),
        Hand("speed_mm_s", "lift", "raise_loaded",
             "17 L/min on an 85 mm bore",
             speed_mm_s(17.6 - 0.006 * 83 * 46 / 38.92, bore_cm2(85)), 1.5),
        Hand("pressure_bar", "outlet_port", "raise_loaded",
             "42 kN and 0.5 kN of friction on 56.7 cm², and the arms' 10 N·s/mm",
             pressure_bar(42500 + 500, bore_cm2(85)), 1),
        Hand("pressure_bar", "outlet_port", "raise_stop",
             "150 bar and 0.5 bar for each of 16.5 L/min",
             150 + 0.5 * 16.5, 1.5),
        Hand("speed_mm_s", "lift", "lower_loaded",
             "1.4 × √(72.5 − 5.8) through the restrictor",
             speed_mm_s(1.4 * sqrt(72.5 - 5.8), bore_cm2(85)), 2),
    ),
    "mulcher_clutches": (
        Hand("flow_lpm", "pump_port", "pump_loaded",
             "16 cm³ × 2200 rpm less 0.05 × (0.4 × 27.6 at 80 °C + 0.6 × √150 × √27.6)",
             16 * 2.2 - 0.05 * (0.4 * 27.6 * 46 / 15.14 + 0.6 * sqrt(150 * 27.6)), 1),
        Hand("pressure_bar", "supply_port", "neutral_hot",
             "18.5 bar over the lubrication's 1.4 and 0.05 bar for each of 31 L/min",
             18.5 + 1.4 + 0.05 * 31, 3),
        Hand("speed_rpm", "rotor", "rotor_loaded",
             "2200 rpm less the slip: 900 Nm of (20.1 − 2.5) × 100 Nm at 100 Nm/rpm",
             2200 - 900 / 100 / sqrt(1 - (900 / 1760) ** 2), 0.5),
        Hand("pressure_bar", "lube_port", "neutral_hot",
             "32.7 L/min through the points, (32.7/26)², behind the cooler's core",
             (32.7 / 26) ** 2 + 32.7 / (35 * 46 / 15.14), 6),
    ),
    "hauler_fan": (
        Hand("speed_rpm", "fan_drive", "rated",
             "38 cm³ × 1900 rpm less 2.3 L/min leakage and 1 to the case, over 45 cm³",
             (38 * 1.9 - 0.014 * 110 * THIN - 0.006 * 108 * THIN) / 45e-3, 1.5),
        Hand("pressure_bar", "fan_port", "rated",
             "24 Nm × 1.55², 1.5 × 1.55, 3 Nm of friction and 1.5 Nm of air on 45 cm³, and the return's 1 bar",
             torque_bar(24 * 1.55**2 + 1.5 * 1.55 + 3 + 1.5, 45) + 1, 3),
        Hand("peak_bar", "fan_peak", "max",
             "170 bar and 0.25 bar for each of the 46 L/min that the lagging fan does not take",
             170 + 0.25 * 46, 1.5),
        Hand("left_bar", "five_times", "brake_let_go",
             "Boyle: 2 L of gas at 81 bar, five times 30 cm³ and what the lines take more; each time "
             "1.2 % colder by 0.4 × 3.1 % of its volume, a quarter of it warmed up again in 4 s",
             156 * 1.038 / (1.038 + 5 * (0.0302 + 0.004))
             * (1 - 0.4 * 0.031 * sum(exp(-(2 + 4 * k) / 15) for k in range(5))) - 1, 2),
        Hand("flow_lpm", "pump_port", "pump_loaded",
             "72.2 L/min less 0.014 × 150 bar",
             72.2 - 0.014 * 151 * THIN, 1),
        Hand("pressure_bar", "store_port", "charging",
             "gas at 135 bar and what 2.2 × √(p − 0.45 …) L/min needs at 3 L/min/bar",
             135 + 2.2 * sqrt(14.4) / 3 + 0.5, 1),
    ),
    "hedge_cutter": (
        Hand("flow_lpm", "pump_port", "pump_loaded",
             "33 cm³ × 2000 rpm less 0.013 × 150 bar",
             66 - 0.013 * 150 * THIN, 1),
        Hand("speed_rpm", "head", "cutter_light",
             "65 L/min less 0.7 to the case, over 50 cm³",
             (66 - 0.013 * 78 * THIN - 0.008 * 62 * THIN) / 50e-3, 1.5),
        Hand("pressure_bar", "remote_port", "cutter_light",
             "22 Nm, 4 Nm of friction and 1.1 Nm of air on 50 cm³, and 13 bar in the return side",
             torque_bar(22 + 4 + 1.1, 50) + 13.2, 3),
        Hand("speed_mm_s", "arm", "arm_up",
             "64 L/min on a 110 mm bore",
             speed_mm_s(66 - 0.013 * 89 * THIN, bore_cm2(110)), 1.5),
        Hand("pressure_bar", "valve_port", "arm_stop",
             "185 bar over the return, 0.12 for each of 62 L/min, and 1.1",
             185 + 0.12 * (66 - 0.013 * 194 * THIN) + 1.1, 1),
    ),
    "groomer_drive": (
        Hand("speed_rpm", "travel", "forward_light",
             "90 cm³ × 2200 rpm over 0.45 × 160 cm³, less both cases' leakage",
             (198 - 115 * (0.006 + 0.004) * THIN) / (0.45 * 0.16), 1),
        Hand("pressure_bar", "forward_port", "forward_light",
             "70 Nm, 8 Nm and 3.3 Nm of air on 72 cm³, over the charge's 24",
             torque_bar(70 + 8 + 3.3, 72) + 24.2, 2),
        Hand("pressure_bar", "charge_port", "neutral",
             "23 bar, 0.06 for each of 46 L/min and the case's 0.6",
             23 + 0.06 * (22 * 2.2 - 0.04 * 31.8 * THIN) + 0.6, 1.5),
        Hand("pressure_bar", "control_port", "neutral",
             "3.4 × (47/20)², the drop of the speed throttle, over the case's 0.6",
             3.4 * (46.5 / 20) ** 2 + 0.6 + 0.6, 4),
        Hand("pressure_bar", "forward_port", "forward_stalled",
             "cut-off opens at 320 bar over the case and holds within its 15 bar",
             320 + 0.6 + 5, 2),
    ),
    "dumper_interlock": (
        Hand("within_s", "release_time", "releasing",
             "5 mm at the speed that 12 bar over the springs leave, and what fills before it moves",
             5 / 4.26 + 0.04, 5),
        Hand("pressure_bar", "charge_port", "braked",
             "24 bar, 0.08 for each of 27 L/min and the case's 0.5",
             24 + 0.08 * (28 - 0.03 * 26.6 * THIN) + 0.5, 1.5),
        Hand("pressure_bar", "release_port", "releasing",
             "24.7 kN of springs and 0.4 kN of friction on 177 cm², over the case",
             pressure_bar(25050, bore_cm2(150)), 2),
        Hand("speed_rpm", "travel", "driving",
             "45 cm³ × 2000 rpm less leakage, over 110 cm³",
             (90 - (68 + 26) * 0.008 * THIN) / 0.110, 1),
        Hand("voltage_v", "coil_plug", "released",
             "12.6 V less 1.75 A through 0.03 and four times 0.05 Ω",
             12.6 - 1.745 * 0.23, 1),
    ),
    "loading_ramp": (
        Hand("flow_lpm", "port_one", "one_loaded",
             "10 cm³ × 1600 rpm less 0.006 × 130 bar",
             16 - 0.006 * 130 * THIN, 1),
        Hand("speed_mm_s", "ramp", "raise_25",
             "both pumps, 29.7 L/min, on an 80 mm bore",
             speed_mm_s(2 * (16 - 0.006 * 130 * THIN), bore_cm2(80)), 1.5),
        Hand("pressure_bar", "bore_port", "raise_25",
             "2.7 × 16 kN, 0.9 kN of friction and 1 kN at 10 N·s/mm on 50.3 cm², and the ring side",
             pressure_bar(43200 + 900 + 980, bore_cm2(80))
             + (17.9 / 2.6) ** 2 * ring_cm2(80, 50) / bore_cm2(80), 3),
        Hand("speed_mm_s", "ramp", "one_off",
             "one pump alone",
             speed_mm_s(16 - 0.006 * 100 * THIN, bore_cm2(80)), 1.5),
        Hand("pressure_bar", "port_one", "stop_up",
             "185 bar and 0.2 bar for each of 14.4 L/min",
             185 + 0.2 * (16 - 0.006 * 188 * THIN) + 0.2, 1),
    ),
    "tail_lift": (
        Hand("pressure_bar", "lift_port", "held",
             "42 kN on two bores of 50 mm; friction keeps nothing that does not move",
             pressure_bar(42000, 2 * bore_cm2(50)), 1),
        Hand("speed_mm_s", "lift", "lift_down",
             "6.5 L/min regulated on two bores of 50 mm",
             speed_mm_s(6.5, 2 * bore_cm2(50)), 1),
        Hand("speed_mm_s", "tilt", "tilt_down",
             "6.5 L/min regulated on two bores of 45 mm, short of its full drop",
             speed_mm_s(6.5, 2 * bore_cm2(45)), 2),
        Hand("pressure_bar", "pump_port", "lift_stop",
             "172 bar and 0.8 bar for each of about 5 L/min",
             172 + 0.8 * 4.9, 1),
    ),
    "forwarder_crane": (
        Hand("pressure_bar", "pump_port", "standby",
             "22 bar margin is half stroke; nearly no flow stands near the end of its 6 bar droop",
             22 + 2.8, 2),
        Hand("pressure_bar", "pump_port", "grapple_stall",
             "signal relief 195 and 0.6 for each of 4.4 L/min, and the margin as at standby",
             195 + 0.6 * 4.4 + 24, 1.5),
        Hand("speed_mm_s", "grapple", "grapple_working",
             "55 L/min regulated on an 80 mm bore, 3 % short of its full drop",
             speed_mm_s(55, bore_cm2(80)), 4),
        Hand("pressure_bar", "lift_port", "lift_working",
             "150 kN and 2.6 kN on 122.7 cm², hose, check and return side",
             pressure_bar(152600, bore_cm2(125)) + 10.5, 2),
        Hand("speed_rpm", "slew", "slew_working",
             "38 L/min regulated less 0.006 × 110 to the other side, over 320 cm³",
             (38 - 0.006 * 110 * THIN) / 0.32, 4),
    ),
    "suction_boom": (
        Hand("pressure_bar", "gallery_port", "standby",
             "190 bar is half stroke; nearly no flow stands near the end of its 8 bar droop",
             190 + 3.1, 1),
        Hand("pressure_bar", "pilot_port", "standby",
             "32 bar is half open; it drains what leaks in just above 32 + 3",
             32 + 3, 2),
        Hand("speed_mm_s", "lift", "lift_working",
             "11 × √(187.2 − 121.2) L/min through the section on a 100 mm bore",
             speed_mm_s(11 * sqrt(187.2 - 121.2), bore_cm2(100)), 2),
        Hand("pressure_bar", "pilot_x_port", "telescope_working",
             "joystick 5 + 20 bar at half open, and its 1 bar band",
             25 + 0.9, 2),
        Hand("voltage_v", "y1_plug", "slew_working",
             "25.2 V less 1.78 A through 0.04 and three times 0.05 Ω",
             25.2 - 1.78 * 0.19, 0.5),
    ),
    "platform_outriggers": (
        Hand("pressure_bar", "held_port", "out_lift",
             "76 kN and four times 180 N of friction on four bores of 50 mm, and 1 bar in the hoses",
             pressure_bar(76000 + 4 * 180, 4 * bore_cm2(50)) + 1, 2),
        Hand("pressure_bar", "in_port", "in_stop",
             "110 bar and 1.2 bar for each of 3.1 L/min",
             110 + 1.2 * 3.1, 1),
        Hand("speed_mm_s", "legs", "out_free",
             "1.2 cm³ × 3364 rpm on four bores of 50 mm, a little lost in the pump",
             speed_mm_s(1.2 * 3.364 - 0.04, 4 * bore_cm2(50)), 2),
        Hand("speed_mm_s", "legs", "in_free",
             "1.2 cm³ × 3348 rpm on four rings of 50/28 mm",
             speed_mm_s(1.2 * 3.348 - 0.04, 4 * ring_cm2(50, 28)), 2),
    ),
    "inspection_platform": (
        Hand("flow_lpm", "pump_port", "pump_loaded",
             "8 cm³ × 1500 rpm, less 0.005 × (0.4 × 130 in thinner oil + 0.6 × √150 × √130)",
             8 * 1.5 - 0.005 * (0.4 * 130 * 46 / 22 + 0.6 * sqrt(150 * 130)), 1),
        Hand("pressure_bar", "cap_port", "raise_loaded",
             "42 kN and 700 N of friction on 50.3 cm², and 2.5 bar × 0.61 on the other side",
             pressure_bar(42700, bore_cm2(80)) + 1.2, 1.5),
        Hand("speed_mm_s", "boom", "raise_loaded",
             "12 L/min less 0.8 in the pump, on an 80 mm bore",
             speed_mm_s(12 - 0.8, bore_cm2(80)), 2),
        Hand("speed_mm_s", "boom", "hand_raise",
             "14 cm³ × 40 strokes a minute, less what the valve's spool lets pass at 86 bar",
             speed_mm_s(0.56 - 0.0003 * 86 * 46 / 22 - 0.05, bore_cm2(80)), 5),
    ),
    "sprayer_boom": (
        Hand("pressure_bar", "lift_port", "mast_up",
             "14 kN and 500 N on 31.2 cm², and the return side's 10 bar × 0.6",
             pressure_bar(14500, bore_cm2(63)) + 6, 2),
        Hand("pressure_bar", "hold_left_port", "spraying",
             "38 bar and 3 bar before it relieves what passes its spool",
             38 + 3, 1),
        Hand("speed_mm_s", "mast", "mast_up",
             "1.7 × √(178 − 61) L/min on a 63 mm bore",
             speed_mm_s(1.7 * sqrt(178 - 61), bore_cm2(63)), 2),
        Hand("pressure_bar", "supply_port", "standby",
             "180 bar is half stroke; nearly no flow stands near the end of its 8 bar droop",
             180 + 3, 1),
    ),
    "chipper_lubrication": (
        Hand("speed_rpm", "lubrication", "cycle",
             "4 cm³/min less 0.0015 × 58 bar, in strokes of 0.1 cm³",
             (4 - 0.0015 * 58) / 0.1, 1),
        Hand("pressure_bar", "main_port", "capped",
             "280 bar and 1 bar for each of 3.6 cm³/min",
             280 + (4 - 0.0015 * 283), 1),
        Hand("pressure_bar", "out_1_port", "cycle",
             "0.65 cm³/min through 0.08 cm³/min/bar, 8 bar of yield and half of its rounding",
             0.65 / 0.08 + 8 + (0.5 * 8 + 0.1) / 2, 2),
        Hand("pressure_bar", "divider_port", "cycle",
             "the stiffest outlets at 30.6 bar, 8 bar of friction, and what moves 3.9 cm³/min",
             30.6 + 8 + 3.2, 3),
    ),
    "harvester_head": (
        Hand("voltage_v", "actual", "commanded_140",
             "0.5 V and 4 V × 142.3 of 250 bar",
             0.5 + 4 * 142.3 / 250, 0.5),
        Hand("pressure_bar", "head_port", "commanded_140",
             "140 bar and a good part of its band: nothing flows",
             140 + 2.2, 1),
        Hand("pressure_bar", "feed_port", "feed_stem",
             "210 Nm, 8 Nm of friction and 0.2 Nm of air on 160 cm³, and 22 bar of return",
             torque_bar(210 + 8 + 0.2, 160) + 21, 3),
        Hand("speed_rpm", "feed", "feed_free",
             "9 × √(139 − 83) L/min through the valve over 160 cm³",
             9 * sqrt(139 - 83) / 0.16, 4),
    ),
    "crusher_lubrication": (
        Hand("pressure_bar", "a_pump_port", "line_a",
             "300 bar and 1 bar for each 8 of the 58.8 cm³/min that the relief takes",
             300 + (60 - 0.004 * 307) / 8, 1),
        Hand("pressure_bar", "a_far_port", "line_a",
             "in the end what creeps brings the far end as high as the pump",
             307.3, 1),
        Hand("pressure_bar", "a_near_port", "line_a",
             "as high as the pump, too",
             307.3, 1),
        Hand("voltage_v", "plug", "line_a",
             "25.5 V less 4.3 A through 0.05 and 0.1 Ω",
             25.5 - 4.3 * 0.15, 0.5),
    ),
    "utility_cart": (
        Hand("pressure_bar", "left_port", "pressed",
             "300 N less 30 N of spring, at five to one on a 22 mm bore",
             pressure_bar((300 - 30) * 5, bore_cm2(22)), 0.5),
        Hand("pressure_bar", "right_port", "pressed_hard",
             "500 N less 30 N of spring, at five to one on a 22 mm bore",
             pressure_bar((500 - 30) * 5, bore_cm2(22)), 0.5),
        Hand("moved_mm", "left_moves", "press_300",
             "the clearance of its shoes",
             0.8, 0.5),
        Hand("speed_mm_s", "left", "applying",
             "a little more than half of what the master cylinder gives at 232 mm/s of the pedal",
             speed_mm_s(0.51 * 0.006 * bore_cm2(22) * 232.2 / 5, bore_cm2(20)), 1),
    ),
    "sludge_feeder": (
        Hand("pressure_bar", "loop_1_port", "blocked_1",
             "250 bar and a third of the limiter's span of 12 bar, over 1 bar of case pressure",
             250 + 4 + 1, 1),
        Hand("speed_mm_s", "piston_1", "stroke_1",
             "71 cm³ × 1500 rpm, less 0.006 × 120 bar, on a 110 mm bore",
             speed_mm_s(71 * 1.5 - 0.006 * 120 * THIN, bore_cm2(110)), 1),
        Hand("pressure_bar", "charge_port", "rest",
             "22 bar, 0.06 bar for each of 27 L/min and 1 bar of case pressure",
             22 + 0.06 * 27 + 1, 1),
        Hand("flow_lpm", "change_port", "pump_loaded",
             "16 cm³ × 1500 rpm, less 0.008 × 150 bar leakage",
             16 * 1.5 - 0.008 * 150 * THIN, 2),
        Hand("pressure_bar", "agitator_port", "stroke_1",
             "120 Nm and 8 Nm of friction on 160 cm³, and 1 bar of return",
             torque_bar(128, 160) + 1, 1.5),
    ),
}  # fmt: skip
"""Hand calculations by circuit."""
