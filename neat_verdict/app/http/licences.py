"""The packages that come with the application, each with its version and licence, from what the packages say themselves."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from importlib.metadata import PackageMetadata, metadata
from pathlib import Path

ROOT = Path(__file__).resolve().parents[3]
# What packages write where they do not use SPDX's names.
_SPDX = {
    "BSD License": "BSD-3-Clause",
    "BSD": "BSD-3-Clause",
    "MIT License": "MIT",
    "Apache License, Version 2.0": "Apache-2.0",
    "Apache Software License": "Apache-2.0",
    "Mozilla Public License 2.0 (MPL 2.0)": "MPL-2.0",
}
# Whose styles are in what is served, though only the build needs the package.
_IN_THE_BUILD = ("tailwindcss", "daisyui")
ALLOWED = frozenset(
    ("0BSD", "Apache-2.0", "BSD-2-Clause", "BSD-3-Clause", "CC0-1.0", "ISC", "MIT", "MIT-0", "MIT-CMU", "MPL-2.0", "OFL-1.1",
     "PSF-2.0", "Zlib")
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Package:
    """``licence`` is an SPDX expression, or what the package says where it says another thing."""

    name: str
    version: str
    licence: str

    @property
    def allowed(self) -> bool:
        """Whether it may be passed on and used in closed work, as it is, without a condition but notices and its own source."""
        parts = set(re.split(r"[()\s]+|\bAND\b|\bOR\b", self.licence)) - {""}
        return bool(parts) and parts <= ALLOWED


def on_the_server() -> list[Package]:
    """What `requirements/base.txt` pins."""
    return [_installed(name) for name in _pinned("base.txt")]


def where_the_data_live() -> list[Package]:
    """What `requirements/spark.txt` pins in addition, for counting where the data live."""
    return [_installed(name) for name in _pinned("spark.txt") if name not in _pinned("base.txt")]


def in_the_browser() -> list[Package]:
    """What is built into scripts, styles and fonts that browsers load, by `web/package-lock.json`."""
    locked = json.loads((ROOT / "web/package-lock.json").read_text(encoding="utf-8"))["packages"]
    found = []
    for path, package in locked.items():
        name = path.rpartition("node_modules/")[2]
        if name and (not package.get("dev") or path.removeprefix("node_modules/") in _IN_THE_BUILD):
            found.append(Package(name, package["version"], package.get("license", "")))
    return sorted(set(found), key=lambda one: (one.name, one.version))


def as_markdown() -> str:
    """All of them as a page of the documents."""
    lines = [
        "# Licences of what comes with it",
        "",
        "Made by `bin/types` from what the packages say themselves. Each may be passed on and used in closed work; what is",
        "asked for is that notices stay, and of MPL-2.0 that changes of its own files are given too. The texts come with the",
        "packages (`.venv/lib/…/*.dist-info`, `web/node_modules/…`). `bin/renew` renews the versions (CONTRIBUTING.md).",
    ]
    for title, packages in (
        ("On the server", on_the_server()),
        ("Where the data live", where_the_data_live()),
        ("In the browser", in_the_browser()),
    ):
        lines += ["", f"## {title}", "", "| package | version | licence |", "|---|---|---|"]
        lines += [f"| {one.name} | {one.version} | {one.licence} |" for one in packages]
    return "\n".join(lines) + "\n"


def _pinned(file: str) -> list[str]:
    return re.findall(r"^([\w.-]+)==", (ROOT / "requirements" / file).read_text(encoding="utf-8"), re.MULTILINE)


def _installed(name: str) -> Package:
    said = metadata(name)
    return Package(name, said["Version"], _licence(said))


def _licence(said: PackageMetadata) -> str:
    """The expression; else what the classifiers say; else the free text where it is a name."""
    if "License-Expression" in said:
        return said["License-Expression"]
    classified = [one.rpartition(" :: ")[2] for one in said.get_all("Classifier") or [] if one.startswith("License")]
    free = (said.get_all("License") or [""])[0].strip()
    named = free if free and len(free) < 40 and "\n" not in free else " AND ".join(classified)
    return _SPDX.get(named, named)
