"""Exhibits as they are kept in the database, and found there again."""

import io
import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from umweg.core.circuit.document import MachineState
from umweg.core.components.base import Array
from umweg.core.observe.exhibits import (
    Exhibits,
    NotPlayedError,
    Packed,
    Shown,
    Sight,
    Suspects,
    packed_shown,
    shown_name,
    unpacked_shown,
)
from umweg.core.observe.predict import Predictor
from umweg.core.observe.quantities import Quantity

Fetch = Callable[[str], bytes | None]
"""A kept result by name, if it is there."""


def to_bytes(arrays: Packed) -> bytes:
    """Named arrays as they are kept."""
    buffer = io.BytesIO()
    np.savez(buffer, allow_pickle=False, **arrays)
    return buffer.getvalue()


def from_bytes(content: bytes) -> dict[str, NDArray[Any]]:
    """The inverse of :func:`to_bytes`."""
    with np.load(io.BytesIO(content), allow_pickle=False) as arrays:
        return dict(arrays)


def once_to_bytes(made: Mapping[str, Packed]) -> bytes:
    """Arrays by name, by the name of what they are of."""
    flat = {f"{of}|{name}": array for of, arrays in made.items() for name, array in arrays.items()}
    return to_bytes(flat)


def once_of(content: bytes) -> dict[str, dict[str, NDArray[Any]]]:
    """The inverse of :func:`once_to_bytes`."""
    found: dict[str, dict[str, NDArray[Any]]] = {}
    for key, array in from_bytes(content).items():
        of, _, name = key.rpartition("|")
        found.setdefault(of, {})[name] = array
    return found


def document_to_bytes(document: BaseModel) -> bytes:
    """A document as it is kept beside the arrays."""
    text = document.model_dump_json().encode()
    return to_bytes({"document": np.frombuffer(text, dtype=np.uint8)})


def document_of(arrays: Packed) -> bytes:
    """The JSON of a kept document."""
    return bytes(arrays["document"].tobytes())


class Shelf:
    """What was fetched lately, by circuit and name, as long as it takes no more than some memory."""

    def __init__(self, most_bytes: int = 256_000_000) -> None:
        self._most = most_bytes
        self._size = 0
        self._lock = threading.Lock()
        self._found: OrderedDict[tuple[str, str], Packed] = OrderedDict()

    def get(self, sha256: str, name: str, fetch: Fetch) -> Packed:
        """Named arrays, fetched when they are not at hand.

        Raises
        ------
        NotPlayedError : they are not kept anywhere.
        """
        key = sha256, name
        with self._lock:
            if key in self._found:
                self._found.move_to_end(key)
                return self._found[key]
        content = fetch(name)
        if content is None:
            raise NotPlayedError(name)
        arrays = from_bytes(content)
        with self._lock:
            if key not in self._found:
                self._found[key] = arrays
                self._size += _size(arrays)
            while self._size > self._most and len(self._found) > 1:
                _, old = self._found.popitem(last=False)
                self._size -= _size(old)
        return arrays

    @property
    def size_bytes(self) -> int:
        """Memory taken by what is at hand."""
        return self._size


def _size(arrays: Packed) -> int:
    return sum(a.nbytes for a in arrays.values())


class KeptExhibits:
    """Exhibits found where workers keep them; nothing is played for them."""

    def __init__(self, suspects: Suspects, sha256: str, shelf: Shelf, fetch: Fetch) -> None:
        self.suspects = suspects
        self._sha256 = sha256
        self._shelf = shelf
        self._fetch = fetch

    @property
    def solving(self) -> None:
        """Nobody: what is not kept is waited for."""

    def _get(self, name: str) -> Packed:
        return self._shelf.get(self._sha256, name, self._fetch)

    def shown(self, quantity: Quantity, state: MachineState) -> Shown:
        """A quantity that can be measured."""
        arrays = self._get(shown_name(quantity, state))
        return unpacked_shown(arrays, self.suspects.slope_count)

    def seen(self, sight: Sight) -> Array:
        """(W, C) probability of each word of something that is seen or said."""
        return self._get(sight.name)["probability"]


class Keeping:
    """Exhibits that remember what was asked of them, packed for keeping."""

    def __init__(self, exhibits: Exhibits) -> None:
        self._exhibits = exhibits
        self.asked: dict[str, bytes] = {}

    @property
    def suspects(self) -> Suspects:
        """The candidates that are asked."""
        return self._exhibits.suspects

    @property
    def solving(self) -> Predictor | None:
        """Who solves the candidates for the other one."""
        return self._exhibits.solving

    def take(self) -> dict[str, bytes]:
        """What was remembered since this was called last."""
        taken, self.asked = self.asked, {}
        return taken

    def shown(self, quantity: Quantity, state: MachineState) -> Shown:
        """A quantity that can be measured."""
        shown = self._exhibits.shown(quantity, state)
        self.asked[shown_name(quantity, state)] = to_bytes(packed_shown(shown))
        return shown

    def seen(self, sight: Sight) -> Array:
        """(W, C) probability of each word of something that is seen or said."""
        seen = self._exhibits.seen(sight)
        self.asked[sight.name] = to_bytes({"probability": seen})
        return seen
