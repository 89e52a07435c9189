"""Types of parts by the words of the trade."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import cache

from umweg.core.components import component_types
from umweg.core.components.base import ComponentType

_CLOSE = 0.6
"""How alike a word must be to be what somebody may have meant, 0 … 1."""
_NEAREST = 6


@dataclass(frozen=True)
class FoundTypes:
    """Types by their names, the likeliest first; ``nearest`` where none has the words that were
    asked for, and these are only the nearest to them."""

    names: tuple[str, ...]
    nearest: bool


def plain(words: str) -> str:
    """Letters and figures in lower case, single spaces between."""
    return " ".join(re.findall(r"[a-z0-9]+", words.lower()))


def names_of(kind: type[ComponentType]) -> tuple[str, ...]:
    """Everything that a type is called: its own name, its label, the words of the trade."""
    return _names_of(kind.type_name)


@cache
def _names_of(type_name: str) -> tuple[str, ...]:
    kind = component_types()[type_name]
    called = (type_name.replace("_", " "), kind.label, *kind.words)
    return tuple(dict.fromkeys(plain(name) for name in called))


def _known() -> Iterator[type[ComponentType]]:
    return (kind for kind in component_types().values() if kind.of_machines)


def _place(wanted: str, kind: type[ComponentType]) -> int | None:
    """How well a type answers to some words, 0 the best; None where it does not."""
    names = names_of(kind)
    if wanted in names:
        return 0
    tokens = wanted.split()

    def has(text: str) -> bool:
        return all(re.search(rf"\b{re.escape(token)}", text) for token in tokens)

    if any(name.startswith(wanted) for name in names[:2]):
        return 1
    if any(name.startswith(wanted) for name in names):
        return 2
    if any(has(name) for name in names):
        return 3
    if has(" ".join(names)):
        return 4
    return 5 if has(plain(kind.summary())) else None


def find_types(text: str) -> FoundTypes:
    """Types that some words name; where none has them all, the nearest that are spelled like it."""
    wanted = plain(text)
    if not wanted:
        return FoundTypes((), nearest=False)
    places = [(place, kind) for kind in _known() if (place := _place(wanted, kind)) is not None]
    if places:
        places.sort(key=lambda p: (p[0], p[1].label))
        return FoundTypes(tuple(kind.type_name for _, kind in places), nearest=False)
    asked = [word for word in wanted.split() if len(word) > 2] or [wanted]
    alike = []
    for kind in _known():
        tokens = {token for name in names_of(kind) for token in name.split()}
        each = [max(SequenceMatcher(None, word, t).ratio() for t in tokens) for word in asked]
        alike.append((-sum(each) / len(each), kind.label, kind.type_name))
    alike.sort()
    close = [name for ratio, _, name in alike if -ratio >= _CLOSE]
    # However far it lies: somebody stands before an empty list.
    return FoundTypes(tuple((close or [name for _, _, name in alike])[:_NEAREST]), nearest=True)


def kind_in(text: str) -> type[ComponentType] | None:
    """The type that a row of a bill of parts names: the longest of its names that is in it.

    What the oil drives or moves is not looked for by the trade's words, only by its own name: “boom
    hose” is a hose.
    """
    row = plain(text)
    found: tuple[bool, int, type[ComponentType]] | None = None
    for kind in _known():
        own = names_of(kind)[:2]
        works = any(port.domain in ("hydraulic", "electrical") for port in kind.ports)
        for name in names_of(kind) if works else own:
            if re.search(rf"\b{re.escape(name)}s?\b", row):
                place = (name in own, len(name), kind)
                if found is None or place[:2] > found[:2]:
                    found = place
    return None if found is None else found[2]
