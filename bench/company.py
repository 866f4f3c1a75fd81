"""A made-up company of any size: a rulebook, the same rules as a straight-line Python function, and attempts."""

from __future__ import annotations

import json
import random
import re
from collections.abc import Callable
from ipaddress import ip_address, ip_network
from typing import Any

from caddrel.core.facts.attempts import read_facts
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import LEVELS
from caddrel.core.facts.values import read_version
from caddrel.core.inventory.completion import complete
from caddrel.core.rulebook.model import Rulebook

COUNTRIES = ["NO", "IS", "FO", "DK", "GL", "SE", "FI", "PT", "RO", "US"]
Straight = Callable[[dict[str, Any]], tuple[str, list[tuple[str, str]]]]

# A condition of the rulebook, and the same by hand.
Pair = tuple[str, str]


def _conditions(rng: random.Random, places: int) -> list[Pair]:
    listed = sorted(rng.sample(COUNTRIES, 3))
    place = rng.randrange(places)
    version = rng.randint(10, 16)
    return [
        ("device.owner is not company", 'f["device.owner"] != "company"'),
        (f"network.country is not one of [{', '.join(listed)}]", f'f["network.country"] not in {set(listed)!r}'),
        ("risk.attempt is at least medium", 'RANK[f["risk.attempt"]] >= 2'),
        (f"from place-{place}", f'any(f["network.ip"] in n for n in PLACES[{place}])'),
        ("not device.managed", 'not f["device.managed"]'),
        ("client.kind is legacy", 'f["client.kind"] == "legacy"'),
        (
            f"device.platform is android and device.os_version is below {version}",
            f'f["device.platform"] == "android" and f["device.os_version"] < V({str(version)!r})',
        ),
        ("not device passes tablet", 'not (f["device.encrypted"] and f["device.os_version"] >= V("14"))'),
        ("person.roles has none of [auditor, deputy]", 'f["person.roles"].isdisjoint({"auditor", "deputy"})'),
    ]


class Company:
    """A company with so many policies of about three rules, so many apps, groups and places."""

    def __init__(self, policies: int, apps: int = 60, groups: int = 80, places: int = 20, seed: int = 3) -> None:
        self.rng = random.Random(seed)  # noqa: S311 - made-up rules
        self.apps, self.groups, self.places = apps, groups, places
        self.networks = [
            [f"198.18.{(i * 8 + j) % 256}.0/{self.rng.choice((24, 25, 26))}" for j in range(5)] for i in range(places)
        ]
        self._lines: list[str] = []
        self.document = self._document(policies)

    def inventory(self, people: int) -> list[tuple[str, dict[str, Any]]]:
        """Return groups, apps, and so many people with a device each, by noun."""
        return [
            *(("groups", {"id": f"group-{i}"}) for i in range(self.groups)),
            *(("apps", {"id": f"app-{i}"}) for i in range(self.apps)),
            *(
                ("people", {
                    "id": f"person-{i}", "kind": "employee", "factors": ["password", "push"],
                    "groups": [f"group-{(i * 7 + j * 13) % self.groups}" for j in range(4)],
                })
                for i in range(people)
            ),
            *(
                ("devices", {
                    "id": f"device-{i}", "owner": "company", "managed": True, "encrypted": True, "screen_lock": True,
                    "tampered": False, "platform": "android", "os_version": "15.1",
                })
                for i in range(people)
            ),
        ]  # fmt: skip

    def _document(self, count: int) -> dict[str, Any]:
        policies = {f"policy-{i:04}": self._policy(f"policy-{i:04}") for i in range(count)}
        return {
            "caddrel": 1,
            "places": {f"place-{i}": {"networks": networks} for i, networks in enumerate(self.networks)},
            "standards": {
                "tablet": {
                    "checks": {
                        "encrypted": {"must": "device.encrypted", "fix": "Encrypt."},
                        "patched": {"must": "device.os_version is at least 14", "fix": "Update."},
                    }
                }
            },
            "policies": policies,
        }

    def _policy(self, name: str) -> dict[str, Any]:
        rng = self.rng
        groups = [f"group-{rng.randrange(self.groups)}" for _ in range(rng.randint(1, 2))]
        everyone = rng.random() < 0.1
        apps = [f"app-{rng.randrange(self.apps)}" for _ in range(rng.randint(1, 3))]
        every_app = rng.random() < 0.1
        tests = []
        if not everyone:
            tests.append("(" + " or ".join(f'"{g}" in f["person.groups"]' for g in groups) + ")")
        if not every_app:
            tests.append(f'f["app.id"] in {tuple(apps)!r}')
        tests.append('f["operation"] == "sign-in"')
        self._lines.append(f"    if {' and '.join(tests)}:")
        rules = []
        for i in range(rng.randint(2, 4)):
            chosen = rng.sample(_conditions(rng, self.places), rng.choice((1, 1, 2)))
            when = " and ".join(f"({text})" if " and " in text else text for text, _ in chosen)
            then = rng.choice(
                ["require mfa", "require mfa", "abstain", "allow", "block"] if i else ["require mfa", "abstain"]
            )
            rules.append({"id": f"rule-{i}", "when": when, "then": then})
            test = " and ".join(f"({code})" for _, code in chosen)
            self._lines.append(f"        {'el' if i else ''}if {test}:")
            target = {"block": "blocks", "require mfa": "needs", "allow": "lets", "abstain": "none"}[then]
            self._lines.append(
                "            pass" if target == "none" else f"            {target}.append(({name!r}, 'rule-{i}'))"
            )
        return {
            "mode": "enforced",
            "people": ["everyone"] if everyone else [f"group:{g}" for g in groups],
            "apps": ["every-app"] if every_app else apps,
            "rules": rules,
        }

    @property
    def text(self) -> str:
        """The rulebook as JSON."""
        return json.dumps(self.document)

    def straight(self) -> Straight:
        """Return the same rules as one function, as somebody would write it by hand for known facts."""
        # What is used often stands in a local variable, as a person would write it.
        body = re.sub(r'f\["([a-z._]+)"\]', lambda m: m[1].replace(".", "_"), "\n".join(self._lines))
        used = sorted(set(re.findall(r'f\["([a-z._]+)"\]', "\n".join(self._lines))))
        body = "".join(f'    {name.replace(".", "_")} = f["{name}"]\n' for name in used) + body
        source = (
            "def decide(f):\n    blocks, needs, lets = [], [], []\n" + body + "\n"
            "    if blocks:\n        return 'blocked', blocks\n"
            "    if needs:\n"
            "        methods = f['auth.methods']\n"
            "        held = ('pwd' in methods or 'pin' in methods) + ('otp' in methods or 'hwk' in methods)\n"
            "        held += 'fpt' in methods\n"
            "        if 'mfa' not in methods and held < 2:\n"
            "            return ('challenged', needs) if 'push' in f['person.factors'] else ('blocked', needs)\n"
            "    return 'allowed', sorted(needs + lets)\n"
        )
        networks = [[ip_network(n) for n in listed] for listed in self.networks]
        # Constants are made once, outside the function, as a person would.
        versions = {str(number): read_version(str(number)) for number in range(10, 17)}
        source = re.sub(r"V\((['\"]\d+['\"])\)", r"VERSIONS[\1]", source)
        rank = {level: i for i, level in enumerate(LEVELS)}
        space: dict[str, Any] = {"PLACES": networks, "RANK": rank, "VERSIONS": versions}
        exec(compile(source, "<by hand>", "exec"), space)  # noqa: S102 - the yardstick
        function: Straight = space["decide"]
        return function

    def attempts(self, rulebook: Rulebook, count: int) -> list[Facts]:
        """Return attempts with every fact known that the rulebook reads."""
        rng = random.Random(5)  # noqa: S311 - made-up people
        people = [
            {
                "person.id": f"person-{i}",
                "person.groups": sorted({f"group-{rng.randrange(self.groups)}" for _ in range(rng.randint(2, 6))}),
                "person.roles": rng.choice([[], ["auditor"], ["deputy"]]),
                "person.factors": rng.choice([["password"], ["password", "push"]]),
                "person.kind": "employee",
                "person.unit": "/office",
            }
            for i in range(200)
        ]
        found = []
        for _ in range(count):
            facts = {
                **rng.choice(people),
                "app.id": f"app-{rng.randrange(self.apps)}",
                "app.labels": [],
                "device.owner": rng.choice(["company", "company", "personal"]),
                "device.managed": rng.random() < 0.8,
                "device.encrypted": rng.random() < 0.9,
                "device.platform": rng.choice(["android", "windows", "macos"]),
                "device.os_version": rng.choice(["12", "13.1", "14.2", "15", "16"]),
                "network.country": rng.choice(COUNTRIES),
                "network.ip": str(ip_address("198.18.0.0") + rng.randrange(65_536)),
                "risk.attempt": rng.choice(["none", "none", "low", "medium"]),
                "client.kind": rng.choice(["browser", "native", "native", "legacy"]),
                "auth.methods": rng.choice([["pwd"], ["pwd", "otp"], ["pwd", "otp"]]),
                "time.at": "2026-11-02T07:10:00Z",
            }
            found.append(complete(read_facts(facts, rulebook.catalogue), rulebook.catalogue, rulebook.settings.assume))
        return found
