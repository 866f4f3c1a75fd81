"""Reading an attempt from JSON: facts flat or nested by dots, each of its type, nothing guessed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.types import FactType, Value
from caddrel.core.facts.values import ValueRefused, read_given, read_reported, read_told
from caddrel.core.meant import meant

DEEPEST = 6


class AttemptRefused(ValueError):
    """An attempt that cannot be read; `problems` has a finding for every fact that is wrong."""

    def __init__(self, problems: list[Diagnostic]) -> None:
        self.problems = problems
        super().__init__("; ".join(p.message for p in problems))

    def __reduce__(self) -> tuple[type[AttemptRefused], tuple[list[Diagnostic]]]:
        """Say how it is made again, in another process."""
        return AttemptRefused, (self.problems,)


@dataclass(frozen=True, slots=True)
class Attempt:
    """An attempt as reported."""

    id: str | int
    facts: Mapping[str, Value]


def flat_facts(document: Any, catalogue: Catalogue) -> dict[str, Any]:
    """Return the facts of a JSON object by their whole names, as they were written; those that are null left out.

    Raises
    ------
    AttemptRefused
        Naming every unknown fact, and every fact given both flat and nested.
    """
    facts, problems = _flat(document, catalogue)
    if problems:
        raise AttemptRefused(problems)
    return facts


def _flat(document: Any, catalogue: Catalogue) -> tuple[dict[str, Any], list[Diagnostic]]:
    if not isinstance(document, Mapping):
        raise AttemptRefused([Diagnostic("wrong-type", "`facts` is an object of facts and values", path="facts")])
    facts: dict[str, Any] = {}
    problems: list[Diagnostic] = []

    def walk(prefix: str, node: Mapping[str, Any], depth: int) -> None:
        for key, value in node.items():
            name = f"{prefix}{key}"
            spec = catalogue.get(name)
            if spec is None and isinstance(value, Mapping) and depth < DEEPEST and name in catalogue.prefixes:
                walk(f"{name}.", value, depth + 1)
            elif spec is None:
                problems.append(unknown_fact(name, catalogue))
            elif name in facts:
                problems.append(Diagnostic("given-twice", f"`{name}` is given both flat and nested", path=name))
            else:
                facts[name] = value

    walk("", document, 0)
    return {name: value for name, value in facts.items() if value is not None}, problems


def read_facts(document: Any, catalogue: Catalogue) -> dict[str, Value]:
    """Return the facts of a JSON object.

    Raises
    ------
    AttemptRefused
        Naming every unknown fact, every fact given both flat and nested, every value of a wrong type.
    """
    facts: dict[str, Value] = {}
    flat, problems = _flat(document, catalogue)
    for name, value in flat.items():
        try:
            facts[name] = read_reported(catalogue[name], value)
        except ValueRefused as refused:
            problems.append(wrong_value(name, refused, value))
    if problems:
        raise AttemptRefused(problems)
    return facts


def read_told_facts(document: Any, catalogue: Catalogue) -> tuple[dict[str, Value], dict[str, Any]]:
    """Return the facts of a live request or a log line, and by fact the words in it that are not on the fact's list.

    An empty text is not reported.

    Raises
    ------
    AttemptRefused
        Naming every unknown fact, every fact given both flat and nested, every value that is of no such type.
    """
    facts: dict[str, Value] = {}
    strange: dict[str, Any] = {}
    problems: list[Diagnostic] = []
    flat: Mapping[str, Any] = document
    if not isinstance(document, dict) or not all(name in catalogue for name in document):
        # Nested, or wrong: what is flat already comes to itself.
        flat, problems = _flat(document, catalogue)
    for name, told in flat.items():
        if told == "" or told is None:
            continue
        try:
            value, said = read_told(catalogue[name], told)
        except ValueRefused as refused:
            problems.append(wrong_value(name, refused, told))
            continue
        if value is not None:
            facts[name] = value
        if said is not None:
            strange[name] = said
    if problems:
        raise AttemptRefused(problems)
    return facts, strange


def read_given_facts(pairs: Mapping[str, str], catalogue: Catalogue, now: datetime | None = None) -> dict[str, Value]:
    """Return facts given as text, as on a command line; `person`, `app` and `device` stand for their ids.

    Parameters
    ----------
    now
        The moment that ``now`` stands for; without it the word is no moment.

    Raises
    ------
    AttemptRefused
        Naming every fact that is unknown or wrong.
    """
    facts: dict[str, Value] = {}
    problems: list[Diagnostic] = []
    for key, text in pairs.items():
        name = SHORT.get(key, key)
        spec = catalogue.get(name)
        if spec is None:
            problems.append(unknown_fact(name, catalogue))
            continue
        if now is not None and spec.type is FactType.MOMENT and text.strip().lower() == "now":
            facts[name] = now
            continue
        try:
            facts[name] = read_given(spec, text)
        except ValueRefused as refused:
            problems.append(wrong_value(name, refused, text))
    if problems:
        raise AttemptRefused(problems)
    return facts


SHORT = {"person": "person.id", "app": "app.id", "device": "device.id"}


def unknown_fact(name: str, catalogue: Catalogue) -> Diagnostic:
    """Return the diagnostic for a name that is not the name of a fact."""
    hint = did_you_mean(name, catalogue)
    if not hint and ".attributes." in name:
        hint = "the rulebook declares no such attribute"
    return Diagnostic("unknown-fact", f"there is no fact `{shorten(name)}`", hint, path=name)


def wrong_value(name: str, refused: ValueRefused, value: object) -> Diagnostic:
    """Return the finding for a value that is not of the fact's type."""
    hint = meant(str(value), refused.words) if refused.words else ""
    return Diagnostic("wrong-value", f"`{name}`: {refused}", hint, refused.words[:50], path=name)


# What another system made of it travels with an export of the log; nothing is decided by it.
_LINE_KEYS = ("id", "facts", "recorded")


def read_attempt(document: Any, number: int, catalogue: Catalogue) -> Attempt:
    """Return the attempt that one line of an attempts file holds.

    Parameters
    ----------
    document
        ``{"id": ..., "facts": {...}}``.
    number
        The number of the line, which is the id of an attempt that has none.

    Raises
    ------
    AttemptRefused
        When the line is not such an object, or a fact of it is wrong.
    """
    if not isinstance(document, Mapping):
        raise AttemptRefused([Diagnostic("wrong-type", "a line holds one object with `id` and `facts`")])
    problems = [
        Diagnostic("unknown-key", f"an attempt has no `{shorten(key)}`", "facts belong under `facts`", path=key)
        for key in document
        if key not in _LINE_KEYS
    ]
    if "facts" not in document:
        problems.append(Diagnostic("missing-key", "this attempt has no `facts`", 'such as {"facts": {"person.id": …}}'))
    name = document.get("id")
    if name is not None and (isinstance(name, bool) or not isinstance(name, str | int)):
        problems.append(Diagnostic("wrong-type", "`id` is a text or a whole number", path="id"))
    if problems:
        raise AttemptRefused(problems)
    return Attempt(number if name is None else name, read_facts(document["facts"], catalogue))
