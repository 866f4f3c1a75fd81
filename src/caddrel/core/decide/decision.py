"""What deciding gives: an outcome with everything that explains it, as frozen values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from caddrel.core.language.nodes import Item
from caddrel.core.language.printer import print_item

# The number of what decisions mean: it grows when the same rulebook and facts may come out otherwise. Decisions of
# other numbers are shown with theirs, and are never decided anew unasked.
MEANING = 2


@dataclass(frozen=True, slots=True)
class RuleRef:
    """A rule, by its policy and id."""

    policy: str
    rule: str


@dataclass(frozen=True, slots=True)
class Tell:
    """A text for the person; policy and rule are None for the default text."""

    policy: str | None
    rule: str | None
    text: str
    link: str | None = None


@dataclass(frozen=True, slots=True)
class Shadow:
    """What the outcome would be with shadow policies enforced: each alone, and all together."""

    each: Mapping[str, str]
    together: str


@dataclass(frozen=True, slots=True)
class Decision:
    """One decision.

    Attributes
    ----------
    outcome
        ``allowed``, ``challenged`` or ``blocked``.
    reason
        For a block ``credentials`` or ``locked-out``, before any policy; ``effect``, ``closed`` or ``unmeetable``; else
        None.
    certain
        False when missing facts could have changed the outcome.
    deciding
        The rules that led to the outcome.
    outstanding, in_the_way
        Requirement items: what would let the person in, what cannot be met now.
    outstanding_smallest
        False where the search for the smallest set was cut.
    unknown
        The facts whose absence made it undetermined.
    keep
        Session limits: seconds, and `end_with_browser`.
    revision
        Number of the rulebook's revision, None for a file.
    """

    outcome: str
    reason: str | None
    certain: bool
    deciding: tuple[RuleRef, ...]
    outstanding: tuple[Item, ...]
    in_the_way: tuple[Item, ...]
    unknown: tuple[str, ...]
    keep: Mapping[str, int | bool]
    shadow: Shadow
    tell: tuple[Tell, ...]
    revision: int | None = None
    outstanding_smallest: bool = True


def decision_json(decision: Decision) -> dict[str, Any]:
    """Return a decision in the shape that every output follows."""
    return {
        "outcome": decision.outcome,
        "reason": decision.reason,
        "certain": decision.certain,
        "deciding": [{"policy": d.policy, "rule": d.rule} for d in decision.deciding],
        "outstanding": [print_item(item) for item in decision.outstanding],
        **({} if decision.outstanding_smallest else {"outstanding_smallest": False}),
        "in_the_way": [print_item(item) for item in decision.in_the_way],
        "unknown": list(decision.unknown),
        "keep": dict(decision.keep),
        "shadow": {"each": dict(decision.shadow.each), "together": decision.shadow.together},
        "tell": [{"policy": t.policy, "rule": t.rule, "text": t.text, "link": t.link} for t in decision.tell],
        "revision": decision.revision,
    }
