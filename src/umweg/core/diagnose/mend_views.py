"""How a part is mended, as it is given out: options, what else, and how it is set."""

from umweg.core.components.base import WorkKind
from umweg.core.view import View


class Option(View):
    """One way to mend the part: what it cures, how likely it is that, and its price."""

    work: WorkKind
    words: str
    cures: list[str]
    share: float
    part_cost: float
    labour_min: float
    cost: float


class Beside(View):
    """A part behind the same cover that is suspected as well."""

    component: str
    label: str
    share: float
    cost: float
    """What it adds once the cover is off."""


class OnTheWay(View):
    """What the gauge shows after so much of the adjustment."""

    turns: float | None
    shims: int | None
    reading: float


class Setting(View):
    """How the part is set: by one specification, from what is read to what should be."""

    parameter: str
    specification: str
    point: str
    point_label: str
    state: str
    state_label: str
    unit: str
    as_found: float | None
    target: float
    low: float | None
    high: float | None
    turns: float | None
    shims: int | None
    on_the_way: list[OnTheWay]
    within_limit: bool
    """Otherwise the spring is weak: it is replaced, not screwed on."""
    never_above: float | None
    """What the gauge shows at the maker's limit of the adjuster."""
    weakest: str
    """The part that is nearest to its rating once it is set."""
    source: str
    cautions: list[str]


class Mend(View):
    """Everything about mending one part."""

    component: str
    label: str
    location: str
    options: list[Option]
    look_for: list[str]
    if_not: list[str]
    beside: list[Beside]
    setting: Setting | None
    why_no_setting: str
    cautions: list[str]
