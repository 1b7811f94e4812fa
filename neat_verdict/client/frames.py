"""DataFrames in and out; needs pandas, which the rest of the client does not."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

from neat_verdict.client import calls, shapes
from neat_verdict.client.calling import Upload

if TYPE_CHECKING:
    import pandas as pd

    from neat_verdict.client.clients import Client


class WrongLines(Exception):  # noqa: N818
    """Some lines of a table are not accepted, and nothing was stored; ``lines`` are the first of them."""

    def __init__(self, lines: list[shapes.WrongRowOut], count: int) -> None:
        first = lines[0]
        super().__init__(
            f"{count:,} wrong; line {first['line']}, {first['column']} ({first['value']}): {first['reason']}"
        )
        self.lines = lines


def frame_of(table: bytes) -> pd.DataFrame:
    """What an operation answers as CSV: ``frame_of(client.send(calls.get_counts_table("fare-calendar", "csv")))``."""
    import pandas as pd

    return pd.read_csv(io.BytesIO(table))


def upload_of(frame: pd.DataFrame, name: str = "frame.csv") -> Upload:
    """A table to be sent as a file."""
    return Upload(name, frame.to_csv(index=False).encode())


def store_counts(client: Client, key: str, frame: pd.DataFrame, metric: str | None = None) -> shapes.ImportOut:
    """Store daily counts of an experiment, of the metric that decides unless another is named; what is there of the same days is
    replaced. Raises WrongLines, Refused or Unreachable."""
    file = upload_of(frame)
    preview = client.send(calls.preview_import(key, file, metric=metric))[-1]["preview"]
    assert preview is not None
    if preview["wrong_count"]:
        raise WrongLines(preview["wrong"], preview["wrong_count"])
    return client.send(calls.store_import(key, file, digest=preview["digest"], metric=metric))
