"""All cases of an attempt in one sentence: what happens to the person, and on what it turns.

The sentence follows the tree: it names what leads to an outcome as long as that can be followed in reading, and where
it cannot it says on which facts the rest turns. Each clause is as true as the tree.
Not here: finding the cases (`core.cases`).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from caddrel.core.cases.answer import Answer, facts_of
from caddrel.core.cases.tree import Fork, Leaf, Question, Tree
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.decide.requirements import item_order
from caddrel.core.facts.facts import Facts
from caddrel.core.language.nodes import Item, items_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.attempts import app_words, doing_words, enters, person_words
from caddrel.core.words.conditions import condition_words, item_words, part_name, subject_of
from caddrel.core.words.decisions import policy_title
from caddrel.core.words.pieces import Sentence, capital, joined, plain, say

# So many conditions can be followed in reading one sentence.
MOST_CLAUSES = 4
# And so many things that may be asked for.
MOST_ITEMS = 3
_PAST = {
    "mfa": ("MFA has been done", "MFA has not been done"),
    "new password": ("the password was just changed", "the password was not changed"),
    "managed device": ("the device is managed", "the device is not managed"),
    "company device": ("the device is the company's", "the device is not the company's"),
    "vetted client": ("the client is vetted", "the client is not vetted"),
    "protected client": ("the client keeps company data apart", "the client does not keep company data apart"),
}
# What a door can ask for; everything else is there or is not.
_ASKED_FOR = {"mfa", "proof", "notice", "new password"}


@dataclass(frozen=True, slots=True)
class _Clause:
    """What leads to an outcome: the question with its answer."""

    asks: Question
    yes: bool
    leaf: Leaf


def question_words(asks: Question, yes: bool, rulebook: Rulebook) -> Sentence:
    """Return a question of the tree with its answer, as a clause: ``the device is not managed``."""
    if not isinstance(asks, Item):
        return condition_words(asks, rulebook, negated=not yes)
    if asks.kind in _PAST:
        said = _PAST[asks.kind][0 if yes else 1]
        within = f" within {item_words(asks, rulebook)[-1].text.partition(' within ')[2]}" if asks.within else ""
        return say(said, within)
    if asks.kind == "device passes":
        standard = part_name(rulebook, "standards", "standard", asks.name)
        return say("the device passes " if yes else "the device does not pass ", standard)
    if asks.kind == "notice":
        notice = part_name(rulebook, "notices", "notice", asks.name)
        return say("the notice ", notice, " has been accepted" if yes else " has not been accepted")
    words = item_words(asks, rulebook)
    return say(words, " has been given" if yes else " has not been given")


def cases_words(answer: Answer, rulebook: Rulebook, given: Facts, person: str = "", app: str = "") -> Sentence:
    """Return one sentence that says what can come of an attempt.

    Parameters
    ----------
    given
        The facts as completed.
    person, app
        What they are called.
    """
    names = _Names(answer, rulebook, given, person, app)
    if not answer.exact and len(answer.possible) < 3:
        found = joined((say(names.result(Leaf((each,)), bare=True)) for each in answer.possible), "or")
        return capital(say(names.who, " ", found, "; anything else could not be excluded."))
    chain, rest = _chain(answer.tree)
    if not chain and isinstance(rest, Leaf):
        return capital(say(names.who, " ", names.result(rest), _whatever(answer), names.reason(rest), "."))
    if isinstance(rest, Leaf) and len(chain) <= MOST_CLAUSES and not rest.cut:
        return capital(say(names.who, " ", _followed(names, chain, rest, rulebook), "."))
    return capital(say(names.who, " ", _turning(names, answer, chain, rest, rulebook), "."))


def clauses(answer: Answer) -> tuple[list[tuple[Question, bool, tuple[str, ...]]], frozenset[str]]:
    """Return what the sentence says, in order: each question with the answer that settles it, and the outcome.

    And the outcomes of everything else. So the sentence can be held against cases.
    """
    chain, rest = _chain(answer.tree)
    said = [(clause.asks, clause.yes, clause.leaf.possible) for clause in chain]
    if isinstance(rest, Leaf) and len(chain) <= MOST_CLAUSES and not rest.cut:
        return said, frozenset(rest.possible)
    behind = {outcome for _, _, outcomes in said[MOST_CLAUSES:] for outcome in outcomes}
    return said[:MOST_CLAUSES], frozenset(behind | _outcomes(rest))


def _whatever(answer: Answer) -> str:
    return ", whatever else is so" if answer.facts else ""


class _Names:
    """What the sentence calls people, apps and outcomes."""

    def __init__(self, answer: Answer, rulebook: Rulebook, given: Facts, person: str, app: str) -> None:
        self._rulebook, self._answer = rulebook, answer
        self._settled = not {"auth.methods", "auth.notices", "auth.age", "person.factors"} & set(answer.facts)
        self.who = person_words(given, person)
        what, into = app_words(given, rulebook, app), enters(given)
        doing = doing_words(given, what)
        self._yes = say("gets into ", what or "this app") if into else say("may ", doing)
        self._no = say("does not get into ", what or "this app") if into else say("may not ", doing)
        self._in = "gets in" if into else "may"

    def result(self, leaf: Leaf, bare: bool = False, short: bool = False) -> Sentence:
        """Return an outcome; `short` where who and what have been said, `bare` without what is still asked for."""
        [outcome] = leaf.possible if len(leaf.possible) == 1 else ["several"]
        if outcome == "several":
            return say("may come out either way")
        if outcome == "allowed":
            return say(self._in) if short else self._yes
        if outcome == "blocked":
            return say("is blocked") if short else self._no
        asked = say("another proof") if bare else self.asked(leaf)
        return say(self._in if short else self._yes, " after ", asked)

    def reason(self, leaf: Leaf) -> Sentence:
        """Return by which policy it is so, of a leaf where a rule decides in all cases."""
        if not leaf.always or leaf.possible == ("allowed",):
            return ()
        policy = self._rulebook.policies[leaf.always[0].policy]
        blocks = any(rule.id == leaf.always[0].rule and rule.effect.kind == "block" for rule in policy.rules)
        does = (
            "requires it"
            if leaf.possible == ("challenged",)
            else "blocks it"
            if blocks
            else "requires what is not there"
        )
        return say(": “", policy_title(policy), f"” {does}")

    def otherwise(self, leaf: Leaf) -> Sentence:
        """Return what comes of everything else."""
        if leaf.possible == ("blocked",):
            return say("otherwise blocked")
        return say("otherwise ", self.result(leaf, short=True))

    def asked(self, leaf: Leaf) -> Sentence:
        """Return what is asked for at a leaf in words; less exactly when its cases differ in that."""
        items: set[Item] = set()
        for ref in leaf.deciding:
            for rule in self._rulebook.policies[ref.policy].rules:
                if rule.id == ref.rule and rule.effect.formula is not None:
                    items.update(items_of(rule.effect.formula))
        steady = leaf.steady and self._settled
        if len(items) > 1 and steady:
            items = set(self._outstanding(leaf))
        if len(items) == 1 or (steady and items):
            ordered = sorted(items, key=item_order)
            return joined((item_words(item, self._rulebook) for item in ordered), "and")
        # How fresh it has to be, and which of them it is, turns on what is not asked any more.
        asked = [item for item in items if item.kind in _ASKED_FOR]
        kinds = sorted({replace(item, within=None) for item in asked}, key=item_order)
        words = [item_words(item, self._rulebook) for item in kinds]
        if 1 <= len(words) <= MOST_ITEMS:
            return words[0] if len(words) == 1 else _some_of(words)
        return say("another proof")

    def _outstanding(self, leaf: Leaf) -> tuple[Item, ...]:
        """Return what is outstanding in a case of a leaf: in all, as the same rules decide and no proof is open."""
        facts = self._answer.case_of(leaf)
        return decide(self._rulebook, facts).outstanding if facts is not None else ()


def _some_of(words: Sequence[Sentence]) -> Sentence:
    """Return things of which one may be asked for, or several."""
    if len(words) == 2:
        return say(words[0], ", ", words[1], " or both")
    return say("some of ", joined(words, "and"))


def _chain(tree: Tree) -> tuple[list[_Clause], Tree]:
    """Return the questions one of whose answers settles it, in order, and what is left behind them."""
    found: list[_Clause] = []
    while isinstance(tree, Fork):
        sides = [
            (side, leaf)
            for side, leaf in ((True, tree.yes), (False, tree.no))
            if isinstance(leaf, Leaf) and not leaf.cut
        ]
        if not sides:
            break
        if len(sides) == 2 and found and sides[0][1].possible != found[-1].leaf.possible:
            # Of the last two what was said before comes first, so that what is left is another thing.
            sides.reverse()
        side, leaf = sides[0]
        found.append(_Clause(tree.asks, side, leaf))
        tree = tree.no if side else tree.yes
    return found, tree


def _followed(names: _Names, chain: Sequence[_Clause], rest: Leaf, rulebook: Rulebook) -> Sentence:
    """Return a chain that can be followed to its end."""
    order = {"allowed": 0, "challenged": 1, "blocked": 2}
    groups = list(_together(names, chain))
    first = chain[0].leaf
    if len(groups) == 1 and order[rest.possible[0]] < order[first.possible[0]]:
        # Better to say what lets in: everything that stops must not be so.
        against = _listed((question_words(c.asks, not c.yes, rulebook) for c in chain), "and")
        return say(names.result(rest), " if ", against, "; ", names.otherwise(first))
    said: list[Sentence] = []
    for i, (clauses, leaf) in enumerate(groups):
        conditions = _listed((question_words(c.asks, c.yes, rulebook) for c in clauses), "or")
        said.append(say("" if not i else "; else ", names.result(leaf, short=bool(i)), " if ", conditions))
    return say(*said, "; ", names.otherwise(rest))


def _listed(clauses: Iterable[Sentence], word: str) -> Sentence:
    """Return clauses as a list; where one of them has a list of its own, each begins with the word."""
    listed = list(clauses)
    nested = any(mark in plain(each) for each in listed for mark in (" or ", ", ", " and "))
    if not nested or len(listed) < 2:
        return joined(listed, word)
    return say(*(part for i, each in enumerate(listed) for part in ((f", {word} " if i else ""), each)))


def _together(names: _Names, chain: Sequence[_Clause]) -> Iterable[tuple[list[_Clause], Leaf]]:
    """Yield neighbouring clauses that come to the same."""
    group: list[_Clause] = []
    for clause in chain:
        if group and names.result(group[0].leaf) != names.result(clause.leaf):
            yield group, group[0].leaf
            group = []
        group.append(clause)
    if group:
        yield group, group[0].leaf


def _turning(names: _Names, answer: Answer, chain: Sequence[_Clause], rest: Tree, rulebook: Rulebook) -> Sentence:
    """Return the first conditions that settle the outcome, and the facts that the outcome depends on otherwise."""
    said: list[Sentence] = []
    for i, (clauses, leaf) in enumerate(_together(names, chain[:MOST_CLAUSES])):
        conditions = joined((question_words(c.asks, c.yes, rulebook) for c in clauses), "or")
        said.append(say("" if not i else "; else ", names.result(leaf, bare=True, short=bool(i)), " if ", conditions))
    facts = [name for name in answer.order if name in _facts_in(rest, chain[MOST_CLAUSES:])] or list(answer.order)
    # One more is as quickly said as counted.
    named = facts if len(facts) == 5 else facts[:4]
    more = [say(f"{len(facts) - 4} more facts")] if len(named) < len(facts) else []
    turns = joined([*(say(subject_words(name)) for name in named), *more], "and")
    left = _outcomes(rest) | {c.leaf.possible[0] for c in chain[MOST_CLAUSES:]}
    order = [each for each in ("allowed", "challenged", "blocked") if each in left]
    results = joined((names.result(Leaf((each,)), bare=True, short=bool(said)) for each in order), "or")
    link = say("; otherwise ") if said else say()
    return say(*said, link, results, ": that turns on ", turns)


def _facts_in(tree: Tree, chain: Sequence[_Clause]) -> set[str]:
    found = {name for clause in chain for name in facts_of(clause.asks)}
    if isinstance(tree, Fork):
        found |= set(facts_of(tree.asks)) | _facts_in(tree.yes, ()) | _facts_in(tree.no, ())
    return found


def _outcomes(tree: Tree) -> set[str]:
    if isinstance(tree, Leaf):
        return set(tree.possible)
    return _outcomes(tree.yes) | _outcomes(tree.no)


def subject_words(fact: str) -> str:
    """Return what a fact is called in a sentence."""
    return _MORE.get(fact) or subject_of(fact)


def label_words(fact: str) -> str:
    """Return what a fact is called beside the box that it is typed into: ``Device encrypted``."""
    if fact in _LABELS:
        return _LABELS[fact]
    group, _, rest = fact.partition(".")
    words = (rest or group).replace("attributes.", "").replace("_", " ")
    return (
        f"{group.capitalize()} {words}"
        if rest and group in {"device", "client", "person", "app"}
        else words.capitalize()
    )


_LABELS = {
    "person.id": "Who",
    "app.id": "Opens",
    "operation": "Does",
    "network.ip": "From the address",
    "network.asn": "Autonomous system",
    "network.anonymiser": "Hidden behind",
    "device.id": "On the device",
    "device.os_version": "Device's OS version",
    "device.state_age": "Age of the device's report",
    "device.listed": "Device in the inventory",
    "device.tampered": "Device tampered with",
    "client.kind": "Kind of client",
    "client.protected": "Client keeps data apart",
    "flow": "Flow",
    "risk.attempt": "Risk of the attempt",
    "person.risk": "Risk of the account",
    "time.at": "When",
    "auth.methods": "Proofs given",
    "auth.age": "Age of the proofs",
    "auth.notices": "Notices accepted",
    "auth.credentials": "Credentials",
    "auth.locked_out": "Locked out",
    "signals": "Signals that fired",
    "enrolling.factor": "Factor being enrolled",
    "enrolling.owner": "Whose device is enrolled",
    "enrolling.depth": "Depth of the enrolment",
}


_MORE = {
    "auth.methods": "the proofs given",
    "auth.notices": "the notices accepted",
    "person.factors": "the factors enrolled",
    "person.groups": "the person's groups",
    "person.roles": "the person's roles",
    "app.labels": "the app's labels",
    "app.id": "the app",
    "person.id": "the person",
    "device.id": "the device",
    "signals": "the signals",
    "operation": "what is done",
    "device.managed": "whether the device is managed",
    "device.encrypted": "whether the device is encrypted",
    "device.screen_lock": "whether the screen locks",
    "device.tampered": "whether the device was tampered with",
    "device.vetted": "whether the device is vetted",
    "device.listed": "whether the device is listed",
    "client.vetted": "whether the client is vetted",
    "client.protected": "whether the client keeps company data apart",
}
