"""Checking candidate passwords, remembering what passwords were used, and telling who is locked out.

Candidates are held in memory for the length of a request and written nowhere; what is remembered is a salted argon2
digest, kept only where a standard forbids earlier passwords.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable

from argon2.low_level import Type, hash_secret_raw

from caddrel.core.facts.facts import Facts, Setting
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Entry
from caddrel.core.passwords.candidates import LONGEST, Checked, check_candidate, standards_for
from caddrel.core.passwords.lockout import LockOut
from caddrel.core.rulebook.model import PasswordStandard
from caddrel.service.auth.lockouts import LockOuts
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.data_folder import DataFolder
from caddrel.wire import passwords as wire


def check(data: DataFolder, request: wire.CandidateRequest) -> wire.CandidateResult:
    """Return whether a candidate passes, with every failed rule of every standard that applies."""
    checked = _check(data, request)
    return _result(checked)


def change(data: DataFolder, request: wire.CandidateRequest) -> wire.CandidateResult:
    """Check a password that a person has chosen, and remember its digest when it passes and a standard asks for it."""
    checked = _check(data, request)
    result = _result(checked)
    kept = _most_kept(data)
    if result.passes and kept:
        salt = data.passwords.salt(request.person) or secrets.token_bytes(16)
        data.passwords.remember(request.person, salt, _digest(request.candidate, salt), data.clock(), kept)
    return result


def _result(checked: list[Checked]) -> wire.CandidateResult:
    standards = [
        wire.StandardResult(
            found.standard.id,
            found.standard.title,
            [wire.FailedRule(failed.rule, failed.says) for failed in found.failed],
            list(found.not_checked),
        )
        for found in checked
    ]
    return wire.CandidateResult(not any(found.failed for found in checked), standards)


def _check(data: DataFolder, request: wire.CandidateRequest) -> list[Checked]:
    if not 0 < len(request.candidate) <= LONGEST:
        raise ServiceError(422, "bad-candidate", f"a candidate has 1 to {LONGEST} characters")
    person = _person(data, request.person)
    standards = _standards(data, request.person, request.app)
    age = request.age
    if age is not None and not 0 <= age < 1e12:
        raise ServiceError(422, "bad-candidate", "`age` is a number of seconds, 0 or more")
    names = [request.person, person.title]
    return check_candidate(standards, request.candidate, names, _used(data, request), age)


def _used(data: DataFolder, request: wire.CandidateRequest) -> Callable[[int], bool]:
    def used_lately(last: int) -> bool:
        salt = data.passwords.salt(request.person)
        return salt is not None and _digest(request.candidate, salt) in data.passwords.latest(request.person, last)

    return used_lately


def _digest(candidate: str, salt: bytes) -> bytes:
    # One salt a person: a candidate is hashed once, however many earlier ones it is compared with.
    return hash_secret_raw(candidate.encode(), salt, 3, 19 * 1024, 1, 32, Type.ID)


def _most_kept(data: DataFolder) -> int:
    standards = data.rulebooks.need_current().rulebook.password_standards.values()
    return max((int(str(s.must.get("not_last", 0))) for s in standards), default=0)


def _person(data: DataFolder, id: str) -> Entry:
    person = data.inventories.current().people.get(id)
    if person is None:
        raise not_found("person", "see caddrel people list")
    return person


def _standards(data: DataFolder, person: str, app: str) -> list[PasswordStandard]:
    rulebook = data.rulebooks.need_current().rulebook
    inventory = data.inventories.current()
    if app and app not in inventory.apps:
        raise not_found("app", "see caddrel apps list")
    said: dict[str, Value] = {"person.id": person, **({"app.id": app} if app else {})}
    facts: Facts = complete(said, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.OFFLINE)
    return standards_for(rulebook, facts)


def lock_state(data: DataFolder, lockouts: LockOuts, person: str, app: str) -> wire.LockState:
    """Return whether a person is locked out now, from the wrong credentials that the log holds."""
    _person(data, person)
    return _lock_state(lockouts.state(person, _standards(data, person, app), data.clock()))


def _lock_state(found: LockOut | None, reserved: str = "") -> wire.LockState:
    if found is None:
        return wire.LockState(False, reserved=reserved)
    return wire.LockState(True, found.standard, show_moment(found.since), show_moment(found.until), found.wrong)


def reserve_try(data: DataFolder, lockouts: LockOuts, person: str, app: str) -> wire.LockState:
    """Reserve a try before a password is looked at; whoever is locked out gets none.

    It counts as wrong until an evaluation tells what came of it (``context.try``), so that of many at once no more are
    looked at than the strictest standard allows.
    """
    # Of whoever the inventory does not know too: a guesser learns nothing from the answer.
    standards = _standards(data, person, app) if person else []
    return _lock_state(*lockouts.reserve(person, standards, data.clock))


def lift_lock(data: DataFolder, lockouts: LockOuts, person: str, by: str) -> wire.LockState:
    """Let a person's wrong passwords up to now count no more; return how it stands then."""
    _person(data, person)
    data.unlocks.lift(person, data.clock(), by)
    return lock_state(data, lockouts, person, "")
