"""What the script costs a page of another origin: its own time, the first paint with and without it, and what moves."""

from __future__ import annotations

import json
import os
import shutil
import statistics
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from playwright.sync_api import Browser, sync_playwright

from bench.measure import line
from bench.running import server

LOADS = 20
MOST_SECONDS = 0.010  # of the script itself, median
WATCH = """<script>
  window.moved = 0;
  new PerformanceObserver((list) => list.getEntries().forEach((one) => (window.moved += one.value)))
    .observe({type: "layout-shift", buffered: true});
</script>"""
USE = """<script src="{site}/site/v1/neat.js" data-key="{key}" async></script>
<script>(window.neatQueue = window.neatQueue || []).push(async (neat) => {{
  await neat.ready;
  document.body.dataset.shown = neat.get("wording", "there");
}});</script>"""
PAGE = (
    '<!doctype html><meta charset="utf-8"><link rel="icon" href="data:,">{head}<h1>Sailings</h1>' + "<p>Line</p>" * 60
)


@contextmanager
def _pages(site: str, key: str) -> Iterator[str]:
    content = {"/with": WATCH + USE.format(site=site, key=key), "/without": WATCH}

    class Pages(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.send_response(200)
            self.send_header("Content-Type", "text/html")
            self.end_headers()
            self.wfile.write(PAGE.format(head=content.get(self.path, "")).encode())

        def log_message(self, *_: Any) -> None:
            """Says nothing."""

    pages = ThreadingHTTPServer(("127.0.0.1", 0), Pages)
    threading.Thread(target=pages.serve_forever, daemon=True).start()
    yield f"http://localhost:{pages.server_port}"
    pages.shutdown()
    pages.server_close()


def _load(browser: Browser, address: str, wait: str) -> tuple[float, float, float]:
    """Seconds of the script's own, seconds until the first paint, and how much moved."""
    context = browser.new_context()
    page = context.new_page()
    browser.start_tracing(page=page, categories=["devtools.timeline"])
    page.goto(address)
    page.wait_for_selector(wait)
    page.wait_for_timeout(150)
    events = json.loads(browser.stop_tracing())["traceEvents"]
    own = sum(
        event["dur"]
        for event in events
        if event.get("ph") == "X"
        and event["name"] in ("EvaluateScript", "FunctionCall")
        and "neat.js" in str(event.get("args", {}).get("data", {}).get("url"))
    )
    paint = page.evaluate("performance.getEntriesByName('first-contentful-paint')[0].startTime")
    moved = page.evaluate("window.moved")
    context.close()
    return own / 1e6, paint / 1e3, moved


def script_on_page() -> bool:
    path = os.environ.get("CHROMIUM") or shutil.which("chromium")
    with (
        server() as (port, _, key, _folder),
        _pages(f"http://127.0.0.1:{port}", key) as site,
        sync_playwright() as play,
    ):
        browser = play.chromium.launch(executable_path=path, args=["--no-sandbox", "--disable-gpu"])
        _load(browser, f"{site}/with", "body[data-shown]")
        loads = [
            (_load(browser, f"{site}/with", "body[data-shown]"), _load(browser, f"{site}/without", "h1"))
            for _ in range(LOADS)
        ]
        browser.close()
    own = statistics.median(with_it[0] for with_it, _ in loads)
    paints = [statistics.median(side[1] for side in sides) for sides in zip(*loads, strict=True)]
    moved = max(with_it[2] for with_it, _ in loads)
    kept = line("the script’s own time on a page", own, "allowed", MOST_SECONDS, "at most 1", own <= MOST_SECONDS)
    kept &= line("first paint with it", paints[0], "without", paints[1], "at most 1.3", paints[0] <= 1.3 * paints[1])
    print(f"{'NOT' if moved else 'ok '} layout shift with it: {moved:g} (wanted 0)")
    return kept and not moved


MEASURED = (script_on_page,)
