"""What differs between two documents of a circuit, thing by thing."""

from collections.abc import Iterator, Mapping
from typing import Any, Literal

from pydantic import computed_field

from umweg.core.circuit.document import Circuit
from umweg.core.view import View

SECTIONS: Mapping[str, str] = {
    "prime_movers": "engine",
    "components": "part",
    "functions": "function",
    "interlocks": "interlock",
    "test_points": "test point",
    "states": "state",
    "timings": "timing",
    "specifications": "specification",
}
"""Parts of a document that hold named things, and what one of them is called."""
HEADS = ("name", "machine_kind", "family", "fluid", "notes")


class Change(View):
    """One thing that came, went, or has another value."""

    what: str
    id: str
    label: str
    how: Literal["added", "gone", "changed"]
    field: str = ""
    before: str = ""
    after: str = ""

    @computed_field  # type: ignore[prop-decorator]
    @property
    def words(self) -> str:
        """The change as a line of text."""
        of = f"{self.what} {self.label}"
        if self.how != "changed":
            return f"{of} is {'new' if self.how == 'added' else 'gone'}"
        return f"{of}: {self.field} {self.before or 'nothing'} → {self.after or 'nothing'}"


def changes_of(old: Circuit, new: Circuit) -> list[Change]:
    """What came, what went, and what has another value, in the order of the document."""
    before, after = old.model_dump(mode="json"), new.model_dump(mode="json")
    found: list[Change] = []
    for name in HEADS:
        found += _changed("machine", "machine", new.name, {name: before[name]}, {name: after[name]})
    for section, what in SECTIONS.items():
        was, now = _by_id(before[section]), _by_id(after[section])
        for key in [*now, *(k for k in was if k not in now)]:
            label = str((now.get(key) or was[key]).get("label") or key)
            if key not in was:
                found.append(Change(what=what, id=key, label=label, how="added"))
            elif key not in now:
                found.append(Change(what=what, id=key, label=label, how="gone"))
            else:
                found += _changed(what, key, label, was[key], now[key])
    return found


def _by_id(things: Any) -> dict[str, dict[str, Any]]:
    if isinstance(things, dict):
        return things
    return {str(thing["id"]): thing for thing in things}


def _changed(
    what: str, key: str, label: str, was: Mapping[str, Any], now: Mapping[str, Any]
) -> Iterator[Change]:
    before, after = dict(_leaves(was)), dict(_leaves(now))
    for field in [*after, *(f for f in before if f not in after)]:
        old, new = before.get(field, ""), after.get(field, "")
        if old != new:
            yield Change(
                what=what, id=key, label=label, how="changed", field=field, before=old, after=new
            )


def _leaves(value: Any, path: str = "") -> Iterator[tuple[str, str]]:
    """Every single value by where it stands; numbers as people write them."""
    if isinstance(value, dict):
        for name, inner in value.items():
            yield from _leaves(inner, f"{path}.{name}" if path else name)
    elif isinstance(value, list) and any(isinstance(v, dict) for v in value):
        for i, inner in enumerate(value):
            yield from _leaves(inner, f"{path}.{i + 1}")
    elif isinstance(value, list):
        yield path, ", ".join(_text(v) for v in value)
    else:
        yield path, _text(value)


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, float):
        return f"{value:g}"
    return str(value)
