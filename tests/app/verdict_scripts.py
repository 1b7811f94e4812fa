"""The scripts of a verdict file, run as whoever gets it runs them."""

import contextlib
import importlib.util
import io
import subprocess
import zipfile
from pathlib import Path

from neat_verdict.app.analysis import verdict_file

FOLDER = Path(verdict_file.__file__).parent


def script():
    """The Python script as a module."""
    spec = importlib.util.spec_from_file_location("verdict_check", FOLDER / "check.py")
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    return made


def unpack(content, folder):
    with zipfile.ZipFile(io.BytesIO(content)) as packed:
        packed.extractall(folder)
    return folder


def run_python(folder):
    """(exit status, what it says), without starting another interpreter."""
    said = io.StringIO()
    with contextlib.redirect_stdout(said):
        status = script().main(folder)
    return status, said.getvalue()


def run_r(folder):
    done = subprocess.run(
        ["Rscript", "--vanilla", folder / "check.R"], check=False, capture_output=True, text=True, timeout=120
    )
    return done.returncode, done.stdout + done.stderr


def check(folder):
    """Both, which say the same; returns what they say."""
    status, said = run_python(folder)
    assert status == 0, said
    by_r, said_by_r = run_r(folder)
    assert by_r == 0, said_by_r
    assert said.splitlines()[-1] == said_by_r.splitlines()[-1]
    return said
