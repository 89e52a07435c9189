"""Viscosity of a mineral oil over temperature."""

import math

KELVIN_AT_0_C = 273.15
REFERENCE_VISCOSITY_MM2_S = 46.0
"""Leakage conductances in circuit documents are stated at this viscosity."""


def viscosity_mm2_s(oil_c: float, at_40_c_mm2_s: float, at_100_c_mm2_s: float) -> float:
    """Kinematic viscosity at ``oil_c`` from the values at 40 and 100 °C.

    ``log10 log10(ν + 0.7) = A − B·log10 T``, with T in kelvin.

    Parameters
    ----------
    oil_c : float — oil temperature, −40 … 150 [°C]
    at_40_c_mm2_s, at_100_c_mm2_s : float — data-sheet values, > 2 [mm²/s]

    Returns
    -------
    float — kinematic viscosity [mm²/s]

    Source: ASTM D341, the Walther equation (form for ν > 2 mm²/s).
    """

    def double_log(nu: float) -> float:
        return math.log10(math.log10(nu + 0.7))

    log_t40 = math.log10(KELVIN_AT_0_C + 40.0)
    log_t100 = math.log10(KELVIN_AT_0_C + 100.0)
    b = (double_log(at_40_c_mm2_s) - double_log(at_100_c_mm2_s)) / (log_t100 - log_t40)
    a = double_log(at_40_c_mm2_s) + b * log_t40
    return float(10.0 ** (10.0 ** (a - b * math.log10(KELVIN_AT_0_C + oil_c))) - 0.7)


BULK_MODULUS_BAR = 12_000.0
"""Oil without air together with the hoses and pipes that hold it: mineral oil has 14,000 to 18,000,
mobile circuits are measured at 10,000 to 14,000."""
FREE_AIR = 0.005
"""Share of undissolved air at atmospheric pressure in the oil of a machine that breathes well."""
ATMOSPHERE_BAR = 1.013
AIR_POLYTROPIC = 1.2
NITROGEN_ADIABATIC = 1.4
"""Ratio of its specific heats, as an ideal gas."""
