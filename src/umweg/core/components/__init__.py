"""Component types, one declaration each; importing this package registers them all."""

from collections.abc import Mapping
from types import MappingProxyType

from umweg.core.components import (
    actuation,
    brakes,
    closed_loop,
    companions,
    conditioning,
    consumers,
    directional,
    directional_valves,
    electrical,
    flow_sharing,
    flow_valves,
    linkages,
    load_sensing,
    lubrication,
    motors,
    position_valves,
    power_packs,
    pressure_controls,
    pressure_valves,
    regulators,
    reversing,
    shop_kit,
    solenoid_valves,
    sources,
    variable_pumps,
)
from umweg.core.components.base import _REGISTRY, ComponentType

__all__ = ["ComponentType", "component_type", "component_types"]

_FAMILIES = (
    sources,
    variable_pumps,
    conditioning,
    pressure_valves,
    pressure_controls,
    closed_loop,
    flow_valves,
    flow_sharing,
    directional,
    directional_valves,
    solenoid_valves,
    load_sensing,
    consumers,
    motors,
    actuation,
    electrical,
    power_packs,
    position_valves,
    lubrication,
    regulators,
    reversing,
    brakes,
    linkages,
    shop_kit,
    companions,
)


_BY_NAME: Mapping[str, type[ComponentType]] = MappingProxyType(dict(sorted(_REGISTRY.items())))


def component_types() -> Mapping[str, type[ComponentType]]:
    """All declared types by name, in a fixed order."""
    return _BY_NAME


def component_type(name: str) -> type[ComponentType]:
    """The type of that name; KeyError when none is declared."""
    return _REGISTRY[name]
