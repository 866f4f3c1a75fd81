"""The check-up: ready safeguards, each passed, failed with an attempt that shows it, or not for this company.

Most are guarantees, proven; what a guarantee cannot say is looked at rule by rule. A remedy is a policy, and is itself
proven to mend what failed before it is offered.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any, Literal

from caddrel.core.inventory.index import Inventory
from caddrel.core.prove.encoding import Encoder, gather
from caddrel.core.prove.guarantees import Counterexample, counts, prove
from caddrel.core.prove.logic import all_of, any_of, none_of
from caddrel.core.prove.solver import Solver, TooLate
from caddrel.core.prove.space import Space
from caddrel.core.prove.witness import attempt_of, explained, smallest
from caddrel.core.rulebook.edit.values import plain, with_value
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source, read_source

Verdict = Literal["passes", "fails", "undecided", "not-applicable"]
_BLANK = re.compile(r"\{([a-z]+)\}")
# What texts for people are filled with when somebody is stopped.
_LATER = ("app", "contact", "fixes", "reference")
# Before the names of guarantees and policies that a check-up adds.
PREFIX = "safeguard-"
# Seconds: a session in administration ends within these.
LONGEST_SESSION = 12 * 3600


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
    """What a check-up is about: the documents, the inventory, and which labels are called what.

    Attributes
    ----------
    sensitive, administration
        Labels of apps.
    """

    sources: Sequence[Source]
    rulebook: Rulebook
    inventory: Inventory | None
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
    return (*found, _SESSIONS, _BLOCKS_SAY)


_SESSIONS = Safeguard(
    "administration-ends",
    "Sessions in administration end within half a day",
    1,
    "A session that is left open is open to whoever comes by.",
    "Administrators sign in again each day.",
    ("administration",),
)
_BLOCKS_SAY = Safeguard(
    "blocks-say",
    "Every block says something",
    1,
    "Whoever is stopped without a word calls somebody, or gives up.",
    "One sentence a rule, once.",
)


def check_up(company: Company, left: Callable[[], float], only: str = "") -> Iterator[Checked]:
    """Yield each safeguard with what came of it; one alone where it is named."""
    wanted = [each for each in safeguards() if not only or each.name == only]
    asking = [each for each in wanted if each.guarantee is not None and not _missing(company, each)]
    # All of them are read with the rulebook at once: what it decides hangs on no guarantee.
    rulebook = _read(company, [_guarantee(company, each) for each in asking])
    for safeguard in wanted:
        missing = _missing(company, safeguard)
        if missing:
            yield Checked(safeguard, "not-applicable", says=f"there is nothing of that: {', '.join(missing)}")
        elif safeguard.guarantee is not None:
            yield _proven(company, rulebook, safeguard, left)
        elif safeguard is _SESSIONS:
            yield _sessions_end(company, left)
        else:
            yield _blocks_say(company)


def _missing(company: Company, safeguard: Safeguard) -> list[str]:
    return [need for need in safeguard.needs if not company.filling(need)]


def _proven(company: Company, rulebook: Rulebook, safeguard: Safeguard, left: Callable[[], float]) -> Checked:
    name = f"{PREFIX}{safeguard.name}"
    found = prove(rulebook, rulebook.guarantees[name], company.inventory, left)
    if found.answer != "fails":
        return Checked(safeguard, "passes" if found.answer == "holds" else "undecided")
    policy: Any = {"mode": "enforced", "why": safeguard.why, **_filled(company, safeguard.remedy)}
    after = _read(company, [_guarantee(company, safeguard), _source("policies", name, policy)])
    mended = prove(after, after.guarantees[name], company.inventory, left)
    path = ("policies", name)
    remedy = Remedy(".".join(path), with_value("", path, policy), mended.answer == "holds")
    return Checked(safeguard, "fails", found.counterexample, remedy=remedy)


def _read(company: Company, more: Sequence[Source]) -> Rulebook:
    return read_rulebook([*company.sources, *more]).or_raise()


def _guarantee(company: Company, safeguard: Safeguard) -> Source:
    return _source("guarantees", f"{PREFIX}{safeguard.name}", _filled(company, safeguard.guarantee))


def _source(section: str, name: str, value: Any) -> Source:
    """Return a document of one object."""
    body = with_value("", (section, name), value)
    lines = "\n".join(f"  {line}" for line in body.splitlines())
    return Source("check-up", f"caddrel: 1\n{section}:\n{lines}\n")


def _filled(company: Company, value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _filled(company, each) for key, each in value.items()}
    if isinstance(value, list):
        filled: list[Any] = []
        for each in value:
            whole = _BLANK.fullmatch(each) if isinstance(each, str) else None
            filled += company.filling(whole[1]) if whole is not None else [_filled(company, each)]
        return filled
    return _BLANK.sub(lambda b: b[0] if b[1] in _LATER else ", ".join(company.filling(b[1])), value)


def _sessions_end(company: Company, left: Callable[[], float]) -> Checked:
    """Look for an attempt that gets into administration with a session that lasts longer, or for ever."""
    rulebook, inventory, administration = company.rulebook, company.inventory, set(company.administration)
    policies = [policy for policy in rulebook.policies.values() if counts(policy, False)]
    space = Space(inventory)
    gather(space, rulebook, policies)

    def long(encoder: Encoder) -> Any:
        encoded = [encoder.policy(policy) for policy in policies]
        here = [encoder.member("app.labels", label)[0] for label in company.administration]
        ends = [
            none_of(each.possible)
            for policy in encoded
            for each in policy.rules
            if each.rule.keep is not None and (each.rule.keep.session_at_most or LONGEST_SESSION + 1) <= LONGEST_SESSION
        ]
        signing_in, _ = encoder.fact("operation", lambda operation: operation == "sign-in")
        return all_of((signing_in, any_of(here), encoder.outcome(encoded).allowed, *ends))

    long(Encoder(rulebook, space))
    space.finish()
    wanted = long(Encoder(rulebook, space))
    try:
        model = Solver(space, left).find(wanted, space.know_all())
    except TooLate:
        return Checked(_SESSIONS, "undecided")
    if model is None:
        return Checked(_SESSIONS, "passes")

    def still(attempt: Any) -> bool:
        found = explained(rulebook, attempt, inventory)
        lasts = found.decision.keep.get("session_at_most", LONGEST_SESSION + 1)
        labels: Any = found.facts.values.get("app.labels", frozenset())
        signing_in = found.facts.values["operation"] == "sign-in"
        return (
            signing_in
            and found.decision.outcome == "allowed"
            and lasts > LONGEST_SESSION
            and not labels.isdisjoint(administration)
        )

    attempt = smallest(attempt_of(space, model), still)
    return Checked(_SESSIONS, "fails", Counterexample(attempt, explained(rulebook, attempt, inventory)))


def _blocks_say(company: Company) -> Checked:
    silent = [
        f"{policy.id} / {rule.id}"
        for policy in company.rulebook.policies.values()
        if policy.mode == "enforced"
        for rule in policy.rules
        if rule.effect.kind == "block" and not rule.tell
    ]
    return Checked(_BLOCKS_SAY, "fails" if silent else "passes", says=", ".join(silent))
