"""The situations of the demo: what happened to whom, as a door would report it, and how to find each.

Only attempts are told here. What comes of them, and why, is for the rulebook to say.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from caddrel.demo.world import World


@dataclass(frozen=True, slots=True)
class Situation:
    """One situation: what it is about, and the filters of `signins list` that find it."""

    name: str
    story: str
    find: str


SITUATIONS = (
    Situation(
        "mate-tablet",
        "A mate whose tablet fell below the patch level",
        "--person ines.faro --app manifest --outcome blocked",
    ),
    Situation(
        "captain-hotel",
        "A captain signing in from a hotel on holiday",
        "--person halvard.tind --policy abroad",
    ),
    Situation(
        "contractor-laptop",
        "A contractor with a personal laptop",
        "--person bruno.krog --outcome blocked",
    ),
    Situation(
        "stolen-password",
        "A sign-in through an anonymiser with a stolen password",
        "--policy hidden-origins --outcome blocked",
    ),
    Situation(
        "after-hours",
        "A terminal worker outside shore hours",
        "--person tove.brekke --policy farebox-at-the-counter --rule after-hours",
    ),
    Situation(
        "impossible-trip",
        "An impossible trip between two ports",
        "--person tove.brekke --policy unusual-sign-ins --rule impossible-trip",
    ),
    Situation(
        "guest-terms",
        "A guest who has not accepted a notice",
        "--person nadia.aalto --outcome challenged",
    ),
    Situation(
        "new-hand",
        "A new hand enrolling a first tablet with a starter code",
        "--person salka.myhre --operation enrol-device",
    ),
    Situation(
        "old-mail",
        "An old mail client",
        "--app post --client legacy",
    ),
    Situation(
        "device-code",
        "A device-code sign-in nobody expected",
        "--flow device-code --outcome blocked",
    ),
    Situation(
        "shadow-terminal",
        "A policy in shadow mode that would have blocked a whole terminal",
        "--shadow-together blocked --outcome allowed",
    ),
)


def situations(world: World, end: datetime) -> list[tuple[datetime, dict[str, Any]]]:
    """Return the attempts of every situation that the ordinary days do not hold already, with their moments."""

    def at(days_before: int, hour: int, minute: int) -> datetime:
        return end - timedelta(days=days_before) + timedelta(hours=hour, minutes=minute)

    browser = {"client.kind": "browser", "client.name": "Seabird", "client.version": "132.0"}
    right: dict[str, Any] = {"auth.credentials": "right", "auth.notices": []}
    captain = world.person("halvard.tind")
    mate = world.person("ines.faro")
    hotel = {"network.ip": "203.0.113.201"}
    laptop = {
        "device.platform": "windows",
        "device.os_version": "10.0.19045",
        "device.encrypted": False,
        "device.screen_lock": True,
        "device.tampered": False,
        "device.owner": "personal",
    }
    stolen = {
        "network.ip": "198.51.100.203",
        "network.country": "RO",
        "network.asn": 64511,
        "network.anonymiser": "tor",
    }
    yard = {"network.ip": "198.51.100.141"}
    quay = {"network.ip": "203.0.113.77"}
    home = {"network.ip": "203.0.113.188"}
    found: list[tuple[datetime, dict[str, Any]]] = []

    def add(moment: datetime, person: str, app: str, *parts: dict[str, Any]) -> None:
        facts: dict[str, Any] = {"person.id": person, "app.id": app, **browser, **right}
        for part in parts:
            facts |= part
        found.append((moment, facts))

    fresh = {"auth.methods": {"pwd": 20, "otp": 8}}
    only_password = {"auth.methods": {"pwd": 6}}
    on_board = {"network.ip": "198.51.100.90"}
    add(at(1, 7, 10), mate.id, "manifest", on_board, {"device.id": "tab-0117"}, fresh)
    add(
        at(5, 20, 41),
        captain.id,
        "crew-roster",
        hotel,
        {"device.id": str(captain.device)},
        {"auth.methods": {"pwd": 9000, "otp": 9000}},
    )
    add(at(5, 20, 42), captain.id, "crew-roster", hotel, {"device.id": str(captain.device)}, fresh)
    add(at(3, 9, 15), "bruno.krog", "enginewatch", yard, laptop, fresh)
    add(at(3, 9, 22), "bruno.krog", "berthplan", yard, laptop, fresh)
    add(at(4, 2, 33), mate.id, "post", stolen, only_password)
    add(at(4, 2, 34), mate.id, "crew-roster", stolen, only_password)
    add(
        at(2, 22, 50),
        "tove.brekke",
        "farebox",
        {"network.ip": "192.0.2.83", "device.id": "desk-nordkai-1"},
        {"auth.methods": {"pwd": 30, "hwk": 22, "pop": 22}},
    )
    counter = {"network.ip": "192.0.2.83", "device.id": "desk-nordkai-1"}
    add(at(3, 10, 2), "tove.brekke", "post", counter, {"auth.methods": {"pwd": 14, "hwk": 8, "pop": 8}})
    add(at(3, 10, 26), "tove.brekke", "post", {"network.ip": "203.0.113.21"}, only_password)
    add(at(6, 11, 4), "nadia.aalto", "berthplan", quay, {"auth.methods": {"pwd": 15, "sms": 6}})
    tablet = {
        "enrolling.owner": "company",
        "enrolling.depth": "managed",
        "device.serial": "KL90000117",
        "device.platform": "android",
    }
    enrolling = {"operation": "enrol-device", **tablet}
    add(at(2, 8, 5), "salka.myhre", "library", on_board, enrolling, only_password)
    add(at(2, 8, 31), "salka.myhre", "library", on_board, enrolling, {"auth.methods": {"pwd": 12, "starter-code": 5}})
    old = {"client.kind": "legacy", "client.name": "Postbag", "client.version": "3.1"}
    add(at(7, 6, 58), str(world.people[20].id), "post", home, old, only_password)
    add(at(8, 13, 12), str(world.people[64].id), "post", quay, {"flow": "device-code"}, fresh)
    return found
