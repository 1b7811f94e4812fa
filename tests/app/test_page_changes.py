"""What a variant changes on the page: what is taken and what is not, what the script is given, and what could not be made."""

from datetime import timedelta
from typing import get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_verdict.app.collect.batch import read_items
from neat_verdict.app.collect.events import take_in
from neat_verdict.app.experiments import actions
from neat_verdict.app.experiments.page_changes import PageChangeIO, changes_of, checked_changes, clean_html, read_change
from neat_verdict.app.experiments.queries import find
from neat_verdict.app.http.problems import Conflict
from neat_verdict.app.people.keys import make_site_key
from neat_verdict.core.checks import InputError
from tests.app.conftest import PLAN, SERVED, START, TODAY, exposed
from tests.app.test_passages import KEY, PAGE, unit_of, way
from tests.app.test_site import HOME, Page

pytestmark = pytest.mark.django_db
BUTTON = {"selectors": ["#search", "main > button"], "name": "Button “Search sailings”"}
FARES = {"selectors": ["#fares"], "name": "Table of fares"}
TEXT = {"kind": "text", "find": BUTTON, "text": "Find my ferry"}
ONE_OF_EACH = {
    "text": (TEXT, "Button “Search sailings” says “Find my ferry”"),
    "picture": (
        {"kind": "picture", "find": FARES, "src": "/deck.jpg", "alt": "the deck"}, "Table of fares is another picture: the deck"
    ),
    "link": ({"kind": "link", "find": BUTTON, "href": "/islands?day=1"}, "Button “Search sailings” leads to /islands?day=1"),
    "style": (
        {"kind": "style", "find": BUTTON, "styles": {"color": "#1b6aa5", "font-size": "18px"}},
        "Button “Search sailings” has color #1b6aa5, font-size 18px",
    ),
    "hide": ({"kind": "hide", "find": FARES}, "Table of fares is hidden"),
    "move": (
        {"kind": "move", "find": BUTTON, "place": "before", "to": FARES}, "Button “Search sailings” stands before Table of fares"
    ),
    "insert": (
        {"kind": "insert", "find": FARES, "place": "after", "html": "<p>Calm <b>sea</b> today</p>"},
        "After Table of fares stands “Calm sea today”",
    ),
    "css": (
        {"kind": "css", "css": "h1 { color: teal } @media (max-width: 400px) { h1 { font-size: 20px } }"},
        "The page has 2 rules of style of its own",
    ),
}  # fmt: skip
FIELDS = {**PLAN, "data_from": "events", "metrics": SERVED["metrics"], "page": PAGE}


def variants(*changes):
    return [{"name": "List"}, {"name": "Another", "changes": ["Another mood"], "page_changes": list(changes)}]


@pytest.fixture
def draft(analyst, metrics):
    return actions.create_experiment(analyst, "Fare calendar", {**FIELDS, "variants": variants(TEXT)})


@pytest.fixture
def page(analyst):
    return Page(make_site_key(analyst, "Tidewick", [HOME]).public)


# What is taken


def test_every_kind_is_in_the_table():
    kinds = {get_args(one.model_fields["kind"].annotation)[0] for one in get_args(get_args(PageChangeIO)[0])}
    assert kinds == set(ONE_OF_EACH)


@pytest.mark.parametrize("kind", ONE_OF_EACH)
def test_each_kind_is_kept_as_it_is_and_said_in_words(kind):
    line, words = ONE_OF_EACH[kind]
    (kept,) = checked_changes("page_changes", [line])
    assert kept == {**line, "on": True}
    assert read_change(kept).words() == words


STYLE = {"kind": "style", "find": BUTTON}
INSERT = {"kind": "insert", "find": BUTTON, "place": "first"}
LINK = {"kind": "link", "find": BUTTON}


@pytest.mark.parametrize(
    ("line", "field", "value"),
    [
        ({**INSERT, "html": "<script>alert(1)</script>"}, "html", "<script>"),
        ({**INSERT, "html": "<img src=x onerror=alert(1)>"}, "html", "onerror"),
        ({**INSERT, "html": "<p style='color:red'>x</p>"}, "html", "style"),
        ({**INSERT, "html": "<a href='javascript:alert(1)'>x</a>"}, "html", "javascript:alert(1)"),
        ({**INSERT, "html": "<a href='java\nscript:alert(1)'>x</a>"}, "html", "java"),
        ({**INSERT, "html": "<a href='&#106;avascript:alert(1)'>x</a>"}, "html", "javascript:alert(1)"),
        ({**INSERT, "html": "<img src='data:image/svg+xml,<svg onload=alert(1)>'>"}, "html", "data:"),
        ({**INSERT, "html": "<iframe src='https://elsewhere.example'></iframe>"}, "html", "<iframe>"),
        ({**INSERT, "html": "<form action='/pay'><input name='card'></form>"}, "html", "<form>"),
        ({**INSERT, "html": "<svg><animate onbegin=alert(1)></svg>"}, "html", "<svg>"),
        ({**INSERT, "html": "<!--[if IE]><p>x</p><![endif]-->"}, "html", "<!--"),
        ({**INSERT, "html": "<base href='https://elsewhere.example'>"}, "html", "<base>"),
        ({**LINK, "href": "javascript:alert(1)"}, "href", "javascript:alert(1)"),
        ({**LINK, "href": " javascript:alert(1)"}, "href", "javascript"),
        ({**LINK, "href": "\tjava\tscript:alert(1)"}, "href", "script"),
        ({**LINK, "href": "data:text/html,x"}, "href", "data:text/html,x"),
        ({**LINK, "href": "islands"}, "href", "islands"),
        ({"kind": "picture", "find": BUTTON, "src": "mailto:x@y.example"}, "src", "mailto:"),
        ({**STYLE, "styles": {"background-image": "none"}}, "styles", "background-image"),
        ({**STYLE, "styles": {"color": "red; position: fixed"}}, "styles.color", "red; position"),
        ({**STYLE, "styles": {"color": "url(https://elsewhere.example/x)"}}, "styles.color", "url"),
        ({**STYLE, "styles": {"width": "calc(1px + image-set('x'))"}}, "styles.width", "image-set"),
        ({**STYLE, "styles": {"color": ""}}, "styles.color", "empty"),
        ({"kind": "css", "css": "@import 'https://elsewhere.example/x.css';"}, "css", "@import"),
        ({"kind": "css", "css": "@font-face { src: url(x) }"}, "css", "@font-face"),
        ({"kind": "css", "css": "h1 { background: url(//elsewhere.example/x) }"}, "css", "url"),
        ({"kind": "css", "css": "@media print { h1 { background: \\75 rl(x) } }"}, "css", "url"),
        ({"kind": "css", "css": "h1 color: red }"}, "css", "line 1"),
        ({**TEXT, "find": {"selectors": ["#a{}"], "name": "x"}}, "find.selectors.0", "#a{}"),
        ({**TEXT, "find": {"selectors": [" "], "name": "x"}}, "find.selectors.0", ""),
    ],
)
def test_what_could_run_or_load_something_is_refused_by_name(line, field, value):
    with pytest.raises(InputError) as refused:
        checked_changes("variants.1.page_changes", [TEXT, line])
    assert refused.value.field == f"variants.1.page_changes.1.{field}"
    assert value in str(refused.value)


@given(st.text(max_size=60) | st.text("<>=\"'/ abisrconlpt&;:!-", max_size=60))
def test_whatever_html_is_taken_stays_the_same_when_it_is_cleaned_again(text):
    try:
        kept = clean_html("html", text)
    except InputError:
        return
    assert clean_html("html", kept) == kept
    assert "<script" not in kept.lower()


@pytest.mark.parametrize(
    ("html", "kept"),
    [
        ("<p>Two <em>hours</em> away</p>", "<p>Two <em>hours</em> away</p>"),
        ("<a href='/b' target='_blank'>b</a>", '<a href="/b" target="_blank" rel="noopener">b</a>'),
        ("<p class='note' data-part='fares'>7 &lt; 8", '<p class="note" data-part="fares">7 &lt; 8</p>'),
    ],
)
def test_html_is_kept_as_a_browser_reads_it(html, kept):
    assert clean_html("html", html) == kept


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"variants": [{"name": "List", "page_changes": [TEXT]}, {"name": "B"}]}, "variants.0.page_changes"),
        (
            {"variants": [{"name": "List"}, {"name": "B", "address": "/b", "page_changes": [TEXT]}]},
            "variants.1.address",
        ),
        ({"page": ""}, "page"),
        ({"page": f"{PAGE}?day=7"}, "page"),
        ({"data_from": "files"}, "data_from"),
    ],
)
def test_what_does_not_go_with_changes_on_the_page_is_refused_by_name(analyst, draft, changes, field):
    with pytest.raises(InputError) as refused:
        actions.edit_experiment(analyst, KEY, find(KEY).version, changes)
    assert refused.value.field == field


def test_a_kind_that_is_not_known_is_refused_over_http(ask, draft):
    line = {"kind": "script", "find": BUTTON, "text": "alert(1)"}
    body = {"version": draft.version, "changes": {"variants": variants(line)}}
    status, problem = ask("patch", f"/experiments/{KEY}", body)
    assert status == 422
    assert "page_changes" in problem["errors"][0]["field"]


# Where they stand


def test_they_are_part_of_what_the_variant_changes(ask, draft):
    shown = ask("get", f"/experiments/{KEY}")[1]
    assert shown["variants"][1]["page_changes_in_words"] == [ONE_OF_EACH["text"][1]]
    assert changes_of(draft.variants.all()[1]) == ["Another mood", ONE_OF_EACH["text"][1]]
    # Two changes at once: no lift can be put down to one of them.
    assert any(remark.startswith("B changes 2 things at once") for remark in shown["remarks"])


def test_one_that_is_switched_off_is_kept_and_not_made(analyst, page, draft):
    off = {**ONE_OF_EACH["hide"][0], "on": False}
    actions.edit_experiment(analyst, KEY, draft.version, {"variants": variants(off, TEXT)})
    kept = find(KEY).variants.all()[1]
    assert [line["kind"] for line in kept.page_changes] == ["hide", "text"]
    assert changes_of(kept) == ["Another mood", ONE_OF_EACH["text"][1]]
    actions.start(analyst, KEY, START)
    assert [line["kind"] for line in way(page, unit_of("B"))[0]["changes"]] == ["text"]


def test_a_copy_has_them_and_a_variant_copied_too(analyst, draft):
    copied = actions.copy_experiment(analyst, draft)
    assert copied.variants.all()[1].page_changes == draft.variants.all()[1].page_changes


def test_after_the_start_they_change_for_a_reason_which_says_what_was_and_is(ask, analyst, draft):
    actions.start(analyst, KEY, START)
    changed = {"variants": variants({**TEXT, "text": "Search"})}
    with pytest.raises(Conflict):
        actions.edit_experiment(analyst, KEY, find(KEY).version, changed)
    actions.edit_experiment(analyst, KEY, find(KEY).version, changed, "a typing error")
    (change,) = ask("get", f"/experiments/{KEY}")[1]["delivery_changes"]
    assert (change["before"], change["after"]) == (
        ONE_OF_EACH["text"][1],
        "Button “Search sailings” says “Search”",
    )


def test_the_page_gives_them_to_those_who_get_the_variant_and_nobody_else(analyst, page, draft):
    actions.start(analyst, KEY, START)
    assert [one["changes"] for one in way(page, unit_of("A"))] == [[]]
    assert [one["changes"] for one in way(page, unit_of("B"))] == [[{**TEXT, "on": True}]]
    assert way(page, unit_of("B"), "/elsewhere") == []


def test_a_preview_makes_them_too(ask, page, draft):
    link = ask("get", f"/experiments/{KEY}/on-page")[1]["previews"][1]["address"]
    answer, shown = page("preview", token=link.partition("neat_preview=")[2])
    assert answer.status_code == 200
    assert shown["changes"] == [{**TEXT, "on": True}]


# What could not be made


def failed(unit, number, at=None, **more):
    at = at or TODAY - timedelta(hours=1)
    return {
        "id": f"{unit}-{number}-{at}", "unit": unit, "event": "page_change_failed", "at": at.isoformat(), "experiment": KEY,
        "variant": "B", "change": number, "problem": "absent", **more,
    }  # fmt: skip


def test_for_how_many_a_change_could_not_be_made_is_said_by_change(ask, analyst, draft):
    hide = ONE_OF_EACH["hide"][0]
    actions.edit_experiment(analyst, KEY, draft.version, {"variants": variants(TEXT, {**hide, "on": False}, hide)})
    actions.start(analyst, KEY, START)
    at = (TODAY - timedelta(hours=2)).isoformat()

    def with_browser(n):
        return {"device": "phone" if n % 2 else "computer", "browser": "Lantern 98" if n < 6 else "Beacon 12"}

    came = [exposed(f"u{n}", "B", at, **with_browser(n)) for n in range(40)]
    twice = failed("u0", 2, TODAY - timedelta(minutes=5))
    before = failed("u30", 1, TODAY - timedelta(days=400))
    strange = [failed("never-there", 2), failed("u14", "2")]
    old = {"browser": "Lantern 98"}
    take_in(
        read_items([*came, *(failed(f"u{n}", 2, **old) for n in range(6)), twice, failed("u9", 1), before, *strange])
    )
    live = ask("get", f"/experiments/{KEY}/live")[1]
    text, hidden = ONE_OF_EACH["text"][1], ONE_OF_EACH["hide"][1]
    assert live["page_changes"] == [
        {"letter": "B", "words": text, "units": 40, "failed": 1},
        {"letter": "B", "words": hidden, "units": 40, "failed": 6},
    ]
    (issue,) = [issue for issue in live["issues"] if issue["kind"] == "unmade"]
    assert issue["sentence"] == (
        f"For 6 of 40 visitors in B (15.0%) a change could not be made: {hidden}, most where browser is Lantern 98 "
        "(100.0% of 6)"
    )
    assert live["last_day"]["unknown"] == []
