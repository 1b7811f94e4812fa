"""No page is wider than its window, whatever names, variants and metrics there are; what is pressed can be hit."""

import json
import re

import pytest
from playwright.sync_api import expect

WIDTHS = (320, 390, 640, 768, 1024, 1280, 1920)
# Made as people make them: a name of one word as long as may be, ten variants, thirty metrics; one that reads from right to left.
MAKE = """
import json
import re
from datetime import timedelta
from neat_verdict.app.collect import actions as collect
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.queries import find, today
from neat_verdict.app.people.models import User
by = User.objects.get(username="mona")
roles = ["primary", "guardrail", *["secondary"] * 28]
metrics = [{"name": f"{'metric' * 9}{number}", "role": role, "new": True} for number, role in enumerate(roles)]
metrics[1]["margin"] = 0.05
plan = {
    "area": "A" * 60, "change": "C" * 250, "because": "B" * 250, "audience": "D" * 150, "baseline": 0.05,
    "worthwhile_lift": 0.1, "audience_per_day": 9000, "variants": [{"name": f"{'V' * 36}{number}"} for number in range(10)],
    "metrics": metrics,
}
long = actions.create_experiment(by, "W" * 120, plan)
first = today() - timedelta(days=13)
actions.start(by, long.key, first)
lines = [
    f"{first + timedelta(days=day)},{letter},900,{45 + number}"
    for day in range(14) for number, letter in enumerate("ABCDEFGHIJ")
]
content = "\\n".join(["day,variant,units,conversions", *lines]).encode()
*_, seen = collect.preview(by, find(long.key), content, {})
collect.store(by, find(long.key), content, {}, digest=seen.digest, leave_out_wrong=False, name="counts.csv")
left = actions.create_experiment(by, "תפריט ההפלגות " * 8, {"area": "הזמנות"})
print(json.dumps([long.key, left.key]))
"""
SHEETS = ("brief", "sizing", "traffic", "watch", "evidence", "verdict", "rehearsal", "ledger")
CALENDAR = "fare-calendar-before-the-sailing-list"
POSTERS = "autumn-poster-towns"
PLACES = (
    "/",
    "/casebook",
    "/metrics",
    "/scratchpad",
    "/notices",
    "/manual",
    "/glossary",
    "/account",
    "/accounts",
    "/connections",
)
# The page may not scroll sideways. What reaches over the edge is named, so that a failure says where to look.
WIDER = """() => {
    const width = document.documentElement.clientWidth;
    if (document.documentElement.scrollWidth <= width) return [];
    const boxed = ".overflow-auto, .overflow-x-auto, .sr-only, svg";
    return [...document.querySelectorAll("body *")]
        .filter((part) => part.getBoundingClientRect().right > width + 0.5 && !part.closest(boxed))
        .slice(-3)
        .map((part) => `${part.tagName} ${part.className} “${part.textContent.slice(0, 20)}”`);
}"""
# WCAG 2.2, 2.5.8: a target is 24 by 24 px, or no other one comes into the circle of 24 px around its middle. Excepted is what
# stands in a sentence, and a point of a chart, whose link stands in the table below, too.
SMALL = """() => {
    const inLine = (part) => getComputedStyle(part).display === "inline";
    const shown = [...document.querySelectorAll("[role=dialog]")].at(-1) ?? document;
    const all = [...shown.querySelectorAll("a, button, input, select, summary, [role=button], [role=tab]")]
        .filter((part) => !part.closest("svg, [data-chart-point]"))
        .filter((part) => part.checkVisibility({ visibilityProperty: true, opacityProperty: true }) && !part.disabled)
        .map((part) => ({ part, box: (part.closest("label") ?? part).getBoundingClientRect() }))
        .filter(({ box }) => box.width > 1 && box.height > 1);
    const middle = (box) => [box.left + box.width / 2, box.top + box.height / 2];
    const near = ([x, y], box) =>
        Math.hypot(Math.max(box.left - x, 0, x - box.right), Math.max(box.top - y, 0, y - box.bottom)) < 12;
    return all
        .filter(({ box }) => box.width < 23.5 || box.height < 23.5)
        .filter(({ part }) => !inLine(part))
        .filter(({ part, box }) =>
            all.some((other) => other.part !== part && !other.part.contains(part) && near(middle(box), other.box)))
        .map(({ part, box }) => `${part.tagName} “${(part.ariaLabel ?? part.textContent).slice(0, 30)}” `
            + `${Math.round(box.width)}×${Math.round(box.height)}`);
}"""

# A dialog lies within its window and does not scroll sideways.
OVER_THE_EDGE = """() => {
    const sheet = document.querySelector("[role=dialog]").parentElement;
    const { left, right } = sheet.getBoundingClientRect();
    return left < 0 || right > innerWidth || sheet.scrollWidth > sheet.clientWidth
        ? [`${left} to ${right} of ${innerWidth}, ${sheet.scrollWidth} in ${sheet.clientWidth}`]
        : [];
}"""


@pytest.fixture(scope="module")
def hard(shell):
    """Keys of experiments that are as long and as many-parted as they may be."""
    return json.loads(shell(MAKE).splitlines()[-1])


def _sheets(key):
    return [f"/experiments/{key}/{sheet}" for sheet in SHEETS]


def _each_width(page, view):
    page.goto(view)
    page.wait_for_load_state("networkidle")
    for width in WIDTHS:
        page.set_viewport_size({"width": width, "height": 800})
        page.wait_for_timeout(120)  # until what measures its own width has drawn
        yield width


@pytest.mark.parametrize("which", ["places", "ordinary", "long", "right_to_left"])
def test_no_page_is_wider_than_the_window(people, hard, which):
    page = people().sign_in("ada").page
    long, left = hard
    views = {
        "places": PLACES,
        "ordinary": _sheets(CALENDAR),
        "long": [*_sheets(long), f"/reports/{long}", "/?search=www", f"/?area={'A' * 60}"],
        "right_to_left": [f"/experiments/{left}/brief", f"/experiments/{left}/traffic", "/?search=תפריט"],
    }[which]
    found = [
        (view, width, wider) for view in views for width in _each_width(page, view) if (wider := page.evaluate(WIDER))
    ]
    assert found == []


@pytest.mark.parametrize("width", [1280, 390])
def test_what_is_pressed_is_large_enough_or_stands_alone(people, width):
    page = people(width=width).sign_in("ada").page
    found = []
    for view in (*PLACES, *_sheets(CALENDAR)):
        page.goto(view)
        page.wait_for_load_state("networkidle")
        found += [(view, small) for small in page.evaluate(SMALL)]
    assert found == []


@pytest.mark.parametrize("width", [320, 1280])
def test_every_dialog_lies_within_the_window(people, hard, width):
    page = people(width=width).sign_in("ada").page
    long, left = hard
    asked = {
        f"/experiments/{long}/traffic": ["Pause…", "End…", "Hand over…"],
        f"/experiments/{left}/traffic": ["Start it…"],
        f"/reports/{long}": ["Share…"],
        "/": ["n", "?"],  # by their keys: on a narrow screen they are within menus
    }
    found = []
    for view, names in asked.items():
        page.goto(view)
        for name in names:
            if len(name) == 1:
                page.get_by_role("heading", level=1).click()
                page.keyboard.press(name)
            else:
                page.get_by_role("button", name=name, exact=True).click()
            expect(page.get_by_role("dialog")).to_have_count(1)
            found += [(view, name, wrong) for wrong in page.evaluate(OVER_THE_EDGE) + page.evaluate(SMALL)]
            page.keyboard.press("Escape")
            expect(page.get_by_role("dialog")).to_have_count(0)
    assert found == []


# The chunks of the charts that come when figures and words are there already.
CHARTS = re.compile(r"/(DailyLines|LiftOverTime|WeeksCurve|SpendPicture)-[^/]*\.js$")
# Where the headings stand once they have stood still for thirty frames.
HEADINGS = """() => new Promise((resolve) => {
    const seen = () => Object.fromEntries([...document.querySelectorAll("main h2")].map((one) =>
        [one.textContent, Math.round(one.getBoundingClientRect().top)]));
    let [last, frames] = [null, 0];
    const look = () => {
        const now = seen();
        frames = JSON.stringify(now) === JSON.stringify(last) ? frames + 1 : 0;
        last = now;
        frames < 30 ? requestAnimationFrame(look) : resolve(now);
    };
    look();
})"""


@pytest.mark.parametrize(
    "view",
    [f"/experiments/{CALENDAR}/{sheet}" for sheet in ("sizing", "watch", "evidence")]
    + [f"/experiments/{POSTERS}/watch"],
)
def test_a_chart_that_comes_moves_nothing(people, view):
    page = people().sign_in("ada").page
    held = []

    def hold(route):
        held.append(route)

    page.route(CHARTS, hold)
    page.goto(view)
    expect(page.locator("main .skeleton").first).to_be_visible()
    before = page.evaluate(HEADINGS)
    assert held
    for route in held:
        route.continue_()
    expect(page.get_by_text("As a table").first).to_be_visible()
    expect(page.locator("main .skeleton")).to_have_count(0)
    assert page.evaluate(HEADINGS) == before
