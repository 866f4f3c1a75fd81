"""An attempt as the solver sees it: what of it is fixed, so that only one answer is left."""

from __future__ import annotations

from typing import Any

import z3

from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.prove.encoding import Encoder, gather
from caddrel.core.prove.logic import Logic, none_of
from caddrel.core.prove.space import Space
from caddrel.core.rulebook.model import Rulebook

PLENTY = 1e6


def encoded(rulebook: Rulebook, inventory: Any = None) -> tuple[Space, Encoder, Any]:
    """Return the space of a rulebook, its encoder, and its outcome."""
    policies = [policy for policy in rulebook.policies.values() if policy.mode == "enforced"]
    space = Space(inventory)
    gather(space, rulebook, policies)
    first = Encoder(rulebook, space)
    first.outcome([first.policy(policy) for policy in policies])
    space.finish()
    encoder = Encoder(rulebook, space)
    return space, encoder, encoder.outcome([encoder.policy(policy) for policy in policies])


def fixed(space: Space, facts: Facts) -> list[Logic]:
    """Return formulas that leave only one attempt."""
    told: dict[str, Any] = {
        name: value
        for name, value in facts.values.items()
        if facts.origins[name] not in {Origin.ASSUMED, Origin.DEFAULT}
        and not (name == "auth.age" and facts.origins[name] is Origin.COMPUTED)
    }
    told |= {name: facts.values[name] for name in ("operation", "flow")}
    found: list[Logic] = []
    for name, of in space.ways.items():
        if name in told:
            place = space.place(of, told[name])
            assert place is not None, (name, told[name])
            found.append(of.variables[place])
        else:
            found.append(of.away)
    for name, members in space.sets.items():
        if name in told:
            found.append(none_of(members.away))
            found += [bit if id in told[name] else z3.Not(bit) for id, bit in members.bits.items()]
        else:
            found.append(members.away)
    for of in space.lists.values():
        found.append(of.away)
    if space.methods is not None:
        methods: Any = told.get("auth.methods")
        found.append(space.methods.away if methods is None else none_of(space.methods.away))
        for method, used in space.methods.used.items():
            unaged = space.methods.unaged[method]
            if methods is None or method not in methods:
                found += [z3.Not(each) for each in (*used, unaged)]
                continue
            age: Any = methods[method] if methods[method] is not None else told.get("auth.age")
            if age is None:
                found.append(unaged)
                continue
            ages = list(space.methods.ages)
            found.append(used[next((n for n, limit in enumerate(ages) if age <= limit), len(ages) - 1)])
    return found
