"""What commands are given: facts, and a rulebook as a file, a folder, a revision by number, `current` or draft:NAME."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

import click

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import rulebook_files, rulebook_sources
from caddrel.cli.output import print_diagnostics
from caddrel.cli.profile import connect
from caddrel.client import Caddrel
from caddrel.core.inventory.index import NOUNS
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.wire.rulebooks import Side

FORMS = "a file or folder, a revision's number, current, or draft:NAME"


def facts_given(pairs: Iterable[str], such_as: str) -> dict[str, str]:
    """Return facts as they are given to a command: FACT=VALUE, such as what an error shows."""
    given: dict[str, str] = {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals or not name:
            raise click.UsageError(f"{pair}: write FACT=VALUE, such as {such_as}")
        if name in given:
            raise click.UsageError(f"{name} is given twice")
        given[name] = value
    return given


def inventory_document(service: Caddrel) -> dict[str, list[Any]]:
    """Return a service's whole inventory as one document, as `--inventory` takes it."""
    return {noun: [item.document for item in getattr(service, noun).all()] for noun in NOUNS}


def side(text: str) -> Side:
    """Return a rulebook as the service is to look it up; files are sent along."""
    if text == "current":
        return Side()
    if text.startswith("draft:"):
        return Side(draft=draft_named(text))
    path = Path(text)
    if text.isascii() and text.isdigit() and not path.exists():
        return Side(revision=int(text))
    if text != "-" and not path.exists():
        raise click.UsageError(f"{text}: no such file; give {FORMS}")
    return Side(files=rulebook_files(path))


def draft_named(text: str) -> str:
    """Return the name in ``draft:NAME``: without one it would stand for what is in force, and all look well."""
    name = text.removeprefix("draft:")
    if name == text or not name.strip():
        raise click.UsageError(f"{text}: write draft:NAME; see caddrel draft list")
    return name


def sources(text: str) -> list[Source]:
    """Return a rulebook's documents; only for what the service has, it is asked."""
    given = side(text)
    if given.files is not None:
        return rulebook_sources(Path(text))
    with connect() as service:
        files = service.drafts.get(given.draft).files if given.draft else service.rulebook.get(given.revision).files
    return [Source(file.name, file.text) for file in files]


def read_given(text: str) -> Rulebook:
    """Return a rulebook, read here; what is wrong with it is told, and ends the command."""
    return read_documents(sources(text))


def read_documents(documents: list[Source]) -> Rulebook:
    """Return the rulebook of documents; what is wrong with it is told, and ends the command."""
    result = read_rulebook(documents)
    if result.rulebook is None:
        print_diagnostics(result.diagnostics, {source.name: source.text for source in documents})
        raise AnswerIsNo
    return result.rulebook
