"""What all tests share."""

import os

os.environ.setdefault("NEAT_VERDICT_SECRET_KEY", "only for tests")

from hypothesis import settings

# The same examples in every run: a landing must not depend on luck. Look further with HYPOTHESIS_PROFILE=default.
# No deadline: tests are not timed, and a busy machine would fail them.
settings.register_profile("steady", derandomize=True, deadline=None)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "steady"))
