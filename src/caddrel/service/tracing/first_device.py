"""The steps to a first device: registering, a first factor, the device, and opening an app from it.

Each is rehearsed with what there is by then. A step that only a starter code gets past says so; one that nothing gets
past is a dead end, and those after it are told as if it were passed.
Not here: one rehearsal (`tracing.rehearse`).
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping

from caddrel.core.facts.attempts import SHORT
from caddrel.core.remedies.factors import FACTOR_WORDS
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.pieces import Sentence, counted, say
from caddrel.service.rulebooks.view import pieces
from caddrel.service.state.context import State
from caddrel.service.state.titles import title_of, titled
from caddrel.service.tracing.enrolment import Tried, tried
from caddrel.service.tracing.rehearse import completed, rulebook_for
from caddrel.wire import rehearsals as wire
from caddrel.wire.decisions import RehearseRequest, RuleRef

# Seconds of the processor.
LONGEST = 4.0
_DEFAULTS = {"enrolling.factor": "authenticator-app", "enrolling.owner": "company", "enrolling.depth": "managed"}
# An id that the inventory does not have: a device that is new.
NEW_DEVICE = "the-first-device"


def first_device(state: State, request: wire.FirstDeviceRequest) -> wire.FirstDevice:
    """Return the steps, each rehearsed.

    Raises
    ------
    AttemptRefused
        Naming the facts that cannot be read, and a person or app that the inventory does not know.
    """
    asked = RehearseRequest(given=request.given, revision=request.revision, draft=request.draft, files=request.files)
    rulebook, _, _ = rulebook_for(state, asked)
    inventory = state.inventories.current()
    named = titled(rulebook, inventory)
    until = time.thread_time() + LONGEST
    told = {SHORT.get(name, name): text for name, text in request.given.items() if text.strip()}
    steps = []
    for step, title, given in _steps(named, {**_DEFAULTS, **told}):
        facts = completed(state, named, inventory, RehearseRequest(given=given))
        found = tried(state, named, inventory, facts, state.drafted.reads(rulebook), lambda: time.thread_time() > until)
        steps.append(_view(step, title, given, found))
    person = title_of(inventory, "people", told.get("person.id")) or told.get("person.id", "")
    return wire.FirstDevice(pieces(_sum(steps, person or "A new hand")), steps)


def _steps(rulebook: Rulebook, told: Mapping[str, str]) -> Iterator[tuple[str, str, dict[str, str]]]:
    """Yield each step with its title and facts as text."""
    enrolling = {name: text for name, text in told.items() if name.startswith("enrolling.")}
    rest = {name: text for name, text in told.items() if name not in enrolling}
    factor = enrolling["enrolling.factor"]
    new = {"device.listed": "no", "person.factors": "password", "auth.methods": "pwd"}
    spoken = {operation for policy in rulebook.policies.values() for operation in policy.scope.operations}
    if "register-account" in spoken:
        yield "register-account", "Register the account", {**new, **rest, "operation": "register-account"}
    enrols = {"operation": "enrol-factor", "enrolling.factor": factor}
    yield "enrol-factor", f"Enrol {FACTOR_WORDS.get(factor, factor)}", {**new, **rest, **enrols}
    new["person.factors"] = f"password,{factor}"
    depth = {name: enrolling[name] for name in ("enrolling.owner", "enrolling.depth")}
    yield "enrol-device", "Enrol the device", {**new, **rest, **depth, "operation": "enrol-device"}
    there = {
        "device.id": NEW_DEVICE,
        "device.listed": "yes",
        "device.owner": depth["enrolling.owner"],
        "device.managed": "yes" if depth["enrolling.depth"] == "managed" else "no",
        "device.vetted": "no",
        "device.listed_for": "0s",
    }
    yield "sign-in", "Sign in from it", {**new, **there, **rest, "operation": "sign-in"}


def _view(step: str, title: str, given: Mapping[str, str], found: Tried) -> wire.FirstDeviceStep:
    coded = {"person.factors": f"{given['person.factors']},starter-code", "auth.methods": "pwd,starter-code"}
    return wire.FirstDeviceStep(
        step,
        title,
        pieces(found.sentence),
        list(found.answer.possible),
        found.answer.exact,
        found.closed,
        pieces(found.why) if found.closed else [],
        [RuleRef(ref.policy, ref.rule) for ref in found.decision.deciding],
        {**given, **coded} if found.code else dict(given),
        found.code,
    )


def _sum(steps: list[wire.FirstDeviceStep], who: str) -> Sentence:
    dead = [each for each in steps if each.dead_end]
    if dead:
        return say(f"{who} cannot get past “{dead[0].title}”: it is a dead end.")
    codes = [each.title for each in steps if each.needs_code]
    code = f", with a starter code for “{'” and “'.join(codes)}”" if codes else ""
    turns = any(len(each.possible) > 1 for each in steps)
    doubt = "; on what it turns is told at each step" if turns else ""
    return say(f"{who} gets in with a first device in {counted(len(steps), 'step')}{code}{doubt}.")
