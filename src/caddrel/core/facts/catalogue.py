"""The one table of facts: name, type, closed lists of words, and what each fact says.

Checker, completion, reference pages and forms all read it.
Not here: reading values (`values`), filling gaps (`completion`).
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from caddrel.core.facts.countries import COUNTRIES
from caddrel.core.facts.types import LEVELS, FactType

FACTORS = (
    "password",
    "authenticator-app",
    "text-message",
    "push",
    "security-key",
    "passkey",
    "certificate",
    "starter-code",
)
OPERATIONS = ("sign-in", "enrol-device", "enrol-factor", "change-password", "register-account")
KINDS = ("employee", "contractor", "guest", "service")

# RFC 8176 section 2, and two of Caddrel's own: a starter code used, a password just changed.
METHODS = (
    *"face fpt geo hwk iris kba mca mfa otp pin pop pwd rba retina sc sms swk tel user vbm wia".split(),
    "starter-code",
    "password-changed",
)


@dataclass(frozen=True, slots=True)
class FactSpec:
    """One row of the catalogue.

    Attributes
    ----------
    name
        Dotted name, as written in conditions.
    type
        How values are read and compared.
    doc
        What the fact says, one sentence.
    words
        The closed list of a word, level, factors or methods fact; for other types empty.
    """

    name: str
    type: FactType
    doc: str
    words: tuple[str, ...] = ()


def _rows() -> Iterator[FactSpec]:  # noqa: PLR0915 - a table, a row a fact
    t = FactType
    yield FactSpec("person.id", t.NAME, "Who signs in.")
    yield FactSpec("person.kind", t.WORD, "What kind of account it is.", KINDS)
    yield FactSpec("person.home", t.TEXT, "A guest's own organisation.")
    yield FactSpec("person.unit", t.PATH, "The unit the person belongs to, as a path.")
    yield FactSpec("person.groups", t.NAMES, "The person's groups, closed over nesting.")
    yield FactSpec("person.roles", t.NAMES, "The person's roles.")
    yield FactSpec("person.factors", t.NAMES, "The factors the person has enrolled.", FACTORS)
    yield FactSpec("person.risk", t.LEVEL, "Is the account itself suspected?", LEVELS)
    yield FactSpec("app.id", t.NAME, "What the person wants to open.")
    yield FactSpec("app.labels", t.NAMES, "The app's labels.")
    yield FactSpec("operation", t.WORD, "What is being done.", OPERATIONS)
    yield FactSpec("enrolling.factor", t.WORD, "The factor being enrolled.", FACTORS)
    yield FactSpec("enrolling.owner", t.WORD, "Whose the device being enrolled is.", ("company", "personal"))
    yield FactSpec("enrolling.depth", t.WORD, "Is the device only made known, or managed?", ("noted", "managed"))
    yield FactSpec("network.ip", t.ADDRESS, "The address the attempt comes from.")
    yield FactSpec("network.country", t.WORD, "ISO 3166-1 alpha-2 code of the country.", COUNTRIES)
    yield FactSpec("network.city", t.TEXT, "The city the address is in.")
    yield FactSpec("network.asn", t.NUMBER, "Number of the autonomous system.")
    yield FactSpec(
        "network.anonymiser",
        t.WORD,
        "What hides the true origin, if anything.",
        ("none", "vpn", "proxy", "relay", "tor"),
    )
    yield FactSpec("device.id", t.NAME, "The device's id.")
    yield FactSpec("device.serial", t.NAME, "The device's serial number.")
    yield FactSpec("device.listed", t.FLAG, "Is the device in the inventory?")
    yield FactSpec("device.managed", t.FLAG, "Is the device managed?")
    yield FactSpec("device.encrypted", t.FLAG, "Is its storage encrypted?")
    yield FactSpec("device.screen_lock", t.FLAG, "Does its screen lock?")
    yield FactSpec("device.tampered", t.FLAG, "Has it been tampered with?")
    yield FactSpec("device.vetted", t.FLAG, "Has an administrator said it may be used?")
    yield FactSpec("device.owner", t.WORD, "Whose it is.", ("company", "personal", "unlisted"))
    yield FactSpec(
        "device.platform",
        t.WORD,
        "What it runs.",
        ("windows", "macos", "linux", "ios", "android", "chromeos", "other"),
    )
    yield FactSpec("device.os_version", t.VERSION, "OS version.")
    yield FactSpec("device.state_age", t.DURATION, "Age of the last report of its state.")
    yield FactSpec("device.listed_for", t.DURATION, "Time since it entered the inventory.")
    yield FactSpec("client.kind", t.WORD, "What kind of program asks.", ("browser", "native", "legacy"))
    yield FactSpec("client.name", t.TEXT, "The program's name.")
    yield FactSpec("client.version", t.VERSION, "The program's version.")
    yield FactSpec("client.vetted", t.FLAG, "Is it on the list of clients that may be used?")
    yield FactSpec("client.protected", t.FLAG, "Does it keep company data apart on the device?")
    yield FactSpec(
        "flow",
        t.WORD,
        "How the sign-in runs; device-code is RFC 8628.",
        ("interactive", "device-code", "handoff", "password-grant", "refresh"),
    )
    yield FactSpec("risk.attempt", t.LEVEL, "Is this attempt itself suspicious?", LEVELS)
    yield FactSpec("signals", t.NAMES, "The rulebook's signals that fired.")
    yield FactSpec("time.at", t.MOMENT, "When, RFC 3339 with offset.")
    yield FactSpec(
        "auth.credentials",
        t.WORD,
        "What the door saw of the first factor; wrong is blocked before any policy.",
        ("right", "wrong"),
    )
    yield FactSpec("auth.locked_out", t.FLAG, "Were there too many wrong passwords? Worked out from the log when live.")
    yield FactSpec("auth.methods", t.METHODS, "RFC 8176 methods used in this session, with ages.", METHODS)
    yield FactSpec("auth.age", t.DURATION, "Age of the methods reported without one.")
    yield FactSpec("auth.notices", t.NAMES, "Notices accepted in their current version.")


FACTS: Mapping[str, FactSpec] = {spec.name: spec for spec in _rows()}

ATTRIBUTE_NAME = re.compile(r"(person|device|app)\.attributes\.[a-z][a-z0-9_-]*")
ATTRIBUTE_TYPES = (
    FactType.TEXT,
    FactType.FLAG,
    FactType.NUMBER,
    FactType.VERSION,
    FactType.LEVEL,
    FactType.NAME,
    FactType.NAMES,
)


def attribute_spec(name: str, fact_type: FactType, doc: str = "") -> FactSpec:
    """Return the row for an attribute that a rulebook declares."""
    words = LEVELS if fact_type is FactType.LEVEL else ()
    return FactSpec(name, fact_type, doc or "An attribute of the rulebook's own.", words)


class Catalogue(Mapping[str, FactSpec]):
    """The facts of one rulebook: the built-in ones and its attributes."""

    def __init__(self, attributes: Mapping[str, FactSpec] | None = None) -> None:
        self.attributes = dict(attributes or {})
        self.prefixes = frozenset(name[:i] for name in self for i, char in enumerate(name) if char == ".")

    def __getitem__(self, name: str) -> FactSpec:
        return FACTS[name] if name in FACTS else self.attributes[name]

    def __iter__(self) -> Iterator[str]:
        yield from FACTS
        yield from self.attributes

    def __len__(self) -> int:
        return len(FACTS) + len(self.attributes)
