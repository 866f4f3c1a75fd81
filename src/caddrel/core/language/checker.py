"""Checking a condition against the facts and parts of a rulebook, and typing its values.

Everything that is wrong is collected; positions are those of the words at fault.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace

from caddrel.core.diagnostics import Diagnostic, Extent, did_you_mean, shorten
from caddrel.core.facts.catalogue import FactSpec
from caddrel.core.facts.types import FactType
from caddrel.core.facts.values import ValueRefused, read_written
from caddrel.core.language.nodes import (
    NAMED_ITEMS,
    And,
    Condition,
    During,
    FactTest,
    Formula,
    FromPlace,
    Not,
    Operand,
    Or,
    Passes,
    Surely,
    items_of,
)
from caddrel.core.language.operators import OPERATORS, Op, fitting
from caddrel.core.meant import meant

# Facts whose members are ids of a section of the rulebook.
PART_FACTS = {"signals": "signals", "auth.notices": "notices"}
PART_WORDS = {
    "places": "place",
    "standards": "standard",
    "schedules": "schedule",
    "proofs": "proof",
    "notices": "notice",
    "signals": "signal",
}


@dataclass(slots=True)
class Scope:
    """What a condition may speak about.

    Attributes
    ----------
    facts
        The catalogue of the rulebook.
    parts
        The ids that exist, by section: ``places``, ``standards`` and so on.
    only
        When set, the beginning that every fact must have (``person.``), and no test of parts is allowed.
    """

    facts: Mapping[str, FactSpec]
    parts: Mapping[str, Collection[str]] = field(default_factory=dict)
    only: str = ""


class _Checker:
    def __init__(self, scope: Scope) -> None:
        self.scope = scope
        self.problems: list[Diagnostic] = []

    def say(self, code: str, message: str, extent: Extent, hint: str = "", expected: tuple[str, ...] = ()) -> None:
        self.problems.append(Diagnostic(code, message, hint, expected, extent))

    def check(self, tree: Condition) -> Condition:
        match tree:
            case And() | Or():
                return replace(tree, parts=tuple(self.check(p) for p in tree.parts))
            case Not() | Surely():
                return replace(tree, part=self.check(tree.part))
            case FactTest():
                return self.fact_test(tree)
            case FromPlace():
                self.not_in_where(tree.extent)
                for place in tree.places:
                    self.part("places", place.text, place.extent)
            case Passes():
                self.not_in_where(tree.extent)
                self.part("standards", tree.standard.text, tree.standard.extent)
            case During():
                self.not_in_where(tree.extent)
                self.part("schedules", tree.schedule.text, tree.schedule.extent)
        return tree

    def not_in_where(self, extent: Extent) -> None:
        if self.scope.only:
            self.say(
                "where-too-wide",
                f"a selector's `where` may only test {self.scope.only}* facts",
                extent,
                "put this test into the rule's `when`",
            )

    def part(self, section: str, name: str, extent: Extent) -> None:
        known = self.scope.parts.get(section, ())
        if name not in known:
            word = PART_WORDS[section]
            there = ", ".join(sorted(known)[:8])
            hint = did_you_mean(name, known, f"there are: {there}" if there else f"the rulebook has no {section}")
            self.say(
                f"unknown-{word}", f"there is no {word} `{shorten(name)}`", extent, hint, tuple(sorted(known)[:50])
            )

    def fact_test(self, test: FactTest) -> FactTest:
        spec = self.scope.facts.get(test.fact)
        if spec is None:
            self.unknown_fact(test)
            return test
        if self.scope.only and not test.fact.startswith(self.scope.only):
            self.not_in_where(test.fact_extent)
        if spec.type not in OPERATORS[test.op].types:
            self.wrong_operator(test, spec)
            return test
        return replace(test, operands=tuple(self.operand(spec, o) for o in test.operands))

    def operand(self, spec: FactSpec, operand: Operand) -> Operand:
        if spec.name in PART_FACTS:
            self.part(PART_FACTS[spec.name], operand.text, operand.extent)
        try:
            value = read_written(spec, operand.text)
        except ValueRefused as refused:
            hint = meant(operand.text, refused.words)
            message = f"{refused.shown} is not {refused.expected}"
            if refused.words:
                message = f"{refused.shown} is not a value of `{spec.name}`"
                hint = hint or f"it can be {refused.expected}"
            self.say("wrong-value", message, operand.extent, hint, refused.words[:300])
            return operand
        return replace(operand, value=value)

    def unknown_fact(self, test: FactTest) -> None:
        name = test.fact
        known = [f for f in self.scope.facts if f.startswith(self.scope.only)]
        hint = did_you_mean(name, known)
        if ".attributes." in name and not hint:
            hint = f"declare it under `attributes`: {shorten(name)}: text"
        if name in {"and", "or", "is", "has"}:
            self.say("expected-test", f"expected a fact before `{name}`", test.fact_extent)
            return
        self.say("unknown-fact", f"there is no fact `{shorten(name)}`", test.fact_extent, hint, tuple(known))

    def wrong_operator(self, test: FactTest, spec: FactSpec) -> None:
        kind = spec.type
        name = spec.name
        usable = tuple(op.value for op in fitting(kind) if op.value)
        if test.op is Op.FLAG:
            hint = f"compare it, such as `{name} {usable[0]} …`"
            self.say("not-a-flag", f"`{name}` is a {kind.value}, it cannot stand alone", test.extent, hint, usable)
            return
        if kind is FactType.FLAG:
            said_no = [o.text for o in test.operands] in (["no"], ["false"])
            negative = said_no != (test.op is Op.IS_NOT)
            hint = f"write `{'not ' if negative else ''}{name}`"
            self.say("flag-compared", f"`{name}` is a flag: it stands alone or after `not`", test.extent, hint)
            return
        hint = f"usable here: {', '.join(f'`{u}`' for u in usable)}"
        if kind in {FactType.NAMES, FactType.METHODS} and test.op in {Op.IS, Op.ONE_OF}:
            word = "has" if test.op is Op.IS else "has any of"
            hint = f"write `{name} {word} …`: it is a set"
        if kind is FactType.WORD and test.op in {Op.AT_LEAST, Op.AT_MOST, Op.ABOVE, Op.BELOW}:
            hint = f"the words of `{name}` have no order; write `is` or `is one of [a, b]`"
        message = f"`{test.op.value}` cannot be asked of `{name}`, a {kind.value}"
        self.say("wrong-operator", message, test.extent, hint, usable)


def check_condition(tree: Condition, scope: Scope) -> tuple[Condition, list[Diagnostic]]:
    """Return the tree with typed values, and everything that is wrong with it."""
    checker = _Checker(scope)
    checked = checker.check(tree)
    return checked, checker.problems


_SECTION_OF = {"proof": "proofs", "standard": "standards", "notice": "notices"}


def check_formula(formula: Formula, scope: Scope) -> list[Diagnostic]:
    """Return what is wrong with the names in a requirement formula."""
    checker = _Checker(scope)
    for item in items_of(formula):
        if item.kind in NAMED_ITEMS:
            checker.part(_SECTION_OF[NAMED_ITEMS[item.kind]], item.name, item.name_extent)
    return checker.problems
