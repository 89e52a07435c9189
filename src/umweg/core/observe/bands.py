"""What sound machines show by the maker's own word: the bands of a circuit's specifications.

A band is what sound machines of a make are found within, whatever the model believes of its parts:
a reading inside it makes no fault by itself, one outside is out of order. So what a sound machine
shows there is taken to lie anywhere in the band alike, and what a fault changes is added to that.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from umweg.core.circuit.document import Circuit, MachineState
from umweg.core.components.base import Array
from umweg.core.observe.exhibits import Exhibits
from umweg.core.observe.normal import normal_cdf
from umweg.core.observe.predict import Predictor, state_key
from umweg.core.observe.quantities import Quantity, to_scale

ONE_SIDED_SD = 2.0
"""Where a band has no limit on one side: standard deviations of the sound machine to where it ends."""
WITHIN = 1.0
"""A sound machine is at least so many standard deviations inside, whatever the limits say."""
ALIKE = 2.0
"""How many times what stands at a place in one state may be what stands there in another for which
the band is taken, its limits in the same proportion."""

Limits = tuple[float | None, float | None]


@dataclass(frozen=True)
class Band:
    """Where sound machines are found, on the comparison scale.

    ``name`` is the specification's: what is unknown of the machine within it is the same in all
    readings by it. ``sd`` is that of the band beyond what the unknowns account for.
    """

    name: str
    low: float
    high: float
    sd: float

    def kept(self, share: float) -> "Band":
        """The same where so much of what it adds is still as it was."""
        return replace(self, sd=share * self.sd)

    def log_share(self, sound: Array, sd: Array) -> Array:
        """(C,) log density of a reading, of machines that lie anywhere in the band alike.

        Parameters
        ----------
        sound : (C,) the reading less what each candidate differs from a sound machine
        sd : (C,) standard deviation of what is read beside that: severity, noise
        """
        within = normal_cdf((sound - self.low) / sd) - normal_cdf((sound - self.high) / sd)
        found: Array = np.log(np.maximum(within, 1e-300) / (self.high - self.low))
        return found


def limits_of(circuit: Circuit) -> Mapping[tuple[str, str], dict[str, Limits]]:
    """By kind of quantity and place: named states with the limits there, on the comparison scale."""
    found: dict[tuple[str, str], dict[str, Limits]] = {}
    for spec in circuit.specifications:
        quantity = Quantity.named(spec.quantity, spec.point)
        low, high = (
            None if limit is None else float(to_scale(quantity, np.asarray(limit)))
            for limit in (spec.low, spec.high)
        )
        found.setdefault((quantity.kind, quantity.place), {})[spec.state] = low, high
    return found


def variances_of(circuit: Circuit) -> dict[tuple[str, str, str], float]:
    """By kind of quantity, place and :func:`state_key`: variance of machines that lie anywhere within
    both limits alike, on the comparison scale."""
    return {
        (kind, place, state_key(circuit.states[name])): (high - low) ** 2 / 12.0
        for (kind, place), states in limits_of(circuit).items()
        for name, (low, high) in states.items()
        if low is not None and high is not None and name in circuit.states
    }


def band_at(exhibits: Exhibits, quantity: Quantity, state: MachineState) -> Band | None:
    """The band of a reading: of its own state, or in proportion of one in which much the same
    stands at that place; None where the maker says nothing of it."""
    circuit = exhibits.suspects.circuit
    limits = limits_of(circuit).get((quantity.kind, quantity.place))
    if limits is None:
        return None
    shown = exhibits.shown(quantity, state)
    sound, spread = float(shown.mean[0]), float(np.sqrt((shown.slope[:, 0] ** 2).sum()))
    name, share = _like(exhibits, quantity, state, sound, limits)
    if not name:
        return None
    low, high = limits[name]
    reach = ONE_SIDED_SD * spread
    ends = (
        sound - reach if low is None else min(share * low, sound - WITHIN * spread),
        sound + reach if high is None else max(share * high, sound + WITHIN * spread),
    )
    # Where it lies in the same limits at one place is the same in every state: a relief's setting.
    return of_ends(f"{quantity.kind}/{quantity.place}/{low}/{high}", *ends, sound, spread)


def of_ends(name: str, low: float, high: float, sound: float, spread: float) -> Band | None:
    """A band between its ends: as wide as machines that lie anywhere in it alike.

    Parameters
    ----------
    sound, spread : what the model believes of a sound machine there: mean, standard deviation
    """
    if not high > low:
        return None
    variance = (high - low) ** 2 / 12.0 + (0.5 * (low + high) - sound) ** 2
    return Band(name, low, high, float(np.sqrt(max(variance - spread**2, 0.0))))


@dataclass(frozen=True)
class _Sound:
    """What the machine in order shows at a place in the states for which there are limits."""

    quantity: Quantity
    states: tuple[str, ...]

    @property
    def name(self) -> str:
        """Stable name."""
        return f"sound/{self.quantity.kind}/{self.quantity.place}"

    def probability(self, predictor: Predictor) -> Array:
        """(S, C) of each state, on the comparison scale, the same for all."""
        named = predictor.circuit.states
        shown = [predictor.sound(self.quantity, named[name]) for name in self.states]
        return np.repeat(np.array(shown)[:, None], predictor.population.count, axis=1)


def _like(
    exhibits: Exhibits,
    quantity: Quantity,
    state: MachineState,
    sound: float,
    limits: Mapping[str, Limits],
) -> tuple[str, float]:
    """The state whose limits are taken, none where there is none, and in what proportion."""
    states = exhibits.suspects.circuit.states
    key = state_key(state)
    for name in limits:
        if quantity.timed or state_key(states[name]) == key:
            return name, 1.0
    if quantity.compressed or sound <= 0.0:
        return "", 1.0
    shares = {}
    others = exhibits.seen(_Sound(quantity, tuple(sorted(limits))))[:, 0]
    for name, other in zip(sorted(limits), others, strict=True):
        if 1.0 / ALIKE <= sound / max(other, 1e-9) <= ALIKE:
            shares[name] = sound / other
    nearest = min(shares, key=lambda n: abs(np.log(shares[n])), default="")
    return nearest, shares.get(nearest, 1.0)
