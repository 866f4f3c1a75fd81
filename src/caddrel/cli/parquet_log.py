"""A log in a Parquet file, a column for each fact, as `signins export --format parquet` writes one.

Columns without a dot that are no fact are passed over. Read row by row, or as tables where nothing hangs on other rows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    import pyarrow as pa

    from caddrel.core.replay.table import Column, Table
    from caddrel.core.rulebook.model import Rulebook

ROWS = 10_000
# Of a table; what is done once for all rows of it is little then.
ROWS_OF_TABLE = 500_000
# Columns that hold no fact: the id, and what was decided.
_ID, _OUTCOME = "id", "outcome"
# Longer ones are read one by one.
LONGEST_LIST = 64


def parquet_lines(path: Path) -> Iterator[dict[str, Any]]:
    """Yield the attempts of a file as lines of a log."""
    with _read(path) as file:
        facts, wanted = _columns(file)
        for batch in file.iter_batches(ROWS, columns=wanted):
            yield from (_line(row, facts) for row in batch.to_pylist())


def has_tables(path: Path, *rulebooks: Rulebook) -> bool:
    """Tell whether a file can be replayed as tables: no signal is worked out over its rows, no method has an age."""
    import pyarrow as pa

    with _read(path) as file:
        schema = file.schema_arrow
        if "auth.methods" in schema.names and not pa.types.is_list(schema.field("auth.methods").type):
            return False
        if not any(rulebook.signals for rulebook in rulebooks):
            return True
        if "signals" not in schema.names:
            return False
        return all(batch.column(0).null_count == 0 for batch in file.iter_batches(ROWS_OF_TABLE, columns=["signals"]))


def parquet_tables(path: Path, first: int = 1, named: bool = True) -> Iterator[Table]:
    """Yield the attempts of a file as tables; the first row has the number given.

    Parameters
    ----------
    named
        Whether ids are read, as rows that change are to be told one by one.
    """
    from caddrel.core.columnar.own_facts import AGES
    from caddrel.core.replay.table import MOMENT, Table

    with _read(path, encoded=True) as file:
        facts, wanted = _columns(file)
        wanted = [name for name in wanted if named or name != _ID]
        for batch in file.iter_batches(ROWS_OF_TABLE, columns=wanted):
            of = dict(zip(batch.schema.names, batch.columns, strict=True))
            ages = {name: found for name in AGES if name in of and (found := _seconds(of[name])) is not None}
            moments = _moments(of[MOMENT]) if MOMENT in of else None
            apart = {*ages, *([MOMENT] if moments is not None else [])}
            yield Table(
                batch.num_rows,
                {name: encoded(of[name]) for name in facts if name not in apart},
                moments,
                ages,
                encoded(of[_OUTCOME]) if _OUTCOME in of else None,
                _ids(of[_ID]) if _ID in of else None,
                first,
            )
            first += batch.num_rows


def _ids(array: pa.Array) -> Callable[[int], Any]:
    return lambda row: array[row].as_py()


@contextmanager
def _read(path: Path, encoded: bool = False) -> Iterator[Any]:
    # Loaded when it is asked for: it is large, and most commands read no such file.
    import pyarrow as pa
    import pyarrow.parquet as pq

    try:
        with pq.ParquetFile(path) as file:
            schema = file.schema
            columns = [schema.column(place) for place in range(len(schema.names))] if encoded else []
        # Texts stay by their different values where they are kept so, also in lists; ids are all different.
        texts = [each.path for each in columns if each.logical_type.type == "STRING" and each.path != _ID]
        with pq.ParquetFile(path, read_dictionary=texts) as file:
            yield file
    except (pa.ArrowException, OSError) as error:
        raise click.UsageError(f"{path}: not read as Parquet: {str(error).splitlines()[0][:200]}") from None


def _columns(file: Any) -> tuple[list[str], list[str]]:
    """Return the columns that are facts, and all that are read."""
    from caddrel.core.facts.catalogue import FACTS

    names = file.schema_arrow.names
    facts = [name for name in names if name in FACTS or ".attributes." in name]
    return facts, [*facts, *(name for name in (_ID, _OUTCOME) if name in names)]


def encoded(array: pa.Array) -> Column:
    """Return a column by its different values, as lines of a log have them."""
    import pyarrow as pa

    from caddrel.core.replay.table import Column

    if pa.types.is_list(array.type):
        found = _lists(array)
        if found is not None:
            return found
    if pa.types.is_nested(array.type):
        return _one_by_one(array)
    codes, values = _dictionary(array)
    # Texts are as lines of a log have them.
    as_told = pa.types.is_string(array.type.value_type if pa.types.is_dictionary(array.type) else array.type)
    return Column(codes, values if as_told else [_value(value) for value in values])


def _lists(array: pa.Array) -> Column | None:
    """Return a column of lists of texts by its different lists, None where there is more to them than that."""
    import numpy as np
    import pyarrow as pa
    import pyarrow.compute as pc

    from caddrel.core.replay.table import Column

    inner = array.flatten()
    if inner.null_count or not (pa.types.is_string(inner.type) or pa.types.is_dictionary(inner.type)):
        return None
    lengths = pc.fill_null(pc.list_value_length(array), -1).to_numpy(zero_copy_only=False).astype(np.int64)
    whole = not array.null_count
    rows = np.arange(len(array)) if whole else np.flatnonzero(lengths >= 0)
    lengths = lengths if whole else lengths[rows]
    if lengths.max(initial=0) > LONGEST_LIST:
        return None
    names, texts = _dictionary(inner)
    starts = np.cumsum(lengths) - lengths
    found, different = _different(_packed(names, len(texts), lengths, starts))
    # Any of the rows that have a list tells what is in it.
    one = np.zeros(different, np.intp)
    one[found] = np.arange(len(rows))
    many = lengths[one]
    ends = np.cumsum(many)
    held = names[np.arange(many.sum()) + np.repeat(starts[one] - ends + many, many)].tolist()
    values = [
        [texts[code] for code in held[end - size : end]] for end, size in zip(ends.tolist(), many.tolist(), strict=True)
    ]
    if whole:
        return Column(found, values)
    codes = np.full(len(array), -1, np.int64)
    codes[rows] = found
    return Column(codes, values)


def _packed(names: Any, different: int, lengths: Any, starts: Any) -> Any:
    """Return a number for each list, the same for those that hold the same in the same order and for no others.

    A name takes so many bits that all fit, and none where there is none; as many places as fit a number are taken at
    once, and what lists begin with is counted anew between.
    """
    import numpy as np

    bits, longest = different.bit_length(), int(lengths.max(initial=0))
    at_once = 62 // bits if bits else 1
    # Half as wide where that does: it is half as much to go through.
    width = np.int32 if bits * min(longest, at_once) < 31 else np.int64
    # Behind the last list there is something to be looked at too, and to count for nothing.
    padded = np.zeros(len(names) + longest, width)
    np.add(names, 1, out=padded[: len(names)], casting="unsafe")
    shortest = int(lengths.min(initial=0))
    combined: Any = np.zeros(len(lengths), np.int64)
    for begin in range(0, longest, at_once):
        taken: Any = np.zeros(len(lengths), width)
        for place in range(begin, min(begin + at_once, longest)):
            name = padded.take(starts + place if place else starts)
            if place >= shortest:
                name *= lengths > place
            name <<= (place - begin) * bits
            taken |= name
        if begin:
            (before, _), (after, count) = _different(combined), _different(taken)
            taken = before * count + after
        combined = taken
    return combined


def _different(numbers: Any) -> tuple[Any, int]:
    """Return which of the different numbers each is, and how many there are.

    As Arrow does it: they lie far apart, and `different_of` would sort them, which takes six times as long.
    """
    import pyarrow as pa

    found = pa.array(numbers).dictionary_encode()
    return found.indices.to_numpy().astype("int64"), len(found.dictionary)


def _dictionary(array: pa.Array) -> tuple[Any, list[Any]]:
    import pyarrow as pa
    import pyarrow.compute as pc

    found = array if pa.types.is_dictionary(array.type) else array.dictionary_encode()
    # Whatever they are kept in: in eight bits one more than the largest would be less than the least.
    indices = pc.cast(found.indices, pa.int32())
    codes = pc.fill_null(indices, -1) if indices.null_count else indices
    return codes.to_numpy(zero_copy_only=False), found.dictionary.to_pylist()


def _one_by_one(array: pa.Array) -> Column:
    import numpy as np

    from caddrel.core.replay.table import Column

    places: dict[str, int] = {}
    values: list[Any] = []
    codes = np.full(len(array), -1, np.int64)
    for row, value in enumerate(array.to_pylist()):
        if value is not None:
            place = codes[row] = places.setdefault(repr(value), len(values))
            if place == len(values):
                values.append(_value(value))
    return Column(codes, values)


def _moments(array: pa.Array) -> Any:
    """Return moments as microseconds since 1970 and where there are any, None for a column of texts."""
    import pyarrow as pa
    import pyarrow.compute as pc

    if not pa.types.is_timestamp(array.type):
        return None
    known = pc.is_valid(array).to_numpy(zero_copy_only=False)
    ticks = pc.cast(pc.cast(array, pa.timestamp("us", array.type.tz), safe=False), pa.int64())
    return pc.fill_null(ticks, 0).to_numpy(zero_copy_only=False), known


def _seconds(array: pa.Array) -> Any:
    """Return ages as numbers; None where they are no numbers, or some are no ages, which are told one by one then."""
    import numpy as np
    import pyarrow as pa
    import pyarrow.compute as pc

    if not (pa.types.is_floating(array.type) or pa.types.is_integer(array.type)):
        return None
    found = pc.cast(array, pa.float64()).to_numpy(zero_copy_only=False)
    known = found[pc.is_valid(array).to_numpy(zero_copy_only=False)]
    return found if bool((np.isfinite(known) & (known >= 0)).all()) else None


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
