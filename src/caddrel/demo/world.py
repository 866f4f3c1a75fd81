"""Who and what there is at Kelpline: people, groups, devices, apps and address lists, from a seed."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

_FIRST = """
Ines Maren Odd Sunniva Tarek Lív Bruno Yrsa Halvard Nadia Páll Ragna Emil Salka Joris Tove Kári Mina
Aron Hedda Lukas Birta Oskar Freyja Anton Elin Viktor Sól Jonas Alva Henrik Signe Matteo Dagny
Stellan Noor Ivar Wilma
""".split()
# People whom the situations tell of; nobody else gets their ids.
_NAMED = ("ines.faro", "halvard.tind", "salka.myhre", "tove.brekke", "bruno.krog", "nadia.aalto")
_LAST = """
Faro Strand Holm Vik Lund Eide Berg Skov Haug Dal Nes Sund Brekke Tind Moen Fjell Hauge Ness Aalto
Krog Rask Torp Bakke Lien Hov Viken Solheim Myhre Rud Aas
""".split()

TERMINALS = {"havnarvik": ("192.0.2.", 65), "nordkai": ("192.0.2.", 81), "sundby": ("192.0.2.", 97)}

# The terminal whose desktops stopped reporting.
SILENT = "sundby"

APPS: list[dict[str, Any]] = [
    {"id": "manifest", "title": "Manifest", "labels": ["passenger-data"]},
    {"id": "berthplan", "title": "Berthplan", "labels": ["operations"]},
    {"id": "farebox", "title": "Farebox", "labels": ["money"]},
    {"id": "crew-roster", "title": "Crew Roster", "labels": ["staff-data"]},
    {"id": "enginewatch", "title": "Enginewatch", "labels": ["operations", "machinery"]},
    {"id": "post", "title": "Post", "labels": ["mail"]},
    {"id": "library", "title": "Library", "labels": ["public"]},
    {"id": "gangway", "title": "Gangway", "labels": ["administration"]},
]
GROUPS: list[dict[str, Any]] = [
    {"id": "kelpline", "title": "Everybody at Kelpline"},
    {"id": "crew", "title": "Crew", "member_of": ["kelpline"]},
    {"id": "deck-crew", "title": "Deck crew", "member_of": ["crew"]},
    {"id": "engine-crew", "title": "Engine crew", "member_of": ["crew"]},
    {"id": "bridge", "title": "Captains and mates", "member_of": ["deck-crew"]},
    {"id": "terminal-staff", "title": "Terminal staff", "member_of": ["kelpline"]},
    {"id": "office", "title": "Head office", "member_of": ["kelpline"]},
    {"id": "keyholders", "title": "Keyholders"},
    {"id": "yard", "title": "Shipyard contractors"},
    {"id": "agents", "title": "Port agents"},
]
BAD_ADDRESSES = {"id": "bad-addresses", "title": "Addresses seen in attacks", "networks": ["198.51.100.200/29"]}


@dataclass(slots=True)
class Person:
    """A person with what the log generator needs to know about their habits."""

    document: dict[str, Any]
    kin: str
    device: str | None = None
    terminal: str = ""
    apps: tuple[str, ...] = ()

    @property
    def id(self) -> str:
        """The person's id."""
        return str(self.document["id"])


@dataclass(slots=True)
class World:
    """Everything in the inventory."""

    silent_since: datetime
    people: list[Person] = field(default_factory=list)
    devices: list[dict[str, Any]] = field(default_factory=list)

    def person(self, id: str) -> Person:
        """Return a person by id."""
        return next(p for p in self.people if p.id == id)

    def device(self, id: str) -> dict[str, Any]:
        """Return a device by id."""
        return next(d for d in self.devices if d["id"] == id)

    def objects(self) -> list[tuple[str, dict[str, Any]]]:
        """Return every inventory object with its noun."""
        return [
            *(("groups", group) for group in GROUPS),
            *(("people", person.document) for person in self.people),
            *(("devices", device) for device in self.devices),
            *(("apps", app) for app in APPS),
            ("lists", BAD_ADDRESSES),
        ]


class _Builder:
    def __init__(self, seed: int, now: datetime) -> None:
        self.random = random.Random(seed)
        self.now = now
        self.world = World(now - timedelta(days=45))
        self.used: set[str] = set(_NAMED)

    def name(self) -> tuple[str, str]:
        while True:
            first, last = self.random.choice(_FIRST), self.random.choice(_LAST)
            id = f"{first}.{last}".lower().translate(str.maketrans("áíóúæøåéö", "aiouaoaeo"))
            if id not in self.used:
                self.used.add(id)
                return id, f"{first} {last}"

    def person(self, kin: str, **fields: Any) -> Person:
        id, title = fields.pop("id", None), fields.pop("title", None)
        if id is None:
            id, title = self.name()
        self.used.add(id)
        apps = fields.pop("apps")
        document: dict[str, Any] = {"id": id, "title": title, "roles": [], **fields}
        person = Person(document, kin, apps=apps)
        self.world.people.append(person)
        return person

    def device(self, id: str, person: str | None, title: str, **fields: Any) -> dict[str, Any]:
        listed = self.now - timedelta(days=self.random.randint(60, 900))
        state = self.now - timedelta(hours=self.random.randint(1, 70))
        device: dict[str, Any] = {
            "id": id,
            "title": title,
            "serial": f"KL{self.random.randint(10**7, 10**8 - 1)}",
            "encrypted": True,
            "screen_lock": True,
            "tampered": False,
            "listed_at": listed.isoformat(),
            "state_at": state.isoformat(),
            **fields,
        }
        if person is not None:
            device["person"] = person
        self.world.devices.append(device)
        return device

    def tablet(self, person: Person, number: int) -> None:
        version = self.random.choices(("15", "15.1", "16"), (6, 3, 2))[0]
        maker = self.random.choice(("Brimtek", "Osprey"))
        id = f"tab-{number:04}"
        person.device = id
        self.device(
            id,
            person.id,
            f"Crew tablet {number}",
            owner="company",
            platform="android",
            os_version=version,
            managed=True,
            vetted=True,
            attributes={"maker": maker},
        )

    def laptop(self, person: Person, number: int) -> None:
        mac = self.random.random() < 0.3
        platform, version = ("macos", "14.6") if mac else ("windows", "10.0.22631")
        id = f"lap-{number:04}"
        person.device = id
        self.device(
            id,
            person.id,
            f"Laptop {number}",
            owner="company",
            platform=platform,
            os_version=version,
            managed=True,
            vetted=True,
            attributes={"maker": "Holmgard"},
        )


def build_world(now: datetime, seed: int = 7) -> World:
    """Return the standard world: about 120 people and 150 devices.

    Parameters
    ----------
    now
        The moment the inventory describes.
    """
    make = _Builder(seed, now)
    _fleet(make)
    _ashore(make)
    _others(make)
    return make.world


_CREW_APPS = ("crew-roster", "post", "library")


def _fleet(make: _Builder) -> None:
    factors = ["password", "authenticator-app"]
    bridge = {"unit": "/fleet/deck/bridge", "groups": ["bridge"], "kind": "employee"}
    named = [("ines.faro", "Ines Faro"), ("halvard.tind", "Halvard Tind")]
    number = 117
    for id, title in (*named, *((None, None),) * 10):
        captain = id == "halvard.tind" or number % 3 == 0
        person = make.person(
            "bridge",
            id=id,
            title=title,
            **bridge,
            factors=factors,
            apps=("manifest", *_CREW_APPS, "berthplan"),
            attributes={"clearance": 3 if captain else 2},
        )
        make.tablet(person, number)
        number += 1
    for i in range(28):
        first = ("salka.myhre", "Salka Myhre") if i == 0 else (None, None)
        person = make.person(
            "deck",
            id=first[0],
            title=first[1],
            unit="/fleet/deck",
            groups=["deck-crew"],
            kind="employee",
            factors=["password"] if i == 0 else factors,
            apps=_CREW_APPS,
            attributes={"clearance": 1},
        )
        if i:
            make.tablet(person, number)
            number += 1
    for _ in range(16):
        person = make.person(
            "engine",
            unit="/fleet/engine",
            groups=["engine-crew"],
            kind="employee",
            factors=factors,
            apps=("enginewatch", *_CREW_APPS),
            attributes={"clearance": 2},
        )
        make.tablet(person, number)
        number += 1
    # One tablet stayed on the version that the standard no longer accepts.
    make.world.device("tab-0117")["os_version"] = "14"


def _ashore(make: _Builder) -> None:
    number = 1
    for terminal in TERMINALS:
        desks = []
        for desk in range(1, 9):
            id = f"desk-{terminal}-{desk}"
            desks.append(id)
            state = make.world.silent_since if terminal == SILENT else make.now - timedelta(hours=desk)
            make.device(
                id,
                None,
                f"Counter {desk}, {terminal}",
                owner="company",
                platform="windows",
                os_version="10.0.22631",
                managed=True,
                vetted=True,
                state_at=state.isoformat(),
                attributes={"maker": "Holmgard"},
            )
        for i in range(8):
            first = ("tove.brekke", "Tove Brekke") if (terminal, i) == ("nordkai", 0) else (None, None)
            person = make.person(
                "terminal",
                id=first[0],
                title=first[1],
                unit=f"/terminals/{terminal}",
                groups=["terminal-staff"],
                kind="employee",
                factors=["password", "security-key"],
                apps=("farebox", "berthplan", "post"),
            )
            person.device, person.terminal = desks[i], terminal
    for i in range(22):
        administrator = i < 2
        person = make.person(
            "office",
            unit="/office/it" if administrator else "/office",
            groups=["office"],
            kind="employee",
            factors=["password", "passkey"] if administrator else ["password", "authenticator-app", "push"],
            apps=("gangway", "post") if administrator else ("post", "berthplan", "crew-roster", "farebox"),
        )
        if administrator:
            person.document["roles"] = ["administrator"]
        make.laptop(person, number)
        number += 1
    for i in (1, 2):
        person = make.person(
            "keyholder",
            id=f"keyholder-{i}",
            title=f"Keyholder {i}",
            unit="/office",
            groups=["keyholders"],
            kind="employee",
            factors=["security-key"],
            apps=("gangway",),
        )
        make.laptop(person, number)
        number += 1


def _others(make: _Builder) -> None:
    for i in range(9):
        first = ("bruno.krog", "Bruno Krog") if i == 0 else (None, None)
        person = make.person(
            "yard",
            id=first[0],
            title=first[1],
            home="Norr Yard",
            groups=["yard"],
            kind="contractor",
            unit="/partners/yard",
            factors=["password", "authenticator-app"],
            apps=("enginewatch", "berthplan", "library"),
            attributes={"clearance": 2},
        )
        if i:
            id = f"own-{i:04}"
            person.device = id
            make.device(
                id,
                person.id,
                f"Contractor laptop {i}",
                owner="personal",
                platform="windows",
                os_version="10.0.22631",
                managed=False,
                vetted=True,
            )
    for i in range(8):
        first = ("nadia.aalto", "Nadia Aalto") if i == 0 else (None, None)
        make.person(
            "agent",
            id=first[0],
            title=first[1],
            home="Aalto Agency" if i == 0 else "Quayside Agents",
            groups=["agents"],
            kind="guest",
            unit="/partners/agents",
            factors=["password", "text-message"],
            apps=("berthplan",),
        )
    for name in ("berth-sync", "roster-sync", "engine-feed"):
        make.person(
            "service",
            id=f"svc-{name}",
            title=f"Service {name}",
            kind="service",
            unit="/platform",
            groups=[],
            factors=["certificate"],
            apps=({"berth-sync": "berthplan", "roster-sync": "crew-roster", "engine-feed": "enginewatch"}[name],),
        )
    # Spares on the shelf, and bridge computers that nobody signs in from by name.
    for i in range(1, 33):
        make.device(
            f"spare-{i:03}",
            None,
            f"Spare tablet {i}",
            owner="company",
            platform="android",
            os_version="15",
            managed=True,
            vetted=False,
            attributes={"maker": "Brimtek"},
        )
