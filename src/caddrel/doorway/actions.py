"""What can be done at the door, one function for each button."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from caddrel.doorway.enrolment import carry_out
from caddrel.doorway.holdings import CODES, PROVES
from caddrel.doorway.networks import CLIENTS, NETWORKS, RISKS
from caddrel.doorway.service import Asking
from caddrel.doorway.visit import Visit
from caddrel.doorway.world import change_device

Form = Mapping[str, str]
# Factors that somebody could guess.
GUESSED = ("password", *CODES)
Action = Callable[[Asking, Visit, Form], None]


def _ask(asking: Asking, visit: Visit) -> None:
    asking.decide(visit)
    # An acceptance is kept by the service from then on, and a starter code was good for this question or is not.
    visit.accepted, visit.starter_code = [], ""
    carry_out(asking, visit)


def _prove(asking: Asking, visit: Visit, form: Form) -> None:
    """Prove a factor; whatever is wrong is told to Caddrel too, since guessing shows in the log."""
    factor, typed = form.get("factor", ""), form.get("typed", "")
    if factor not in visit.factors or factor not in PROVES:
        visit.said = "That is not enrolled."
        return
    if factor in GUESSED:
        # Reserved before it is looked at: of many at once no more are than may be.
        lock = asking.reserve_try(visit.person, visit.app)
        if lock.locked:
            visit.said = f"Too many wrong tries. Try again after {(lock.until or '')[11:16]} UTC."
            return
        visit.reserved = lock.reserved
    held = asking.holdings(visit.person)
    right = {
        "password": lambda: held.knows(typed),
        "authenticator-app": lambda: held.is_code(typed),
        "text-message": lambda: held.is_text(typed),
    }.get(factor, lambda: True)()
    if not right:
        if factor in GUESSED:
            asking.decide(visit, "wrong")
        visit.said = "That password is not right." if factor == "password" else "That code is not right, or was used."
        return
    visit.prove(factor)
    _ask(asking, visit)


def _accept(asking: Asking, visit: Visit, form: Form) -> None:
    notice, version = form.get("notice", ""), form.get("version", "")
    if notice and version.isascii() and version.isdigit() and len(version) < 10:
        visit.accepted = [{"notice": notice, "version": int(version)}]
    _ask(asking, visit)


def _choose(asking: Asking, visit: Visit, form: Form) -> None:
    """Take a new password, when every standard that applies lets it pass."""
    candidate = form.get("typed", "")
    if asking.holdings(visit.person).knows(candidate):
        visit.said = "That is the password you have."
        return
    result = asking.choose_password(visit.person, candidate, visit.app)
    if not result.passes:
        visit.said = "That password is not good enough."
        visit.failed = tuple(rule.says for standard in result.standards for rule in standard.failed)
        return
    visit.methods["password-changed"] = visit.clock()
    if visit.operation == "change-password":
        visit.done = "Your password is changed."
        return
    _ask(asking, visit)


def _starter_code(asking: Asking, visit: Visit, form: Form) -> None:
    visit.starter_code = form.get("typed", "")[:100]
    _ask(asking, visit)
    if visit.answer is not None and not visit.answer.decision:
        visit.said = "That code did not help: it is not yours, not good now, or was used already."


def _open(asking: Asking, visit: Visit, form: Form) -> None:
    """Open a page of the app, or try again: whatever is done inside is asked again."""
    visit.page = form.get("page", visit.page)[:100]
    _ask(asking, visit)


def _surroundings(_asking: Asking, visit: Visit, form: Form) -> None:
    """Carry the person somewhere else; the next click feels it."""
    visit.network = form["network"] if form.get("network") in NETWORKS else visit.network
    visit.client = form["client"] if form.get("client") in CLIENTS else visit.client
    visit.risk = form["risk"] if form.get("risk") in RISKS else visit.risk


ACTIONS: dict[str, Action] = {
    "/prove": _prove,
    "/accept": _accept,
    "/choose": _choose,
    "/starter-code": _starter_code,
    "/open": _open,
    "/again": lambda _asking, visit, _form: visit.forget(),
    "/text": lambda asking, visit, _form: asking.holdings(visit.person).send_text(),
    "/surroundings": _surroundings,
    "/device": change_device,
}


def may(visit: Visit, action: Action) -> bool:
    """Tell whether an action can be taken: nobody opens, accepts or changes anything before a first proof."""
    return bool(visit.methods) or action not in (_accept, _choose, _starter_code, _open)
