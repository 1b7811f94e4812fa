"""The script that pages load, and the parts of it that are loaded when they are needed: those of this release, and by their
version, which never changes."""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseNotModified
from django.views.decorators.http import require_safe

from neat_verdict.app.http.versions import has_it
from neat_verdict.app.people.origins import is_allowed, origin_of
from neat_verdict.app.people.queries import key_of
from neat_verdict.app.traffic.assigning import pages_between

PARTS = ("bar", "elements", "preview", "point", "use")
_NAMES = re.compile(rf"(?P<file>neat(?:-(?:{'|'.join(PARTS)}))?)(?:-(?P<version>\d+\.\d+\.\d+))?\.js(?P<map>\.map)?")
_MINUTES, _YEAR = 600, 31_536_000


@dataclass(frozen=True, slots=True)
class Built:
    """A file as it was built, with its source map."""

    version: str
    code: bytes
    map: bytes


@cache
def built(file: str = "neat") -> Built:
    """Raises FileNotFoundError where the front end is not built."""
    place: Path = settings.WEB_BUILD / "site"
    version = (place / "version").read_text().strip()
    return Built(version, (place / f"{file}.js").read_bytes(), (place / f"{file}.js.map").read_bytes())


def current_version() -> str:
    """That of the script which is served now; "" where it is not built."""
    try:
        return built().version
    except FileNotFoundError:
        return ""


@require_safe
def script(request: HttpRequest, name: str) -> HttpResponse:
    """``neat.js``, kept by browsers for minutes; ``neat-1.2.3.js``, kept for a year; their parts and source maps."""
    found = _NAMES.fullmatch(name)
    if found is None:
        raise Http404
    try:
        made = built(found["file"])
    except FileNotFoundError:
        return HttpResponse("The front end is not built. Run bin/setup.", status=503, content_type="text/plain")
    if found["version"] not in (None, made.version):
        raise Http404
    content = made.map if found["map"] else made.code + _pages(request, found)
    tag = f'"{hashlib.sha256(content).hexdigest()[:20]}"'
    matches = has_it(request, tag)
    answer = HttpResponseNotModified() if matches else HttpResponse(content, content_type=_type(found))
    kept = f"public, max-age={_YEAR}, immutable" if found["version"] else f"public, max-age={_MINUTES}"
    answer.headers["Cache-Control"] = kept
    answer.headers["ETag"] = tag
    # Anybody may load it, and hold it to its hash.
    answer.headers["Access-Control-Allow-Origin"] = "*"
    answer.headers["Cross-Origin-Resource-Policy"] = "cross-origin"
    return answer


def _pages(request: HttpRequest, found: re.Match[str]) -> bytes:
    """For a site that names its key in the script's address: on which pages something is changed, so that no other is held back.
    As hashes, by which a page is recognised, and no name is learnt."""
    named = request.GET.get("key", "")
    key = key_of(named) if named and found["file"] == "neat" and not found["version"] else None
    if key is None or key.kind != "site":
        return b""
    hashes = sorted(page_hash(page) for page in pages_between() if is_allowed(origin_of(page), key.origins))
    return f"\nwindow.neat?.changed({hashes});\n".encode()


def page_hash(page: str) -> int:
    """Fowler, Noll and Vo's FNV-1a of 32 bits, as the script works it out of the page it is on."""
    result = 0x811C9DC5
    for byte in page.encode():
        result = (result ^ byte) * 0x01000193 & 0xFFFFFFFF
    return result


def _type(found: re.Match[str]) -> str:
    return "application/json" if found["map"] else "text/javascript; charset=utf-8"
