"""What the columns of a log are likely to be, by their names and by what stands in them.

A suggestion is looked at before it is used: what is only likely is taken, and what is doubtful is said.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from caddrel.core.facts.catalogue import Catalogue, FactSpec
from caddrel.core.facts.types import FactType
from caddrel.core.facts.values import ValueRefused, listed, read_address
from caddrel.core.inventory.index import Inventory
from caddrel.core.logs.mapping import ID, OUTCOME, REASON, SPELLED, ColumnRule, LogMapping, read_stamp
from caddrel.core.meant import word_for

# What people call a column that holds a fact, without what stands between its words; the most telling first.
NAMES: Mapping[str, Sequence[str]] = {
    "time.at": ("time", "timestamp", "when", "date", "datetime", "at", "created", "occurred", "eventtime", "stamp"),
    "person.id": ("person", "user", "username", "login", "account", "who", "userid", "uid", "upn", "email", "subject"),
    "app.id": ("app", "application", "service", "target", "resource", "system", "appid", "client app", "what"),
    "device.id": ("device", "deviceid", "machine", "host", "hostname", "tablet", "computer", "asset"),
    "network.ip": ("ip", "ipaddress", "address", "sourceip", "clientip", "srcip", "from", "remoteaddress"),
    "network.country": ("country", "countrycode", "land", "geo", "nation"),
    "network.city": ("city", "town"),
    "network.asn": ("asn", "as", "asnumber"),
    "auth.methods": (
        "methods",
        "method",
        "authmethods",
        "authentication",
        "auth",
        "factors",
        "mfa",
        "amr",
        "how",
        "steps",
    ),
    "auth.credentials": ("credentials", "password", "credential"),
    "device.platform": ("platform", "os", "operatingsystem", "devicetype"),
    "device.os_version": ("osversion", "version", "platformversion"),
    "client.kind": ("client", "clienttype", "clientkind", "protocol"),
    "client.name": ("clientname", "useragent", "browser", "agent"),
    "person.kind": ("kind", "usertype", "persontype", "employment"),
    "risk.attempt": ("risk", "risklevel", "attemptrisk"),
    "flow": ("flow", "grant", "granttype"),
    "operation": ("operation", "action"),
    ID: ("id", "event", "eventid", "correlation", "requestid", "uuid", "recordid"),
    OUTCOME: ("outcome", "result", "status", "decision", "success", "verdict"),
    REASON: ("reason", "failurereason", "error", "detail", "message"),
}
# How stamps are written where they are not as RFC 3339 has them.
FORMATS = (
    "%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M", "%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M", "%d/%m/%Y %H:%M:%S",
    "%d/%m/%Y %H:%M", "%m/%d/%Y %H:%M:%S", "%m/%d/%Y %H:%M", "%Y/%m/%d %H:%M:%S", "%Y%m%d%H%M%S", "%d-%b-%Y %H:%M:%S",
    "epoch-ms", "epoch",
)  # fmt: skip
SEPARATORS = (";", "|", "+", "/", " ")
# What share of values must be understood: of methods other systems have names of their own.
_LEAST = {"auth.methods": 0.2}
# Of so many different values of a column it is judged what it is.
LOOKED_AT = 200
_APART = re.compile(r"[^a-z0-9]+")


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A mapping that is likely, and what is to be known about it."""

    mapping: LogMapping
    notes: tuple[str, ...]


def suggested(
    columns: Mapping[str, Sequence[str]], catalogue: Catalogue, inventory: Inventory, zone: str = "UTC"
) -> Suggestion:
    """Return a likely mapping.

    Parameters
    ----------
    columns
        By name the different values in them, as text; empty ones left out.
    zone
        Taken for stamps without an offset.
    """
    likely = sorted(
        ((score, column, target) for column, values in columns.items() for target in [*NAMES, *catalogue.attributes]
         if (score := _likely(column, values, target, catalogue, inventory)) > 0),
        key=lambda each: -each[0],
    )  # fmt: skip
    taken: dict[str, str] = {}
    for _, column, target in likely:
        if column not in taken and target not in taken.values():
            taken[column] = target
    notes: list[str] = []
    moment, used = "", ""
    for column, target in taken.items():
        if target == "time.at":
            moment, used = _moment(column, columns[column], zone, notes)
    rules = {
        column: ColumnRule(
            target,
            _separator(columns[column], target, catalogue),
            _words(column, columns[column], target, catalogue, notes),
        )
        for column, target in taken.items()
    }
    if "time.at" not in taken.values():
        notes.append("no column looks like the moment of a sign-in")
    if ID not in taken.values():
        notes.append("no column looks like an id: ids are made from what the rows hold")
    return Suggestion(LogMapping({c: rules[c] for c in columns if c in rules}, {}, used, moment), tuple(notes))


def _likely(column: str, values: Sequence[str], target: str, catalogue: Catalogue, inventory: Inventory) -> float:
    """Return how likely a column is something: by its name up to 1, by what is in it up to 2; 0 for not at all."""
    name = _APART.sub("", column.lower())
    names = NAMES.get(target, (target.rpartition(".")[2],))
    by_name = 0.0
    if column.lower() == target:
        by_name = 1.5
    elif name in (folded := [_APART.sub("", each) for each in names]):
        by_name = 1.0 - folded.index(name) / 100
    elif any(len(each) > 3 and each in name for each in folded):
        by_name = 0.4
    some = values[:LOOKED_AT]
    if not some:
        return by_name / 2
    fits = _fitting(some, target, catalogue, inventory)
    if fits is None:
        # An id tells itself by being another in every row, and by nothing else.
        return by_name
    # What fits says little by itself where anything fits; what does not fit says a lot.
    least = _LEAST.get(target, 0.5)
    return by_name + fits if fits >= least and (by_name or fits > 0.8) else 0.0


def _fitting(values: Sequence[str], target: str, catalogue: Catalogue, inventory: Inventory) -> float | None:
    """Return what share of values can be meant by a target, None where anything can."""
    if target in SPELLED:
        known = {each.casefold() for each in getattr(inventory, SPELLED[target])}
        share = sum(value.casefold() in known for value in values) / len(values)
        return share if known and share else None
    spec = catalogue.get(target)
    if spec is None:
        return None
    if spec.type is FactType.MOMENT:
        return max((sum(_reads(v, f) for v in values) / len(values) for f in ("", *FORMATS)), default=0.0)
    if spec.type is FactType.ADDRESS:
        return sum(_is_address(value) for value in values) / len(values)
    if spec.type is FactType.METHODS:
        parts = _parts(values)
        return sum(_is_word(spec, part) for part in parts) / max(1, len(parts)) or None
    if spec.words:
        return sum(_is_word(spec, value) for value in values) / len(values)
    if spec.type in (FactType.NUMBER, FactType.VERSION):
        return sum(_is_read(spec.type, value) for value in values) / len(values) * 0.6
    return None if spec.type is not FactType.FLAG else 0.0


def _parts(values: Sequence[str]) -> list[str]:
    """Return what stands in lists, whatever stands between."""
    return [part for value in values for part in re.split(r"[;|+/, ]+", value) if part]


def _is_word(spec: FactSpec, said: str) -> bool:
    return listed(spec, said) is not None or word_for(said, spec.words) != ""


def _words(column: str, values: Sequence[str], target: str, catalogue: Catalogue, notes: list[str]) -> dict[str, str]:
    """Return how words that others have are said here, where that is known; it is noted too."""
    spec = catalogue.get(target)
    if spec is None or not spec.words:
        return {}
    some = values[:LOOKED_AT]
    said = dict.fromkeys(_parts(some) if spec.type is FactType.METHODS else some)
    words = {each.strip().lower(): word_for(each, spec.words) for each in said if listed(spec, each) is None}
    words = {each: word for each, word in words.items() if word}
    if words:
        notes.append(f"{column}: " + ", ".join(f"`{each}` is taken for {word}" for each, word in words.items()))
    return words


def _reads(value: str, moment: str) -> bool:
    try:
        read_stamp(value, LogMapping({}, {}, "UTC", moment))
    except ValueRefused:
        return False
    # A number of a few digits is a moment of the early seventies, which nobody logged.
    return moment not in ("epoch", "epoch-ms") or len(value.split(".", maxsplit=1)[0]) >= (
        10 if moment == "epoch" else 13
    )


def _is_address(value: str) -> bool:
    try:
        read_address(value)
    except ValueRefused:
        return False
    return True


def _is_read(kind: FactType, value: str) -> bool:
    digits = value.replace(".", "")
    return digits.isascii() and digits.isdigit() and (kind is FactType.VERSION or value.count(".") <= 1)


def _moment(column: str, values: Sequence[str], zone: str, notes: list[str]) -> tuple[str, str]:
    """Return how stamps are written, and the zone that they need."""
    some = values[:LOOKED_AT]
    fitting = [moment for moment in ("", *FORMATS) if all(_reads(value, moment) for value in some)]
    if not fitting:
        notes.append(f"not every stamp of {column} is written alike; say how under `moment`")
        fitting = [max(("", *FORMATS), key=lambda moment: sum(_reads(value, moment) for value in some))]
    moment = fitting[0]
    if moment.startswith("%d/%m") and any(other.startswith("%m/%d") for other in fitting):
        notes.append(f"whether day or month comes first in {column} cannot be told from these; the day was taken")
    try:
        for value in some:
            read_stamp(value, LogMapping({}, {}, "", moment))
    except ValueRefused:
        notes.append(f"stamps of {column} name no offset; {zone} was taken, say the zone of the log under `zone`")
        return moment, zone
    return moment, ""


def _separator(values: Sequence[str], target: str, catalogue: Catalogue) -> str:
    spec = catalogue.get(target)
    if spec is None or spec.type not in (FactType.NAMES, FactType.METHODS):
        return ""
    counts = {mark: sum(mark in value for value in values[:LOOKED_AT]) for mark in SEPARATORS}
    if any("," in value for value in values[:LOOKED_AT]):
        return ""
    best = max(SEPARATORS, key=lambda mark: counts[mark])
    return best if counts[best] else ""
