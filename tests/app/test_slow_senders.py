"""Requests that never come whole stop nobody: the shipped server ends them, and the proxy of docs/nginx.conf keeps them off."""

import http.client
import json
import shutil
import socket
import ssl
import subprocess
import time
import urllib.error
import urllib.request
from contextlib import contextmanager

import pytest

from tests.app.test_crash import ROOT, Servers

HEAD = b"POST /api/v1/collect HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Le"
HALF = {"a head": HEAD, "a body": HEAD + b"ngth: 900\r\n\r\n{"}


def port_free():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@contextmanager
def half_sent(port, sent, many, wrap=lambda plain: plain):
    connections = [wrap(socket.create_connection(("127.0.0.1", port), timeout=60)) for _ in range(many)]
    for connection in connections:
        connection.sendall(sent)
    yield connections
    for connection in connections:
        connection.close()


def is_ended(connection):
    """Waits until the other side ends it, with an answer or without."""
    try:
        while connection.recv(4096):
            pass
    except ConnectionResetError:
        pass
    return True


@pytest.fixture
def servers(tmp_path, request):
    made = Servers(tmp_path, **getattr(request, "param", {}))
    yield made
    for server in made.running:
        made.kill(server)


@pytest.mark.parametrize("servers", [{"NEAT_VERDICT_REQUEST_SECONDS": "1"}], indirect=True, ids=["one second"])
@pytest.mark.parametrize("what", HALF)
def test_more_half_sent_requests_than_threads_are_ended_and_the_next_is_answered(servers, what):
    _, address = servers.start()
    with half_sent(int(address.rpartition(":")[2]), HALF[what], 12) as connections:
        with urllib.request.urlopen(f"{address}/api/v1/session", timeout=30) as answer:
            assert answer.status == 200
        assert all(is_ended(connection) for connection in connections)


@pytest.mark.parametrize("servers", [{"NEAT_VERDICT_REQUEST_SECONDS": "1"}], indirect=True, ids=["one second"])
def test_what_comes_slowly_but_at_the_least_pace_is_taken(servers):
    _, address = servers.start()
    body = json.dumps({"events": [], "more": "x" * 40_000}).encode()
    head = (
        f"POST /api/v1/collect HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer {servers.secret}\r\n"
        f"Content-Type: application/json\r\nContent-Length: {len(body)}\r\nConnection: close\r\n\r\n"
    ).encode()
    began = time.monotonic()
    with socket.create_connection(("127.0.0.1", int(address.rpartition(":")[2])), timeout=30) as connection:
        connection.sendall(head + body[:-1])
        while time.monotonic() < began + 1.5:  # beyond the second, within what its 40 kB may take
            servers.send(address, [])
        connection.sendall(body[-1:])
        assert connection.recv(4096).startswith(b"HTTP/1.1 200")


@pytest.mark.parametrize("servers", [{"NEAT_VERDICT_REQUEST_SECONDS": "1"}], indirect=True, ids=["one second"])
def test_the_time_begins_with_each_request_of_a_connection(servers):
    _, address = servers.start()
    connection = http.client.HTTPConnection("127.0.0.1", int(address.rpartition(":")[2]), timeout=30)
    began = time.monotonic()
    connection.request("GET", "/api/v1/session")
    connection.getresponse().read()
    kept = connection.sock
    while time.monotonic() < began + 1.3:  # beyond the second, within what the server keeps a connection open
        servers.send(address, [])
    connection.request("GET", "/api/v1/session")
    answer = connection.getresponse()
    answer.read()
    assert (answer.status, connection.sock) == (200, kept)
    assert kept is not None
    connection.close()


@contextmanager
def proxy(tmp_path, upstream, seconds):
    """nginx with the site of the documents: with other ports, another certificate, and shorter time-outs."""
    plain, secure = port_free(), port_free()
    pem, key = tmp_path / "site.pem", tmp_path / "site.key"
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=localhost", "-keyout", str(key),
         "-addext", "subjectAltName=DNS:localhost", "-out", str(pem)],
        check=True, capture_output=True,
    )  # fmt: skip
    text = (ROOT / "docs" / "nginx.conf").read_text()
    for old, new in {
        "listen 80;": f"listen 127.0.0.1:{plain};",
        "listen 443 ssl;": f"listen 127.0.0.1:{secure} ssl;",
        "/etc/ssl/certs/verdicts.example.pem": str(pem),
        "/etc/ssl/private/verdicts.example.key": str(key),
        "http://127.0.0.1:8000": upstream,
        "client_header_timeout 10s": f"client_header_timeout {seconds}s",
        "client_body_timeout 30s": f"client_body_timeout {seconds}s",
        "server_name verdicts.example": "server_name localhost",
    }.items():
        assert old in text
        text = text.replace(old, new)
    (tmp_path / "site.conf").write_text(text)
    paths = " ".join(f"{kind}_temp_path {tmp_path};" for kind in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi"))
    (tmp_path / "nginx.conf").write_text(
        f"daemon off; pid {tmp_path}/pid; error_log stderr; events {{}} "
        f"http {{ access_log off; {paths} include {tmp_path}/site.conf; }}"
    )
    nginx = shutil.which("nginx", path="/usr/sbin:/usr/bin:/usr/local/sbin")
    running = subprocess.Popen([nginx, "-e", "stderr", "-p", str(tmp_path), "-c", str(tmp_path / "nginx.conf")])
    try:
        until = time.monotonic() + 30
        while time.monotonic() < until and running.poll() is None:
            try:
                socket.create_connection(("127.0.0.1", secure), timeout=1).close()
                break
            except OSError:
                continue
        yield plain, secure, ssl.create_default_context(cafile=pem)
    finally:
        running.terminate()
        running.wait(timeout=30)


class NotSentOn(urllib.request.HTTPRedirectHandler):
    def redirect_request(self, *_):
        return None


@pytest.mark.parametrize(
    "servers", [{"NEAT_VERDICT_HTTPS": "1", "NEAT_VERDICT_PROXIES": "1"}], indirect=True, ids=["https"]
)
def test_the_proxy_of_the_documents_speaks_https_and_keeps_half_sent_requests_off(servers, tmp_path):
    _, address = servers.start()
    with proxy(tmp_path, address, 1) as (plain, secure, trusted):
        with pytest.raises(urllib.error.HTTPError) as sent_on:
            urllib.request.build_opener(NotSentOn).open(f"http://localhost:{plain}/sign-in", timeout=30)
        sent_on.value.close()
        assert (sent_on.value.code, sent_on.value.headers["Location"]) == (301, "https://localhost/sign-in")

        def wrapped(connection):
            return trusted.wrap_socket(connection, server_hostname="localhost")

        with (
            half_sent(secure, HALF["a head"], 20, wrapped) as heads,
            half_sent(secure, HALF["a body"], 20, wrapped) as bodies,
        ):
            with urllib.request.urlopen(
                f"https://localhost:{secure}/api/v1/session", timeout=30, context=trusted
            ) as answer:
                assert "max-age" in answer.headers["Strict-Transport-Security"]
            assert all(map(is_ended, [*heads, *bodies]))
