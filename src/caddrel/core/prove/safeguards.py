"""Safeguards: what a company mostly wants of its rulebook, why, at what cost; and what a check-up is about.

Those that are guarantees are in `safeguards.yaml`; what a guarantee cannot say is in a table here.
Not here: what comes of them (`check_up`, `looked_at`).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from importlib.resources import files
from typing import Any, Literal

from caddrel.core.inventory.index import Inventory
from caddrel.core.prove.guarantees import Counterexample
from caddrel.core.rulebook.edit.values import plain
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.source import Source, read_source

Verdict = Literal["passes", "fails", "undecided", "not-applicable"]


@dataclass(frozen=True, slots=True)
class Safeguard:
    """A ready safeguard: why it matters, what it costs people, and in which of two grades it is."""

    name: str
    title: str
    grade: int
    why: str
    costs: str
    needs: tuple[str, ...] = ()
    guarantee: Mapping[str, Any] | None = None
    remedy: Mapping[str, Any] | None = None


@dataclass(frozen=True, slots=True)
class Remedy:
    """A policy that mends what failed: where it goes, its text, and whether it is proven to."""

    path: str
    text: str
    mends: bool


@dataclass(frozen=True, slots=True)
class Checked:
    """A safeguard with what came of it; `says` why, where no attempt shows it."""

    safeguard: Safeguard
    verdict: Verdict
    counterexample: Counterexample | None = None
    says: str = ""
    remedy: Remedy | None = None


@dataclass(frozen=True, slots=True)
class Company:
    """What a check-up is about: the rulebook, the inventory, and which labels are called what.

    Attributes
    ----------
    now
        The moment at which people try to get in.
    sensitive, administration
        Labels of apps.
    """

    rulebook: Rulebook
    inventory: Inventory | None
    now: datetime
    sensitive: Sequence[str] = ("sensitive",)
    administration: Sequence[str] = ("administration",)

    def labels(self) -> frozenset[str]:
        """Return the labels that there are."""
        apps = self.inventory.apps.values() if self.inventory is not None else ()
        held = {label for app in apps for label in app.facts.get("app.labels", frozenset())}  # type: ignore[union-attr]
        scopes = [policy.scope for policy in self.rulebook.policies.values()]
        return frozenset(held | {each.id for s in scopes for each in (*s.apps, *s.except_apps) if each.kind == "label"})

    def filling(self, name: str) -> list[str]:
        """Return what stands in a blank; nothing where there is none of it."""
        if name in {"sensitive", "administration"}:
            there = self.labels()
            return [f"label:{label}" for label in getattr(self, name) if label in there]
        return list(self.rulebook.places) if name == "places" else list(self.rulebook.notices)[:1]


@cache
def safeguards() -> tuple[Safeguard, ...]:
    """Return all safeguards, those that look at rules last."""
    text = files("caddrel.core.prove").joinpath("safeguards.yaml").read_text(encoding="utf-8")
    root, _ = read_source(Source("safeguards", text))
    assert root is not None
    document: Any = plain(root)
    found = [
        Safeguard(
            name, each["title"], int(each["grade"]), each["why"], each["costs"], tuple(each.get("needs", ())),
            each["guarantee"], each["remedy"],
        )
        for name, each in document.items()
    ]  # fmt: skip
    return (*found, *_LOOKED_AT)


_LOOKED_AT = (
    Safeguard(
        "keyholders-get-in",
        "Keyholders and administrators always get in",
        1,
        "When nobody gets into administration any more, nobody can mend what keeps them out.",
        "Keyholders enrol strong factors, and keep them.",
    ),
    Safeguard(
        "keyholders-without-feeds",
        "They get in also while a feed is dead",
        1,
        "A feed dies when all else goes wrong too: just then somebody must get in.",
        "Administration hangs on what a person proves, and on no feed.",
    ),
    Safeguard(
        "feeds-are-missed",
        "Nothing goes on as if nothing were wrong when a feed dies",
        2,
        "What is assumed to be harmless while nobody reports it lets in whoever silences the feed.",
        "While a feed is dead people are asked for more: somebody has to watch it.",
    ),
    Safeguard(
        "administration-ends",
        "Sessions in administration end within half a day",
        1,
        "A session that is left open is open to whoever comes by.",
        "Administrators sign in again each day.",
        ("administration",),
    ),
    Safeguard(
        "blocks-say",
        "Every block says something",
        1,
        "Whoever is stopped without a word calls somebody, or gives up.",
        "One sentence a rule, once.",
    ),
)
