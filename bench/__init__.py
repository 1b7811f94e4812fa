"""Speed and error rates, measured against references of the same run."""

import neat_verdict.app.config  # noqa: F401  # as the application runs: linear algebra on one thread
