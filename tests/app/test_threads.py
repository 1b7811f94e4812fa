"""Linear algebra on one thread: set before NumPy is loaded, and left to who runs the server."""

import os
import subprocess
import sys

import pytest

ASK = "import sys, os, neat_verdict.app.config; print('numpy' in sys.modules, os.environ['OPENBLAS_NUM_THREADS'])"


@pytest.mark.parametrize(("chosen", "threads"), [({}, "1"), ({"OPENBLAS_NUM_THREADS": "4"}, "4")])
def test_the_threads_are_set_before_numpy_is_loaded(chosen, threads):
    env = {name: value for name, value in os.environ.items() if name != "OPENBLAS_NUM_THREADS"} | chosen
    done = subprocess.run([sys.executable, "-c", ASK], env=env, capture_output=True, text=True, check=True)
    assert done.stdout.split() == ["False", threads]
