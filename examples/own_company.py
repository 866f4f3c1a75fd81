"""Makes the files of a small company for `docs/your-own-company.md`: who and what there is, and another system's log.

    python examples/own_company.py own-company
    python examples/own_company.py own-company --one-more

The second writes one more sign-in, of now. Everything is invented, and the same each time but for the moments.
"""

from __future__ import annotations

import argparse
import csv
import json
import random
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

OSLO = ZoneInfo("Europe/Oslo")
FIRST = ("Aud", "Birk", "Dagny", "Eskil", "Frøya", "Gard", "Hedda", "Ivar", "Jorunn", "Kåre", "Liv", "Magnar", "Nora",
         "Oddvar", "Ragna", "Sindre", "Tora", "Ulrik", "Vigdis", "Yngve")  # fmt: skip
LAST = ("Brattholm", "Dalsund", "Eide", "Fosse", "Grøtan", "Hovde", "Isdal", "Kvalnes", "Lunde", "Moldskred", "Nesheim",
        "Opdal", "Rosvik", "Skarvøy", "Tangen")  # fmt: skip
APPS = (
    ("post", "Post", ""),
    ("calendar", "Calendar", ""),
    ("wages", "Wages", "money;staff-data"),
    ("tickets", "Ticket Desk", "money"),
    ("ledger", "Ledger", "money"),
    ("timetable", "Timetable", ""),
    ("berths", "Berths", "operations"),
    ("crew-list", "Crew List", "staff-data"),
    ("handbook", "Handbook", ""),
    ("reports", "Reports", ""),
    ("helpdesk", "Help Desk", ""),
    ("control", "Control Room", "administration"),
)
GROUPS = (("office", "The office"), ("counter", "Ticket counters"), ("partners", "Partners' people"),
          ("keyholders", "Who hold keys"))  # fmt: skip
MAPPING = """columns:
  When: time.at
  Who: person.id
  Application: app.id
  Device: device.id
  Source: network.ip
  Steps: {to: auth.methods, split: ";", words: {password: pwd, code: otp}}
  Program: {to: client.kind, words: {web: browser, app: native, old: legacy}}
  Result: recorded.outcome
zone: Europe/Oslo
moment: "%d.%m.%Y %H:%M:%S"
"""


def ascii_id(text: str) -> str:
    """Return a name as an id: small letters without marks."""
    return text.casefold().replace("ø", "o").replace("å", "a").replace(" ", ".")


def write(path: Path, header: Sequence[str], rows: Iterable[Sequence[str]]) -> None:
    """Write a table."""
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(header)
        writer.writerows(rows)


def people() -> list[tuple[str, str, str, str, str, str]]:
    """Return id, title, kind, groups, roles and factors of three hundred people."""
    found = []
    for number in range(300):
        title = f"{FIRST[number % 20]} {LAST[number // 20]}"
        group = "partners" if number % 5 == 4 else "counter" if number % 5 == 3 else "office"
        keys = number in {0, 7}
        groups = f"{group};keyholders" if keys else group
        factors = "password;security-key" if keys else "password;authenticator-app" if number % 3 else "password"
        kind = "contractor" if group == "partners" else "employee"
        found.append((ascii_id(title), title, kind, groups, "administrator" if keys else "-", factors))
    return found


def make(folder: Path, now: datetime) -> None:
    """Write the files."""
    chance = random.Random(20261130)  # noqa: S311 - invented data, the same each time
    folder.mkdir(parents=True, exist_ok=True)
    staff = people()
    write(folder / "groups.csv", ("id", "title"), GROUPS)
    write(folder / "people.csv", ("id", "title", "kind", "groups", "roles", "factors"), staff)
    write(folder / "apps.csv", ("id", "title", "labels"), APPS)
    owners = staff[:250]
    devices = [
        (f"laptop-{number:03}", f"Laptop of {owner[1]}", "company" if owner[2] == "employee" else "personal",
         "windows" if number % 2 else "macos", "yes" if owner[2] == "employee" else "no", owner[0])
        for number, owner in enumerate(owners)
    ]  # fmt: skip
    write(folder / "devices.csv", ("id", "title", "owner", "platform", "managed", "person"), devices)
    rows = []
    for number in range(6_000):
        who = chance.choice(staff)
        at = (now - timedelta(minutes=chance.uniform(5, 20 * 24 * 60))).astimezone(OSLO)
        own = next((device[0] for device in devices if device[5] == who[0]), "")
        steps = "password;code" if "authenticator-app" in who[5] and number % 3 else "password"
        address = f"192.0.2.{10 + number % 60}" if number % 4 else f"198.51.100.{number % 200}"
        rows.append((
            f"{at:%d.%m.%Y %H:%M:%S}", who[0].upper(), chance.choice(APPS)[0].upper(), own, address, steps,
            chance.choice(("WEB", "WEB", "WEB", "APP")), "OK",
        ))  # fmt: skip
    header = ("When", "Who", "Application", "Device", "Source", "Steps", "Program", "Result")
    write(folder / "gate.csv", header, rows)
    (folder / "gate.yaml").write_text(MAPPING, encoding="utf-8")


def one_more(folder: Path, now: datetime) -> None:
    """Write one more sign-in: of a partner, on her own laptop, to the wages."""
    facts = {
        "time.at": f"{now:%Y-%m-%dT%H:%M:%S.%fZ}", "person.id": people()[4][0], "app.id": "wages",
        "device.id": "laptop-004", "network.ip": "198.51.100.40", "auth.methods": ["pwd"],
        "auth.credentials": "right", "client.kind": "browser",
    }  # fmt: skip
    line = json.dumps({"id": f"one-more-{now:%Y%m%d%H%M%S}", "facts": facts})
    (folder / "one-more.ndjson").write_text(line + "\n", encoding="utf-8")


def main() -> None:
    """Write what was asked for."""
    parser = argparse.ArgumentParser(description="Files of a small company.")
    parser.add_argument("folder", type=Path)
    parser.add_argument("--one-more", action="store_true", help="one more sign-in, of now")
    given = parser.parse_args()
    (one_more if given.one_more else make)(given.folder, datetime.now(UTC))


if __name__ == "__main__":
    main()
