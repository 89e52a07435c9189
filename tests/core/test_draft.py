"""From typed lines to a working model: read, named by line where wrong, drafted, diagnosed."""

import random
import re
import string

import numpy as np
import pytest

from umweg.core.circuit.document import Circuit
from umweg.core.diagnose.diagnosis import Diagnostician
from umweg.core.diagnose.play import complaint, observe
from umweg.core.draft.frame import draft
from umweg.core.draft.listing import document_of, read_listing, write_listing
from umweg.core.errors import FormatError
from umweg.core.faults.population import parse_fault, unknowns_of
from umweg.core.network.check import check_circuit, circuit_problems
from umweg.core.network.network import Network
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.readings import Reading
from umweg.library import circuit_ids, load_circuit, load_jobs

SPLITTER = """
machine "Log splitter S2" kind="log splitter" family=F21
oil HVLP46 46 7.9
engine engine "Engine" idle=1200 rated=3000 max=3300

tank   reservoir          tank=tank suction=tank_out
drive  drive_coupling     driver=engine driven=shaft
big    fixed_pump "Large stage" inlet=tank_out outlet=low shaft=shaft displacement_cm3=11
small  fixed_pump "Small stage" inlet=tank_out outlet=high shaft=shaft displacement_cm3=3.5
join   check_valve        inlet=low outlet=high k=20
unload unloading_valve    inlet=low outlet=return pilot=high set_bar=45
relief relief_valve       inlet=high outlet=return set_bar=200
valve  directional_valve  P=high T=return A=cap B=ring centre_k=16 lever=spool
lever  lever_linkage      spool=spool
ram    cylinder "Ram"     A=cap B=ring rod=wedge bore_mm=90 rod_mm=50 max.A=250
wedge  mechanical_load    rod=wedge
filter return_filter      inlet=return outlet=tank   # the last one
"""


def splitter() -> Circuit:
    return draft(document_of(read_listing(SPLITTER))).circuit


@pytest.mark.parametrize("circuit_id", circuit_ids())
def test_every_library_circuit_goes_through_its_list_unchanged(circuit_id: str) -> None:
    circuit = load_circuit(circuit_id)
    listing = read_listing(write_listing(circuit))
    assert listing.problems == []
    assert document_of(listing, circuit) == circuit


def test_what_is_not_typed_is_known_badly_and_what_is_typed_well() -> None:
    circuit = splitter()
    unknowns = unknowns_of(Network(circuit))
    spread = dict(zip(unknowns.keys, unknowns.sigma, strict=True))
    assert spread["relief.set_bar"] == pytest.approx(0.012 * 200, rel=0.5), "typed: as made"
    assert spread["small.leakage_lpm_per_bar"] == pytest.approx(0.2 * 0.012), "typical"
    assert spread["ram.friction_n"] == pytest.approx(0.25 * 900), "no narrower than parts are made"
    guessed = document_of(read_listing(SPLITTER.replace("set_bar=200", "set_bar=~200")))
    assert "set_bar" in guessed.component("relief").typical
    wide = unknowns_of(Network(guessed))
    assert dict(zip(wide.keys, wide.sigma, strict=True))["relief.set_bar"] == pytest.approx(40)
    assert document_of(read_listing(write_listing(guessed)), guessed) == guessed
    sure = document_of(read_listing(SPLITTER.replace("family=F21", "family=F21 untyped=known")))
    assert all(not part.typical for part in sure.components)


def test_guesses_claim_less() -> None:
    """The same reading says less of a machine whose numbers nobody knows."""
    kit = load_jobs()[0].instruments
    reading = Reading(
        id="r1", point="at_high", quantity="pressure_bar", state="ram_out_stalled", value=150,
        unit="bar", instrument="gauge_400",
    )  # fmt: skip
    known = SPLITTER.replace("family=F21", "family=F21 untyped=known")
    guessed = SPLITTER.replace("set_bar=200", "set_bar=~200")
    shares = []
    for text in (known, guessed):
        circuit = draft(document_of(read_listing(text))).circuit
        suspects = Diagnostician.of(circuit, kit).diagnose([reading]).suspects
        shares.append(sum(s.share for s in suspects if s.hypothesis.key == "healthy"))
    assert shares[0] < 0.02
    assert shares[1] > 5 * shares[0]


def test_a_typed_machine_works_at_once() -> None:
    drafted = draft(document_of(read_listing(SPLITTER)))
    circuit = drafted.circuit
    check_circuit(circuit)
    (ram,) = circuit.functions
    assert {m.direction for m in ram.moves.values()} == {-1, 1}
    assert {c for m in ram.moves.values() for c in m.commands} == {"lever.lever"}
    # 20 N/mm² on a 90 mm bore, and half of it.
    assert ram.loads["working"]["resistance_n"] == pytest.approx(0.5 * 20 * np.pi / 4 * 90**2, 1e-4)
    assert {"idle", "rated", "ram_out_stalled", "parked"} <= set(circuit.states)
    assert any(p.net == "high" for p in circuit.test_points)
    assert any("function" in note for note in drafted.notes)


def test_a_fault_of_a_typed_machine_is_isolated() -> None:
    circuit = splitter()
    doctor = Diagnostician.of(circuit, load_jobs()[0].instruments)
    fault, severity = parse_fault(doctor.predictor.network, "relief:set_low=0.7")
    machine = HiddenMachine(
        circuit, [(fault, severity)], np.random.default_rng(5), doctor.predictor.solver
    )
    seen = complaint(machine)
    for number in range(8):
        diagnosis = doctor.diagnose(seen)
        if diagnosis.enough:
            break
        step = next(s for s in diagnosis.steps if not s.refused)
        seen.append(observe(machine, step, f"s{number}"))
    assert "relief:set_low" in diagnosis.suspects[0].group


def test_what_a_circuit_has_already_is_kept() -> None:
    circuit = load_circuit("turf_lift")
    assert draft(circuit).circuit == circuit
    assert draft(circuit).notes == ()


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("ram2 cylindr A=a", "there is no type “cylindr”.*did you mean cylinder"),
        ("ram cylinder A=a B=b rod=r", "there is a part “ram” already"),
        ("x cylinder A=a B=b rod=r bore_m=90", "cylinder has no “bore_m”.*bore_mm"),
        ("x cylinder A=a B=b rod=r bore_mm=wide", "“wide” is no number"),
        ('x cylinder "not closed A=a', "quotation mark"),
        ("lonely", "wants its type"),
        ("x=3", "begins with the name"),
        ("x cylinder A=? B=ring rod=wedge", "port A waits for the net"),
        ("x cylinder A=Cap B=ring rod=wedge", "“Cap” is no name for a net"),
        ("X1 cylinder A=cap B=ring rod=wedge", "“X1” is no name for a part"),
        ("oil HVLP46 46", "oil wants its grade"),
        ("point gauge", "a point wants"),
        ("x relief_valve inlet=a inlet=b outlet=tank", "“inlet” is given twice"),
        ("x relief_valve inlet=a outlet=tank adjust=set_bar", "adjust wants"),
    ],
)
def test_what_is_wrong_is_named_with_its_line(line: str, words: str) -> None:
    listing = read_listing(SPLITTER + line + "\n")
    number = SPLITTER.count("\n") + 1
    told = "; ".join(str(p) for p in listing.problems)
    assert f"line {number}" in told
    with pytest.raises(FormatError) as caught:
        document_of(listing)
    assert re.search(words, "; ".join(str(p) for p in caught.value.problems), re.DOTALL)


def test_every_wrong_line_is_named_not_the_first_alone() -> None:
    text = SPLITTER.replace("bore_mm=90", "bore=90").replace("set_bar=45", "set_bar=fortyfive")
    places = {p.where for p in read_listing(text).problems}
    assert len(places) == 2
    assert len(read_listing(text).problems) == 2
    # What can be read is drawn while the rest is being mended.
    half = read_listing(text)
    half.problems.clear()
    assert document_of(half).component("ram").parameters == {"rod_mm": 50}


def test_a_join_that_leads_nowhere_is_told_by_the_check() -> None:
    circuit = document_of(read_listing(SPLITTER.replace("A=cap B=ring rod", "A=cp B=ring rod")))
    told = [str(p) for p in circuit_problems(circuit)]
    assert any("cp" in t for t in told)
    assert any("cap" in t for t in told)


def test_noise_is_refused_in_words_and_nothing_else() -> None:
    source = random.Random(3)
    letters = string.ascii_letters + string.digits + " =\"#\n.,:\t°µ\\'"
    refused = 0
    for _ in range(300):
        lines = SPLITTER.splitlines()
        for _ in range(source.randint(1, 6)):
            row = source.randrange(len(lines))
            at = source.randint(0, len(lines[row]))
            lines[row] = lines[row][:at] + source.choice(letters) + lines[row][at + 1 :]
        listing = read_listing("\n".join(lines))
        try:
            circuit = document_of(listing)
        except FormatError:
            refused += 1
            continue
        circuit_problems(circuit)
    assert refused > 100


def test_a_list_that_is_no_machine_is_refused() -> None:
    assert read_listing("").problems
    assert "too long" in str(read_listing("x\n" * 10_000).problems[0])
