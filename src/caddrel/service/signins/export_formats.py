"""Writing sign-ins in the formats that others read."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import msgspec

from caddrel import __version__
from caddrel.core.logs.ocsf import to_event
from caddrel.store.signins import SigninRecord
from caddrel.wire.signins import SigninSummary

MEDIA = {
    "ndjson": "application/x-ndjson",
    "csv": "text/csv; charset=utf-8",
    "ocsf": "application/x-ndjson",
    "parquet": "application/vnd.apache.parquet",
}


def import_line(record: SigninRecord) -> dict[str, Any]:
    """Return a record as a line that an import reads: what was reported, its moment, and what was recorded."""
    facts = {
        name: value
        for name, (origin, value) in record.facts["values"].items()
        if origin == "reported" or name == "time.at"
    }
    for name, (origin, said) in record.facts.get("not_understood", {}).items():
        if origin == "reported":
            facts[name] = _with_strange(facts.get(name), said) if name == "auth.methods" else said
    recorded = {
        "outcome": record.columns.get("recorded_outcome") or "",
        "reason": record.columns.get("recorded_reason") or "",
    }
    recorded = {name: value for name, value in recorded.items() if value}
    return {"id": record.id, "facts": facts, **({"recorded": recorded} if recorded else {})}


def _with_strange(methods: Any, said: list[str]) -> Any:
    """Return methods as they were reported: those that are none too."""
    if isinstance(methods, Mapping):
        return {**methods, **dict.fromkeys(said)}
    return [*(methods or ()), *said]


def exported(records: Iterable[SigninRecord], format: str, summary: Any) -> Iterator[bytes]:
    """Yield records in a format, a line or row each.

    Parameters
    ----------
    summary
        Gives the row of the log that a record is, for CSV.
    """
    if format == "csv":
        yield csv_row(SigninSummary.__struct_fields__)
        for record in records:
            yield csv_row(["" if value is None else str(value) for value in msgspec.structs.astuple(summary(record))])
        return
    for record in records:
        line: Any = import_line(record)
        if format == "ocsf":
            line = to_event(line, str(record.columns["outcome"]), __version__)
        yield msgspec.json.encode(line) + b"\n"


def csv_row(cells: Iterable[str]) -> bytes:
    """Return a row of CSV; a cell that a spreadsheet would take for a formula is made a text."""
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerow(
        f"'{cell}" if cell[:1] in {"=", "+", "-", "@", "\t", "\r"} else cell for cell in cells
    )
    return text.getvalue().encode()
