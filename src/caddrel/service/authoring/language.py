"""Understanding conditions and effects while they are written, as text or as rows."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import msgspec

from caddrel.core.diagnostics import Diagnostic, Extent
from caddrel.core.facts.catalogue import OPERATIONS
from caddrel.core.facts.values import ValueRefused
from caddrel.core.language.checker import PART_FACTS, check_condition, check_formula
from caddrel.core.language.formulas import Effect, parse_effect
from caddrel.core.language.nodes import ITEM_KINDS, NAMED_ITEMS, TIMED_ITEMS, Condition
from caddrel.core.language.operators import OPERATORS
from caddrel.core.language.parser import parse_condition
from caddrel.core.language.printer import print_condition, print_effect
from caddrel.core.language.trees import PART_TESTS, condition_tree, effect_tree, read_condition_tree, read_effect_tree
from caddrel.core.logs.filters import RECORD_FACTS
from caddrel.core.rulebook.model import MODES, OUTCOMES, STANCES, WHO
from caddrel.core.rulebook.read.rulebook import SECTIONS
from caddrel.core.rulebook.read.signals import SIGNAL_FACTS, SIGNAL_KINDS
from caddrel.core.words.conditions import condition_words
from caddrel.core.words.policies import effect_words
from caddrel.service.authoring.object_reader import parts_of, scope_of
from caddrel.service.problems import ServiceError, diagnostic
from caddrel.service.rulebooks.drafts import objects_in
from caddrel.service.rulebooks.view import fact_view, pieces
from caddrel.service.state.data_folder import DataFolder
from caddrel.wire import authoring as wire
from caddrel.wire import problems as told_as

LONGEST = 20_000
_SECTIONS = {"proof": "proofs", "standard": "standards", "notice": "notices"}
_CHOICES: Mapping[str, Iterable[str]] = {
    "operations": OPERATIONS,
    "modes": MODES,
    "stances": STANCES,
    "outcomes": OUTCOMES,
    # A guarantee cannot bound from below by a block.
    "bounds": OUTCOMES[:2],
    "signal-kinds": SIGNAL_KINDS,
    "signal-facts": SIGNAL_FACTS,
    "who": WHO,
}


def language() -> wire.LanguageView:
    """Return what can be written."""
    operators = [
        wire.OperatorView(row.op.value, sorted(type.value for type in row.types), row.operand, row.doc)
        for row in OPERATORS.values()
    ]
    named: dict[str, str] = {item: _SECTIONS[part] for item, part in NAMED_ITEMS.items()}
    return wire.LanguageView(
        operators,
        list(ITEM_KINDS),
        named,
        list(TIMED_ITEMS),
        {kind: wire.PartTestView(*words) for kind, words in PART_TESTS.items()},
        dict(PART_FACTS),
        {what: list(words) for what, words in _CHOICES.items()},
        list(SECTIONS),
        [fact_view(spec) for spec in RECORD_FACTS.values()],
    )


def understand(data: DataFolder, request: wire.LanguageRequest) -> wire.Understood:
    """Return what a condition or effect says; what is wrong with it is part of the answer.

    Raises
    ------
    ServiceError
        When the request is neither a text nor a tree, or the tree stands for nothing.
    """
    if request.kind not in {"condition", "effect"} or (request.text is None) == (request.tree is None):
        raise ServiceError(422, "bad-language", "send a `condition` or an `effect`, as text or as tree")
    text = _text_of(request) if request.text is None else request.text
    if len(text) > LONGEST:
        raise ServiceError(413, "too-large", f"a condition has at most {LONGEST} characters")
    if not text.strip():
        return wire.Understood("", None, [], [])
    objects = objects_in(data, request.draft)
    scope = scope_of(data.drafted, objects, request.only)
    node: Condition | Effect | None
    problems: list[Diagnostic]
    if request.kind == "condition":
        node, problems = parse_condition(text)
        if node is not None:
            node, problems = check_condition(node, scope)
    else:
        node, problems = parse_effect(text)
        if node is not None and node.formula is not None:
            problems = check_formula(node.formula, scope)
    told = [_placed(problem, text) for problem in problems]
    if node is None:
        return wire.Understood(text, None, told, [])
    effect = isinstance(node, Effect)
    tree: Any = effect_tree(node) if isinstance(node, Effect) else condition_tree(node)
    rulebook = parts_of(data.drafted, objects)
    words: list[Any] = []
    if rulebook is not None and not any(p.severity == "error" for p in problems):
        said = effect_words(node, rulebook) if isinstance(node, Effect) else condition_words(node, rulebook)
        words = pieces(said)
    # A comment would be lost by printing the tree.
    printed = print_effect(node) if isinstance(node, Effect) else print_condition(node)
    return wire.Understood(text if "#" in text and not effect else printed, tree, told, words)


def _text_of(request: wire.LanguageRequest) -> str:
    try:
        if request.kind == "effect":
            return print_effect(read_effect_tree(request.tree))
        return print_condition(read_condition_tree(request.tree))
    except ValueRefused as refused:
        raise ServiceError(422, "bad-language", f"these rows are not complete: {refused}") from None


def _placed(problem: Diagnostic, text: str) -> told_as.Diagnostic:
    """Return a finding with its place in the text; columns count from 1 as if it were one line."""
    extent = problem.extent or Extent(0, len(text))
    span = told_as.Span("", 1, extent.start + 1, 1, max(extent.end, extent.start + 1) + 1)
    told = diagnostic(problem)
    return msgspec.structs.replace(told, span=span)
