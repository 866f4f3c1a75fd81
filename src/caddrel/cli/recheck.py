"""Deciding a logged sign-in again from its record alone, without a service."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import click

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import open_bytes
from caddrel.cli.output import say, write_json
from caddrel.core.decide.decision import MEANING, decision_json
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.diagnostics import RulebookError
from caddrel.core.facts.record import facts_from_json
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source


def check_again(path: Path, as_json: bool) -> None:
    """Decide again what `trace ID --json` wrote, and compare; ends with 1 when the outcome is another.

    Raises
    ------
    click.UsageError
        When the file is not such a trace.
    """
    with open_bytes(path) as file:
        record = _record(file.read())
    try:
        rulebook = read_rulebook([Source(f["name"], f["text"]) for f in record["files"]]).or_raise()
        facts = facts_from_json(record["facts"], rulebook.catalogue)
        recorded: dict[str, Any] = record["decision"]
        decision = decision_json(decide(rulebook, facts, record["revision"]))
    except (RulebookError, KeyError, TypeError, ValueError, AttributeError) as error:
        raise click.UsageError(f"{path}: not a whole record: {error}") from None
    differing = sorted(name for name in decision if name in recorded and decision[name] != recorded[name])
    same = decision["outcome"] == recorded.get("outcome")
    meaning = record.get("meaning", 1)
    if as_json:
        found = {"id": record["id"], "same": same, "differing": differing, "decision": decision}
        write_json({**found, "meaning": {"recorded": meaning, "now": MEANING}, "recorded": recorded})
    elif meaning != MEANING:
        say(f"{record['id']} was decided under meaning {meaning}: {recorded.get('outcome')}.")
        say(f"Under meaning {MEANING}, which is in force now: {decision['outcome']}.")
    elif same:
        more = f", but not in {', '.join(differing)}" if differing else ", in every field"
        say(f"{record['id']}: {decision['outcome']} again{more}.")
    else:
        say(f"{record['id']}: recorded as {recorded.get('outcome')}, and now {decision['outcome']}.")
    if not same:
        raise AnswerIsNo


def _record(content: bytes) -> dict[str, Any]:
    try:
        document = json.loads(content)
    except (ValueError, RecursionError):
        raise click.UsageError("this is not JSON in UTF-8; write it with: caddrel trace ID --json") from None
    record = document.get("record") if isinstance(document, dict) else None
    if not isinstance(record, dict) or not isinstance(record.get("files"), list):
        raise click.UsageError("this has no `record` to decide again; write it with: caddrel trace ID --json")
    return record
