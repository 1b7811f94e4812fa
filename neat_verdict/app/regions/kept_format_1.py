"""Readings kept with decisions before there were graded tests (format 1): what a test with one arm showed stood at its top."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

_OF_ARM = (
    "confidence", "pairs", "left_out", "lost", "primary", "others", "by_group", "unread", "synthetic", "chance", "course",
    "month",
)  # fmt: skip


def upgraded(old: Mapping[str, Any]) -> dict[str, Any]:
    """The same in format 2."""
    watch = old["watch"]
    return {
        **{name: value for name, value in old.items() if name not in ("watch", "pair_by_pair", *_OF_ARM)},
        **{name: old[name] for name in ("confidence", "pairs", "left_out")},
        "format": 2,
        "spend": watch["spend"] if watch else [],
        "response": None,
        "arms": [
            {
                **{name: old.get(name) for name in _OF_ARM},
                "arm": "withheld",
                "level": 0.0,
                "step": "",
                "pair_by_pair": [
                    {("treated" if name == "withheld" else name): value for name, value in pair.items()}
                    for pair in old["pair_by_pair"]
                ],
                "watch": {
                    "shocks": [],
                    **{name: value for name, value in watch.items() if name != "spend"},
                    "share": watch["leak"],
                }
                if watch
                else None,
            }
        ],
    }
