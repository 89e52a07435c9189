"""What the workshop puts into the circuit: in-line meter with load valve, cap, voltmeter."""

from umweg.core.components.base import (
    ELECTRIC,
    Command,
    ComponentType,
    Example,
    ParameterSet,
    Port,
    Symbol,
    quantity,
)
from umweg.core.components.kernels import couple, law, soft_sign, turbulent

_EL = ELECTRIC


@law
def _test_kit(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            load = k[c, _TEST_KIT.load_bar, b]
            held, dheld = soft_sign(x[c, 0, b] - load)
            opening = 1e-4 + 0.5 * (1.0 + held) if load > 0.0 else 1.0
            dopening = 0.5 * dheld if load > 0.0 else 0.0
            bore = k[c, _TEST_KIT.valve_k, b] if load > 0.0 else k[c, _TEST_KIT.k, b]
            size = bore * (1.0 - k[c, _TEST_KIT.cap, b]) + 1e-5
            root, droot = turbulent(x[c, 0, b] - x[c, 1, b], size, 0.1)
            q = root * opening
            d_in = droot * opening + root * dopening
            d_out = droot * opening
            f[c, 0, b] = q
            f[c, 1, b] = -q
            j[c, 0, 0, b] = d_in
            j[c, 0, 1, b] = -d_out
            j[c, 1, 0, b] = -d_in
            j[c, 1, 1, b] = d_out


class TestKit(ComponentType):
    """Joint that can be opened: whole, with a meter and load valve in line, or capped.

    Whole it is a wide bore. The load valve is turned in until the inlet stands at ``load_bar``:
    the opening follows ``½(1 + sgn(p_in − load))``, so a pump that cannot reach the load shows
    as no flow. ``cap`` = 1 shuts it.
    """

    __test__ = False

    type_name = "test_kit"
    fittings_l = 0.002
    label = "In-line meter"
    of_machines = False
    ports = (Port("inlet"), Port("outlet"))

    class Parameters(ParameterSet):
        k: float = quantity(250, "L/min/√bar", "flow at 1 bar, open", low=1, high=5000)
        valve_k: float = quantity(
            12, "L/min/√bar", "load valve, flow at 1 bar in use", low=1, high=500
        )

    commands = (Command("cap", 0, 1), Command("load_bar", 0, 600))
    opened_port = "outlet"
    symbol = Symbol(1, 1, {"inlet": ("south", 0.5), "outlet": ("north", 0.5)}, ("M0.5 0 V1",))
    example = Example(
        "250·√0.04 = 50 with smoothing",
        {"inlet": 0.04, "outlet": 0.0},
        {"inlet": 30.47, "outlet": -30.47},
    )
    law = _test_kit


_TEST_KIT = TestKit.rows()


@law
def _voltmeter(x, k, env, f, j):
    for c in range(x.shape[0]):
        for b in range(x.shape[2]):
            g = _EL / k[c, _VOLTMETER.load_ohm, b]
            couple(f, j, c, b, 0, 1, g * (x[c, 0, b] - x[c, 1, b]), g)


class Voltmeter(ComponentType):
    """Voltmeter with a load resistor, so that a loose strand does not pass for a supply.

    ``i = U/R``. It also gives a wire between two open switches a defined voltage.
    """

    type_name = "voltmeter"
    label = "Voltmeter"
    of_machines = False
    ports = (Port("plus", "electrical"), Port("minus", "electrical"))

    class Parameters(ParameterSet):
        load_ohm: float = quantity(50000, "Ω", "load resistor", low=100, high=1e7)

    symbol = Symbol(
        1.4,
        1.4,
        {"plus": ("south", 0.7), "minus": ("north", 0.7)},
        ("M0.7 0.1 a0.6 0.6 0 1 0 0.01 0", "M0.45 0.5 L0.7 0.95 L0.95 0.5"),
    )
    example = Example(
        "12 V over 50 kΩ = 0.24 mA, ×0.6",
        {"plus": 12.0, "minus": 0.0},
        {"plus": 1.44e-4, "minus": -1.44e-4},
    )
    law = _voltmeter


_VOLTMETER = Voltmeter.rows()
