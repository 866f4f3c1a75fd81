"""The two who are behind the door: one asks whether somebody may come in, the other changes the world outside.

The door asks with a token that may do nothing else. Everything that a sign-in page does not see (devices that report
their state, the inventory that takes in what was enrolled) goes with the token that the doorway was started with.
"""

from __future__ import annotations

import threading
import uuid
from typing import Any

import msgspec

from caddrel.client import Caddrel, Unreachable
from caddrel.door import Gate, Visitor
from caddrel.doorway.holdings import Holdings
from caddrel.doorway.visit import Visit
from caddrel.wire.authzen import AccessDecision
from caddrel.wire.inventory import DeviceState, Item
from caddrel.wire.passwords import CandidateResult, LockState

NAME = "doorway"
# Seconds: whoever watches a demo has more patience than whoever wants to work.
DEADLINE = 30.0


class Asking:
    """Asks a service; its tokens are made at the first question and revoked at the end.

    Parameters
    ----------
    operator
        A client whose token is an operator's.
    """

    def __init__(self, operator: Caddrel) -> None:
        self._operator = operator
        self.url = operator.url
        self._clients: dict[str, Caddrel] = {}
        self._asks: Gate | None = None
        self._tokens: list[str] = []
        self._held: dict[str, Holdings] = {}
        self._lock = threading.Lock()

    def _client(self, name: str, role: str) -> Caddrel:
        with self._lock:
            if name not in self._clients:
                self._clients[name] = Caddrel(self._operator.url, self._token(name, role))
            return self._clients[name]

    def _token(self, name: str, role: str) -> str:
        made = self._operator.tokens.create(name, role, days=1)
        self._tokens.append(made.info.id)
        return made.token

    def _gate(self) -> Gate:
        """Return whom to ask, about every app."""
        with self._lock:
            if self._asks is None:
                self._asks = Gate(self.url, self._token(NAME, "door"), "", deadline=DEADLINE)
            return self._asks

    def holdings(self, person: str) -> Holdings:
        """Return what a person knows and holds."""
        with self._lock:
            return self._held.setdefault(person, Holdings(person))

    def decide(self, visit: Visit, credentials: str = "right") -> AccessDecision:
        """Return the decision on a visit as it is now."""
        verdict = self._gate().decide(visit.evaluation(credentials), uuid.uuid4().hex)
        if verdict.decision is None:
            # Closed: nobody is let in while nobody answers.
            raise Unreachable(" ".join(verdict.tell))
        answer = verdict.decision
        # What came of the try is told with it.
        visit.reserved = ""
        if credentials == "right":
            visit.answer = answer
            session = answer.context.get("session", {})
            visit.session = str(session.get("id", "" if "ended" in session else visit.session))
        return answer

    def sign_out(self, visit: Visit) -> None:
        """End the session of a visit."""
        if visit.session:
            self._gate().sign_out(Visitor(visit.person, visit.session))

    def reserve_try(self, person: str, app: str) -> LockState:
        """Return a try for looking at a password or code, or that the person is locked out."""
        return self._client(NAME, "door").passwords.reserve_try(person, app)

    def choose_password(self, person: str, candidate: str, app: str) -> CandidateResult:
        """Check a password that a person has chosen; it is theirs when it passes."""
        result = self._client(NAME, "door").passwords.change(person, candidate, app)
        if result.passes:
            self.holdings(person).choose(candidate)
        return result

    def report(self, device: str, state: DeviceState) -> Item:
        """Report a device's state, as the device itself."""
        return self._client(device, "device").report_state(device, state)

    def people(self) -> list[Item]:
        """Return everybody."""
        return list(self._operator.people.all())

    def devices(self) -> list[Item]:
        """Return every device."""
        return list(self._operator.devices.all())

    def apps(self) -> list[Item]:
        """Return every app."""
        return list(self._operator.apps.all())

    def device(self, id: str) -> Item:
        """Return one device as it is known now."""
        return self._operator.devices.get(id).item

    def person(self, id: str) -> Item:
        """Return one person as they are known now."""
        return self._operator.people.get(id).item

    def take_in(self, noun: str, document: dict[str, Any]) -> None:
        """Put an object into the inventory."""
        things = self._operator.devices if noun == "devices" else self._operator.people
        things.import_([msgspec.json.encode(document)])

    def close(self) -> None:
        """Revoke the tokens and close the connections."""
        for client in self._clients.values():
            client.close()
        if self._asks is not None:
            self._asks.close()
        for id in self._tokens:
            self._operator.tokens.revoke(id)
        self._operator.close()
