"""What a component type declares, and the registry that makes it known to everything else.

To add a type: copy the shortest class of a family file, then
1. name it, and say in the docstring what it is, the equations and their source;
2. list its ports in the order the law uses them;
3. declare parameters (unit, range, default, tolerance) and commands;
4. write the law: through variables into the component, and every derivative; it reads its
   parameters by name, ``NAME = Type.rows()`` standing below the class;
5. declare its fault modes, each moving one parameter from healthy to severe;
6. draw its symbol in a box with the ports on the edge;
7. give one worked example with numbers from its source.
Importing the module registers it; the parametrised tests pick it up.
"""

import inspect
from collections import namedtuple
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal, cast

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from umweg.core.components.storage import Storage

Array = NDArray[np.float64]
Domain = Literal["hydraulic", "translation", "rotation", "electrical", "travel"]
FaultFamily = Literal["detour", "dam", "source", "command", "load", "gauge"]
LineKind = Literal["working", "pilot", "drain"]
Side = Literal["north", "south", "east", "west"]

TRANSLATION = 6e-4
"""1 N·mm/s in bar·L/min: makes force × speed the same power as pressure × flow."""
ROTATION = 0.0628318530718
"""1 Nm·rpm in bar·L/min."""
ELECTRIC = 0.6
"""1 W in bar·L/min: ampere × volt is the same power as pressure × flow."""
AREA_FLOW = 0.006
"""L/min displaced by 1 cm² moving at 1 mm/s; also the force of 1 bar on 1 cm² × TRANSLATION."""

ACROSS_UNIT: dict[Domain, str] = {
    "hydraulic": "bar",
    "translation": "mm/s",
    "rotation": "rpm",
    "electrical": "V",
    "travel": "1",
}
"""Unit of each domain's across variable."""
TRAVEL_PORT = "spool"
"""Where a linkage is joined to what it moves. Travel is no unknown of the equations: what a lever
does to its spool does not depend on the oil, so it is worked out before they are solved."""


@dataclass(frozen=True)
class Port:
    """A place to connect: its domain, the line kind it takes, and its edge on the symbol."""

    name: str
    domain: Domain = "hydraulic"
    line: LineKind = "working"
    boundary: bool = False
    """The component itself fixes this net's across variable at 0 (a vented tank, the frame)."""


GivenBy = Literal["", "lever", "wheel", "pedal", "button", "hand_valve", "hand_pump", "trial"]
OilLook = Literal["clear", "foamy", "milky", "dark", "metal"]
DECADES = 4.0
"""Over how many powers of ten the leak of a seat or a seal grows from just there to torn."""
WorkKind = Literal[
    "exchange",
    "outside",
    "reseal",
    "clean",
    "refit",
    "wiring",
    "set",
    "swap",
    "by_hand",
    "top_up",
    "oil",
    "wrong_part",
]


@dataclass(frozen=True)
class Work:
    """What mending takes beside getting at the part.

    ``part_share`` of the price of the whole part; ``minutes`` of its own, None where it takes as
    long as exchanging the part; ``material`` in money. ``look_min`` is how long a look for the
    fault takes, None where the part has to be in hand; ``look_sure`` how surely the worst shows;
    ``look_reach``: one has to get at the part for it; ``look_mistaken`` how often it is taken to be
    there where it is not: a link that is off is off, a worn edge is a matter of judgement.
    ``try_min`` is how long it takes from there to know whether it was that: the machine put together
    again, filled, bled and worked; a screw is turned while one watches the gauge.
    """

    part_share: float = 0.0
    minutes: float | None = None
    try_min: float = 20.0
    material: float = 0.0
    look_min: float | None = None
    look_sure: float = 0.85
    look_reach: bool = True
    look_mistaken: float = 0.03


PLAIN = 0.004
"""How often somebody reports what is plain to see, and it is not so: the wrong side, a mix-up."""
WORKS: Mapping[WorkKind, Work] = {
    "exchange": Work(part_share=1.0),
    "outside": Work(
        part_share=1.0, look_min=3, look_sure=0.97, look_reach=False, look_mistaken=PLAIN
    ),
    "reseal": Work(part_share=0.15),
    "clean": Work(part_share=0.05, look_mistaken=0.01),
    "refit": Work(
        minutes=20, try_min=10, material=5, look_min=3, look_sure=0.95, look_mistaken=PLAIN
    ),
    "wiring": Work(
        minutes=20, try_min=5, material=10, look_min=6, look_sure=0.8, look_mistaken=PLAIN
    ),
    "set": Work(minutes=10, try_min=5, look_sure=0.5),
    "swap": Work(minutes=20, try_min=10, look_min=8, look_sure=0.95, look_mistaken=PLAIN),
    "by_hand": Work(minutes=3, try_min=3, look_min=2, look_sure=0.97, look_mistaken=PLAIN),
    "top_up": Work(
        minutes=15, try_min=10, material=30, look_min=2, look_sure=0.97, look_mistaken=PLAIN
    ),
    "oil": Work(minutes=60, material=500, look_min=10, look_sure=0.6),
    "wrong_part": Work(
        part_share=1.0, look_min=4, look_sure=0.9, look_reach=False, look_mistaken=PLAIN
    ),
}
"""Money is per fault, not per part: a screw is ten minutes, oil of the wrong grade is a tankful."""


@dataclass(frozen=True, kw_only=True)
class FaultMode:
    """One way to fail: a parameter moves from healthy to severe.

    ``scale`` — ``factor``: value = healthy·severe^s; ``to``: linear to ``severe``;
    ``square``: quadratic to ``severe``, for openings that start at nothing; ``decades``: from
    ``DECADES`` powers of ten below ``severe``, for seats and seals, whose leaks begin near nothing
    and are noticed as drift long before they cost speed; ``switch``: ``severe`` as soon as it is
    there, for what is either right or wrong (a crossed pair, a lost pin).
    """

    name: str
    label: str
    parameter: str
    scale: Literal["factor", "to", "square", "decades", "switch"]
    severe: float
    family: FaultFamily
    base_rate: float
    look: str
    """How it is confirmed by eye once the part is in hand."""
    remedy: str = "Replace the part."
    work: WorkKind = "exchange"
    """What the remedy takes, for its price."""
    oil: OilLook = "clear"
    """How it makes the oil look: foamy where it draws air, metal where parts wear each other away."""
    from_oil_c: float | None = None
    """It is there only with the oil at least so warm: a coil that lets go once it is hot."""
    comes_and_goes: bool = False
    """It is there at one time and not at the next: a loose plug, a chafed wire."""
    goes_with: str = ""
    """The unit that is pulled off and changed with a like one in a few minutes, this fault with it:
    ``coil_a``, ``relay``."""
    goes_surely: float = 0.9
    """How surely: a coil that is open may be a plug that is off, which stays."""
    remarks: tuple[str, ...] = ()
    """Words that people use of it and that no steady state shows, as worked by somebody beside it:
    it is jerky, it squeals."""
    own_lever: str = ""
    """The command whose last link this is; the mode is not this part's where a linkage component
    moves that command."""

    def value(self, healthy: float, severity: Array | float) -> Any:
        """The parameter at ``severity`` 0 … 1; severity 0 is the healthy value itself."""
        s = np.asarray(severity, dtype=float)
        if self.scale == "factor":
            return healthy * self.severe**s
        if self.scale == "to":
            return healthy + s * (self.severe - healthy)
        if self.scale == "decades":
            grown = self.severe * 10.0 ** (-DECADES * (1.0 - s))
            return healthy + np.where(s > 0.0, grown, 0.0)
        if self.scale == "switch":
            return np.where(s > 0.0, self.severe, healthy)
        return healthy + s * s * (self.severe - healthy)

    def kept(self, severity: Array | float) -> Array:
        """How much of a difference of the healthy value is left in the value at ``severity``: on
        every scale the value is a straight line over the healthy one."""
        return np.asarray(self.value(1.0, severity) - self.value(0.0, severity))


@dataclass(frozen=True)
class Command:
    """An input an operator, a load state or the shop's kit sets."""

    name: str
    low: float
    high: float
    default: float = 0.0
    by: GivenBy = ""
    """What somebody moves with hand or foot to give it; nothing where a load, a place or the shop does;
    “trial” what is only done to see what happens."""


@dataclass(frozen=True, kw_only=True)
class Trial:
    """Something done at a part to see what happens, and undone again: doing is testing.

    It is a command of the part, so that what every suspect would show is solved like any state.
    """

    name: str
    label: str
    """What is done, behind the part's name."""
    command: str
    value: float = 1.0
    minutes: float = 2.0
    """Beside getting at the part."""
    suspected: bool = False
    """It is tried only where the part itself is under suspicion, not for what lies before it."""
    caution: str = ""


@dataclass(frozen=True)
class Symbol:
    """A drawing in a box of ``width`` × ``height`` units; ports sit on its edges."""

    width: float
    height: float
    ports: Mapping[str, tuple[Side, float]]
    """Edge, and the distance along it from its left or top end."""
    strokes: tuple[str, ...] = ()
    """SVG path data, drawn with the thin solid line of ISO 1219-1."""
    dashed: tuple[str, ...] = ()
    """Path data in the pilot line style."""
    filled: tuple[str, ...] = ()
    """Path data that is filled (energy triangles)."""


@dataclass(frozen=True)
class Example:
    """A worked case: across variables and parameters in, through variables out."""

    source: str
    across: Mapping[str, float]
    through: Mapping[str, float]
    parameters: Mapping[str, float] = field(default_factory=dict)
    viscosity_mm2_s: float = 46.0
    rel: float = 1e-3


class ParameterSet(BaseModel):
    """Base of every type's parameters; unknown names are refused."""

    # A circuit has a few of all the types: each one's reader is built when it is first wanted.
    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)


GUESSED = 0.2
"""Relative spread (1 σ) of a number that nobody has measured or read from a sheet."""


OUTSIDE = 0.1
"""The same of a piston or a rod: its tube and its eye are seen, and sizes come in steps."""


def quantity(
    default: float,
    unit: str,
    description: str,
    *,
    low: float,
    high: float,
    tolerance: float = 0.0,
    guessed: float | None = None,
    of_supply: int = 0,
) -> Any:
    """A parameter: unit, allowed range, default, and the relative spread of healthy parts (1 σ).

    Parameters
    ----------
    guessed : relative spread (1 σ) where it is a guess or the type's typical value; where it is not
        said, ``GUESSED``, and none for a share or a switch that does not spread
    of_supply : power of the supply's voltage with which its typical value goes: twice the volts, four
        times the ohms of a coil of the same watts
    """
    plain = unit == "1" and tolerance == 0.0
    spread = (0.0 if plain else GUESSED) if guessed is None else guessed
    return Field(
        default=default,
        ge=low,
        le=high,
        description=description,
        json_schema_extra={
            "unit": unit,
            "tolerance": tolerance,
            "guessed": max(tolerance, spread),
            "of_supply": of_supply,
        },
    )


class ComponentType:
    """One kind of component; subclassing with a ``type_name`` registers it."""

    type_name: ClassVar[str] = ""
    label: ClassVar[str]
    words: ClassVar[tuple[str, ...]] = ()
    """What the trade calls it besides, and what it is part of: it is found by them."""
    roles: ClassVar[tuple[str, ...]] = ()
    """What it is (:mod:`umweg.core.components.roles`): each demands its ways to fail."""
    cannot: ClassVar[Mapping[str, str]] = {}
    """Ways to fail that its roles demand and it does not have, each with the reason."""
    of_machines: ClassVar[bool] = True
    """A machine has such a part; else it is the shop's, or the solver's own."""
    ports: ClassVar[tuple[Port, ...]]
    Parameters: ClassVar[type[ParameterSet]]
    commands: ClassVar[tuple[Command, ...]] = ()
    trials: ClassVar[tuple[Trial, ...]] = ()
    """What is done at it to see what happens."""
    fault_modes: ClassVar[tuple[FaultMode, ...]] = ()
    adjustable: ClassVar[tuple[str, ...]] = ()
    passive: ClassVar[bool] = True
    """Takes more power in than it gives out, at any pressures."""
    relieves: ClassVar[bool] = False
    """Bounds the pressure of its first port."""
    makes_flow: ClassVar[bool] = False
    """Pushes oil into its second port whatever the pressure there."""
    limits_itself: ClassVar[bool] = False
    """Destrokes at its own set pressure: needs no relief to bound it."""
    one_way: ClassVar[bool] = False
    storage: ClassVar[tuple[Storage, ...]] = ()
    """What it holds back in time: oil, gas, momentum; its ends and what oil switches in it."""
    fittings_l: ClassVar[float] = 0.02
    """Oil in each of its ports and the passage behind it."""
    in_time: ClassVar[Mapping[str, float]] = {}
    """Commands that stand for a moment in the steady law, as they are where time itself runs."""
    stores_oil: ClassVar[bool] = False
    """What flows in need not flow out: a cylinder, an accumulator."""
    leaks_past: ClassVar[tuple[str, str] | None] = None
    """Ports between which oil passes inside: at its stop, what passes runs out at the one that is
    not pressed once its hose is off."""
    carried_by: ClassVar[tuple[str, ...]] = ()
    """Commands of a load by which it weighs on its actuator: nothing once it is set down."""
    resisted_by: ClassVar[tuple[str, ...]] = ()
    """Commands of a load by which it resists whatever way it is moved."""
    pushed_one_way: ClassVar[bool] = False
    """Oil moves it one way only: its load takes it back."""
    rated_volts: ClassVar[float] = 12.0
    """Supply for which its typical electrical numbers are."""
    draws_heavily: ClassVar[bool] = False
    """Electric: it wants a main fuse and thick cables."""
    for_heavy: ClassVar[Mapping[str, float]] = {}
    """Of a supply: its typical numbers where something draws heavily."""
    holds_load: ClassVar[str] = ""
    """Port whose load it holds while nobody moves it."""
    emptied_by: ClassVar[str] = ""
    """Command of a store that empties it."""
    lets_go_by: ClassVar[str] = ""
    """Command of a valve worked by hand that lets the pressure before it go."""
    piloted: ClassVar[bool] = False
    """Its spool is moved by pilot oil and by nothing else."""
    drawn_by: ClassVar[str] = ""
    """Command of a store that draws on it, the drive off: what is left tells of its gas."""
    aerates: ClassVar[str] = ""
    """Parameter of a tank: share of air in what it gives, which every pump gets."""
    aerated: ClassVar[str] = ""
    """Parameter of a pump: share of its chamber that is filled with air."""
    cools: ClassVar[str] = ""
    """Parameter that says what heat it gives away per degree above the air [kW/K]."""
    by_hand: ClassVar[bool] = False
    """Somebody's arm drives it: what it gives out comes from nowhere in the circuit."""
    named_on_demand: ClassVar[bool] = False
    """Drawn without its name until somebody asks: lines and what hangs on an actuator."""
    indicator_words: ClassVar[tuple[str, str]] = ("tripped", "not tripped")
    """For types with ``indicator_bar``: what is seen above and below it."""
    levers: ClassVar[tuple[str, ...]] = ()
    """Commands that a linkage component may move: connections by these names are optional."""
    travel: ClassVar[Callable[[Mapping[str, Array]], Array] | None] = None
    """For linkages: the travel at ``TRAVEL_PORT`` from parameters and commands."""
    opened_port: ClassVar[str] = ""
    """For shop kit: the port whose fitting is opened to insert it."""
    symbol: ClassVar[Symbol]
    example: ClassVar[Example]
    law: ClassVar[Callable[[Array, Array, Array, Array, Array], None]]

    def __init_subclass__(cls) -> None:
        super().__init_subclass__()
        if not cls.type_name:
            return
        if cls.type_name in _REGISTRY:
            raise ValueError(f"component type {cls.type_name} is declared twice")
        names = set(cls.parameter_names())
        for mode in cls.fault_modes:
            if mode.parameter not in names:
                raise ValueError(f"{cls.type_name}: fault mode {mode.name} moves no parameter")
        _REGISTRY[cls.type_name] = cls

    @classmethod
    def parameter_names(cls) -> tuple[str, ...]:
        """Parameters then commands, in the order of the law's ``k``."""
        return (*cls.Parameters.model_fields, *(c.name for c in cls.commands))

    @classmethod
    def rows(cls) -> Any:
        """Index of each parameter and command in the law's ``k``, by name.

        A law reads ``k[c, NAME.parameter, b]`` with ``NAME = Type.rows()`` below the class: compiled
        code takes the indices for constants, and a parameter more cannot shift a law.
        """
        names = cls.parameter_names()
        return namedtuple(f"{cls.__name__}Rows", names)(*range(len(names)))

    @classmethod
    def port_names(cls) -> tuple[str, ...]:
        """The ports' names in the order of the law's ``x``."""
        return tuple(p.name for p in cls.ports)

    @classmethod
    def link_names(cls) -> tuple[str, ...]:
        """Names of the connections that carry travel."""
        return cls.levers if cls.travel is None else (*cls.levers, TRAVEL_PORT)

    @classmethod
    def tolerance(cls, parameter: str) -> float:
        """Relative spread (1 σ) of a parameter among healthy parts."""
        return float(cls._declared(parameter)["tolerance"])

    @classmethod
    def guessed(cls, parameter: str) -> float:
        """Relative spread (1 σ) of a parameter that is a guess or the type's typical value."""
        return float(cls._declared(parameter)["guessed"])

    @classmethod
    def typed(cls, parameter: str) -> bool:
        """Whether it stands on paper or a plate, so that it is a guess where nobody typed it: not the
        load that somebody works with, nor 12 or 24 V."""
        return cls.tolerance(parameter) > 0.0 and cls.guessed(parameter) >= OUTSIDE

    @classmethod
    def of_supply(cls, parameter: str) -> int:
        """Power of the supply's voltage with which its typical value goes."""
        return int(cls._declared(parameter)["of_supply"])

    @classmethod
    def _declared(cls, parameter: str) -> dict[str, Any]:
        return cast(dict[str, Any], cls.Parameters.model_fields[parameter].json_schema_extra)

    @classmethod
    def unit(cls, parameter: str) -> str:
        """Unit symbol of a parameter."""
        return str(cls._declared(parameter)["unit"])

    @classmethod
    def mode(cls, name: str) -> FaultMode:
        """The fault mode of that name; KeyError when there is none."""
        return {m.name: m for m in cls.fault_modes}[name]

    @classmethod
    def cooling(
        cls, k: Mapping[str, Array], across: Mapping[str, Array], viscosity_mm2_s: Array
    ) -> Array:
        """Heat given away per degree above the air [kW/K], at its parameters ``k`` and pressures."""
        del across, viscosity_mm2_s
        return k[cls.cools]

    @classmethod
    def summary(cls) -> str:
        """First paragraph of the docstring."""
        return (inspect.getdoc(cls) or "").split("\n\n")[0]


_REGISTRY: dict[str, type[ComponentType]] = {}


def evaluate(
    component: type[ComponentType], across: Array, parameters: Array, viscosity_mm2_s: Array
) -> tuple[Array, Array]:
    """Run a type's law on ``across (C, P, B)`` and ``parameters (C, M, B)``.

    Returns
    -------
    through (C, P, B), derivatives (C, P, P, B)
    """
    c, p, b = across.shape
    f = np.zeros((c, p, b))
    j = np.zeros((c, p, p, b))
    component.law(
        np.ascontiguousarray(across),
        np.ascontiguousarray(parameters),
        np.ascontiguousarray(viscosity_mm2_s).reshape(1, b),
        f,
        j,
    )
    return f, j
