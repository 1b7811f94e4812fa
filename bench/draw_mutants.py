"""Draws breaks at random with the mutation tool mutmut and a fixed seed, for `bench/mutants.py` to apply.

    python -m venv /tmp/mutmut && /tmp/mutmut/bin/pip install mutmut
    /tmp/mutmut/bin/python bench/draw_mutants.py > bench/drawn_mutants.json

The tool is not among the project's requirements: what it drew is kept, and applying it needs nothing but the tests.
"""

from __future__ import annotations

import json
import os
import random
import sys
import tempfile
from pathlib import Path

from mutmut.mutation.file_mutation import create_mutations

ROOT = Path(__file__).resolve().parents[1]
SEED = 20261127
DRAWN = 30
LEFT_OUT = ("migrations", "demo", "standins", "admin.py", "apps.py", "glossary.py")


def sources() -> list[Path]:
    """The code whose answers matter: core and application, without invented data and what only names things."""
    files = sorted((ROOT / "neat_verdict").rglob("*.py"))
    return [file for file in files if not set(file.relative_to(ROOT).parts) & set(LEFT_OUT)]


def difference(before: str, after: str) -> tuple[str, str]:
    """The lines that differ, with as many lines before them as make the text stand once in the file."""
    old, new = before.splitlines(keepends=True), after.splitlines(keepends=True)
    first = next(n for n in range(len(old)) if old[n] != new[n : n + 1][0])
    same = 0
    while old[-1 - same] == new[-1 - same]:
        same += 1
    start = first
    while before.count("".join(old[start : len(old) - same])) > 1:
        start -= 1
    return "".join(old[start : len(old) - same]), "".join(new[start : len(new) - same])


def main() -> None:
    """Print the drawn breaks."""
    # The tool asks for a configuration of its own in the folder where it runs.
    os.chdir(tempfile.mkdtemp())
    Path("setup.cfg").write_text(f"[mutmut]\nsource_paths={ROOT / 'neat_verdict'}\n")
    everything = []
    for file in sources():
        code = file.read_text()
        module, mutations, *_ = create_mutations(str(file), code)
        everything += [(file, code, module, mutation) for mutation in mutations]
    chosen = random.Random(SEED).sample(everything, DRAWN)
    lines = []
    for file, code, module, mutation in chosen:
        before, after = difference(code, module.deep_replace(mutation.original_node, mutation.mutated_node).code)
        lines.append({"file": str(file.relative_to(ROOT)), "before": before, "after": after})
    print(f"{len(everything)} possible, {DRAWN} drawn with seed {SEED}", file=sys.stderr)
    print(json.dumps(lines, indent=1, ensure_ascii=False))


if __name__ == "__main__":
    main()
