"""The customer's sentence: what it may mean on a machine, held against what a listener would tap."""

import json

import pytest
from typer.testing import CliRunner

from umweg.cli import app
from umweg.core.observe.kinds.behaviours import BEHAVIOURS
from umweg.core.observe.kinds.remarks import NAMES
from umweg.core.observe.lexicon import HOW_SAID, REMARK_SAID, offers
from umweg.library import load_circuit


def meant(circuit: str, text: str) -> set[str]:
    return {
        f"{o.entry.function}.{o.entry.move} {','.join((o.entry.how, *o.entry.also))} {o.entry.when}"
        for o in offers(load_circuit(circuit), text)
    }


@pytest.mark.parametrize(
    ("circuit", "text", "told"),
    [
        ("suction_boom", "Does not slew left", {"slew.left dead warm"}),
        (
            "suction_boom",
            "Telescope and slew dead, clamp is fine.",
            {
                "telescope.out dead warm",
                "telescope.in dead warm",
                "slew.left dead warm",
                "slew.right dead warm",
                "clamp.close as_usual warm",
                "clamp.open as_usual warm",
            },
        ),
        ("packer_truck", "Blade out is slow once the oil is hot", {"blade.extend slow hot"}),
        # Misspelt, and in the short form that people type.
        ("platform_outriggers", "it won't go in", {"legs.in dead warm"}),
        ("mulcher_clutches", "Rotr slips", {"rotor.engage weak warm"}),
        # A sound stands beside what is said of how it goes.
        (
            "hedge_cutter",
            "The arm goes up slow, it jerks",
            {"arm.raise slow,jerky warm"},
        ),
    ],
)
def test_a_sentence_is_offered_as_the_words_that_it_means(
    circuit: str, text: str, told: set[str]
) -> None:
    assert meant(circuit, text) == told


def test_of_a_machine_that_does_one_thing_everything_is_said_of_that() -> None:
    assert meant("groomer_drive", "Weak on the steep") == {
        "travel.forward weak warm",
        "travel.reverse weak warm",
    }


@pytest.mark.parametrize(
    "text",
    [
        "",
        "Please call back before noon.",
        "The driver is new.",
        "Telescope.",
        "It whines somewhere",
    ],
)
def test_nothing_is_made_of_what_names_no_move_or_says_nothing_of_it(text: str) -> None:
    assert offers(load_circuit("suction_boom"), text) == []


def test_what_does_not_hold_sinks_and_is_not_dead() -> None:
    assert meant("packer_truck", "Tailgate up does not hold") == {"tailgate.raise drifts warm"}


def test_every_word_that_is_weighed_has_something_that_people_say_for_it() -> None:
    assert set(HOW_SAID) == set(BEHAVIOURS)
    assert set(REMARK_SAID) == set(NAMES)
    said = [p for phrases in (*HOW_SAID.values(), *REMARK_SAID.values()) for p in phrases]
    assert len(set(said)) == len(said), "one phrase means one thing"


def test_the_command_says_what_it_heard() -> None:
    done = CliRunner().invoke(app, ["heard", "suction_boom", "Does not slew left", "--json"])
    assert done.exit_code == 0
    (offer,) = json.loads(done.stdout)
    assert offer["entry"]["how"] == "dead"
    assert "Slew left: dead" in offer["words"]
    nothing = CliRunner().invoke(app, ["heard", "suction_boom", "Thanks."])
    assert "Nothing of this machine" in nothing.stdout
