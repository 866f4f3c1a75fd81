"""Safeguards that no guarantee can say: looked at rule by rule, or tried by those whom they are about."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.facts.values import show
from caddrel.core.lockout_check.candidates import FEEDS
from caddrel.core.lockout_check.check import administration_apps, diagnostics, locked_out, must_reach
from caddrel.core.prove.encoding import Encoder, gather, reads_of
from caddrel.core.prove.guarantees import Counterexample, counts
from caddrel.core.prove.logic import all_of, any_of, none_of
from caddrel.core.prove.safeguards import Checked, Company, Safeguard
from caddrel.core.prove.solver import Solver, TooLate
from caddrel.core.prove.space import Space
from caddrel.core.prove.witness import attempt_of, explained, smallest
from caddrel.core.rulebook.model import Policy

# Seconds: a session in administration ends within these.
LONGEST_SESSION = 12 * 3600
# Of more than these nobody reads on.
_FEW = 3


def look_at(safeguard: Safeguard, company: Company, left: Callable[[], float]) -> Checked:
    """Return the result of a safeguard that is checked over rules, not proven as a guarantee."""
    return _LOOKS[safeguard.name](safeguard, company, left)


def _keyholders(safeguard: Safeguard, company: Company, _left: Callable[[], float]) -> Checked:
    """Try every sign-in of those who must get in: with all feeds alive, or with each dead."""
    rulebook, inventory, now = company.rulebook, company.inventory, company.now
    if inventory is None or not must_reach(rulebook, inventory, now):
        return Checked(safeguard, "not-applicable", says="there is nobody who holds keys or administers")
    if not administration_apps(rulebook, inventory):
        return Checked(safeguard, "not-applicable", says="there is no app that everything is administered with")
    dead = safeguard.name == "keyholders-without-feeds"
    # Who cannot get in with everything alive is told of once, by the one safeguard.
    out = [each for each in locked_out(CompiledRulebook(rulebook), inventory, now) if bool(each.feed) == dead]
    return Checked(safeguard, "fails" if out else "passes", says=_some([each.message for each in diagnostics(out)]))


def _feeds(safeguard: Safeguard, company: Company, _left: Callable[[], float]) -> Checked:
    """Look for what is assumed of a feed that is dead, and read by a policy that is enforced."""
    rulebook = company.rulebook
    found = []
    for fact, value in rulebook.settings.assume.items():
        feed = next((name for name, facts in FEEDS.items() if fact in facts), None)
        if feed is not None:
            reading = [policy.id for policy in rulebook.policies.values() if _reads(company, policy, fact)]
            taken = show(value, rulebook.catalogue[fact])
            found += [f"with {feed} dead {', '.join(reading[:_FEW])} takes {fact} to be {taken}"] if reading else []
    return Checked(safeguard, "fails" if found else "passes", says=_some(found))


def _reads(company: Company, policy: Policy, fact: str) -> bool:
    return policy.mode == "enforced" and fact in reads_of(company.rulebook, [policy]).asked


def _sessions_end(safeguard: Safeguard, company: Company, left: Callable[[], float]) -> Checked:
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
        return Checked(safeguard, "undecided")
    if model is None:
        return Checked(safeguard, "passes" if space.exact else "undecided")

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
    return Checked(safeguard, "fails", Counterexample(attempt, explained(rulebook, attempt, inventory)))


def _blocks_say(safeguard: Safeguard, company: Company, _left: Callable[[], float]) -> Checked:
    silent = [
        f"{policy.id} / {rule.id}"
        for policy in company.rulebook.policies.values()
        if policy.mode == "enforced"
        for rule in policy.rules
        if rule.effect.kind == "block" and not rule.tell
    ]
    return Checked(safeguard, "fails" if silent else "passes", says=_some(silent))


def _some(said: list[str]) -> str:
    more = f"; and {len(said) - _FEW} more" if len(said) > _FEW else ""
    return f"{'; '.join(said[:_FEW])}{more}"


_LOOKS: Mapping[str, Callable[[Safeguard, Company, Callable[[], float]], Checked]] = {
    "keyholders-get-in": _keyholders,
    "keyholders-without-feeds": _keyholders,
    "feeds-are-missed": _feeds,
    "administration-ends": _sessions_end,
    "blocks-say": _blocks_say,
}
