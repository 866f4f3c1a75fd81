"""Combining what policies say into one decision; every evaluator ends here.

The decision is the strict reading: what is unknown counts as the strictest thing it could be. The mild reading beside
it tells whether missing facts could have changed the outcome.
Not here: judging conditions (`interpreter.judge`), requirement items (`requirements`).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import reduce

from caddrel.core.decide.decision import Decision, RuleRef, Shadow, Tell
from caddrel.core.decide.requirements import Outstanding, Requirements, formula_holds, item_order, outstanding
from caddrel.core.decide.truth import FALSE, TRUE, UNKNOWN, Truth
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import PartlyRead, Value
from caddrel.core.language.nodes import AnyOf, Formula, Item, items_of
from caddrel.core.rulebook.model import Policy, Rule, Rulebook, Settings

ABSTAIN = "abstain"
NO_FACTORS: frozenset[str] = frozenset()
_PLACEHOLDER = re.compile(r"\{([a-z]+)\}")


_SILENT = frozenset({ABSTAIN})
_LETTING_IN = frozenset({"allow", "require"})


@dataclass(slots=True, eq=False)
class Says:
    """What one policy says: the rules among its possible effects, and whether it may also abstain by silence.

    Attributes
    ----------
    scope
        Truth of the policy's scope.
    rules
        Rules whose effects are possible, in order.
    silent
        Whether abstaining is possible without a rule: out of scope, or no rule matched.
    named
        Whether the policy names the app: the truth of its app selectors other than every-app. Asked where apps are
        closed by their own lines; elsewhere it may be left unknown.
    kinds
        The kinds of effect that are possible.
    """

    policy: Policy
    scope: Truth
    rules: tuple[Rule, ...]
    silent: bool
    named: Truth = UNKNOWN
    kinds: frozenset[str] = field(init=False)

    def __post_init__(self) -> None:
        if not self.rules:
            self.kinds = _SILENT
            return
        found = [rule.effect.kind for rule in self.rules]
        self.kinds = frozenset([*found, ABSTAIN] if self.silent else found)


@dataclass(frozen=True, slots=True)
class Stance:
    """The stance of an app in one reading; `own` tells that it is closed by its own line, and only names open it."""

    closed: bool
    own: bool = False

    @property
    def word(self) -> str:
        """``open`` or ``closed``."""
        return "closed" if self.closed else "open"


_OPEN = Stance(False)


def before_policies(values: Mapping[str, Value]) -> str | None:
    """Return why an attempt is blocked before any policy is asked, None when it is not.

    Who is locked out is told so whatever the credentials were, so that a guesser learns nothing.
    """
    wrong = values.get("auth.credentials") == "wrong"
    if values.get("auth.locked_out") is True:
        methods = values.get("auth.methods")
        if wrong or not isinstance(methods, dict) or "pwd" in methods or isinstance(methods, PartlyRead):
            return "locked-out"
    return "credentials" if wrong else None


def stances(rulebook: Rulebook, facts: Facts) -> tuple[Stance, Stance]:
    """Return the stance of the app in the strict and in the mild reading; closed counts at sign-in only."""
    values, default = facts.values, rulebook.settings.stance
    operation = values.get("operation")
    if operation not in {None, "sign-in"}:
        return _OPEN, _OPEN
    app = values.get("app.id")
    if isinstance(app, str):
        entry = rulebook.apps.get(app)
        line = entry.stance if entry is not None else None
        unlisted = facts.live and not facts.app_listed
        strict = mild = Stance(unlisted or (line or default) == "closed", line == "closed")
    else:
        lines = {entry.stance for entry in rulebook.apps.values()}
        strict = Stance(default == "closed" or "closed" in lines, "closed" in lines)
        # An app that says nothing of its own may be meant, and has the setting's stance.
        mild = Stance(default == "closed" and "open" not in lines)
    return strict, _OPEN if operation is None else mild


@dataclass(slots=True)
class Reading:
    """The outcome of one reading of a set of policies."""

    outcome: str
    reason: str | None = None


@dataclass(frozen=True, slots=True)
class _Sum:
    """What policies come to: whether any may block, any surely lets in, and all that they require is met, or can be."""

    blocks: bool
    lets_in: bool
    met: bool
    reachable: bool

    def with_(self, other: _Sum) -> _Sum:
        """Return what these and others come to together."""
        return _Sum(
            self.blocks or other.blocks, self.lets_in or other.lets_in, self.met and other.met,
            self.reachable and other.reachable,
        )  # fmt: skip


class Combination:
    """Combines the policies' says for one attempt.

    Parameters
    ----------
    says
        One for every policy that is not off.
    """

    def __init__(self, rulebook: Rulebook, facts: Facts, requirements: Requirements, says: Sequence[Says]) -> None:
        self.rulebook = rulebook
        self.facts = facts
        self.requirements = requirements
        ordered = sorted(says, key=lambda s: s.policy.id)
        self.enforced = [s for s in ordered if s.policy.mode == "enforced"]
        self.in_shadow = [s for s in ordered if s.policy.mode == "shadow"]
        self.before = before_policies(facts.values)
        self.strict_stance, self.mild_stance = stances(rulebook, facts)
        self.strict = self._strictly(self.enforced)

    def _strictly(self, says: Iterable[Says], factors: frozenset[str] | None = None) -> Reading:
        return self._read(self._summed(says, factors))

    def _read(self, sum_: _Sum) -> Reading:
        if self.before is not None:
            return Reading("blocked", self.before)
        if sum_.blocks:
            return Reading("blocked", "effect")
        if self.strict_stance.closed and not sum_.lets_in:
            return Reading("blocked", "closed")
        if sum_.met:
            return Reading("allowed")
        return Reading("challenged") if sum_.reachable else Reading("blocked", "unmeetable")

    def _summed(self, says: Iterable[Says], factors: frozenset[str] | None = None) -> _Sum:
        """Return what several policies come to in the strict reading."""
        says = list(says)
        needed = [r.effect.formula for s in says for r in s.rules if r.effect.formula is not None]
        met = all(formula_holds(f, self._met) for f in needed)
        return _Sum(
            any("block" in s.kinds for s in says),
            any(self.lets_in(s) for s in says),
            met,
            met or all(formula_holds(f, lambda i: self._reachable(i, factors)) for f in needed),
        )

    def _requiring(
        self, formulas: Sequence[Formula], met: Callable[[Item], bool], factors: frozenset[str] | None = None
    ) -> Reading:
        if all(formula_holds(f, met) for f in formulas):
            return Reading("allowed")

        def reachable(item: Item) -> bool:
            return met(item) or self.requirements.attainable(item, factors)

        if all(formula_holds(f, reachable) for f in formulas):
            return Reading("challenged")
        return Reading("blocked", "unmeetable")

    def lets_in(self, says: Says) -> bool:
        """Tell whether a policy surely lets into a closed app; into one closed by its own line it must name it."""
        return says.kinds <= _LETTING_IN and (not self.strict_stance.own or says.named is TRUE)

    def mildly(self) -> Reading:
        """Return the mild reading: what is unknown counts as the mildest thing it could be."""
        if self.before is not None:
            return Reading("blocked", self.before)
        formulas: list[Formula] = []
        let_in = not self.mild_stance.closed
        blocked = False
        for says in self.enforced:
            kinds = says.kinds
            named = not self.mild_stance.own or says.named is not FALSE
            let_in = let_in or (named and bool(kinds & _LETTING_IN))
            if kinds == {"block"}:
                blocked = True
            elif not kinds & {"allow", ABSTAIN}:
                formulas.append(AnyOf(tuple(r.effect.formula for r in says.rules if r.effect.formula is not None)))
        if blocked:
            return Reading("blocked", "effect")
        if not let_in:
            return Reading("blocked", "closed")
        return self._requiring(formulas, lambda item: self.requirements.met(item) is not FALSE)

    def decision(
        self, unknown_of: Callable[[Says, bool], Iterable[str]], standard_fixes: Callable[[Rule], str]
    ) -> Decision:
        """Return the decision.

        Parameters
        ----------
        unknown_of
            Gives the facts that the unknown scope, conditions and items of one policy lack; and, when asked for, its
            unknown naming selectors.
        standard_fixes
            Gives the fixes of the failed checks in the standards that a rule names.
        """
        strict = self.strict
        certain, causes = self._certain()
        unknown: set[str] = set(causes)
        if not certain:
            for says in self.enforced:
                unknown.update(unknown_of(says, self.strict_stance.own))
        deciding = self._deciding()
        still = Outstanding((), True)
        in_the_way: list[Item] = []
        if strict.outcome == "challenged":
            still = self._outstanding()
        elif strict.reason == "unmeetable":
            in_the_way = self._in_the_way([rule for _, rule in deciding])
        return Decision(
            outcome=strict.outcome,
            reason=strict.reason,
            certain=certain,
            deciding=tuple(RuleRef(policy.id, rule.id) for policy, rule in deciding),
            outstanding=tuple(still.items),
            in_the_way=tuple(in_the_way),
            unknown=tuple(sorted(unknown)),
            keep=self._keep(),
            shadow=self._shadow(),
            tell=self._tell(deciding, standard_fixes),
            outstanding_smallest=still.smallest,
        )

    def _certain(self) -> tuple[bool, set[str]]:
        """Return whether missing facts could not have changed the outcome, and causes that no test names."""
        strict, mild = self.strict, self.mildly()
        causes: set[str] = set()
        certain = mild.outcome == strict.outcome
        unknown_factors = strict.outcome == "challenged" and self.requirements.factors is None
        if unknown_factors and self._strictly(self.enforced, NO_FACTORS).outcome != "challenged":
            certain = False
            causes.add("person.factors")
        if not certain and strict.reason == "closed" and self.strict_stance != self.mild_stance:
            causes.update(name for name in ("app.id", "operation") if name not in self.facts.values)
        return certain, causes

    def _formulas(self) -> list[tuple[Policy, Rule, Formula]]:
        return [(s.policy, r, r.effect.formula) for s in self.enforced for r in s.rules if r.effect.formula is not None]

    def _met(self, item: Item) -> bool:
        return self.requirements.met(item) is TRUE

    def _reachable(self, item: Item, factors: frozenset[str] | None = None) -> bool:
        return self._met(item) or self.requirements.attainable(item, factors)

    def _deciding(self) -> list[tuple[Policy, Rule]]:
        strict = self.strict
        if strict.reason == "closed" or self.before is not None:
            return []
        if strict.reason == "unmeetable":
            return [(p, r) for p, r, f in self._formulas() if not formula_holds(f, self._reachable)]
        if strict.outcome == "challenged":
            return [(p, r) for p, r, f in self._formulas() if not formula_holds(f, self._met)]
        wanted = {"block"} if strict.reason == "effect" else {"allow", "require"}
        return [(s.policy, r) for s in self.enforced for r in s.rules if r.effect.kind in wanted]

    def _outstanding(self) -> Outstanding:
        unsatisfied = [f for _, _, f in self._formulas() if not formula_holds(f, self._met)]
        candidates = [
            item
            for formula in unsatisfied
            for item in items_of(formula)
            if not self._met(item) and self.requirements.attainable(item)
        ]
        return outstanding(unsatisfied, candidates, self._met)

    def _in_the_way(self, rules: list[Rule]) -> list[Item]:
        found = {
            item
            for rule in rules
            if rule.effect.formula is not None
            for item in items_of(rule.effect.formula)
            if not self._reachable(item)
        }
        return sorted(found, key=item_order)

    def _keep(self) -> dict[str, int | bool]:
        if self.before is not None:
            return {}
        limits = [r.keep for s in self.enforced for r in s.rules if r.keep is not None]
        keep: dict[str, int | bool] = {}
        for name in ("session_at_most", "idle_at_most"):
            given = [getattr(limit, name) for limit in limits if getattr(limit, name) is not None]
            if given:
                keep[name] = min(given)
        if any(limit.end_with_browser for limit in limits):
            keep["end_with_browser"] = True
        return keep

    def _shadow(self) -> Shadow:
        if not self.in_shadow:
            return Shadow({}, self.strict.outcome)
        # What the enforced ones come to is the same beside each of them.
        enforced = self._summed(self.enforced)
        sums = {s.policy.id: enforced.with_(self._summed([s])) for s in self.in_shadow}
        together = reduce(_Sum.with_, sums.values())
        return Shadow({id: self._read(found).outcome for id, found in sums.items()}, self._read(together).outcome)

    def _tell(self, deciding: list[tuple[Policy, Rule]], fixes: Callable[[Rule], str]) -> tuple[Tell, ...]:
        if self.strict.outcome == "allowed":
            return ()
        settings = self.rulebook.settings
        app = self._app_title()
        reference = self.facts.reference
        texts = [
            tell_of(policy, rule, settings, app, reference, fixes(rule) if "{fixes}" in rule.tell else "")
            for policy, rule in deciding
            if rule.tell
        ]
        if texts:
            return tuple(texts)
        return (Tell(None, None, default_text(self.strict.outcome, app, settings.contact)),)

    def _app_title(self) -> str:
        app = self.facts.values.get("app.id")
        if not isinstance(app, str):
            return "this app"
        entry = self.rulebook.apps.get(app)
        return (entry.title if entry else "") or self.facts.app_title or app


def tell_of(policy: Policy, rule: Rule, settings: Settings, app: str, reference: str, fixes: str) -> Tell:
    """Return what a deciding rule with a text of its own tells a person."""
    contact = policy.contact or settings.contact
    filled = {"app": app, "contact": contact, "reference": reference, "fixes": fixes}
    return Tell(policy.id, rule.id, fill(rule.tell, filled), rule.link or None)


def fill(text: str, values: dict[str, str]) -> str:
    """Return a text for a person with its placeholders filled, once: what is filled in is not read again."""
    return _PLACEHOLDER.sub(lambda match: values.get(match[1], match[0]), text)


def default_text(outcome: str, app: str, contact: str) -> str:
    """Return what a person is told when no deciding rule has a text of its own."""
    if outcome == "challenged":
        return f"One more step is needed to open {app}."
    ask = f" If you think you should be let in, ask {contact}." if contact else ""
    return f"You cannot open {app} this way.{ask}"
