"""Parquet files of the log: the columns of the list, and a column for every fact, each of its type."""

from __future__ import annotations

import tempfile
from collections.abc import Iterable, Iterator
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from caddrel.core.facts.catalogue import Catalogue, FactSpec
from caddrel.core.facts.types import FactType
from caddrel.core.facts.values import ValueRefused, read_told
from caddrel.store.signins import SigninRecord
from caddrel.wire.signins import SigninSummary

if TYPE_CHECKING:
    import pyarrow as pa

ROWS = 5_000
PIECE = 256 * 1024


def parquet(records: Iterable[SigninRecord], catalogue: Catalogue, summary: Any, folder: Path) -> Iterator[bytes]:
    """Yield records as one Parquet file, in pieces.

    Parameters
    ----------
    summary
        Gives the row of the list that a record is.
    folder
        Where the file is written first: its end cannot be told before all is.
    """
    # Loaded when it is asked for: it is large, and most services never write such a file.
    import pyarrow as pa
    import pyarrow.parquet as pq

    schema = _schema(catalogue)
    with tempfile.TemporaryFile(dir=folder) as file:
        rows = iter(records)
        with pq.ParquetWriter(file, schema, compression="zstd") as writer:
            while some := list(islice(rows, ROWS)):
                table = [_row(record, catalogue, summary) for record in some]
                writer.write_table(pa.Table.from_pylist(table, schema))
        file.seek(0)
        while piece := file.read(PIECE):
            yield piece


def _schema(catalogue: Catalogue) -> pa.Schema:
    import pyarrow as pa

    others = {"certain": pa.bool_(), "revision": pa.int64(), "at": pa.timestamp("us", "UTC")}
    # What is a fact by the same name, is there as that.
    mine = [name for name in SigninSummary.__struct_fields__ if name not in catalogue]
    columns = [(name, others.get(name, pa.string())) for name in mine]
    types = {
        FactType.FLAG: pa.bool_(),
        FactType.NUMBER: pa.float64(),
        FactType.DURATION: pa.float64(),
        FactType.MOMENT: pa.timestamp("us", "UTC"),
        FactType.NAMES: pa.list_(pa.string()),
        FactType.METHODS: pa.list_(pa.string()),
    }
    columns += [(name, types.get(spec.type, pa.string())) for name, spec in catalogue.items()]
    return pa.schema(columns)


def _row(record: SigninRecord, catalogue: Catalogue, summary: Any) -> dict[str, Any]:
    row: dict[str, Any] = {**msgspec.structs.asdict(summary(record)), "at": record.at}
    for name, (_, value) in record.facts["values"].items():
        spec = catalogue.get(name)
        if spec is not None:
            row[name] = _cell(spec, value)
    return row


def _cell(spec: FactSpec, value: Any) -> Any:
    try:
        read: Any = read_told(spec, value)[0]
    except ValueRefused:
        # Recorded under a rulebook whose attribute had another type.
        return None
    if read is None:
        return None
    if spec.type in {FactType.NAMES, FactType.METHODS}:
        return sorted(read)
    return read if spec.type in _AS_READ else str(read)


_AS_READ = (FactType.FLAG, FactType.NUMBER, FactType.DURATION, FactType.MOMENT)
