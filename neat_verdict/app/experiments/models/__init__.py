"""What is kept of experiments: their parts, variants, tallies, and the ledger of what was done to them."""

from neat_verdict.app.experiments.models.experiment import GUARDING, Experiment, ExperimentMetric, Round
from neat_verdict.app.experiments.models.ledger import LedgerEntry
from neat_verdict.app.experiments.models.parts import ROLLED_OUT
from neat_verdict.app.experiments.models.tallies import DataRevision, KeptValues, SecondTally, Spend, Tally
from neat_verdict.app.experiments.models.variants import Picture, Variant
from neat_verdict.app.experiments.models.workspace import Workspace, known_zone

__all__ = [
    "GUARDING",
    "ROLLED_OUT",
    "DataRevision",
    "Experiment",
    "ExperimentMetric",
    "KeptValues",
    "LedgerEntry",
    "Picture",
    "Round",
    "SecondTally",
    "Spend",
    "Tally",
    "Variant",
    "Workspace",
    "known_zone",
]
