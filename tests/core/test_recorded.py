"""A recorded curve: read from text, told as a timing tells it, kept with its reading."""

from typing import Any

import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.errors import ObservationError
from umweg.core.observe.exhibits import Suspects
from umweg.core.observe.kinds.readings import Reading
from umweg.core.observe.recorded import Recorded, agrees, read_recorded, told_by
from umweg.library import load_circuit

LIFT = "turf_lift"


def timing_circuit(**timing: Any) -> Circuit:
    """The lift with one timing: its outlet watched for ten seconds."""
    document = load_circuit(LIFT).model_dump(mode="json")
    state = next(iter(document["states"]))
    document["specifications"] = []
    document["timings"] = [
        {
            "id": "watched",
            "label": "Watched",
            "phases": [{"state": state, "seconds": 10}],
            "point": "outlet_port",
            **timing,
        }
    ]
    return Circuit.model_validate(document)


def curve(unit: str, *rows: tuple[float, float]) -> Recorded:
    return Recorded(unit=unit, time_s=[t for t, _ in rows], shown=[v for _, v in rows])


FALLS = curve("bar", (100, 80), (102, 60), (106, 30), (110, 20))


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("0;1.5\n0.5;2", [(0, 1.5), (0.5, 2)]),
        ("time s\tbar\n0\t1,5\n0,5\t2", [(0, 1.5), (0.5, 2)]),
        ("0 10\n\n1 12 extra\n", [(0, 10), (1, 12)]),
        ("0,10\n1,12", [(0, 10), (1, 12)]),
        ("0.0, 10.5\n1.0, 12", [(0, 10.5), (1, 12)]),
    ],
)
def test_rows_are_read_as_loggers_write_them(text: str, rows: list[tuple[float, float]]) -> None:
    assert read_recorded(text, "bar") == curve("bar", *rows)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "no row of two numbers"),
        ("0;1", "one row is no curve"),
        ("0;1\n1;2\nwhat;3", "line 3: “what;3”"),
        ("0;1\n2;2\n1;3", "row 3: its time"),
        ("0;1\n1;inf", "line 2"),
        ("\n".join(f"{i};1" for i in range(5001)), "5000 at most"),
    ],
)
def test_what_is_wrong_is_said_by_line(text: str, words: str) -> None:
    with pytest.raises(ObservationError, match=words):
        read_recorded(text, "bar")


@pytest.mark.parametrize(
    ("timing", "told"),
    [
        ({"of": "peak_bar"}, 80.0),
        ({"of": "left_bar"}, 20.0),
        # 60 at 2 s, 30 at 6 s: 45 half way.
        ({"of": "within_s", "level_bar": 45}, 4.0),
        ({"of": "within_s", "level_bar": 90}, 10.0),
        ({"of": "within_s", "level_bar": 80}, 0.0),
        # It never falls so far while it is watched.
        ({"of": "within_s", "level_bar": 5}, 10.0),
    ],
)
def test_a_curve_tells_what_the_timing_reads(timing: dict[str, Any], told: float) -> None:
    assert told_by(timing_circuit(**timing), "watched", FALLS) == pytest.approx(told)


ROD = {"point": None, "function": "lift"}
MOVES = curve("mm", (0, 100), (2, 200), (4, 300), (4.5, 300), (10, 300))
SAW = curve("bar", (0, 100), (1, 120), (1.5, 100), (3.5, 120), (4, 101), (7, 121), (7.5, 100))


def test_a_rod_is_told_by_the_curve_of_its_place() -> None:
    assert told_by(timing_circuit(of="within_s", **ROD), "watched", MOVES) == pytest.approx(4.0)
    assert told_by(timing_circuit(of="moved_mm", **ROD), "watched", MOVES) == pytest.approx(200.0)
    inches = curve("in", (0, 10), (10, 30))
    told = told_by(timing_circuit(of="moved_mm", **ROD), "watched", inches)
    assert told == pytest.approx(508.0)
    # A rod that moves to the last row has not come to its end.
    still = curve("mm", (0, 0), (5, 100), (9.8, 300))
    assert told_by(timing_circuit(of="within_s", **ROD), "watched", still) == 10.0
    # One that never moved has not either.
    dead = curve("mm", (0, 100), (10, 100))
    assert told_by(timing_circuit(of="within_s", **ROD), "watched", dead) == 10.0
    with pytest.raises(ObservationError, match="not come to its end where the curve"):
        told_by(timing_circuit(of="within_s", **ROD), "watched", curve("mm", (0, 0), (5, 100)))
    with pytest.raises(ObservationError, match="not a unit of length"):
        told_by(timing_circuit(of="moved_mm", **ROD), "watched", FALLS)


def test_an_interval_is_from_one_rise_to_the_next_whatever_trembles_between() -> None:
    timing = {"of": "interval_s", "point": None}
    # It is up again at 1, 3.5 and 7 s; the last two count.
    assert told_by(timing_circuit(**timing), "watched", SAW) == pytest.approx(3.5)
    once = curve("bar", (0, 100), (1, 120), (10, 118))
    assert told_by(timing_circuit(**timing), "watched", once) == 10.0
    with pytest.raises(ObservationError, match="not risen twice"):
        told_by(timing_circuit(**timing), "watched", curve("bar", (0, 100), (1, 120), (2, 118)))


def test_the_unit_of_the_gauge_is_turned_into_bar() -> None:
    psi = curve("psi", (0, 0), (1, 1000))
    assert told_by(timing_circuit(of="peak_bar"), "watched", psi) == pytest.approx(68.95, rel=1e-3)


@pytest.mark.parametrize(
    ("timing", "recorded", "words"),
    [
        ({"of": "left_bar"}, curve("bar", (0, 9), (5, 8)), "ends after 5 s"),
        (
            {"of": "within_s", "level_bar": 5},
            curve("bar", (0, 9), (5, 8)),
            "has not passed 5 bar",
        ),
        ({"of": "peak_bar"}, curve("rpm", (0, 9), (5, 8)), "not a unit of pressure"),
        ({"of": "settled_c"}, FALLS, "not read from a curve"),
    ],
)
def test_what_a_curve_does_not_tell_is_refused(
    timing: dict[str, Any], recorded: Recorded, words: str
) -> None:
    with pytest.raises(ObservationError, match=words):
        told_by(timing_circuit(**timing), "watched", recorded)


def test_a_reading_is_what_its_own_curve_shows() -> None:
    circuit = timing_circuit(of="peak_bar")
    agrees(circuit, "watched", FALLS, 80.3, "bar")
    with pytest.raises(ObservationError, match="its curve shows 80 bar, not 95 bar"):
        agrees(circuit, "watched", FALLS, 95.0, "bar")
    state = circuit.timings[0].state
    reading = Reading.model_validate(
        {
            "id": "r",
            "point": "watched",
            "quantity": "peak_bar",
            "state": state,
            "value": 95.0,
            "unit": "bar",
            "recorded": FALLS.model_dump(),
        }
    )
    suspects = Suspects.of(circuit)
    with pytest.raises(ObservationError, match="its curve shows"):
        reading.check(suspects)
    reading.model_copy(update={"value": 80.0}).check(suspects)
    # It comes back from its document as it was.
    assert Reading.model_validate_json(reading.model_dump_json()) == reading
