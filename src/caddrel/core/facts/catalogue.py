"""The one table of facts: name, type, closed lists of words, and what each fact says.

Checker, completion, reference pages and forms all read it.
Not here: reading values (`values`), filling gaps (`completion`).
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

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
    # The words by their small letters; made once, since they are looked for in everything that is reported.
    folded: Mapping[str, str] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        """Fold the words."""
        object.__setattr__(self, "folded", {word.lower(): word for word in self.words})


_ROWS = (
    FactSpec("person.id", FactType.NAME, "Who signs in."),
    FactSpec("person.kind", FactType.WORD, "What kind of account it is.", KINDS),
    FactSpec("person.home", FactType.TEXT, "A guest's own organisation."),
    FactSpec("person.unit", FactType.PATH, "The unit the person belongs to, as a path."),
    FactSpec("person.groups", FactType.NAMES, "The person's groups, closed over nesting."),
    FactSpec("person.roles", FactType.NAMES, "The person's roles."),
    FactSpec("person.factors", FactType.NAMES, "The factors the person has enrolled.", FACTORS),
    FactSpec("person.risk", FactType.LEVEL, "Is the account itself suspected?", LEVELS),
    FactSpec("app.id", FactType.NAME, "What the person wants to open."),
    FactSpec("app.labels", FactType.NAMES, "The app's labels."),
    FactSpec("operation", FactType.WORD, "What is being done.", OPERATIONS),
    FactSpec("enrolling.factor", FactType.WORD, "The factor being enrolled.", FACTORS),
    FactSpec("enrolling.owner", FactType.WORD, "Whose the device being enrolled is.", ("company", "personal")),
    FactSpec("enrolling.depth", FactType.WORD, "Is the device only made known, or managed?", ("noted", "managed")),
    FactSpec("network.ip", FactType.ADDRESS, "The address the attempt comes from."),
    FactSpec("network.country", FactType.WORD, "ISO 3166-1 alpha-2 code of the country.", COUNTRIES),
    FactSpec("network.city", FactType.TEXT, "The city the address is in."),
    FactSpec("network.asn", FactType.NUMBER, "Number of the autonomous system."),
    FactSpec(
        "network.anonymiser",
        FactType.WORD,
        "What hides the true origin, if anything.",
        ("none", "vpn", "proxy", "relay", "tor"),
    ),
    FactSpec("device.id", FactType.NAME, "The device's id."),
    FactSpec("device.serial", FactType.NAME, "The device's serial number."),
    FactSpec("device.listed", FactType.FLAG, "Is the device in the inventory?"),
    FactSpec("device.managed", FactType.FLAG, "Is the device managed?"),
    FactSpec("device.encrypted", FactType.FLAG, "Is its storage encrypted?"),
    FactSpec("device.screen_lock", FactType.FLAG, "Does its screen lock?"),
    FactSpec("device.tampered", FactType.FLAG, "Has it been tampered with?"),
    FactSpec("device.vetted", FactType.FLAG, "Has an administrator said it may be used?"),
    FactSpec("device.owner", FactType.WORD, "Whose it is.", ("company", "personal", "unlisted")),
    FactSpec(
        "device.platform",
        FactType.WORD,
        "What it runs.",
        ("windows", "macos", "linux", "ios", "android", "chromeos", "other"),
    ),
    FactSpec("device.os_version", FactType.VERSION, "OS version."),
    FactSpec("device.state_age", FactType.DURATION, "Age of the last report of its state."),
    FactSpec("device.listed_for", FactType.DURATION, "Time since it entered the inventory."),
    FactSpec("client.kind", FactType.WORD, "What kind of program asks.", ("browser", "native", "legacy")),
    FactSpec("client.name", FactType.TEXT, "The program's name."),
    FactSpec("client.version", FactType.VERSION, "The program's version."),
    FactSpec("client.vetted", FactType.FLAG, "Is it on the list of clients that may be used?"),
    FactSpec("client.protected", FactType.FLAG, "Does it keep company data apart on the device?"),
    FactSpec(
        "flow",
        FactType.WORD,
        "How the sign-in runs; device-code is RFC 8628.",
        ("interactive", "device-code", "handoff", "password-grant", "refresh"),
    ),
    FactSpec("risk.attempt", FactType.LEVEL, "Is this attempt itself suspicious?", LEVELS),
    FactSpec("signals", FactType.NAMES, "The rulebook's signals that fired."),
    FactSpec("time.at", FactType.MOMENT, "When, RFC 3339 with offset."),
    FactSpec(
        "auth.credentials",
        FactType.WORD,
        "What the door saw of the first factor; wrong is blocked before any policy.",
        ("right", "wrong"),
    ),
    FactSpec("auth.locked_out", FactType.FLAG, "Too many wrong passwords? Worked out from the log when live."),
    FactSpec("auth.methods", FactType.METHODS, "RFC 8176 methods used in this session, with ages.", METHODS),
    FactSpec("auth.age", FactType.DURATION, "Age of the methods reported without one."),
    FactSpec("auth.notices", FactType.NAMES, "Notices accepted in their current version."),
)


FACTS: Mapping[str, FactSpec] = {spec.name: spec for spec in _ROWS}

ATTRIBUTE_NAME = re.compile(r"(person|device|app)\.attributes\.[a-z][a-z0-9_-]*")
ATTRIBUTE_TYPES = (
    FactType.TEXT,
    FactType.FLAG,
    FactType.NUMBER,
    FactType.VERSION,
    FactType.LEVEL,
    FactType.NAME,
    FactType.NAMES,
    FactType.MOMENT,
)


def attribute_spec(name: str, fact_type: FactType, doc: str = "") -> FactSpec:
    """Return the row for an attribute that a rulebook declares."""
    words = LEVELS if fact_type is FactType.LEVEL else ()
    return FactSpec(name, fact_type, doc or "An attribute of the rulebook's own.", words)


class Catalogue(Mapping[str, FactSpec]):
    """The facts of one rulebook: the built-in ones and its attributes."""

    def __init__(self, attributes: Mapping[str, FactSpec] | None = None) -> None:
        self.attributes = dict(attributes or {})
        # Of one name the built-in fact counts.
        self._all: dict[str, FactSpec] = {**FACTS, **{n: s for n, s in self.attributes.items() if n not in FACTS}}
        self.names = frozenset(self._all)
        self.prefixes = frozenset(name[:i] for name in self for i, char in enumerate(name) if char == ".")

    def __getitem__(self, name: str) -> FactSpec:
        return self._all[name]

    def get(self, name: str, default: FactSpec | None = None) -> FactSpec | None:  # type: ignore[override]  # as of every mapping
        """Return a fact by its name."""
        return self._all.get(name, default)

    def __contains__(self, name: object) -> bool:
        return name in self._all

    def __iter__(self) -> Iterator[str]:
        return iter(self._all)

    def __len__(self) -> int:
        return len(self._all)
