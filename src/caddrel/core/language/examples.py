"""An example for every fact, operator, test and requirement item: what the reference shows and a test executes.

Conditions name the parts of `core.rulebook.examples`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from caddrel.core.language.operators import Op

# For each fact a condition, and the reported value that makes it true.
FACTS: Mapping[str, tuple[str, Any]] = {
    "person.id": ("person.id is ines.faro", "ines.faro"),
    "person.kind": ("person.kind is one of [contractor, guest]", "guest"),
    "person.home": ('person.home is "Norr Yard"', "norr yard"),
    "person.unit": ("person.unit is under /fleet", "/fleet/deck"),
    "person.groups": ("person.groups has deck-crew", ["deck-crew", "crew"]),
    "person.roles": ("person.roles has any of [administrator, auditor]", ["auditor"]),
    "person.factors": ("person.factors has security-key", ["password", "security-key"]),
    "person.risk": ("person.risk is at least medium", "high"),
    "app.id": ("app.id is manifest", "manifest"),
    "app.labels": ("app.labels has passenger-data", ["passenger-data"]),
    "operation": ("operation is enrol-device", "enrol-device"),
    "enrolling.factor": ("enrolling.factor is security-key", "security-key"),
    "enrolling.owner": ("enrolling.owner is personal", "personal"),
    "enrolling.depth": ("enrolling.depth is managed", "managed"),
    "network.ip": ("network.ip is 192.0.2.7", "::ffff:192.0.2.7"),
    "network.country": ("network.country is one of [NO, IS]", "no"),
    "network.city": ("network.city is Nordkai", "NORDKAI"),
    "network.asn": ("network.asn is 64500", 64500),
    "network.anonymiser": ("network.anonymiser is not none", "tor"),
    "device.id": ("device.id is tab-0117", "tab-0117"),
    "device.serial": ("device.serial is KL10000001", "KL10000001"),
    "device.listed": ("not device.listed", False),
    "device.managed": ("device.managed", True),
    "device.encrypted": ("device.encrypted", True),
    "device.screen_lock": ("device.screen_lock", True),
    "device.tampered": ("surely device.tampered", True),
    "device.vetted": ("device.vetted", True),
    "device.owner": ("device.owner is not company", "personal"),
    "device.platform": ("device.platform is android", "android"),
    "device.os_version": ("device.os_version is at least 14.2", "14.10"),
    "device.state_age": ("device.state_age is above 14d", "15d"),
    "device.listed_for": ("device.listed_for is below 2d", 3600),
    "client.kind": ("client.kind is legacy", "legacy"),
    "client.name": ("client.name starts with kelp-", "Kelp-Agent"),
    "client.version": ("client.version is below 2.1", "2.0.9"),
    "client.vetted": ("client.vetted", True),
    "client.protected": ("client.protected", True),
    "flow": ("flow is device-code", "device-code"),
    "risk.attempt": ("risk.attempt is above low", "medium"),
    "signals": ("signals has too-fast", ["too-fast"]),
    "time.at": ("time.at is at least 2026-11-02T07:10:00Z", "2026-11-02T09:10:00+02:00"),
    "auth.credentials": ("auth.credentials is wrong", "wrong"),
    "auth.locked_out": ("auth.locked_out", True),
    "auth.methods": ("auth.methods has otp", {"pwd": 90, "otp": "1m"}),
    "auth.age": ("auth.age is at most 12h", "11h"),
    "auth.notices": ("auth.notices has guest-terms", ["guest-terms"]),
}

# For each operator a condition, facts that make it true, and facts that make it false.
OPERATORS: Mapping[Op, tuple[str, Mapping[str, Any], Mapping[str, Any]]] = {
    Op.FLAG: ("device.managed", {"device.managed": True}, {"device.managed": False}),
    Op.IS: ("client.name is Seabird", {"client.name": "SEABIRD"}, {"client.name": "Seabird 2"}),
    Op.IS_NOT: ("device.owner is not company", {"device.owner": "unlisted"}, {"device.owner": "company"}),
    Op.ONE_OF: ("flow is one of [device-code, handoff]", {"flow": "handoff"}, {"flow": "refresh"}),
    Op.NOT_ONE_OF: ("network.country is not one of [NO, IS]", {"network.country": "FO"}, {"network.country": "IS"}),
    Op.AT_LEAST: (
        "device.os_version is at least 14.2",
        {"device.os_version": "14.2.0"},
        {"device.os_version": "14.1.9"},
    ),
    Op.AT_MOST: ("auth.age is at most 15m", {"auth.age": 900}, {"auth.age": 901}),
    Op.ABOVE: ("risk.attempt is above low", {"risk.attempt": "medium"}, {"risk.attempt": "low"}),
    Op.BELOW: ("client.version is below 10", {"client.version": "9"}, {"client.version": "10.0"}),
    Op.HAS: ("person.groups has crew", {"person.groups": ["crew"]}, {"person.groups": []}),
    Op.HAS_ANY: (
        "person.roles has any of [auditor, deputy]",
        {"person.roles": ["deputy"]},
        {"person.roles": ["administrator"]},
    ),
    Op.HAS_ALL: (
        "person.groups has all of [bridge, crew]",
        {"person.groups": ["bridge", "crew"]},
        {"person.groups": ["crew"]},
    ),
    Op.HAS_NONE: ("app.labels has none of [public]", {"app.labels": []}, {"app.labels": ["public"]}),
    Op.CONTAINS: ("client.name contains sea", {"client.name": "Big Seabird"}, {"client.name": "Postbag"}),
    Op.STARTS: ("client.name starts with kelp-", {"client.name": "kelp-agent"}, {"client.name": "agent"}),
    Op.ENDS: ("person.home ends with yard", {"person.home": "Norr Yard"}, {"person.home": "Yard Norr"}),
    Op.UNDER: ("person.unit is under /fleet", {"person.unit": "/fleet"}, {"person.unit": "/fleets"}),
    Op.NOT_UNDER: ("person.unit is not under /fleet", {"person.unit": "/office"}, {"person.unit": "/fleet/deck"}),
    Op.KNOWN: ("network.country is known", {"network.country": "NO"}, {}),
    Op.UNKNOWN: ("network.country is unknown", {}, {"network.country": "NO"}),
}

# Tests of parts, and words that join and turn: doc, condition, true facts, false facts.
TESTS: Mapping[str, tuple[str, str, Mapping[str, Any], Mapping[str, Any]]] = {
    "from PLACE": (
        "The attempt's network is in the place.",
        "from head-office",
        {"network.ip": "192.0.2.9"},
        {"network.ip": "192.0.2.200"},
    ),
    "from any of [PLACE, …]": (
        "It is in at least one of them.",
        "from any of [head-office, hidden]",
        {"network.ip": "198.51.100.9", "network.anonymiser": "tor"},
        {"network.ip": "198.51.100.9", "network.anonymiser": "none"},
    ),
    "device passes STANDARD": (
        "Every check of the standard holds.",
        "device passes crew-tablet",
        {"device.encrypted": True, "device.os_version": "15", "device.platform": "android"},
        {"device.encrypted": False},
    ),
    "during SCHEDULE": (
        "The moment, taken into the schedule's zone, lies in a window.",
        "during shore-hours",
        {"time.at": "2026-11-02T07:00:00Z"},
        {"time.at": "2026-11-02T19:00:00Z"},
    ),
    "not TEST": (
        "True when the test is false.",
        "not device.managed",
        {"device.managed": False},
        {"device.managed": True},
    ),
    "surely TEST": (
        "True when the test is true, else false: never unknown.",
        "surely device.tampered",
        {"device.tampered": True},
        {},
    ),
    "TEST and TEST": (
        "False when one is false, whatever is not known of the others.",
        "device.managed and device.encrypted",
        {"device.managed": True, "device.encrypted": True},
        {"device.managed": False},
    ),
    "TEST or TEST": (
        "True when one is true, whatever is not known of the others.",
        "device.managed or device.encrypted",
        {"device.managed": True},
        {"device.managed": False, "device.encrypted": False},
    ),
    "( … )": (
        "Brackets, needed where `and` and `or` meet.",
        "device.managed and (device.encrypted or device.vetted)",
        {"device.managed": True, "device.vetted": True},
        {"device.managed": True, "device.encrypted": False, "device.vetted": False},
    ),
}

# For each kind of requirement item: doc, the item, facts that meet it, and whether a person can meet it at the door.
ITEMS: Mapping[str, tuple[str, str, Mapping[str, Any], bool]] = {
    "mfa": (
        "`mfa` was used, or methods of two classes: something known, held, or of the body.",
        "mfa within 12h",
        {"auth.methods": {"pwd": "1h", "otp": "1h"}},
        True,
    ),
    "proof": ("All methods of one of the proof's combinations.", "proof strong-key", {"auth.methods": ["hwk"]}, True),
    "device passes": (
        "The device passes a standard.",
        "device passes crew-tablet",
        {"device.encrypted": True, "device.platform": "ios"},
        False,
    ),
    "managed device": ("`device.managed`.", "managed device", {"device.managed": True}, False),
    "company device": ("`device.owner is company`.", "company device", {"device.owner": "company"}, False),
    "vetted client": ("`client.vetted`.", "vetted client", {"client.vetted": True}, False),
    "protected client": ("`client.protected`.", "protected client", {"client.protected": True}, False),
    "notice": (
        "The notice is accepted in its current version.",
        "notice guest-terms",
        {"auth.notices": ["guest-terms"]},
        True,
    ),
    "new password": (
        "The password was just changed.",
        "new password",
        {"auth.methods": ["pwd", "password-changed"]},
        True,
    ),
}
