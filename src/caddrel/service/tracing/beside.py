"""Two rehearsals side by side, with what differs between them.

Not here: one rehearsal (`tracing.rehearse`).
"""

from __future__ import annotations

from collections.abc import Iterable

from caddrel.core.facts.facts import Facts
from caddrel.core.words.cases import label_words
from caddrel.service.state.context import State
from caddrel.service.tracing.rehearse import rehearsed
from caddrel.wire import rehearsals as wire
from caddrel.wire.decisions import Piece


def beside(state: State, request: wire.BesideRequest) -> wire.Beside:
    """Return both rehearsals and what differs.

    Raises
    ------
    AttemptRefused
        As of one rehearsal, of either.
    """
    (left, ours), (right, theirs) = rehearsed(state, request.left), rehearsed(state, request.right)
    facts = sorted(_facts(left, right, ours, theirs), key=lambda each: not each.differs)
    policies = sorted(_policies(left, right), key=lambda each: not each.differs)
    differ = any(each.differs for each in facts) or any(each.differs for each in policies)
    return wire.Beside(left, right, not differ and _comes_to(left) == _comes_to(right), facts, policies)


def _comes_to(side: wire.Rehearsal) -> tuple[object, ...]:
    # Not the witnesses: of the same cases either may show another one.
    return side.decision, side.cases.sentence, side.cases.possible, side.cases.exact, side.cases.matters


def _facts(left: wire.Rehearsal, right: wire.Rehearsal, ours: Facts, theirs: Facts) -> Iterable[wire.BesideFact]:
    for name in dict.fromkeys((*left.trace.facts, *right.trace.facts)):
        one, other = (side.trace.facts[name].shown if name in side.trace.facts else "" for side in (left, right))
        # By what they are: two may be written differently, as a version with and without a zero at its end.
        differs = ours.values.get(name) != theirs.values.get(name)
        yield wire.BesideFact(name, label_words(name), one, other, differs)


def _policies(left: wire.Rehearsal, right: wire.Rehearsal) -> Iterable[wire.BesidePolicy]:
    ours, theirs = (_said(side) for side in (left, right))
    titles = {policy.policy: policy.title for side in (right, left) for policy in side.trace.policies}
    for id in dict.fromkeys((*ours, *theirs)):
        one, other = ours.get(id, []), theirs.get(id, [])
        yield wire.BesidePolicy(id, titles[id] or id, one, other, one != other)


def _said(side: wire.Rehearsal) -> dict[str, list[Piece]]:
    """Return what each policy has to do with it; of one that decides, that it does."""
    deciding = {ref.policy for ref in side.decision.deciding}
    return {
        policy.policy: [*policy.summary, *([Piece(" It decides.")] if policy.policy in deciding else [])]
        for policy in side.trace.policies
    }
