"""Objects of the inventory as CSV (RFC 4180): a line each, a column a field, sets split at semicolons.

Columns are the fields of the noun; `attributes.NAME` for an attribute of one's own. A membership that ends is written
`crew until 2026-12-01T00:00:00Z`. An empty cell says nothing; a cell of `-` says that there is none.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.catalogue import FACTS
from caddrel.core.facts.types import FactType
from caddrel.core.inventory.reader import FIELDS, OTHER_FIELDS

_NONE = "-"
_FLAGS = {"yes": True, "no": False, "true": True, "false": False}
_SETS = frozenset({"member_of", "networks"})


class TableRefused(ValueError):
    """A table that cannot be read; `problems` has every finding with its place."""

    def __init__(self, problems: list[Diagnostic]) -> None:
        self.problems = problems
        super().__init__("; ".join(problem.message for problem in problems))


def read_table(noun: str, text: str) -> Iterator[tuple[str, dict[str, Any]]]:
    """Yield the objects of a table, each with its place.

    Raises
    ------
    TableRefused
        When the first line names no columns, or columns that there are not; and for a line that was cut.
    """
    rows = csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""), strict=True)
    try:
        columns = [each.strip() for each in next(rows, [])]
        _check_columns(noun, columns)
        for row in rows:
            if not any(cell.strip() for cell in row):
                continue
            place = f"line {rows.line_num}"
            if len(row) != len(columns):
                said = f"{place} has {len(row)} cells, and the first line names {len(columns)} columns"
                raise TableRefused(
                    [Diagnostic("bad-table", said, "is the file cut, or a comma not in quotes?", path=place)]
                )
            yield place, _object(dict(zip(columns, row, strict=True)), noun)
    except csv.Error as error:
        place = f"line {rows.line_num}"
        raise TableRefused([Diagnostic("bad-table", f"{place} is no CSV: {error}", path=place)]) from None


def _check_columns(noun: str, columns: list[str]) -> None:
    known = ["id", *FIELDS.get(noun, ()), *(key for key in OTHER_FIELDS[noun] if key != "attributes")]
    problems = []
    for column in columns:
        if column not in known and not (column.startswith("attributes.") and "attributes" in OTHER_FIELDS[noun]):
            hint = did_you_mean(column, known, f"there are {', '.join(known)}")
            problems.append(Diagnostic("unknown-key", f"there is no column `{shorten(column)}`", hint, path="line 1"))
    if "id" not in columns:
        problems.append(Diagnostic("missing-key", "the first line names the columns, `id` among them", path="line 1"))
    if len(set(columns)) != len(columns):
        problems.append(Diagnostic("bad-table", "a column is named twice", path="line 1"))
    if problems:
        raise TableRefused(problems)


def _object(cells: Mapping[str, str], noun: str) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for column, cell in cells.items():
        text = cell.strip()
        if column == "id":
            found["id"] = cell
        elif not text:
            continue
        elif column.startswith("attributes."):
            attributes = found.setdefault("attributes", {})
            attributes[column.removeprefix("attributes.")] = None if text == _NONE else attribute_value(text)
        else:
            found[column] = field_value(noun, column, text)
    return found


def field_value(noun: str, column: str, text: str, separator: str = ";") -> Any:
    """Return a field of an object, given as text: sets split at a separator, flags as yes and no."""
    if text == _NONE and not _is_set(noun, column):
        return None
    kind = FACTS[FIELDS[noun][column]].type if column in FIELDS.get(noun, {}) else None
    if _is_set(noun, column):
        if text == _NONE:
            return []
        parts = [part.strip() for part in text.split(separator) if part.strip()]
        return [_membership(part) for part in parts] if column == "groups" else parts
    if kind is FactType.FLAG:
        return _FLAGS.get(text.lower(), text)
    return text


def _is_set(noun: str, column: str) -> bool:
    known = FIELDS.get(noun, {})
    return column in _SETS or (column in known and FACTS[known[column]].type in (FactType.NAMES, FactType.METHODS))


def _membership(text: str) -> Any:
    id, until, end = text.partition(" until ")
    return {"id": id.strip(), "until": end.strip()} if until else text


def attribute_value(text: str) -> Any:
    """Return an attribute given as text: yes and no, a number or a list as such, anything else as text."""
    if text.lower() in ("yes", "no"):
        return text.lower() == "yes"
    if text[0] in "[-0123456789" or text in ("true", "false"):
        try:
            return json.loads(text)
        except ValueError:
            return text
    return text


def write_table(noun: str, documents: Iterable[Mapping[str, Any]]) -> str:
    """Return objects as a table that `read_table` reads."""
    several = list(documents)
    own = sorted({key for document in several for key in document.get("attributes") or ()})
    fields = [
        "id",
        "title",
        *FIELDS.get(noun, ()),
        *(k for k in OTHER_FIELDS[noun] if k not in {"title", "attributes"}),
    ]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([*fields, *(f"attributes.{key}" for key in own)])
    for document in several:
        attributes = document.get("attributes") or {}
        cells = [_cell(document.get(field)) for field in fields]
        writer.writerow([*cells, *(_cell(attributes.get(key), own=True) for key in own)])
    return out.getvalue()


def _cell(value: Any, own: bool = False) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list) and own:
        return json.dumps(value, ensure_ascii=False)
    if isinstance(value, list):
        return ";".join(_part(each) for each in value) or _NONE
    return str(value)


def _part(value: Any) -> str:
    return f"{value['id']} until {value['until']}" if isinstance(value, Mapping) else str(value)


def attribute_text(value: Any) -> str:
    """Return an attribute as text, as it is read again; a text that reads like something else is that then."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
