"""What parts are, and how whatever is that can fail.

A type names its roles; each role demands ways to fail, and each way is met by one of some fault
modes. A type that lacks a way says why (``cannot``); a test holds it.
"""

from collections.abc import Iterator, Mapping

from umweg.core.components.base import ComponentType

Ways = Mapping[str, tuple[str, ...]]
"""Each way to fail with the names of fault modes that are it."""

ROLES: Mapping[str, Ways] = {
    "adjustable": {
        "set too low": (
            "set_low", "margin_low", "low", "a_low", "relief_low", "cut_out_low", "begin_low",
            "spring_weak", "blocked", "misadjusted", "orifice_fouled",
        ),
        "set too high": (
            "set_high", "margin_high", "high", "a_high", "relief_high", "cut_out_high",
            "begin_high", "open", "stuck_open", "misadjusted", "stuck_shut", "washed_out",
        ),
    },
    "opens on pressure": {
        "stays shut": (
            "stuck_shut", "set_high", "a_high", "relief_high", "blocked", "b_blocked",
            "does_not_shift", "begin_high", "stuck_priority", "pilot_weak", "poppet_sticks",
        ),
        "stays open": (
            "seat_leaks", "leaks", "leaks_back", "set_low", "a_check_open", "relief_low", "stuck_open",
            "stuck_excess", "spring_broken", "leaks_down", "poppet_lost", "begin_low", "low",
        ),
    },
    "closes on pressure": {
        "stays open": ("stuck_open", "never_cuts_out", "stuck_on_stroke", "set_high", "high", "hangs_open"),
        "stays shut": ("stuck_shut", "feed_blocked", "stuck_back", "set_low", "sticks_shut"),
    },
    "held by a spring": {
        "spring weak or broken": (
            "spring_weak", "spring_broken", "set_low", "margin_low", "low", "a_low", "relief_low",
            "centring_broken", "does_not_hold", "stays_open", "offset", "stuck_shifted", "creeps",
            "cut_in_low", "leaks_back", "open_at_rest", "stuck_excess", "pin_out", "begin_low",
        ),
    },
    "shifted by a coil": {
        "coil open": ("coil_open", "coil_a_open"),
        "coil shorted": ("coil_shorted", "coil_a_shorted"),
        "coil weak once hot": ("coil_drops_hot", "coil_a_drops_hot"),
        "plug loose": ("coil_loose", "coil_a_loose"),
    },
    "two coils": {"plugs crossed": ("plugs_crossed",)},
    "shifted by hand": {
        "link off": ("linkage_off", "came_off", "column_off", "pin_out", "centring_broken", "plunger_sticks"),
    },
    "shifted by a cam": {
        "not reached": ("not_reached", "never_makes"),
        "stays as it is": ("stays_open", "stuck_made", "sticks"),
    },
    "spool": {
        "leaks": ("spool_worn", "worn", "seat_leaks", "leaks", "bypass", "stuck_excess"),
        "sticks": (
            "spool_sticks", "stuck_shifted", "sticks", "plunger_sticks", "servo_sticks", "stuck_back",
            "compensator_stuck", "stuck_bypass_shut", "does_not_shift", "stuck_priority", "stuck_shut",
            "linkage_off", "bypass_dammed", "stays_large", "demand_blocked", "cut_in_low", "never_cuts_out",
        ),
    },
    "pilot fed": {
        "pilot blocked": (
            "feed_blocked", "pilot_weak", "demand_blocked", "does_not_shift", "pilot_cap_leaks",
            "screen_plugged", "screen_blocked", "stuck_shut", "blocked", "servo_sticks", "stays_large",
        ),
    },
    "seat": {
        "leaks": (
            "seat_leaks", "leaks", "leaks_back", "valve_leaks", "rest_leaks", "a_check_open",
            "leaks_down", "bleed_open", "port_blocked", "cup_leaks", "spring_broken",
        ),
    },
    "seal": {"leaks": ("seal_leaks", "piston_bypass", "leaks", "cup_leaks", "seal_between", "worn", "pistons_worn")},
    "filters": {"clogged": ("clogged", "screen_blocked", "screen_plugged")},
    "throttled": {
        "plugged": ("plugged", "blocked", "orifice_fouled", "feed_blocked", "bleed_plugged", "set_low"),
        "washed out": ("washed_out", "open", "bleed_open", "stuck_open"),
    },
    "a way for oil": {
        "blocked": (
            "collapsed", "plugged", "clogged", "not_home", "outlet_blocked", "pickup_blocked", "left_shut",
            "stuck_shut", "air", "screen_blocked",
        ),
    },
    "bursts": {"leaks outside": ("leaks_outside",)},
    "turned round": {"fitted backward": ("fitted_backward", "suction_shut")},
    "two hoses alike": {"crossed": ("hoses_crossed", "pilots_crossed")},
    "turns oil": {
        "worn": ("worn", "element_worn"),
        "gives nothing": ("sheared", "motor_dead", "binding"),
    },
    "of a size": {"wrong one fitted": ("wrong_size", "wrong_spring", "washed_out")},
    "draws": {"draws air": ("draws_air", "low_level", "suction_shut")},
    "stores gas": {"gas lost": ("gas_lost",), "too much gas": ("gas_high",)},
    "contact": {
        "never makes": ("never_makes", "contact_burnt", "coil_open"),
        "burnt": ("burnt", "contact_burnt", "work_burnt", "never_makes"),
        "stays made": ("stuck_made", "contact_welded", "welded", "stays_made"),
    },
    "wired": {"loose or open": ("loose", "coil_open", "coil_loose", "bad_contact", "corroded", "dead", "no_output", "never_makes", "motor_dead", "brushes_worn")},
    "senses": {
        "dead": ("dead", "never_makes"),
        "offset": ("reads_high", "reads_low", "set_low", "set_high"),
    },
    "a link": {
        "off": ("came_off", "pin_out"),
        "worn": ("worn",),
        "misadjusted or bent": ("misadjusted", "clearance"),
    },
    "carries a torque": {
        "slips": ("slips", "plates_worn", "does_not_hold"),
        "broken": ("broken", "seal_leaks", "does_not_free"),
    },
    "slides": {"binds": ("binding", "binds", "seized", "blocked")},
    "holds oil": {"low or lost": ("low_level", "outlet_blocked")},
}  # fmt: skip


def missing_ways(kind: type[ComponentType]) -> Iterator[tuple[str, str]]:
    """Role and way to fail that a type's roles demand, that no mode of it is, and that it gives no
    reason for.

    Raises
    ------
    KeyError : a role that is not known.
    """
    names = {mode.name for mode in kind.fault_modes}
    for role in kind.roles:
        for way, modes in ROLES[role].items():
            if not names & set(modes) and way not in kind.cannot:
                yield role, way
