"""A log in a Parquet file, a column for each fact, as `signins export --format parquet` writes one."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import click

ROWS = 10_000
# Columns that hold no fact: the id, and what was decided.
_ID, _OUTCOME = "id", "outcome"


def parquet_lines(path: Path) -> Iterator[dict[str, Any]]:
    """Yield the attempts of a file as lines of a log; columns without a dot that are no fact are passed over."""
    # Loaded when it is asked for: it is large, and most commands read no such file.
    import pyarrow as pa
    import pyarrow.parquet as pq

    from caddrel.core.facts.catalogue import FACTS

    try:
        file = pq.ParquetFile(path)
        facts = [name for name in file.schema_arrow.names if name in FACTS or ".attributes." in name]
        wanted = [*facts, *(name for name in (_ID, _OUTCOME) if name in file.schema_arrow.names)]
        for batch in file.iter_batches(ROWS, columns=wanted):
            yield from (_line(row, facts) for row in batch.to_pylist())
    except (pa.ArrowException, OSError) as error:
        raise click.UsageError(f"{path}: not read as Parquet: {str(error).splitlines()[0][:200]}") from None


def _line(row: dict[str, Any], facts: list[str]) -> dict[str, Any]:
    line: dict[str, Any] = {"facts": {name: _value(row[name]) for name in facts if row[name] is not None}}
    if row.get(_ID) is not None:
        line["id"] = row[_ID]
    if row.get(_OUTCOME):
        line["recorded"] = {"outcome": row[_OUTCOME]}
    return line


def _value(value: Any) -> Any:
    if isinstance(value, datetime):
        moment = value if value.tzinfo is not None else value.replace(tzinfo=UTC)
        return moment.isoformat()
    # Whole numbers of a column of floats are whole numbers again, as an AS is.
    return int(value) if isinstance(value, float) and value.is_integer() else value
