"""The clients of the OpenFeature standard, unchanged: they get our parameters, and an exposure is sent once it is one."""

import json
import os
import re
import subprocess
import sys
import urllib.request
import uuid
from datetime import UTC, datetime
from pathlib import Path

import pytest
from openfeature import api
from openfeature.contrib.provider.ofrep import OFREPProvider
from openfeature.evaluation_context import EvaluationContext
from openfeature.hook import Hook
from playwright.sync_api import expect

from neat_verdict.app.traffic.site_code import LANGUAGES
from tests.e2e.conftest import Person
from tests.e2e.test_site import CALENDAR, in_latest, wait_until

ROOT = Path(__file__).resolve().parents[2]
PARAMETER = "sailings_begin_with"
MAKE_KEY = (
    "from neat_verdict.app.people.keys import make_key; from neat_verdict.app.people.models import User; "
    "print('secret', make_key(User.objects.get(username='mona'), 'OpenFeature')[1])"
)
NODE = """
import { OpenFeature } from "@openfeature/web-sdk";
import { OFREPWebProvider } from "@openfeature/ofrep-web-provider";
const [site, secret, unit] = process.argv.slice(2);
const provider = new OFREPWebProvider({ baseUrl: site, pollInterval: 0, headers: [["Authorization", `Bearer ${secret}`]] });
await OpenFeature.setProviderAndWait(provider, { targetingKey: unit, device: "phone" });
const client = OpenFeature.getClient();
const known = client.getStringDetails("sailings_begin_with", "default");
const unknown = client.getStringDetails("nothing", "default");
console.log(JSON.stringify({ known, unknown }));
process.exit(0);
"""


@pytest.fixture(scope="module")
def secret(demo):
    command = [sys.executable, "manage.py", "shell", "-c", MAKE_KEY]
    output = subprocess.run(command, cwd=ROOT, env=demo.env, check=True, capture_output=True, text=True)
    return re.search(r"secret (\S+)", output.stdout)[1]


@pytest.fixture(scope="module")
def analyst(chromium, site):
    """Somebody who stays signed in for all of these tests."""
    person = Person(chromium, site).sign_in()
    yield person.page
    person.context.close()
    assert person.complaints == []


@pytest.fixture
def unit():
    return f"open-{uuid.uuid4().hex[:8]}"


class Exposures(Hook):
    """Sends an exposure after each evaluation that is one, as an application would where it shows what it got."""

    def __init__(self, site, secret):
        self.site, self.secret = site, secret

    def after(self, hook_context, details, hints):
        if "experiment" not in details.flag_metadata:
            return
        unit = hook_context.evaluation_context.targeting_key
        event = {"id": str(uuid.uuid4()), "unit": unit, "event": "exposure", "at": datetime.now(UTC).isoformat()}
        body = json.dumps({"events": [{**event, **details.flag_metadata}]}).encode()
        headers = {"Authorization": f"Bearer {self.secret}", "Content-Type": "application/json"}
        urllib.request.urlopen(urllib.request.Request(f"{self.site}/api/v1/collect", body, headers), timeout=30).read()


def test_the_python_client_gets_parameters_and_exposes_by_a_hook(analyst, site, secret, unit):
    api.set_provider(OFREPProvider(site, headers_factory=lambda: {"Authorization": f"Bearer {secret}"}))
    client = api.get_client()
    context = EvaluationContext(unit, {"device": "phone"})
    seen = client.get_string_details(PARAMETER, "default", context)
    assert (seen.value, seen.reason) in [("list", "SPLIT"), ("calendar", "SPLIT")]
    assert client.get_string_value("nothing", "default", context) == "default"
    assert client.get_boolean_value(PARAMETER, True, context) is True  # of another type: the default
    expect(in_latest(analyst, unit)).to_have_count(0)
    client.add_hooks([Exposures(site, secret)])
    assert client.get_string_value(PARAMETER, "default", context) == seen.value
    row = in_latest(analyst, unit)
    expect(row).to_have_count(1)
    expect(row.locator("td, th").nth(3)).to_have_text(seen.variant)
    api.shutdown()


def test_the_browser_client_gets_all_parameters_at_once(site, secret, unit):
    # Within the front end's folder, where its packages are found.
    output = subprocess.run(
        ["node", "--input-type=module", "-", site, secret, unit], input=NODE, cwd=ROOT / "web", text=True,
        capture_output=True, timeout=60, check=True,
    )  # fmt: skip
    answer = json.loads(output.stdout.strip().splitlines()[-1])
    assert answer["known"]["value"] == {"A": "list", "B": "calendar"}[answer["known"]["variant"]]
    assert answer["known"]["flagMetadata"]["experiment"] == "fare-calendar-before-the-sailing-list"
    assert (answer["unknown"]["value"], answer["unknown"]["errorCode"]) == ("default", "FLAG_NOT_FOUND")


# The code that the Traffic sheet hands to engineers

FROM_A_PAGE = """
const ask = globalThis.fetch;
globalThis.fetch = (address, given) => {
  const request = new Request(address, given);
  request.headers.set("Origin", "http://localhost:5173");
  return ask(request);
};
"""


@pytest.fixture(scope="module")
def snippets(analyst):
    answer = analyst.request.get(f"/api/v1{CALENDAR}/snippets")
    return {one["name"]: one["code"] for one in answer.json()}


def in_a_browser(chromium, address):
    page = chromium.new_page()
    said = []
    page.on("console", lambda message: said.append(message.text))
    page.goto(address)
    wait_until(page, lambda: any("shown:" in line for line in said))
    page.close()
    return "\n".join(said)


def by_command(command, code, secret, unit):
    # A visitor of their own, and within the front end's folder, where its packages are found.
    env = {**os.environ, "NEAT_VERDICT_KEY": secret}
    output = subprocess.run(
        command,
        check=False,
        input=code.replace("visitor-1", unit),
        cwd=ROOT / "web",
        env=env,
        text=True,
        capture_output=True,
        timeout=60,
    )
    assert output.returncode == 0, output.stderr
    return output.stdout


COMMANDS = {
    "python": [sys.executable, "-"],
    "open_feature_python": [sys.executable, "-"],
    "javascript": ["node", "--input-type=module", "-"],
    "open_feature_web": ["node", "--input-type=module", "-"],
}


@pytest.mark.parametrize("language", [name for name in LANGUAGES if name != "held_page"])
def test_each_snippet_does_what_it_says(analyst, chromium, serve_pages, snippets, secret, unit, language):
    code = snippets[language]
    if language == "page":
        assert re.search("shown: (list|calendar)", in_a_browser(chromium, serve_pages({"/": ("text/html", code)})))
    elif language == "curl":
        output = by_command(["bash", "-s"], code.replace('"e-', f'"{unit}-'), secret, unit)
        assert '"variant": "' in output
        assert '"accepted": 2' in output
    else:
        output = by_command(
            COMMANDS[language], FROM_A_PAGE + code if language == "open_feature_web" else code, secret, unit
        )
        assert re.search("shown: (list|calendar)", output)
    if language != "page":
        expect(in_latest(analyst, unit).filter(has_text="exposure")).to_have_count(1)


@pytest.mark.parametrize("language", COMMANDS)
def test_each_snippet_shows_what_is_there_without_us(snippets, secret, site, unit, language):
    away = snippets[language].replace(site, "http://127.0.0.1:9")
    assert "shown: list" in by_command(COMMANDS[language], away, secret, unit)
