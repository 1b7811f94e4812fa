"""The real thing: gunicorn on a fresh demo workspace, driven in headless Chromium."""

import fcntl
import os
import shutil
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from types import SimpleNamespace

import pytest
from playwright.sync_api import TimeoutError as PlaywrightTimeout
from playwright.sync_api import expect, sync_playwright

ROOT = Path(__file__).resolve().parents[2]
CHROMIUM_ARGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking"]
PATIENCE = 60_000  # milliseconds: how long a busy machine may take to show what a test waits for
DEMO = {"NEAT_VERDICT_DEMO": "1", "NEAT_VERDICT_SECRET_KEY": "only for tests"}
# What the tests look at is open; test_looks.py is about what is folded.
OPEN = "from neat_verdict.app.people.models import User; User.objects.update(preferences={'panels': 'open'})"
PREPARE = (
    ["migrate", "--verbosity", "0"],
    ["seed_demo"],
    ["shell", "--verbosity", "0", "-c", OPEN],
    ["collectstatic", "--noinput", "--verbosity", "0"],
)
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"


WIDER = """() => {
    const page = document.documentElement.scrollWidth - document.documentElement.clientWidth;
    const main = document.querySelector("main").getBoundingClientRect();
    const scrolls = ".overflow-auto, svg, .sr-only";
    const parts = [...document.querySelectorAll("main *")].filter((part) => !part.closest(scrolls));
    const out = parts.map((part) => Math.round(part.getBoundingClientRect().right - main.right));
    const cut = [...document.querySelectorAll(".overflow-x-auto")].map((box) => box.scrollWidth - box.clientWidth);
    return Math.max(page, ...out, ...cut);
}"""


def _free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def _wait_for(url, server, seconds=900):
    """Until a server listens. The demo makes its data first: minutes where another suite keeps the machine busy."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        assert server.poll() is None, "the server stopped while starting"
        try:
            with urllib.request.urlopen(url, timeout=30):
                return
        except OSError:  # refused until the server listens
            continue
    raise TimeoutError(url)


@pytest.fixture(scope="session")
def demo_data(tmp_path_factory):
    """The demo workspace, made once for all processes of a run: whoever comes first makes it, the others wait."""
    # What belongs to one process of several lies inside what belongs to the run.
    within = tmp_path_factory.getbasetemp()
    made = (within.parent if "PYTEST_XDIST_WORKER" in os.environ else within) / "demo"
    (made / "data").mkdir(parents=True, exist_ok=True)
    with (made / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (made / "whole").exists():
            env = {**os.environ, **DEMO, "NEAT_VERDICT_DATA": str(made / "data")}
            for command in PREPARE:
                subprocess.run(
                    [sys.executable, "manage.py", *command], cwd=ROOT, env=env, check=True, stdout=subprocess.DEVNULL
                )
            (made / "whole").touch()
    return made / "data"


@pytest.fixture(scope="session")
def demo(demo_data, tmp_path_factory):
    """A running application with the demo workspace in it: its address, and its environment."""
    data = tmp_path_factory.mktemp("site") / "data"
    shutil.copytree(demo_data, data)
    port = _free_port()
    provider = {"NEAT_VERDICT_OIDC_ISSUER": f"http://127.0.0.1:{port}/identity"}
    env = {**os.environ, **DEMO, **provider, "NEAT_VERDICT_DATA": str(data)}
    command = [
        sys.executable,
        "-m",
        "gunicorn",
        "-c",
        "python:neat_verdict.app.config.server",
        "--bind",
        f"127.0.0.1:{port}",
    ]
    server = subprocess.Popen([*command, "--log-level", "warning"], cwd=ROOT, env=env)
    address = f"http://127.0.0.1:{port}"
    try:
        _wait_for(f"{address}/sign-in", server)
        yield SimpleNamespace(address=address, env=env)
    finally:
        server.terminate()
        server.wait(timeout=60)


@pytest.fixture(scope="session")
def site(demo):
    """Where it is."""
    return demo.address


@pytest.fixture
def manage(demo):
    """Runs a command beside the server, as the minute job does."""

    def run(*command):
        told = subprocess.run(
            [sys.executable, "manage.py", *command], cwd=ROOT, env=demo.env, check=True, capture_output=True, text=True
        )
        return told.stdout

    return run


@pytest.fixture(scope="session")
def shell(demo):
    """Runs lines of Python within the application, next to the server; answers with what they print."""

    def run(lines):
        command = [sys.executable, "manage.py", "shell", "--verbosity", "0", "-c", lines]
        return subprocess.run(command, cwd=ROOT, env=demo.env, check=True, capture_output=True, text=True).stdout

    return run


@pytest.fixture(scope="session")
def chromium():
    path = os.environ.get("CHROMIUM") or shutil.which("chromium") or "/usr/bin/chromium"
    expect.set_options(timeout=PATIENCE)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=path, args=CHROMIUM_ARGS)
        yield browser
        browser.close()


@pytest.fixture
def serve_pages():
    """Serves {path: (type, content)} at a port of its own, as somebody else's site; answers with its address."""
    servers = []

    def serve(pages, *, host="127.0.0.1", policy=""):
        class Pages(BaseHTTPRequestHandler):
            def do_GET(self):
                path = self.path.partition("?")[0]
                kind, content = pages.get(path, ("text/plain", ""))
                self.send_response(200 if path in pages else 404)
                self.send_header("Content-Type", f"{kind}; charset=utf-8")
                if policy:
                    self.send_header("Content-Security-Policy", policy)
                self.end_headers()
                self.wfile.write(content.encode())

            def log_message(self, *_):
                """Says nothing."""

        servers.append(ThreadingHTTPServer((host, 0), Pages))
        threading.Thread(target=servers[-1].serve_forever, daemon=True).start()
        return f"http://{host}:{servers[-1].server_port}/"

    yield serve
    for server in servers:
        server.shutdown()
        server.server_close()


def wait_until(page, expression):
    """Wait until an expression holds on a page whose policy forbids `eval`, where Playwright's own waiting does not work."""
    for _ in range(PATIENCE // 100):
        if page.evaluate(expression):
            return
        page.wait_for_timeout(100)
    raise AssertionError(f"never came true: {expression}")


class Person:
    """Somebody at a browser. What the page complains about is kept and fails the test."""

    def __init__(self, chromium, site, width=1280, height=800):
        self.site = site
        self.context = chromium.new_context(viewport={"width": width, "height": height}, bypass_csp=True, base_url=site)
        self.context.set_default_timeout(PATIENCE)
        self.page = self.context.new_page()
        self.complaints = []
        self.others = ()  # further addresses that the pages may load, in frames
        self.page.on("console", lambda message: self._heard(message.type, message.text))
        self.page.on("pageerror", lambda error: self.complaints.append(str(error)))
        self.page.on("request", lambda request: self._left(request.url))

    def _heard(self, kind, text):
        # The browser itself logs every answer of 4xx; those are asked for where a refusal is tested.
        if kind in ("error", "warning") and "Failed to load resource" not in text:
            self.complaints.append(text)

    def _left(self, url):
        # The booking site's pages find the script at the machine's other name.
        ours = (self.site, self.site.replace("127.0.0.1", "localhost"), "data:", "blob:")
        if not url.startswith((*ours, *self.others)):
            self.complaints.append(f"asked for {url}, which is not ours")

    def sign_in(self, name="mona"):
        self.page.goto("/sign-in")
        self.page.get_by_label("Name").fill(name)
        self.page.get_by_label("Password").fill("tidewick-demo")
        self.page.get_by_role("button", name="Sign in").click()
        self.page.get_by_role("heading", level=1).filter(has_text="decision").wait_for()
        return self

    def overflow(self):
        """Pixels by which the page is wider than the window, or a sheet than its column, once the layout has settled."""
        try:
            self.page.wait_for_function(f"({WIDER})() <= 0", timeout=10_000)
        except PlaywrightTimeout:
            return self.page.evaluate(WIDER)
        return 0

    def axe(self):
        if not self.page.evaluate("'axe' in window"):
            self.page.add_script_tag(path=str(AXE))
        found = self.page.evaluate("axe.run(document, {resultTypes: ['violations'], iframes: false})")
        return [
            f"{v['id']}: {node['html'][:160]} {node['failureSummary'][:200]}"
            for v in found["violations"]
            for node in v["nodes"]
        ]


@pytest.fixture
def people(chromium, site):
    """Makes people; at the end nobody's page may have complained."""
    made = []

    def make(**size):
        made.append(Person(chromium, site, **size))
        return made[-1]

    yield make
    for person in made:
        person.context.close()
    assert [complaint for person in made for complaint in person.complaints] == []
