"""Two people on one job, a lost network, and what a page owes to who cannot see or point well."""

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from tests.browser.conftest import WORKED_OUT_MS
from tests.browser.test_journey import open_bench, type_number
from umweg.service.paths import FRONT_END

SERIAL = "R18-0417"
READ_NEXT = "R18-0533"
"""Where a reading is worth far more than any look."""
AXE = FRONT_END / "node_modules" / "axe-core" / "axe.min.js"


@pytest.fixture
def second(browser: Browser) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    opened = context.new_page()
    opened.set_default_timeout(30_000)
    yield opened
    context.close()


def decide(page: Page, action: str) -> None:
    page.get_by_role("tab", name="Suspects").click()
    page.get_by_label("What to do").fill(action)
    page.get_by_role("button", name=re.compile("^Decide")).click()


def test_what_one_writes_the_other_sees(page: Page, second: Page, address: str) -> None:
    open_bench(page, address, SERIAL)
    second.goto(page.url)
    second.get_by_role("tab", name="Record 6").click()
    second.get_by_label("Note").fill("Oil smells burnt")
    second.get_by_role("button", name="Add the note").click()
    expect(page.get_by_role("tab", name="Record 7")).to_be_visible()
    page.get_by_role("tab", name="Record 7").click()
    expect(page.get_by_text("Oil smells burnt")).to_be_visible()


def test_a_step_stays_under_the_finger_when_somebody_else_changes_the_job(
    page: Page, second: Page, address: str
) -> None:
    open_bench(page, address, READ_NEXT)
    step = page.locator("section[aria-label='Next step']")
    expect(step).to_be_visible(timeout=WORKED_OUT_MS)
    before = step.get_attribute("data-point"), step.get_attribute("data-state")
    record = page.get_by_role("tab", name=re.compile(r"^Record \d+$"))
    entries = int(record.inner_text().split()[-1])
    page.get_by_role("button", name="Enter the reading").click()
    page.get_by_role("button", name="7", exact=True).click()
    second.goto(f"{page.url}/complaint")
    row = second.get_by_role("group", name="Packer blade out (pack)")
    row.get_by_role("button", name="As usual").click()
    expect(page.get_by_role("tab", name=f"Record {entries + 1}")).to_be_visible()
    expect(page.get_by_label("Value")).to_have_text("7")
    page.get_by_role("button", name="Back to the step").click()
    offer = page.get_by_role("button", name=re.compile("The job has changed"))
    expect(offer).to_be_visible(timeout=WORKED_OUT_MS)
    assert (step.get_attribute("data-point"), step.get_attribute("data-state")) == before
    offer.click()
    expect(offer).to_have_count(0)


def test_the_second_of_two_decisions_is_refused_and_both_are_seen(
    page: Page, second: Page, address: str
) -> None:
    open_bench(page, address, SERIAL)
    # The first page hears nothing of the second one's: its answer is all it has.
    page.route("**/api/events*", lambda route: route.abort())
    page.reload()
    page.locator("[data-part]").first.wait_for(timeout=WORKED_OUT_MS)
    page.get_by_role("tab", name="Suspects").click()
    second.goto(page.url)
    decide(second, "Exchange the relief")
    expect(second.get_by_text("Isolated.", exact=True)).to_be_visible()
    decide(page, "Exchange the pump")
    status = page.get_by_role("status")
    expect(status).to_contain_text("Not kept: Isolated: Exchange the pump")
    expect(status).to_contain_text("look at the new ones first")
    expect(page.get_by_text("Exchange the relief").first).to_be_visible()
    page.get_by_role("button", name="Understood").click()
    expect(status).to_have_count(0)


def test_taps_without_a_network_count_at_once_and_are_sent_in_order(
    page: Page, address: str
) -> None:
    open_bench(page, address, SERIAL)
    page.get_by_role("link", name="Complaint").click()
    row = page.get_by_role("group", name="Packer blade out (pack)")
    expect(row.get_by_role("button", name="Weak")).to_have_attribute("aria-pressed", "true")

    def cut(route: Route) -> None:
        route.abort() if route.request.method == "POST" else route.continue_()

    page.route("**/api/jobs/*/entries", cut)
    for word in ("Slow", "Dead"):
        row.get_by_role("button", name=word).tap()
        expect(row.get_by_role("button", name=word)).to_have_attribute("aria-pressed", "true")
    expect(page.get_by_role("status")).to_contain_text("2 entries are not kept on the server yet")
    page.reload()
    expect(row.get_by_role("button", name="Dead")).to_have_attribute("aria-pressed", "true")
    page.unroute("**/api/jobs/*/entries")
    expect(page.get_by_role("status")).to_have_count(0, timeout=WORKED_OUT_MS)
    page.reload()
    expect(row.get_by_role("button", name="Dead")).to_have_attribute("aria-pressed", "true")


def test_dragging_the_map_from_a_part_selects_nothing(page: Page, address: str) -> None:
    open_bench(page, address, SERIAL)
    part = page.locator("[data-part=main_relief]")
    box = part.bounding_box()
    assert box is not None
    x, y = box["x"] + 10, box["y"] + 10
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y + 40, steps=5)
    page.mouse.up()
    expect(part).to_have_attribute("aria-pressed", "false")
    page.mouse.click(x + 60, y + 40)
    expect(part).to_have_attribute("aria-pressed", "true")


def test_the_map_is_one_stop_and_its_points_have_names(page: Page, address: str) -> None:
    open_bench(page, address, SERIAL)
    canvas = page.get_by_role("application")
    assert canvas.locator("[tabindex='0']").count() == 0
    canvas.focus()
    page.keyboard.press("n")
    first = page.evaluate("document.activeElement.dataset.part")
    page.keyboard.press("n")
    assert page.evaluate("document.activeElement.dataset.part") != first
    page.keyboard.press("p")
    assert page.evaluate("document.activeElement.dataset.part") == first
    page.keyboard.press("Enter")
    expect(page.locator(f"[data-part={first}]")).to_have_attribute("aria-pressed", "true")
    points = canvas.locator("[data-point]")
    expect(points).to_have_count(9)
    for point in points.all():
        # Its value comes when a worker has solved the state.
        named = re.compile(r"^Test point M\d, \S.*, -?[\d.]+ (bar|V|rpm)")
        expect(point).to_have_attribute("aria-label", named, timeout=WORKED_OUT_MS)


def broken_rules(page: Page) -> list[tuple[str, list[str]]]:
    """Rules of serious weight that a page breaks, each with where."""
    page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run({ resultTypes: ['violations'] })")
    return [
        (rule["id"], [node["html"][:160] for node in rule["nodes"][:3]])
        for rule in found["violations"]
        if rule["impact"] in ("serious", "critical")
    ]


def test_pages_pass_the_accessibility_rules(page: Page, address: str) -> None:
    open_bench(page, address, SERIAL)
    bench = page.url
    expect(page.locator("section[aria-label='Next step']")).to_be_visible(timeout=WORKED_OUT_MS)
    broken = {"bench": broken_rules(page)}
    for tab in ("suspects", "record", "make safe", "trace"):
        page.get_by_role("tab", name=re.compile(tab, re.I)).click()
        if tab in ("make safe", "trace"):
            page.get_by_role("region", name=re.compile(tab, re.I)).wait_for(timeout=WORKED_OUT_MS)
        broken[tab] = broken_rules(page)
    for link, there in (
        ("Complaint", page.get_by_role("group", name="Packer blade out (pack)")),
        ("Report", page.get_by_role("heading", name="Finding")),
        ("Its record", page.get_by_role("heading", name="Its jobs")),
    ):
        page.goto(bench)
        page.get_by_role("link", name=link).click()
        there.wait_for()
        broken[link] = broken_rules(page)
    page.get_by_role("link", name="All machines with this circuit").click()
    page.get_by_role("heading", name="Found on them").wait_for()
    broken["fleet"] = broken_rules(page)
    page.get_by_role("link", name="All jobs").click()
    page.get_by_role("link").filter(has_text=SERIAL).wait_for()
    broken["jobs"] = broken_rules(page)
    page.get_by_role("link", name="Machines", exact=True).click()
    page.get_by_role("heading", name="Machines from a table").wait_for()
    broken["machines"] = broken_rules(page)
    page.get_by_role("link", name="All jobs").click()
    page.get_by_role("link", name="Labour and kit").click()
    page.get_by_role("button", name="An instrument more").click()
    broken["shop"] = broken_rules(page)
    assert {where: rules for where, rules in broken.items() if rules} == {}


def test_a_reading_of_ones_own_choice_is_judged_and_entered(page: Page, address: str) -> None:
    open_bench(page, address, SERIAL)
    page.get_by_text("Another reading, of your own choice").click()
    page.get_by_label("What is read, and where").click()
    page.get_by_role("option", name="Before the return filter: pressure").click()
    page.get_by_label("Oil [°C]").fill("30")
    page.get_by_role("button", name="What would it show, and is it safe?").click()
    step = page.get_by_label("Next step", exact=True).and_(page.locator("section"))
    expect(step).to_contain_text("oil 30 °C", timeout=WORKED_OUT_MS)
    expect(step).to_contain_text("It would tell")
    page.get_by_role("button", name="Enter the reading").click()
    type_number(page, 0.8)
    page.get_by_role("button", name="Keep the reading").click()
    # A meter stands in the line, and no zero was read before it was opened: why is asked, and kept.
    asked = page.get_by_role("alertdialog")
    asked.get_by_label("Why it is right to go on").fill("the return line was drained and open")
    asked.get_by_role("button", name="Yes, and this is why").click()
    page.get_by_role("tab", name="Record 8").wait_for()
    page.get_by_role("tab", name=re.compile("^Record")).click()
    expect(page.get_by_text(re.compile("oil 30 °C"))).to_be_visible()
    expect(page.get_by_text(re.compile("because: the return line was drained"))).to_be_visible()


def test_the_parts_of_a_job_are_addresses(page: Page, address: str) -> None:
    open_bench(page, address, SERIAL)
    parts = page.get_by_role("navigation", name="Parts of the job")
    parts.get_by_role("link", name="Trace").click()
    expect(page.get_by_role("tab", name="Trace")).to_have_attribute("aria-selected", "true")
    page.reload()
    expect(page.get_by_role("tab", name="Trace")).to_have_attribute("aria-selected", "true")
    expect(parts.get_by_role("link", name="Trace")).to_have_attribute("aria-current", "step")
    parts.get_by_role("link", name="Complaint").click()
    expect(page.get_by_role("heading", name="How does each function behave?")).to_be_visible()
    parts.get_by_role("link", name="Test").click()
    expect(page.get_by_role("tab", name="Next step")).to_have_attribute("aria-selected", "true")
