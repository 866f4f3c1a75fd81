"""People named one by one, and exceptions that leave nobody."""

from __future__ import annotations

from caddrel.core.diagnostics import Change, Danger
from caddrel.core.language.operators import Op
from caddrel.core.lint.context import Context, Findings, every, fact_tests, policy_tests

BY_NAME = "person-by-name"
NOBODY_LEFT = "except-removes-everyone"
CODES: dict[str, Danger] = {BY_NAME: "tidiness", NOBODY_LEFT: "somebody-gets-in"}


def check(context: Context) -> Findings:
    """Find policies that name several persons, or except all whom they are for."""
    for policy in context.policies():
        scope, path = policy.scope, f"policies.{policy.id}"
        named = sum(
            len(t.operands) for t in fact_tests(policy_tests(policy)) if t.fact == "person.id" and t.op in _NAMING
        )
        if named >= 2:
            message = f"`{policy.id}` names {named} persons one by one"
            yield context.finding(path, BY_NAME, message, "make a group of them: people leave, groups stay")
        for kind, wanted, excepted in (
            ("people", scope.people, scope.except_people),
            ("apps", scope.apps, scope.except_apps),
        ):
            texts = {s.text for s in excepted}
            if excepted and (every(excepted) or all(s.text in texts for s in wanted)):
                message = f"`except_{kind}` takes out all whom `{kind}` takes in: `{policy.id}` never applies"
                change = Change(f"{path}.except_{kind}")
                yield context.finding(path, NOBODY_LEFT, message, "except fewer", change=change)


_NAMING = {Op.IS, Op.IS_NOT, Op.ONE_OF, Op.NOT_ONE_OF}
