"""Rows of a CSV log as import lines, by a mapping from columns to facts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.attempts import AttemptRefused, unknown_fact
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.values import ValueRefused, read_given, to_json

ID, OUTCOME, REASON = "id", "recorded.outcome", "recorded.reason"
BESIDE = (ID, OUTCOME, REASON)


def check_mapping(mapping: Mapping[str, str], catalogue: Catalogue) -> list[Diagnostic]:
    """Return what is wrong with a mapping from column to fact, ``id``, ``recorded.outcome`` or ``recorded.reason``."""
    problems = []
    for column, target in mapping.items():
        if target not in BESIDE and target not in catalogue:
            found = unknown_fact(target, catalogue)
            hint = found.hint or did_you_mean(target, BESIDE)
            problems.append(Diagnostic("unknown-fact", f"column {shorten(column)}: {found.message}", hint))
    problems += [
        Diagnostic("missing-key", f"no column is mapped to `{needed}`", "every sign-in needs it")
        for needed in (ID, "time.at")
        if needed not in mapping.values()
    ]
    given = list(mapping.values())
    twice = sorted({target for target in given if given.count(target) > 1})
    problems += [Diagnostic("given-twice", f"several columns are mapped to `{target}`") for target in twice]
    return problems


def check_header(header: Sequence[str], mapping: Mapping[str, str]) -> list[Diagnostic]:
    """Return findings for columns of the mapping that a file does not have."""
    return [
        Diagnostic("missing-column", f"the file has no column `{shorten(column)}`", did_you_mean(column, header))
        for column in mapping
        if column not in header
    ]


def row_document(
    header: Sequence[str], row: Sequence[str], mapping: Mapping[str, str], catalogue: Catalogue
) -> dict[str, Any]:
    """Return a row as a line of an import; an empty cell is a fact that was not reported.

    Raises
    ------
    AttemptRefused
        Naming every cell that cannot be read, and a row with too few or too many.
    """
    if len(row) != len(header):
        message = f"the row has {len(row)} cells, the header {len(header)}"
        raise AttemptRefused([Diagnostic("wrong-cells", message)])
    document: dict[str, Any] = {"facts": {}}
    problems: list[Diagnostic] = []
    for column, cell in zip(header, row, strict=True):
        target, text = mapping.get(column), cell.strip()
        if target is None or not text:
            continue
        if target == ID:
            document["id"] = text
        elif target in BESIDE:
            document.setdefault("recorded", {})[target.partition(".")[2]] = text[:500]
        else:
            try:
                document["facts"][target] = to_json(read_given(catalogue[target], text))
            except ValueRefused as refused:
                problems.append(Diagnostic("wrong-value", f"{shorten(column)}, `{target}`: {refused}", path=target))
    if problems:
        raise AttemptRefused(problems)
    return document
