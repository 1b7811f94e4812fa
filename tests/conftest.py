"""What all tests share."""

import os

os.environ.setdefault("NEAT_VERDICT_SECRET_KEY", "only for tests")
