"""What an AuthZEN request says as facts, and which of it is believed.

The one table between the standard's subject, action, resource and context and Caddrel's facts; `docs/door.md` is
written after it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import lru_cache
from typing import Any

from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused, flat_facts
from caddrel.core.facts.catalogue import OPERATIONS, Catalogue

# The standard's examples call people users.
SUBJECTS = ("person", "user")
RESOURCES = ("app",)
# What a door reports unless its token says otherwise: what only the door can see. What the inventory knows better (a
# person's groups, a device's state) it may not claim.
REPORTED = (
    "person.id",
    "app.id",
    "operation",
    "enrolling",
    "network",
    "device.id",
    "device.serial",
    "client",
    "flow",
    "auth",
    "risk",
)


# What is never a caller's to say of a live decision: it is on the world as it is now, and on what the log holds.
WORKED_OUT = ("time.at", "auth.locked_out")


def claims_of(
    subject: tuple[str, str, Mapping[str, Any]],
    action: tuple[str, Mapping[str, Any]],
    resource: tuple[str, str, Mapping[str, Any]],
    context: Mapping[str, Any],
    catalogue: Catalogue,
) -> dict[str, Any]:
    """Return the facts that a request claims, by their whole names, as JSON.

    Parameters
    ----------
    subject, resource
        Type, id and properties: those of a subject are facts below ``person.``, of a resource below ``app.``.
    action
        Name, which is the operation, and properties, which are facts below ``enrolling.``.
    context
        Facts, flat or nested.

    Raises
    ------
    AttemptRefused
        Naming everything that is no fact, or of a type that is not known.
    """
    problems: list[Diagnostic] = []
    if subject[0] not in SUBJECTS:
        message = f"there is no subject type `{shorten(subject[0])}`"
        problems.append(Diagnostic("unknown-subject-type", message, f"one of {', '.join(SUBJECTS)}", SUBJECTS))
    if resource[0] not in RESOURCES:
        message = f"there is no resource type `{shorten(resource[0])}`"
        problems.append(Diagnostic("unknown-resource-type", message, f"one of {', '.join(RESOURCES)}", RESOURCES))
    for what, id in (("subject.id", subject[1]), ("resource.id", resource[1])):
        if not id:
            problems.append(Diagnostic("missing-key", f"`{what}` is missing", path=what))
    if not action[0]:
        # Any other is decided: an operation that is none is not known, and not understood.
        hint = f"one of {', '.join(OPERATIONS)}"
        problems.append(Diagnostic("missing-key", "`action.name` is missing", hint, OPERATIONS, path="action.name"))
    found: dict[str, Any] = {"person.id": subject[1], "app.id": resource[1], "operation": action[0]}
    parts = (("person", subject[2]), ("enrolling", action[1]), ("app", resource[2]))
    for document in (*({prefix: part} for prefix, part in parts if part), context):
        try:
            for name, value in flat_facts(document, catalogue).items():
                if name in found and found[name] != value:
                    problems.append(Diagnostic("given-twice", f"`{name}` is given twice", path=name))
                found[name] = value
        except AttemptRefused as refused:
            problems.extend(refused.problems)
    if problems:
        raise AttemptRefused(problems)
    return found


def believed(claims: Mapping[str, Any], may_report: Iterable[str]) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return the claims that a caller may make, and the others.

    Parameters
    ----------
    may_report
        Names of facts; a name stands for everything below it too: ``network``.
    """
    names = tuple(may_report)
    may = {fact: value for fact, value in claims.items() if fact not in WORKED_OUT and _covered(fact, names)}
    return may, {fact: value for fact, value in claims.items() if fact not in may}


@lru_cache(maxsize=4096)
def _covered(fact: str, names: tuple[str, ...]) -> bool:
    return any(fact == name or fact.startswith(f"{name}.") for name in names)
