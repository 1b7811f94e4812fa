"""``python -m neat_verdict``: the commands that run where the data live."""

import sys

from neat_verdict.cli import main

sys.exit(main())
