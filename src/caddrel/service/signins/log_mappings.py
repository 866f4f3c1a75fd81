"""The mappings that logs are read by: kept by name, each checked against the rulebook when it is used."""

from __future__ import annotations

import msgspec

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.logs.mapping import LogMapping, problems_of
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.data_folder import DataFolder
from caddrel.wire import mappings as wire
from caddrel.wire.decoding import convert

MOST_KEPT = 200


def kept_mapping(data: DataFolder, name: str) -> LogMapping:
    """Return a mapping that is kept, fit for the current rulebook.

    Raises
    ------
    ServiceError
        When there is none of that name, or it does not fit any more.
    """
    kept = all_mappings(data)
    if not name:
        there = f"name one: --mapping {' or '.join(sorted(kept)[:5])}" if kept else ""
        hint = there or "make one: caddrel signins mapping try FILE --out MAPPING"
        raise ServiceError(422, "bad-mapping", "CSV is read by a mapping, and none was named", hint)
    if name not in kept:
        hint = did_you_mean(name, kept, "keep one: caddrel signins mapping keep NAME FILE")
        raise not_found(f"mapping `{shorten(name)}`", hint)
    return fitting(kept[name], data.rulebooks.in_force().catalogue)


def all_mappings(data: DataFolder) -> dict[str, wire.LogMapping]:
    """Return the mappings that are kept, by name."""
    return {name: convert(found, wire.LogMapping) for name, found in data.mappings.all().items()}


def fitting(mapping: wire.LogMapping, catalogue: Catalogue) -> LogMapping:
    """Return a mapping as it is read by.

    Raises
    ------
    ServiceError
        With everything that is wrong with it.
    """
    found = convert(msgspec.to_builtins(mapping), LogMapping)
    problems = problems_of(found, catalogue)
    if problems:
        raise ServiceError(422, "bad-mapping", f"the mapping is wrong: {problems[0].message}", "", problems)
    return found


def keep(data: DataFolder, name: str, mapping: wire.LogMapping) -> None:
    """Keep a mapping in place of the one of that name.

    Raises
    ------
    ServiceError
        When it is wrong, or there are too many.
    """
    fitting(mapping, data.rulebooks.in_force().catalogue)
    if name not in (kept := data.mappings.all()) and len(kept) >= MOST_KEPT:
        raise ServiceError(422, "bad-mapping", f"at most {MOST_KEPT} mappings are kept", "take one out")
    data.mappings.put(name, msgspec.to_builtins(mapping))
