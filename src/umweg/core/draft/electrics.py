"""12 or 24 volts: what is not typed of an electrical part goes with the machine's supply."""

from collections.abc import Iterator, Sequence
from typing import Any

from umweg.core.components import component_type
from umweg.core.components.base import ComponentType

LOW_V, HIGH_V = 12.0, 24.0
BETWEEN_V = 18.0


def fit_supply(parts: Sequence[dict[str, Any]], typed: Sequence[set[str]]) -> list[str]:
    """Give untyped numbers of electrical parts the values that such parts have at this supply.

    Parameters
    ----------
    parts : components of a document, changed in place
    typed : of each, the parameters that somebody gave a number

    Returns
    -------
    What was taken for granted, in words.
    """
    kinds = [component_type(part["type"]) for part in parts]
    scaled = [list(_scaled(kind)) for kind in kinds]
    if not any(scaled):
        return []
    told = [
        float(part["parameters"][name])
        for part, names, given in zip(parts, scaled, typed, strict=True)
        for name, power in names
        if power == 1 and name in given and component_type(part["type"]).unit(name) == "V"
    ]
    rated = {kind.rated_volts for kind, names in zip(kinds, scaled, strict=True) if names}
    known = bool(told) or rated == {HIGH_V}
    system = HIGH_V if (max(told) if told else max(rated) if known else 0.0) > BETWEEN_V else LOW_V
    heavy = any(kind.draws_heavily for kind in kinds)
    for part, kind, names, given in zip(parts, kinds, scaled, typed, strict=True):
        values = dict(kind.for_heavy) if heavy else {}
        for name, power in names:
            default = float(kind.Parameters.model_fields[name].default)
            values[name] = default * (system / kind.rated_volts) ** power
        part["parameters"] |= {
            name: value
            for name, value in values.items()
            if name not in given and value != kind.Parameters.model_fields[name].default
        }
    if known:
        return []
    return [f"the supply is taken as {LOW_V:g} V (for {HIGH_V:g} V: volts=25.2 in its line)"]


def _scaled(kind: type[ComponentType]) -> Iterator[tuple[str, int]]:
    """Parameters whose typical values go with the supply, with the power of its voltage."""
    for name in kind.Parameters.model_fields:
        if kind.of_supply(name):
            yield name, kind.of_supply(name)
