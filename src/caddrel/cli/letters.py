"""Whom to tell before a change: a list as CSV, and a text for each person. Nothing is sent."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterable
from pathlib import Path

from caddrel.wire.replays import Letters, PersonHit, ReplayResult

_ODD = re.compile(r"[^A-Za-z0-9._-]")


def write_letters(folder: Path, found: ReplayResult, letters: Letters) -> int:
    """Write `people.csv` and a text for each person whom a replay hits; returns how many there are."""
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "people.csv").open("w", encoding="utf-8", newline="") as file:
        rows = csv.writer(file)
        rows.writerow(["person", "name", "sign-ins", "last", "from", "to", "devices", "needs", "policies"])
        rows.writerows([safe_cell(cell) for cell in _row(person)] for person in found.hit)
    write_texts(folder, ((letter.person, letter.text) for letter in letters.items))
    return len(letters.items)


def write_texts(folder: Path, texts: Iterable[tuple[str, str]]) -> None:
    """Write a text for each person into a folder, each in a file of its own."""
    taken: set[str] = set()
    for person, text in texts:
        name = _ODD.sub("_", person)[:80] or "_"
        # Two ids may differ in what a name of a file cannot hold.
        while name.casefold() in taken:
            name += "_"
        taken.add(name.casefold())
        (folder / f"{name}.txt").write_text(text, encoding="utf-8")


def _row(person: PersonHit) -> list[str]:
    return [
        person.person,
        person.title,
        str(sum(flow.count for flow in person.flows)),
        person.last,
        " ".join(dict.fromkeys(flow.before for flow in person.flows)),
        " ".join(dict.fromkeys(flow.after for flow in person.flows)),
        " ".join(person.devices),
        "; ".join(person.needs),
        " ".join(dict.fromkeys(ref.policy for ref in person.because)),
    ]


def safe_cell(cell: str) -> str:
    """Return a cell that no spreadsheet takes for a formula."""
    return f"'{cell}" if cell[:1] in {"=", "+", "-", "@", "\t", "\r"} else cell
