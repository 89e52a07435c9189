"""Component types, one declaration each; importing this package registers them all."""

from umweg.core.components import (
    conditioning,
    consumers,
    directional,
    flow_valves,
    pressure_valves,
    shop_kit,
    sources,
)
from umweg.core.components.base import _REGISTRY, ComponentType

__all__ = ["ComponentType", "component_type", "component_types"]

_FAMILIES = (
    sources,
    conditioning,
    pressure_valves,
    flow_valves,
    directional,
    consumers,
    shop_kit,
)


def component_types() -> dict[str, type[ComponentType]]:
    """All declared types by name, in a fixed order."""
    return dict(sorted(_REGISTRY.items()))


def component_type(name: str) -> type[ComponentType]:
    """The type of that name; KeyError when none is declared."""
    return _REGISTRY[name]
