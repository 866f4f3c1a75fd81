"""One object of a draft, read with the parts that it may name: what is wrong elsewhere does not hide what it says."""

from __future__ import annotations

from collections.abc import Mapping

from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.language.checker import PART_WORDS, Scope
from caddrel.core.rulebook.edit.objects import Path, document_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import ReadResult
from caddrel.service.state.drafted import Drafted

# Objects that nothing names: the others are read along with any of them.
_ALONE = ("policies", "guarantees", "rehearsals", "password-standards", "accepted")
Objects = Mapping[Path, str]


def read_alone(drafted: Drafted, objects: Objects, path: Path) -> ReadResult:
    """Return an object read with the parts of its rulebook, and without the other policies."""
    there = {path: objects[path]} if path in objects else {}
    return drafted.parts(document_of({**_parts(objects), **there}))


def parts_of(drafted: Drafted, objects: Objects) -> Rulebook | None:
    """Return the parts of a rulebook alone, None while one of them cannot be read."""
    return drafted.parts(document_of(_parts(objects))).rulebook


def scope_of(drafted: Drafted, objects: Objects, only: str = "") -> Scope:
    """Return what a condition may speak about; parts that cannot be read are there by name."""
    rulebook = (
        parts_of(drafted, objects)
        or drafted.parts(document_of({p: t for p, t in objects.items() if p[0] == "attributes"})).rulebook
    )
    ids = {section: [path[1] for path in objects if path[0] == section] for section in PART_WORDS}
    return Scope(rulebook.catalogue if rulebook is not None else Catalogue(), ids, only)


def problems_of(result: ReadResult, path: Path) -> list[Diagnostic]:
    """Return what is wrong with one object; positions are left out, since they are of another document."""
    name = ".".join(path)
    return [d for d in result.diagnostics if d.path == name or d.path.startswith((f"{name}.", f"{name}["))]


def _parts(objects: Objects) -> dict[Path, str]:
    return {path: text for path, text in objects.items() if path[0] not in _ALONE}
