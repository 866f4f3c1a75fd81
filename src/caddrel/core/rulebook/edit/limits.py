"""The limits in a rulebook: least versions, ages, distances, levels of risk, by which it is stricter or milder.

A limit is found where it is written, so that it can be moved there and nowhere else.
Not here: what each choice of a limit comes to (`core.replay.tightening_curve`).
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from collections.abc import Sequence as AnySequence
from copy import deepcopy
from dataclasses import dataclass
from typing import Any

from caddrel.core.diagnostics import Diagnostic, Extent, did_you_mean, shorten
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.types import FactType
from caddrel.core.language.formulas import parse_effect
from caddrel.core.language.nodes import FactTest, items_of, tests_of
from caddrel.core.language.operators import Op
from caddrel.core.language.parser import parse_condition
from caddrel.core.language.printer import print_condition, print_item
from caddrel.core.rulebook.edit.objects import Path
from caddrel.core.rulebook.edit.values import value_of, with_value
from caddrel.core.rulebook.model import Rulebook

ORDERED = (Op.AT_LEAST, Op.AT_MOST, Op.ABOVE, Op.BELOW)
# Of moments there is no stricter or milder that people would look for on a curve.
TYPES = (FactType.VERSION, FactType.LEVEL, FactType.NUMBER, FactType.DURATION)
# What a signal is compared with, and what each is a number of.
SIGNAL_LIMITS: Mapping[str, FactType] = {
    "above_kmh": FactType.NUMBER, "km": FactType.NUMBER, "at_least": FactType.NUMBER, "after": FactType.NUMBER,
    "within": FactType.DURATION,
}  # fmt: skip
_WITHIN = re.compile(r"within\s+(\S+)$")


class LimitRefused(Exception):
    """There is no such limit, or it cannot be set to that; `diagnostic` says why."""

    def __init__(self, diagnostic: Diagnostic) -> None:
        super().__init__(diagnostic)
        self.diagnostic = diagnostic

    def __str__(self) -> str:
        return self.diagnostic.message


@dataclass(frozen=True, slots=True)
class Limit:
    """One limit.

    Attributes
    ----------
    address
        What it is called: ``standards.crew-tablet.patched``, ``policies.abroad.r1.when``,
        ``signals.too-fast.above_kmh``; of several in one text the later ones have ``:2`` and so on.
    path
        The object that it is in.
    field
        Where in the object's value its text stands: keys, and places in lists.
    extent
        Where in that text it stands.
    value
        As written.
    fact
        What is compared with it; empty where it is no fact.
    words
        The test, the requirement or the setting as a whole.
    """

    address: str
    path: Path
    field: tuple[str | int, ...]
    extent: Extent
    value: str
    kind: FactType
    fact: str
    words: str


def limits_of(rulebook: Rulebook, objects: Mapping[Path, str]) -> list[Limit]:
    """Return the limits of a rulebook, in document order.

    Parameters
    ----------
    objects
        The texts of its objects, as `objects_of` gives them.
    """
    found: list[Limit] = []
    for path, text in objects.items():
        value = value_of(text)
        if isinstance(value, dict):
            found += _numbered(_of_object(rulebook, path, value))
    return found


def find_limit(limits: AnySequence[Limit], address: str) -> Limit:
    """Return a limit by its address.

    Raises
    ------
    LimitRefused
        When there is none.
    """
    for limit in limits:
        if limit.address == address:
            return limit
    known = [limit.address for limit in limits]
    hint = did_you_mean(address, known, f"there are {', '.join(known[:8])}" if known else "it has none")
    raise LimitRefused(Diagnostic("unknown-limit", f"there is no limit `{shorten(address)}`", hint, tuple(known[:50])))


def with_limit(objects: Mapping[Path, str], limit: Limit, value: str) -> str:
    """Return the text of a limit's object with the limit moved; whether it may be that is found when it is read."""
    text = objects[limit.path]
    whole: Any = deepcopy(value_of(text))
    holder = whole
    for key in limit.field[:-1]:
        holder = holder[key]
    old: str = holder[limit.field[-1]]
    holder[limit.field[-1]] = old[: limit.extent.start] + value + old[limit.extent.end :]
    return with_value(text, limit.path, whole)


def _numbered(found: Iterator[Limit]) -> Iterator[Limit]:
    """Yield limits, those that have their address from one before with a number behind it."""
    seen: dict[str, int] = {}
    for limit in found:
        count = seen[limit.address] = seen.get(limit.address, 0) + 1
        if count > 1:
            limit = Limit(f"{limit.address}:{count}", *_rest(limit))  # noqa: PLW2901 - the same one, told apart
        yield limit


def _rest(limit: Limit) -> tuple[Any, ...]:
    return limit.path, limit.field, limit.extent, limit.value, limit.kind, limit.fact, limit.words


def _of_object(rulebook: Rulebook, path: Path, value: dict[str, Any]) -> Iterator[Limit]:
    address = ".".join(path)
    match path:
        case ("policies", id) if id in rulebook.policies:
            for rule, said in zip(rulebook.policies[id].rules, value["rules"], strict=True):
                at: tuple[str | int, ...] = ("rules", rule.index)
                if rule.when is not None:
                    when = f"{address}.{rule.id}.when"
                    yield from _of_condition(rulebook.catalogue, path, (*at, "when"), said["when"], when)
                yield from _of_effect(path, (*at, "then"), said["then"], f"{address}.{rule.id}.then")
        case ("standards", id) if id in rulebook.standards:
            for check, said in value["checks"].items():
                field = ("checks", check, "must")
                yield from _of_condition(rulebook.catalogue, path, field, said["must"], f"{address}.{check}")
        case ("signals", id) if id in rulebook.signals:
            for name in rulebook.signals[id].settings:
                if name in SIGNAL_LIMITS:
                    text, kind = value[name], SIGNAL_LIMITS[name]
                    whole = Extent(0, len(text))
                    yield Limit(f"{address}.{name}", path, (name,), whole, text, kind, "", f"{name} {text}")
        case _:
            pass


# Texts are parsed as they stand in the object: a document that is written in another layout is laid out anew before any
# object of it is changed, and places in the text that was read are no places in the other.
def _of_condition(
    catalogue: Catalogue, path: Path, field: tuple[str | int, ...], text: str, address: str
) -> Iterator[Limit]:
    condition, _ = parse_condition(text)
    for test in tests_of(condition) if condition is not None else ():
        if not isinstance(test, FactTest) or test.op not in ORDERED:
            continue
        kind, operand = catalogue[test.fact].type, test.operands[0]
        if kind in TYPES:
            words = print_condition(test)
            yield Limit(address, path, field, operand.extent, operand.text, kind, test.fact, words)


def _of_effect(path: Path, field: tuple[str | int, ...], text: str, address: str) -> Iterator[Limit]:
    effect, _ = parse_effect(text)
    for item in items_of(effect.formula) if effect is not None and effect.formula is not None else ():
        found = _WITHIN.search(text[: item.extent.end]) if item.within is not None else None
        if found is not None:
            extent = Extent(*found.span(1))
            yield Limit(address, path, field, extent, found[1], FactType.DURATION, "", print_item(item))
