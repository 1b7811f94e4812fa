"""The commands as a user types them: they start, say where, stop when told, and leave nothing behind."""

import os
import re
import signal
import socket
import subprocess
import urllib.request

import pytest

from tests.e2e.conftest import ROOT, _free_port, _wait_for

PATIENCE_TO_STOP = 90


def left_behind(group):
    """Processes of the group that still run."""
    told = subprocess.run(["ps", "-eo", "pgid,stat,args"], capture_output=True, text=True, check=True).stdout
    lines = [line.split(None, 2) for line in told.splitlines()[1:]]
    return [line for line in lines if line[0] == str(group) and not line[1].startswith("Z")]


@pytest.fixture(scope="module")
def data(tmp_path_factory):
    return tmp_path_factory.mktemp("typed") / "data"


@pytest.fixture
def typed(data):
    """Types a command beside data of its own; whatever it started is gone at the end of the test."""
    started = []

    def run(*command, **more):
        env = {**os.environ, "NEAT_VERDICT_DATA": str(data), "NEAT_VERDICT_SECRET_KEY": "s3cret" * 12, **more}
        process = subprocess.Popen(
            # A shell lets what it starts in the background ignore SIGINT, and so would all that these tests start.
            ["env", "--default-signal=INT", *command],
            cwd=ROOT,
            env=env,
            start_new_session=True,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        started.append(process)
        return process

    yield run
    for process in started:
        if left_behind(process.pid):
            os.killpg(process.pid, signal.SIGKILL)
        process.stdout.close()
        process.wait()


def test_a_port_that_is_taken_is_told_before_anything_is_done(typed, data):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        out, _ = typed("bin/demo", "--port", str(port)).communicate(timeout=120)
    assert f"Port {port} cannot be used" in out
    assert not data.exists()


# The first start makes the data, the second keeps them.
@pytest.mark.parametrize(
    ("told", "code", "options"), [(signal.SIGINT, 130, ["--fresh"]), (signal.SIGTERM, 143, ["--quiet"])]
)
def test_the_demo_serves_until_it_is_stopped(typed, told, code, options):
    port = _free_port()
    demo = typed("bin/demo", *options, "--port", str(port))
    _wait_for(f"http://127.0.0.1:{port}/sign-in", demo)
    with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/v1/session", timeout=30) as answer:
        assert b"Tidewick" in answer.read()
    running = " ".join(line[2] for line in left_behind(demo.pid))
    assert "manage.py tick" in running
    assert ("manage.py crowd" in running) == ("--quiet" not in options)
    os.kill(demo.pid, told)
    assert demo.wait(timeout=PATIENCE_TO_STOP) == code
    assert left_behind(demo.pid) == []


@pytest.mark.parametrize(
    ("command", "code", "says"),
    [
        (("bin/demo", "--loud"), 2, "usage: bin/demo"),
        (("bin/demo", "--port"), 1, "--port needs a number"),
        (("bin/demo", "--port", "99999"), 1, "Port 99999 cannot be used"),
        (("bin/test", "everything"), 2, "usage: bin/test"),
        (("bin/bench", "the_moon"), 2, "There is no measure the_moon"),
    ],
)
def test_what_cannot_be_is_refused_in_words(typed, command, code, says):
    process = typed(*command)
    out, _ = process.communicate(timeout=120)
    assert process.returncode == code
    assert says in out


def test_the_server_for_real_use_needs_a_secret_and_stops_when_told(typed):
    out, _ = typed("bin/serve", NEAT_VERDICT_SECRET_KEY="").communicate(timeout=120)
    assert "Set NEAT_VERDICT_SECRET_KEY" in out
    port = _free_port()
    server = typed("bin/serve", NEAT_VERDICT_BIND=f"127.0.0.1:{port}", NEAT_VERDICT_HOSTS="127.0.0.1")
    _wait_for(f"http://127.0.0.1:{port}/api/v1/session", server)
    server.terminate()
    assert server.wait(timeout=PATIENCE_TO_STOP) == 143
    assert left_behind(server.pid) == []


def test_a_benchmark_says_what_it_measured_beside_its_reference(typed):
    bench = typed("bin/bench", "one_comparison", "evidence_from_tallies")
    out, _ = bench.communicate(timeout=280)
    lines = [line[4:] for line in out.splitlines() if "; ratio " in line]  # "ok " or "NOT" stands before
    assert [line.split(":")[0] for line in lines] == [
        "one comparison with both intervals", "evidence and segments of 10^8 units (111,600 tallies)", "the same",
    ]  # fmt: skip
    assert bench.returncode in (0, 1)  # whether it is fast is not for a test to say


def test_a_benchmark_stops_when_told(typed):
    bench = typed("bin/bench")
    assert "reading 375,000" in next(line for line in bench.stdout if "; ratio " in line)
    os.killpg(bench.pid, signal.SIGTERM)
    assert bench.wait(timeout=PATIENCE_TO_STOP) != 0
    assert left_behind(bench.pid) == []


def test_what_is_shipped_comes_with_its_licences(typed):
    port = _free_port()
    server = typed("bin/serve", NEAT_VERDICT_BIND=f"127.0.0.1:{port}", NEAT_VERDICT_HOSTS="127.0.0.1")
    _wait_for(f"http://127.0.0.1:{port}/api/v1/session", server)
    texts = {}
    for name in ("licenses.md", "licenses-fonts.txt"):
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/static/{name}", timeout=30) as answer:
            texts[name] = answer.read().decode()
    assert {"react", "recharts", "react-aria-components"} <= set(re.findall(r"[\w-]+", texts["licenses.md"]))
    assert texts["licenses-fonts.txt"].count("SIL OPEN FONT LICENSE") >= 2
    server.terminate()
    server.wait(timeout=PATIENCE_TO_STOP)
