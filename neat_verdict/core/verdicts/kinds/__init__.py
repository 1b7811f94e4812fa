"""The verdicts, in the order in which they are asked: the first that holds is given. To add one: a module here, and a line
below."""

from neat_verdict.core.verdicts.kinds.base import Parts, Tone, VerdictKind
from neat_verdict.core.verdicts.kinds.keep_collecting import KeepCollecting
from neat_verdict.core.verdicts.kinds.keep_control import KeepControl
from neat_verdict.core.verdicts.kinds.no_worthwhile_difference import NoWorthwhileDifference
from neat_verdict.core.verdicts.kinds.not_the_same import NotTheSame
from neat_verdict.core.verdicts.kinds.not_worse import NotWorse
from neat_verdict.core.verdicts.kinds.the_same import TheSame
from neat_verdict.core.verdicts.kinds.trade_off import TradeOff
from neat_verdict.core.verdicts.kinds.unresolved import Unresolved
from neat_verdict.core.verdicts.kinds.unsound import Unsound
from neat_verdict.core.verdicts.kinds.winner import Winner

VERDICTS: dict[str, VerdictKind] = {
    kind.name: kind
    for kind in (
        Unsound(),
        Winner(),
        NotWorse(),
        TheSame(),
        TradeOff(),
        NoWorthwhileDifference(),
        KeepControl(),
        NotTheSame(),
        Unresolved(),
        KeepCollecting(),
    )
}

__all__ = ["VERDICTS", "Parts", "Tone", "VerdictKind"]
