"""Whole journeys: from an opened job to the isolated part, by tapping what the screen shows."""

import re

import numpy as np
import pytest
from playwright.sync_api import Locator, Page, expect
from pydantic import TypeAdapter

from tests.browser.conftest import WORKED_OUT_MS
from umweg.bench.ways import MOST_STEPS
from umweg.core.circuit.document import Circuit
from umweg.core.faults.population import parse_fault
from umweg.core.observe.hidden import HiddenMachine
from umweg.core.observe.kinds.behaviours import how_it_behaves
from umweg.core.observe.kinds.readings import blank
from umweg.core.observe.observations import Observation
from umweg.core.observe.quantities import Quantity
from umweg.core.solve.steady import SteadySolver
from umweg.library import load_jobs

OBSERVED: TypeAdapter[Observation] = TypeAdapter(Observation)
KIT = {i.id: i for i in load_jobs()[0].instruments}
HOW = {
    "as_usual": "As usual",
    "slow": "Slow",
    "weak": "Weak when loaded",
    "dead": "Dead",
    "reversed": "Goes the other way",
    "drifts": "Drifts when held",
}


def open_bench(page: Page, address: str, serial: str) -> None:
    page.goto(address)
    page.get_by_role("link").filter(has_text=serial).click()
    page.locator("[data-part]").first.wait_for(timeout=WORKED_OUT_MS)


def type_number(page: Page, value: float) -> None:
    text = f"{abs(value):.2f}" if abs(value) < 100 else f"{abs(value):.1f}"
    for key in text:
        page.get_by_role("button", name=key, exact=True).tap()
    if value < 0:
        page.get_by_role("button", name="Change sign").tap()


def answer(page: Page, step: Locator, machine: HiddenMachine) -> None:
    """Do on the hidden machine what the screen asks, and enter what it shows."""
    kind, place = step.get_attribute("data-kind"), step.get_attribute("data-point") or ""
    state = step.get_attribute("data-state") or ""
    if kind != "reading":
        answers = step.locator("[data-entry]").all()
        entries = [OBSERVED.validate_json(a.get_attribute("data-entry") or "") for a in answers]
        answers[entries.index(entries[0].witnessed(machine))].tap()
        return
    quantity = Quantity.named(step.get_attribute("data-quantity") or "", place)
    instrument = KIT.get(step.get_attribute("data-instrument") or "")
    value = blank(quantity, state).witnessed(machine, instrument).value
    step.get_by_role("button", name="Enter the reading").tap()
    if quantity.kind == "speed_mm_s":
        value = machine.circuit.function(place).stroke_mm / max(value, 0.01)
    type_number(page, value)
    page.get_by_role("button", name="Keep the reading").tap()


# Whoever reads a gauge 3.3 standard deviations off finds the other one of two cylinders: seeds whose
# readings are ordinary. How often claims are right is for the bench to say.
@pytest.mark.parametrize(
    ("truth", "seed"), [("pump:worn=0.72", 31), ("blade_left:piston_bypass=0.95", 33)]
)
def test_a_hidden_machine_is_isolated_by_following_the_screen(
    page: Page, address: str, packer: Circuit, packer_solver: SteadySolver, truth: str, seed: int
) -> None:
    fault, severity = parse_fault(packer_solver.network, truth)
    machine = HiddenMachine(packer, [(fault, severity)], np.random.default_rng(seed), packer_solver)
    page.goto(address)
    page.get_by_label("Machine", exact=True).tap()
    page.get_by_role("option", name=re.compile("Kessa R18 no. 4")).tap()
    page.get_by_label("Complaint in the customer's words").fill("It does not pack any more")
    page.get_by_role("button", name="Open", exact=True).tap()
    page.get_by_role("heading", name="How does each function behave?").wait_for()
    for function in packer.functions:
        for move, call in function.moves.items():
            row = page.get_by_role("group", name=f"{function.label} {call.label}")
            word = row.get_by_role(
                "button", name=HOW[how_it_behaves(machine, function.id, move, "warm")]
            )
            word.tap()
            expect(word).to_have_attribute("aria-pressed", "true", timeout=1_000)
    page.get_by_role("button", name="To the bench").tap()
    page.locator("[data-part]").first.wait_for(timeout=WORKED_OUT_MS)
    entries = len(packer.functions) * 2
    # Which comes first depends on what a worker has played by then: as many as a bench follows.
    for _ in range(MOST_STEPS):
        page.get_by_role("tab", name="Next step").tap()
        step = page.get_by_label("Next step", exact=True).and_(page.locator("section"))
        end = page.get_by_role("button", name="Go to the suspects")
        # The plan comes by itself when the worker has it.
        expect(step.or_(end)).to_be_visible(timeout=WORKED_OUT_MS)
        if not step.count() or step.get_by_text("No further step is worth its minutes").count():
            break
        answer(page, step, machine)
        entries += 1
        expect(page.get_by_role("tab", name=f"Record {entries}")).to_be_visible()
        page.get_by_role("tab", name="Suspects").tap()
    else:
        pytest.fail(f"after {MOST_STEPS} steps the screen still asks for more")
    page.get_by_role("tab", name="Suspects").tap()
    leader = page.locator("[data-suspect]").first
    group = leader.get_attribute("data-suspect") or ""
    told_apart = group.split("+")[0].split(":")[0]
    if told_apart != fault.component_id:
        # Twins that no reading separates must be reported together.
        expect(leader).to_contain_text(packer.component(fault.component_id).label)
    page.get_by_role("button", name=re.compile("^Decide")).tap()
    expect(page.get_by_text("Isolated.", exact=True)).to_be_visible()
    page.reload()
    expect(page.get_by_text("Isolated.", exact=True)).to_be_visible()
    expect(page.get_by_role("tab", name=f"Record {entries + 1}")).to_be_visible()
    page.get_by_role("link", name="All jobs").tap()
    expect(page.get_by_text("Part isolated")).to_be_visible()


def test_a_correction_and_a_withdrawal(page: Page, address: str) -> None:
    open_bench(page, address, "R18-0417")
    page.get_by_role("tab", name="Record 6").tap()
    page.get_by_role("button", name="Who agrees?").first.tap()
    strip = page.get_by_role("img", name=re.compile("What each suspect would show"))
    expect(strip).to_be_visible(timeout=WORKED_OUT_MS)  # it is worked out behind the page
    page.get_by_role("button", name="Withdraw").last.tap()
    expect(page.get_by_role("tab", name="Record 7")).to_be_visible()
    page.get_by_role("link", name="Complaint").tap()
    row = page.get_by_role("group", name="Packer blade out (pack)")
    expect(row.get_by_role("button", name="Weak")).to_have_attribute("aria-pressed", "true")
    row.get_by_role("button", name="Slow").tap()
    expect(row.get_by_role("button", name="Slow")).to_have_attribute("aria-pressed", "true")
    page.reload()
    expect(row.get_by_role("button", name="Slow")).to_have_attribute("aria-pressed", "true")


def test_the_map_works_by_keyboard_and_says_pressures(page: Page, address: str) -> None:
    open_bench(page, address, "R18-0417")
    canvas = page.get_by_role("application")
    # Who is suspected is named on the map: what is in view has room for it.
    expect(canvas.get_by_role("button", name=re.compile("% suspicion")).first).to_be_visible()
    canvas.focus()
    page.keyboard.press("0")
    before = canvas.get_attribute("viewBox")
    page.keyboard.press("+")
    page.keyboard.press("ArrowRight")
    assert canvas.get_attribute("viewBox") != before
    page.keyboard.press("0")
    assert canvas.get_attribute("viewBox") == before
    page.get_by_label("State shown").click()
    page.get_by_role("option", name="Blade held out at its stop", exact=True).click()
    expect(page.locator("[data-point=block_gauge]").last).to_contain_text(
        "184 bar", timeout=WORKED_OUT_MS
    )
    part = page.get_by_role("application").get_by_role(
        "button", name=re.compile("^Port relief, blade extend")
    )
    part.focus()
    page.keyboard.press("Enter")
    expect(part).to_have_attribute("aria-pressed", "true")
    assert page.locator("[data-line=pilot]").count() >= 1


def test_an_unknown_job_is_told_in_words(page: Page, address: str) -> None:
    page.goto(f"{address}/jobs/00000000-0000-0000-0000-000000000000")
    expect(page.get_by_role("alert").first).to_contain_text("there is no job")


def test_oil_and_wires_share_the_map_and_the_end_leads_to_the_decision(
    page: Page, address: str
) -> None:
    open_bench(page, address, "V8-2207")
    page.get_by_label("State shown", exact=True).tap()
    page.get_by_role("option", name="Platform going up, rated load", exact=True).tap()
    # It is played by a worker meanwhile.
    live = page.locator("[data-line=wire][data-live]")
    # A straight wire has no area, and counts as hidden.
    expect(live).not_to_have_count(0, timeout=WORKED_OUT_MS)
    drawn = page.get_by_role("application")
    expect(drawn.locator("[data-point=plug_s2]")).to_contain_text(re.compile(r"11\.\d V"))
    expect(drawn.locator("[data-point=lift_port]")).to_contain_text("bar")
    page.get_by_role("tab", name="Suspects").tap()
    expect(page.locator("[data-suspect]").first).to_contain_text("Pendant: lift contact")


def test_a_machine_is_made_safe_and_says_so_only_when_every_zero_is_read(
    page: Page, address: str
) -> None:
    open_bench(page, address, "Hebro V8")
    page.get_by_role("tab", name="Make safe").tap()
    panel = page.get_by_role("region", name="Make safe")
    status = panel.get_by_role("status")
    expect(status).to_contain_text("Not safe yet")
    expect(panel.get_by_role("listitem").filter(has_text="Lift port").first).to_contain_text(
        "107 bar"
    )
    panel.get_by_role("button", name="Not zero").first.tap()
    expect(status).to_contain_text("a line is not at zero")
    panel.get_by_role("button", name="Undo").tap()
    while panel.get_by_role("button", name="Done", exact=True).count():
        panel.get_by_role("button", name="Done", exact=True).first.tap()
    zeros = panel.get_by_role("button", name="Reads zero")
    while zeros.count():
        expect(status).to_contain_text("Not safe yet")
        zeros.first.tap()
    expect(status).to_contain_text("Every zero is read")
    page.reload()
    page.get_by_role("tab", name="Make safe").tap()
    expect(status).to_contain_text("Every zero is read")
    panel.get_by_role("button", name="begin again").tap()
    expect(status).to_contain_text("Not safe yet")
