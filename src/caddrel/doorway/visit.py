"""A visit to the door: who came, from where, what they have proved so far, and what they were told."""

from __future__ import annotations

import secrets
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from caddrel.doorway.holdings import PROVES
from caddrel.doorway.networks import CLIENT_FACTS, NETWORKS
from caddrel.wire.authzen import AccessDecision, Action, Entity, Evaluation

OPERATIONS = {
    "sign-in": "Sign in",
    "enrol-device": "Enrol a device",
    "enrol-factor": "Enrol a factor",
    "change-password": "Change the password",
}


@dataclass(slots=True)
class Visit:
    """One person at the door.

    Attributes
    ----------
    methods
        When each method was last proved, in seconds.
    said
        What the door says beside the answer, such as that a code was wrong.
    done
        What has been enrolled or changed, once it was allowed.
    """

    person: str
    title: str
    app: str
    app_title: str
    operation: str
    device: str
    network: str
    client: str = "browser"
    risk: str = "none"
    factors: tuple[str, ...] = ()
    enrolling: Mapping[str, str] = field(default_factory=dict)
    serial: str = ""
    clock: Callable[[], float] = time.time
    methods: dict[str, float] = field(default_factory=dict)
    accepted: list[dict[str, str | int]] = field(default_factory=list)
    starter_code: str = ""
    reserved: str = ""
    session: str = ""
    answer: AccessDecision | None = None
    page: str = ""
    said: str = ""
    failed: tuple[str, ...] = ()
    done: str = ""
    key: str = field(default_factory=lambda: secrets.token_urlsafe(32))

    def prove(self, factor: str) -> None:
        """Note that a factor was proved this moment."""
        self.methods.update(dict.fromkeys(PROVES[factor], self.clock()))

    def ages(self) -> dict[str, float]:
        """Return the methods with their ages in seconds."""
        return {method: round(max(self.clock() - at, 0.0), 1) for method, at in self.methods.items()}

    def forget(self) -> None:
        """Begin anew: nothing is proved, nobody is in."""
        self.methods, self.accepted, self.starter_code, self.session = {}, [], "", ""
        self.answer, self.page, self.done = None, "", ""

    def evaluation(self, credentials: str = "right") -> Evaluation:
        """Return what the door asks: only what it sees itself."""
        device = {"id": self.device} if self.device else {}
        if self.serial:
            device["serial"] = self.serial
        context: dict[str, Any] = {
            "network": dict(NETWORKS[self.network].facts),
            "client": dict(CLIENT_FACTS[self.client]),
            "auth": {"methods": self.ages(), "credentials": credentials},
            "risk": {"attempt": self.risk},
        }
        if device:
            context["device"] = device
        said = {"accepted": self.accepted, "starter_code": self.starter_code, "try": self.reserved}
        context.update({name: value for name, value in said.items() if value})
        if self.session:
            context["session"] = {"id": self.session}
        return Evaluation(
            Entity("person", self.person),
            Action(self.operation, dict(self.enrolling)),
            Entity("app", self.app),
            context,
        )
