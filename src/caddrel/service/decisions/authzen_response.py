"""What a door is told of a decision: whether it lets in, what the person reads, and what would still let them in."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from caddrel.core.decide.requirements import CLASSES, YIELDS
from caddrel.core.language.formulas import parse_formula
from caddrel.core.language.nodes import Item
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.conditions import item_words
from caddrel.core.words.pieces import plain
from caddrel.wire.authzen import AccessDecision as Answer


def answer(
    id: str,
    reference: str,
    decision: Mapping[str, Any],
    rulebook: Rulebook,
    factors: frozenset[str] | None,
    session: Mapping[str, Any] | None,
    sees: bool,
) -> Answer:
    """Return the answer to an evaluation.

    Parameters
    ----------
    decision
        As JSON, with its reference.
    factors
        What the person has enrolled, None when that is not known.
    session
        What the door is told of the session.
    sees
        Whether it is told what is for administrators.
    """
    context: dict[str, Any] = {"id": id, "outcome": decision["outcome"], "reference": reference}
    if decision["outstanding"]:
        context["outstanding"] = [_outstanding(text, rulebook, factors) for text in decision["outstanding"]]
    if decision["tell"]:
        context["tell"] = [
            {"text": told["text"], **({"link": told["link"]} if told["link"] else {})} for told in decision["tell"]
        ]
    if decision["outcome"] != "allowed" and rulebook.settings.contact:
        context["contact"] = rulebook.settings.contact
    if decision["keep"]:
        context["keep"] = decision["keep"]
    if session is not None:
        context["session"] = dict(session)
    if sees:
        context["admin"] = {
            name: decision[name] for name in ("reason", "certain", "deciding", "in_the_way", "unknown", "shadow")
        }
        context["admin"]["revision"] = decision["revision"]
    return Answer(decision["outcome"] == "allowed", context)


def _outstanding(text: str, rulebook: Rulebook, factors: frozenset[str] | None) -> dict[str, Any]:
    item, _ = parse_formula(text)
    assert isinstance(item, Item)
    found: dict[str, Any] = {"item": text, "says": plain(item_words(item, rulebook))}
    if item.within is not None:
        # As RFC 9470, section 4: the oldest that the authentication may be, in seconds.
        found["max_age"] = item.within
    if item.kind in {"mfa", "proof"}:
        found["acr_values"] = item.name or "mfa"
        found["amr"] = list(_methods(item, rulebook, factors))
    elif item.kind == "notice":
        notice = rulebook.notices[item.name]
        found["notice"] = {"id": notice.id, "version": notice.version, "title": notice.title, "text": notice.text}
    return found


def _methods(item: Item, rulebook: Rulebook, factors: frozenset[str] | None) -> Iterator[list[str]]:
    """Yield the sets of RFC 8176 methods that would do, only those that the person's factors yield where known."""
    yielded = {method for factor in factors for method in YIELDS.get(factor, ())} if factors is not None else None
    if item.kind == "proof":
        wanted = [sorted(combination) for combination in rulebook.proofs[item.name].any_of]
    else:
        usual = [sorted(members & (yielded if yielded is not None else members)) for members in CLASSES.values()]
        wanted = [sorted({a, b}) for i, one in enumerate(usual) for other in usual[i + 1 :] for a in one for b in other]
    for methods in wanted[:20]:
        if yielded is None or yielded.issuperset(methods):
            yield methods
