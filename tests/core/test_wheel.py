"""The core, and the counting where data live, as a wheel: it builds, holds nothing else, and runs where the application's
packages are not."""

import json
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
USE = """
import sys
sys.modules.update(dict.fromkeys(("django", "ninja", "pydantic", "duckdb")))  # importing one of these fails
from neat_verdict.core.methods import GroupSequential
from neat_verdict.core.planning import STANDARD, Arms, Arrivals, Baseline, PlanRequest, make_plan
print(make_plan(PlanRequest(Baseline(0.042), 0.10, Arrivals(2900), Arms.even(2), STANDARD, GroupSequential())).size.total)
"""


@pytest.fixture(scope="module")
def wheel(tmp_path_factory):
    source = tmp_path_factory.mktemp("source")
    for name in ("pyproject.toml", "README.md"):
        shutil.copy(ROOT / name, source)
    shutil.copytree(ROOT / "neat_verdict", source / "neat_verdict", ignore=shutil.ignore_patterns("__pycache__"))
    command = [sys.executable, "-m", "pip", "wheel", ".", "--no-deps", "--no-build-isolation", "--quiet"]
    subprocess.run([*command, "--wheel-dir", "out"], cwd=source, check=True, capture_output=True, timeout=120)
    (found,) = (source / "out").glob("*.whl")
    return found


def test_it_holds_no_part_of_the_application(wheel):
    names = [name for name in zipfile.ZipFile(wheel).namelist() if name.endswith(".py")]
    assert "neat_verdict/core/verdicts/kinds/winner.py" in names
    assert "neat_verdict/reduction/cli.py" in names
    assert not [name for name in names if name.startswith("neat_verdict/app/")]


def test_it_runs_without_the_application(wheel, tmp_path):
    zipfile.ZipFile(wheel).extractall(tmp_path)
    env = {"PYTHONPATH": str(tmp_path)}
    done = subprocess.run(
        [sys.executable, "-P", "-c", USE], cwd=tmp_path, env=env, capture_output=True, text=True, check=True, timeout=60
    )
    assert int(done.stdout) > 70_000


def test_its_commands_that_ask_no_server_need_no_more(wheel, tmp_path):
    zipfile.ZipFile(wheel).extractall(tmp_path)
    (tmp_path / "counts.csv").write_text("variant,units,conversions\nA,10480,501\nB,10511,588\n", encoding="utf-8")
    none = "import sys; sys.modules.update(dict.fromkeys(('django', 'httpx', 'requests', 'pandas', 'ibis')))"
    run = f"{none}; from neat_verdict.cli import main; sys.exit(main(['judge', 'counts.csv', '--json']))"
    done = subprocess.run(
        [sys.executable, "-P", "-c", run],
        cwd=tmp_path, env={"PYTHONPATH": str(tmp_path)}, capture_output=True, text=True, check=True, timeout=60,
    )  # fmt: skip
    assert json.loads(done.stdout)["verdict"] == "winner"
