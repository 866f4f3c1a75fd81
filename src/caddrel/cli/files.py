"""Reading the files that commands are given: rulebooks, inventories, logs."""

from __future__ import annotations

import json
import os
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO

import click
import msgspec

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.output import print_diagnostics
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.rulebook.edit.values import plain
from caddrel.core.rulebook.source import LARGEST_DOCUMENT, Source, read_source
from caddrel.wire.decisions import File


def read_text(path: Path) -> str:
    """Return the text of a UTF-8 file; of an enormous one, enough to see that it is too large."""
    with path.open("rb") as file:
        data = file.read(LARGEST_DOCUMENT * 4 + 1)
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise click.UsageError(f"{path}: not a UTF-8 text (byte {error.start})") from None


def rulebook_sources(path: Path) -> list[Source]:
    """Return the documents of a rulebook: one file, standard input, or every YAML file of a folder."""
    if str(path) == "-":
        return [Source("-", sys.stdin.read(LARGEST_DOCUMENT + 1))]
    if path.is_dir():
        found = sorted(p for p in path.rglob("*") if p.suffix in {".yaml", ".yml"} and p.is_file())
        if not found:
            raise click.UsageError(f"{path}: no *.yaml files in this folder")
        return [Source(str(p), read_text(p)) for p in found]
    return [Source(str(path), read_text(path))]


def rulebook_files(path: Path) -> list[File]:
    """Return the documents of a rulebook as they travel, named by file name."""
    base = path if path.is_dir() else path.parent
    return [
        File(str(Path(s.name).relative_to(base)) if s.name != "-" else "rulebook.yaml", s.text)
        for s in rulebook_sources(path)
    ]


def read_value(text: str) -> Any:
    """Return a value written as YAML on the command line, as texts, lists and mappings."""
    root, problems = read_source(Source("value", text))
    if problems or root is None:
        raise click.UsageError(f"{text}: {problems[0].message if problems else 'not a value'}")
    return plain(root)


def read_inventory_file(path: Path) -> Inventory:
    """Return the inventory that a JSON file describes; what is wrong with it is told, and ends the command."""
    try:
        document = json.loads(read_text(path))
    except (ValueError, RecursionError) as error:
        raise click.UsageError(f"{path}: not JSON: {error}") from None
    inventory, problems = read_inventory(document)
    if problems:
        print_diagnostics(problems, {})
        raise AnswerIsNo
    return inventory


def open_bytes(path: Path) -> BinaryIO:
    """Return a file, or standard input for ``-``."""
    return sys.stdin.buffer if str(path) == "-" else path.open("rb")


def lines_of(path: Path) -> Iterator[bytes]:
    """Yield a file in pieces, as they are sent on."""
    with open_bytes(path) as file:
        while piece := file.read(256 * 1024):
            yield piece


def objects_of(path: Path) -> Iterator[bytes]:
    """Yield inventory objects one a line, from NDJSON or from one JSON array."""
    with open_bytes(path) as file:
        data = file.read()
    if not data.lstrip().startswith(b"["):
        yield data
        return
    try:
        items: list[Any] = msgspec.json.decode(data)
    except msgspec.DecodeError as error:
        raise click.UsageError(f"{path}: not JSON: {error}") from None
    for item in items:
        yield msgspec.json.encode(item) + b"\n"


def growing(path: Path, every: float, once: bool) -> Iterator[bytes]:
    """Yield what is appended to a file, whole lines at a time; from the start, and again when the file is replaced.

    Parameters
    ----------
    every
        Seconds between looks at the file.
    once
        Stop at its end.
    """
    file = path.open("rb")
    rest = b""
    while True:
        while piece := file.read(1024 * 1024):
            whole, newline, rest = (rest + piece).rpartition(b"\n")
            if newline:
                yield whole + newline
        if once:
            if rest:
                yield rest
            file.close()
            return
        time.sleep(every)
        try:
            now = path.stat()
        except FileNotFoundError:
            continue
        if now.st_ino != os.fstat(file.fileno()).st_ino or now.st_size < file.tell():
            # Rotated, or cut back: the new file is read from its start.
            file.close()
            file, rest = path.open("rb"), b""
