"""Compilation of the flow laws, and the scalar pieces they share.

A law is a loop over candidates that numba turns into machine code once; the
compiled code is kept in a folder named after a hash of all law sources, so a
changed helper can never leave a stale law behind.

Every scalar returns its value and its exact derivative together.
"""

import hashlib
import math
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

import llvmlite.binding as llvm
import numba
from numba.np import linalg as numba_linalg

from umweg.core.fluid import AIR_POLYTROPIC, ATMOSPHERE_BAR, BULK_MODULUS_BAR, FREE_AIR
from umweg.core.fluid import REFERENCE_VISCOSITY_MM2_S as NU_REF
from umweg.core.version import user_folder

# A law reads and writes dozens of rows. The compiler works on four candidates at once only if it may
# check at run time that none overlap, and for one component at a time: ranges over all components
# of a type interleave and would always seem to overlap.
for _choice in ("vectorize-memory-check-threshold=256", "hoist-runtime-checks=0"):
    llvm.set_option("umweg", f"--{_choice}")

Law = TypeVar("Law", bound=Callable[..., Any])


def _cache_folder() -> str:
    digest = hashlib.sha256()
    here = Path(__file__).parent
    for source in sorted([*here.glob("*.py"), *(here.parent / "solve").glob("*.py")]):
        digest.update(source.read_bytes())
    folder = user_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError:
        # A home that cannot be written costs the compilation at every start.
        folder = Path(tempfile.mkdtemp(prefix="umweg-kernels-"))
    return str(folder / f"kernels-{digest.hexdigest()[:12]}")


def _without_matrices() -> None:
    """What numba asks whether there is a library for products of matrices: it would load one."""
    raise ImportError("no law multiplies matrices")


# It loads all of scipy.linalg to find out; a diagnosis waits for it a tenth of a second.
numba_linalg.ensure_blas = _without_matrices
numba.config.CACHE_DIR = _cache_folder()  # type: ignore[attr-defined]


def law(function: Law) -> Law:
    """Compile a flow law ``(x, k, env, f, j)``, without Python's lock, when first called.

    Shapes, with C components of the type, P ports, M parameters, B candidates:
    ``x (C, P, B)`` across variables, ``k (C, M, B)`` parameters then commands,
    ``env (1, B)`` viscosity [mm²/s], results ``f (C, P, B)`` through variables
    flowing *into* the component, ``j (C, P, P, B)`` = ∂f/∂x, given as zeros.
    """
    return cast("Law", numba.njit(nogil=True, cache=True, error_model="numpy")(function))


def scalar(function: Law) -> Law:
    """Compile a helper that laws call for one candidate."""
    return cast("Law", numba.njit(nogil=True, inline="never", forceinline=True)(function))


@scalar
def turbulent(dp_bar: float, k: float, dp_smooth_bar: float) -> tuple[float, float]:
    """Turbulent restriction, ``k·Δp/(Δp² + Δp₀²)^¼``: square root law, linear near zero.

    ``k`` is the flow at 1 bar [L/min/√bar]. At Δp = 10·Δp₀ it is 0.25 % below the square root.
    """
    square = dp_bar * dp_bar
    smooth = dp_smooth_bar * dp_smooth_bar
    less = 1.0 / math.sqrt(math.sqrt(square + smooth))
    fourth = less * less * less * less
    return k * dp_bar * less, k * (0.5 * square + smooth) * fourth * less


TURBULENT_SHARE = 0.6
"""Share of a pump's slip, at ``SLIP_REF_BAR`` and the reference viscosity, that is turbulent."""
SLIP_REF_BAR = 150.0


@scalar
def slip(dp_bar: float, leakage_lpm_per_bar: float, viscosity_mm2_s: float) -> tuple[float, float]:
    """Internal slip of a pump: laminar through clearances, turbulent over edges and scores.

    ``q = G·[(1 − τ)·(ν_ref/ν)·Δp + τ·√p_ref·√Δp]``: at ``p_ref`` and ν_ref it is ``G·Δp``. Slip
    that were laminar alone would grow fivefold from 50 °C to 85 °C; measured pumps lose two to
    three times as much (volumetric models after Schlösser, 1961, have both parts).
    """
    laminar = leakage_lpm_per_bar * (1.0 - TURBULENT_SHARE) * NU_REF / viscosity_mm2_s
    q, dq = turbulent(dp_bar, leakage_lpm_per_bar * TURBULENT_SHARE * math.sqrt(SLIP_REF_BAR), 2.0)
    return laminar * dp_bar + q, laminar + dq


@scalar
def ramp(value: float, width: float) -> tuple[float, float]:
    """0 up to 0, then a parabola over ``width`` into the line ``value − width/2``.

    It is exactly 0 below 0: a closed valve passes nothing, and never against the pressure.
    """
    if value <= 0.0:
        return 0.0, 0.0
    if value < width:
        return 0.5 * value * value / width, value / width
    return value - 0.5 * width, 1.0


@scalar
def cracking(excess: float, width: float) -> tuple[float, float]:
    """Excess over a setting, its corner rounded over ``width``: the line itself ``width/2`` above,
    exactly 0 that much below."""
    return ramp(excess + 0.5 * width, width)


@scalar
def smooth_step(value: float, low: float, high: float) -> tuple[float, float]:
    """0 below ``low``, 1 above ``high``, a cubic between."""
    t = (value - low) / (high - low)
    if t <= 0.0:
        return 0.0, 0.0
    if t >= 1.0:
        return 1.0, 0.0
    return t * t * (3.0 - 2.0 * t), 6.0 * t * (1.0 - t) / (high - low)


@scalar
def soft_sign(value: float) -> tuple[float, float]:
    """From −1 to 1 as tanh does, within 0.024 of it: its Padé approximant, which ends at ±3."""
    u = min(max(value, -3.0), 3.0)
    square = u * u
    below = 1.0 / (27.0 + 9.0 * square)
    sign = u * (27.0 + square) * below
    return sign, (27.0 + 3.0 * square - 18.0 * u * sign) * below


@scalar
def sliding(speed: float, width: float) -> tuple[float, float]:
    """Sign of a speed for friction, ``s/√(1 + s²)`` with ``s = speed/width``."""
    s = speed / width
    less = 1.0 / math.sqrt(1.0 + s * s)
    return s * less, less * less * less / width


@scalar
def regulated(flow: float, set_flow: float) -> tuple[float, float]:
    """What a flow regulator lets pass of ``flow``: ``s/(1 + s⁴)^¼`` of its set flow.

    ``s = flow/set_flow``. It follows the flow while that is small (0.5 % less at s = ⅜) and is
    0.4 ‰ below its set flow at s = 5.
    """
    s = flow / set_flow
    power = 1.0 + s * s * s * s
    root = math.sqrt(math.sqrt(power))
    return set_flow * s / root, 1.0 / (root * power)


@scalar
def larger(a: float, b: float, width: float) -> tuple[float, float]:
    """Smooth maximum ``½(a + b + √((a − b)² + w²))`` and its slope to ``a``; to ``b`` the rest."""
    root = math.sqrt((a - b) * (a - b) + width * width)
    return 0.5 * (a + b + root), 0.5 * (1.0 + (a - b) / root)


@scalar
def forward(dp_bar: float, k: float) -> tuple[float, float]:
    """Turbulent restriction that passes nothing backward: a square root behind a short ramp."""
    head, dhead = ramp(dp_bar, 0.3)
    q, dq = turbulent(head, k, 0.5)
    return q, dq * dhead


@scalar
def limited(position: float) -> tuple[float, float]:
    """Between the stops −1 and 1, and whether it is."""
    if position > 1.0:
        return 1.0, 0.0
    if position < -1.0:
        return -1.0, 0.0
    return position, 1.0


@scalar
def saturating(value: float, limit: float) -> tuple[float, float]:
    """``limit·s/√(1+s²)`` with ``s = value/limit``: follows ``value``, never beyond ``limit``."""
    s = value / limit
    root = math.sqrt(1.0 + s * s)
    return limit * s / root, 1.0 / (root * root * root)


LAMINAR_TO_RE, TURBULENT_FROM_RE = 2000.0, 3000.0
"""Between them a pipe's flow changes over from laminar to turbulent."""
_STARTS_AT_RE_FOURTH = 8.41
"""Fourth root of Re 5000, where the search for a pipe's flow takes its friction factor from."""


@scalar
def pipe_drop(
    q: float, laminar: float, blasius: float, linear: float, fittings: float, re_per_lpm: float
) -> tuple[float, float]:
    """Loss of a smooth pipe and its fittings at a flow ``q ≥ 0`` [bar], and its slope.

    ``laminar·q`` up to Re 2000 (64/Re), ``blasius·q^1.75`` from Re 3000 (0.3164/Re^¼), a cubic step
    from one to the other; fittings ``linear·q + fittings·q²``.
    """
    u = (re_per_lpm * q - LAMINAR_TO_RE) / (TURBULENT_FROM_RE - LAMINAR_TO_RE)
    t = min(max(u, 0.0), 1.0)
    share = t * t * (3.0 - 2.0 * t)
    dshare = 6.0 * t * (1.0 - t) * re_per_lpm / (TURBULENT_FROM_RE - LAMINAR_TO_RE)
    slope = blasius * q / math.sqrt(math.sqrt(max(q, 1e-9)))
    rough = slope * q
    drop = laminar * q * (1.0 - share) + share * rough + linear * q + fittings * q * q
    return drop, (
        laminar * (1.0 - share)
        + 1.75 * share * slope
        + dshare * (rough - laminar * q)
        + linear
        + 2.0 * fittings * q
    )


@scalar
def pipe_flow(
    dp_bar: float, laminar: float, blasius: float, linear: float, fittings: float, re_per_lpm: float
) -> tuple[float, float]:
    """Flow through a pipe whose loss is :func:`pipe_drop`, solved for q.

    Newton's steps from what the sum of laminar and quadratic loss would let through; six leave
    10⁻⁸ of the flow at every Re up to 3·10⁵, bore, length and number of fittings.
    """
    size = abs(dp_bar)
    fourth = math.sqrt(math.sqrt(re_per_lpm))
    square = fittings + blasius * fourth / _STARTS_AT_RE_FOURTH
    first = laminar + linear
    q = 2.0 * size / (first + math.sqrt(first * first + 4.0 * square * size))
    for _ in range(6):
        drop, slope = pipe_drop(q, laminar, blasius, linear, fittings, re_per_lpm)
        q = max(q - (drop - size) / slope, 0.2 * q)
    drop, slope = pipe_drop(q, laminar, blasius, linear, fittings, re_per_lpm)
    return (q if dp_bar >= 0.0 else -q), 1.0 / slope


@scalar
def check_flow(
    dp_bar: float, k: float, cracking_bar: float, leak_lpm_per_bar: float
) -> tuple[float, float]:
    """A check valve: turbulent above its cracking pressure, a trace of leakage always."""
    head, dhead = ramp(dp_bar - cracking_bar, 0.3)
    q, dq = turbulent(head, k, 0.5)
    return q + leak_lpm_per_bar * dp_bar, dq * dhead + leak_lpm_per_bar


@scalar
def couple(f: Any, j: Any, c: int, b: int, a: int, z: int, q: float, dq: float) -> None:
    """Add a two-port flow from port ``a`` to port ``z`` that depends on their difference."""
    f[c, a, b] += q
    f[c, z, b] -= q
    j[c, a, a, b] += dq
    j[c, a, z, b] -= dq
    j[c, z, a, b] -= dq
    j[c, z, z, b] += dq


@scalar
def couple_either(
    f: Any, j: Any, c: int, b: int, a: int, pair: tuple[int, int], first: float, q: float, dq: float
) -> None:
    """Couple port ``a`` with one of a pair: the first where ``first`` is 1, the second where 0.

    Weights in place of a choice keep the loop over candidates straight.
    """
    one, two = pair
    second = 1.0 - first
    f[c, a, b] += q
    f[c, one, b] -= q * first
    f[c, two, b] -= q * second
    j[c, a, a, b] += dq
    j[c, a, one, b] -= dq * first
    j[c, a, two, b] -= dq * second
    j[c, one, a, b] -= dq * first
    j[c, two, a, b] -= dq * second
    j[c, one, one, b] += dq * first
    j[c, two, two, b] += dq * second


@scalar
def steer(j: Any, c: int, b: int, a: int, z: int, by: int, slope: float) -> None:
    """Add how a flow from port ``a`` to port ``z`` answers to the across variable at ``by``."""
    j[c, a, by, b] += slope
    j[c, z, by, b] -= slope


LOWEST_BAR = -0.95
"""Below it oil is pressed together as if it went on as it does there."""
LEAST_HEAD_BAR = 1e-3
GAS_FOOT = 1e-6
"""Share of its volume that a gas store takes for as much pressure as its gas has: its bladder gives
by hardly anything."""


@scalar
def compressed(p: float) -> tuple[float, float]:
    """Oil and undissolved air pressed into a litre [L], and its slope [L/bar]."""
    low = max(p, LOWEST_BAR)
    share = (ATMOSPHERE_BAR / (ATMOSPHERE_BAR + low)) ** (1.0 / AIR_POLYTROPIC)
    slope = 1.0 / BULK_MODULUS_BAR + FREE_AIR * share / AIR_POLYTROPIC / (ATMOSPHERE_BAR + low)
    stored = low / BULK_MODULUS_BAR + FREE_AIR * (1.0 - share)
    return stored + slope * (p - low), slope


@scalar
def standing_above(p: float, volume: float, head: float) -> tuple[float, float]:
    """Oil that stands above a port [L], and its slope [L/bar]: full at ``head``, none at nothing."""
    slope = volume / max(head, LEAST_HEAD_BAR)
    foot = GAS_FOOT * slope
    share = min(max(p, 0.0), head)
    return slope * share + foot * (p - share), slope if 0.0 < p < head else foot
