"""`caddrel decide`: offline decisions, one attempt a line."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import open_bytes, read_inventory_file
from caddrel.cli.given import FORMS, inventory_document, read_given, side
from caddrel.cli.output import remark
from caddrel.cli.profile import connect
from caddrel.cli.recheck import check_again
from caddrel.core.cases.answer import all_cases, answer_json
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import decision_json
from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.decide.trace import trace_json
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.attempts import AttemptRefused, read_attempt
from caddrel.core.facts.facts import Facts
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.rulebook.model import Rulebook

LONGEST_LINE = 4 * 1024 * 1024
# Seconds for all cases of one attempt.
LONGEST_SEARCH = 2.0


@click.command()
@click.option(
    "--rulebook",
    "rulebook_given",
    metavar="FILE",
    help=f"The rulebook: {FORMS}.",
)
@click.option(
    "--attempts",
    type=click.Path(path_type=Path, exists=True, allow_dash=True),
    help="NDJSON, an attempt a line; - for standard input.",
)
@click.option(
    "--inventory",
    "inventory_path",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    help="JSON with people, groups, devices, apps and lists.",
)
@click.option(
    "--recheck",
    type=click.Path(path_type=Path, exists=True, allow_dash=True, dir_okay=False),
    help="Decide a sign-in again from what `trace ID --json` wrote; - for standard input. Needs nothing else.",
)
@click.option("--trace", is_flag=True, help="Add the trace to every decision.")
@click.option(
    "--open",
    "all_open",
    is_flag=True,
    help="Add what can come of it, whatever the facts that are left open are: outcomes, what matters, the tree.",
)
@click.option("--json", "as_json", is_flag=True, help="Accepted for the sake of habit: the output is always NDJSON.")
def decide(
    rulebook_given: str | None,
    attempts: Path | None,
    inventory_path: Path | None,
    recheck: Path | None,
    trace: bool,
    all_open: bool,
    as_json: bool,
) -> None:
    """Decide attempts against a rulebook; one decision a line, in the same order. With a file it needs no service.

    A rulebook of the service is decided with the service's inventory. Lines may be what `signins export` wrote.

    \b
    Examples: caddrel decide --rulebook rulebook.yaml --attempts attempts.ndjson
              caddrel trace s-004711 --json | caddrel decide --recheck -
              caddrel decide --open --rulebook rulebook.yaml --attempts some.ndjson
    """
    if recheck is not None:
        check_again(recheck, as_json)
        return
    if rulebook_given is None or attempts is None:
        raise click.UsageError("give --rulebook and --attempts, or --recheck")
    rulebook = read_given(rulebook_given)
    compiled = None if trace else CompiledRulebook(rulebook)
    inventory = read_inventory_file(inventory_path) if inventory_path is not None else _there(rulebook_given)
    bad = 0
    with open_bytes(attempts) as file:
        for number, line in _lines(file):
            answer = _decide(line, number, rulebook, inventory, compiled, all_open)
            bad += "error" in answer
            sys.stdout.write(json.dumps(answer, ensure_ascii=False, separators=(", ", ": ")) + "\n")
    if bad:
        remark(f"{bad} of the lines could not be read.")
        raise AnswerIsNo


def _there(rulebook: str) -> Inventory | None:
    """Return the inventory of the service that the rulebook is taken from; None of a file's."""
    if side(rulebook).files is not None:
        return None
    with connect() as service:
        document = inventory_document(service)
    remark("With the service's inventory as it is now; --inventory gives another.")
    return read_inventory(document)[0]


def _lines(file: Any) -> Iterator[tuple[int, bytes]]:
    number = 0
    while line := file.readline(LONGEST_LINE):
        number += 1
        while not line.endswith(b"\n") and (more := file.readline(LONGEST_LINE)):
            # Too long to be an attempt: read past it and let it be refused.
            line = b"\0" + more[-1:]
        if line.strip():
            yield number, line


class _GivenTwice(ValueError):
    pass


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) != len(pairs):
        names = [name for name, _ in pairs]
        raise _GivenTwice(next(name for name in names if names.count(name) > 1))
    return found


def _decide(
    line: bytes,
    number: int,
    rulebook: Rulebook,
    inventory: Inventory | None,
    compiled: CompiledRulebook | None,
    all_open: bool,
) -> dict[str, Any]:
    id: Any = number
    try:
        try:
            document = json.loads(line.decode("utf-8-sig" if number == 1 else "utf-8"), object_pairs_hook=_once)
        except _GivenTwice as error:
            raise AttemptRefused([Diagnostic("given-twice", f"`{str(error)[:80]}` is given twice")]) from None
        except (ValueError, RecursionError):
            raise AttemptRefused([Diagnostic("not-json", "the line is not JSON in UTF-8")]) from None
        if isinstance(document, dict) and isinstance(document.get("id"), str | int):
            id = document["id"]
        attempt = read_attempt(document, number, rulebook.catalogue)
    except AttemptRefused as refused:
        return {"id": id, "error": _error(refused)}
    facts = complete(attempt.facts, rulebook.catalogue, rulebook.settings.assume, inventory)
    try:
        more = {"open": _all_cases(rulebook, facts, inventory)} if all_open else {}
    except AttemptRefused as refused:
        return {"id": attempt.id, "error": _error(refused)}
    if compiled is not None:
        return {"id": attempt.id, **decision_json(compiled.decide(facts)), **more}
    # Only the interpreter makes traces.
    explained = explain(rulebook, facts)
    return {"id": attempt.id, **decision_json(explained.decision), "trace": trace_json(explained), **more}


def _all_cases(rulebook: Rulebook, facts: Facts, inventory: Inventory | None) -> dict[str, Any]:
    until = time.thread_time() + LONGEST_SEARCH
    return answer_json(all_cases(rulebook, facts, inventory, lambda: time.thread_time() > until))


def _error(refused: AttemptRefused) -> dict[str, Any]:
    first = refused.problems[0]
    error: dict[str, Any] = {"code": first.code, "message": first.message}
    if first.path:
        error["fact"] = first.path
    if first.hint:
        error["hint"] = first.hint
    if len(refused.problems) > 1:
        error["more"] = [{"code": p.code, "message": p.message, "hint": p.hint} for p in refused.problems[1:20]]
    return error
