"""What a door asks: a request of the standard, read."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.claims import believed, claims_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.wire import authzen

LONGEST_CODE = 100
MOST_ACCEPTED = 20


class Asked(NamedTuple):
    """What a request claims, the session it asks about, the starter code typed, and the notices accepted just now.

    Only notices whose present version was accepted are here: who read an earlier text has not accepted this one.
    `reserved` is the try that was reserved for looking at the password.
    """

    claims: dict[str, Any]
    session: str
    code: str
    accepted: tuple[str, ...]
    reserved: str = ""


def read_request(request: authzen.Evaluation, rulebook: Rulebook) -> Asked:
    """Return what a request asks.

    Raises
    ------
    AttemptRefused
        Naming what cannot be read.
    """
    subject, action, resource = request.subject, request.action, request.resource
    missing = [name for name in ("subject", "action", "resource") if getattr(request, name) is None]
    if subject is None or action is None or resource is None:
        problems = [Diagnostic("missing-key", f"`{name}` is missing", path=name) for name in missing]
        raise AttemptRefused(problems)
    context = dict(request.context or {})
    session = context.pop("session", None)
    asked_about = session.get("id") if isinstance(session, Mapping) else None
    if session is not None and not (isinstance(asked_about, str) and asked_about):
        raise AttemptRefused([Diagnostic("bad-session", "`context.session` is an object with the `id` of a session")])
    code = context.pop("starter_code", "")
    if not isinstance(code, str) or len(code) > LONGEST_CODE:
        raise AttemptRefused([Diagnostic("bad-starter-code", "`context.starter_code` is a code as it was typed")])
    reserved = context.pop("try", "")
    if not isinstance(reserved, str) or len(reserved) > LONGEST_CODE:
        raise AttemptRefused([Diagnostic("bad-try", "`context.try` is the id of a try that was reserved")])
    accepted = _accepted(context.pop("accepted", []), rulebook)
    claims = claims_of(
        (subject.type, subject.id, subject.properties),
        (action.name, action.properties),
        (resource.type, resource.id, resource.properties),
        context,
        rulebook.catalogue,
    )
    methods = claims.get("auth.methods")
    if isinstance(methods, Mapping | list):
        # Whether a code is good is Caddrel's to say, however it is spelt: a door only hands on what was typed.
        kept = [name for name in methods if not (isinstance(name, str) and name.lower() == "starter-code")]
        claims["auth.methods"] = {name: methods[name] for name in kept} if isinstance(methods, Mapping) else kept
    return Asked(claims, asked_about or "", code, accepted, reserved)


def _accepted(said: Any, rulebook: Rulebook) -> tuple[str, ...]:
    """Return the notices that were accepted in their present version."""
    hint = 'such as [{"notice": "terms", "version": 3}]'
    if not isinstance(said, list) or len(said) > MOST_ACCEPTED:
        message = f"`context.accepted` is an array of at most {MOST_ACCEPTED} acceptances"
        raise AttemptRefused([Diagnostic("bad-acceptance", message, hint)])
    found: list[str] = []
    for i, each in enumerate(said):
        path = f"context.accepted[{i}]"
        if not isinstance(each, Mapping) or set(each) != {"notice", "version"} or type(each["version"]) is not int:
            raise AttemptRefused(
                [Diagnostic("bad-acceptance", "an acceptance has `notice` and `version`", hint, path=path)]
            )
        notice = rulebook.notices.get(each["notice"]) if isinstance(each["notice"], str) else None
        if notice is None:
            near = did_you_mean(str(each["notice"]), rulebook.notices)
            message = f"there is no notice `{shorten(str(each['notice']))}`"
            raise AttemptRefused([Diagnostic("bad-acceptance", message, near, path=path)])
        if notice.version == each["version"]:
            found.append(notice.id)
    return tuple(found)


def may_accept(asked: Asked, reports: Iterable[str]) -> tuple[str, ...]:
    """Return the notices accepted, none when the door may not report `auth.notices`: that is then only a claim."""
    if not asked.accepted:
        return ()
    may, others = believed({"auth.notices": list(asked.accepted)}, reports)
    asked.claims.update({name: asked.claims.get(name, value) for name, value in others.items()})
    return asked.accepted if may else ()
