"""How a condition could come out otherwise: the steps that would make its tests true, or false."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from caddrel.core.facts.catalogue import FactSpec
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import LEVELS, FactType, Value
from caddrel.core.facts.values import show
from caddrel.core.language.nodes import And, Condition, During, FactTest, FromPlace, Item, Not, Or, Passes, Surely
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.core.remedies.steps import NETWORK_FACTS, Step, Who
from caddrel.core.rulebook.model import Place, Rulebook, Schedule

DAYS_AHEAD = 8
OTHER_PLACES = 5
# Facts that somebody can change: who, and how it is said with the new value.
_BY_FACT: Mapping[str, tuple[Who, str]] = {
    "client.kind": (Who.PERSON_NOW, "used a {value} client"),
    "flow": (Who.PERSON_NOW, "signed in by the {value} flow"),
    "device.encrypted": (Who.PERSON_LATER, "turned on the device's storage encryption"),
    "device.screen_lock": (Who.PERSON_LATER, "turned on the device's screen lock"),
    "device.os_version": (Who.PERSON_LATER, "updated the device's system to {value}"),
    "client.version": (Who.PERSON_LATER, "updated the program to {value}"),
    "client.protected": (Who.PERSON_LATER, "used a client that keeps company data apart"),
    "device.state_age": (Who.PERSON_LATER, "let the device report its state"),
    "device.managed": (Who.PERSON_LATER, "enrolled the device to be managed"),
    "device.tampered": (Who.HELP_DESK, "had the device set up anew"),
    "device.vetted": (Who.HELP_DESK, "had the device vetted"),
    "client.vetted": (Who.HELP_DESK, "had the client vetted"),
    "person.risk": (Who.HELP_DESK, "had the account cleared to risk {value}"),
}
_BROWSER: Mapping[str, str] = {"client.kind": "browser", "flow": "interactive", "network.anonymiser": "none"}


@dataclass(frozen=True, slots=True)
class Wishes:
    """Finds steps for one attempt.

    Attributes
    ----------
    groups
        Titles of groups by id.
    """

    rulebook: Rulebook
    facts: Facts
    groups: Mapping[str, str] = field(default_factory=dict)

    def steps(self, node: Condition, wanted: bool, fix: str = "") -> Iterator[Step]:
        """Yield steps each of which may help to make a condition come out as wanted."""
        match node:
            case And(parts=parts) | Or(parts=parts):
                for part in parts:
                    yield from self.steps(part, wanted, fix)
            case Not(part=part):
                yield from self.steps(part, not wanted, fix)
            case Surely(part=part):
                yield from self.steps(part, wanted, fix)
            case FactTest():
                yield from self._fact(node, wanted, fix)
            case FromPlace(places=places):
                for place in places:
                    yield from self._place(self.rulebook.places[place.text], wanted)
            case Passes(standard=standard):
                if wanted:
                    for check in self.rulebook.standards[standard.text].checks:
                        yield from self.steps(check.must, True, check.fix)
            case During(schedule=schedule):
                yield from self._moment(self.rulebook.schedules[schedule.text], wanted)

    def item(self, item: Item) -> Iterator[Step]:
        """Yield steps that may help to meet a requirement item that does not depend on methods."""
        match item.kind:
            case "device passes":
                for check in self.rulebook.standards[item.name].checks:
                    yield from self.steps(check.must, True, check.fix)
            case "notice":
                notice = self.rulebook.notices[item.name]
                facts: dict[str, Value] = {"auth.notices": frozenset({item.name})}
                yield Step(Who.PERSON_NOW, f"accepted the notice “{notice.title or notice.id}”", facts)
            case "new password":
                yield Step(Who.PERSON_NOW, "chosen a new password", adds={"password-changed": 0})
            case "managed device":
                yield from self._valued("device.managed", True, "")
            case "vetted client":
                yield from self._valued("client.vetted", True, "")
            case "protected client":
                yield from self._valued("client.protected", True, "")
            case "company device" | "mfa" | "proof":
                # Whose a device is nobody changes for a sign-in; methods are tried apart.
                return

    def _fact(self, test: FactTest, wanted: bool, fix: str) -> Iterator[Step]:
        spec = self.rulebook.catalogue[test.fact]
        row = OPERATORS[test.op]
        if row.positive is not None:
            wanted = not wanted
        op = row.positive or test.op
        if test.fact == "network.anonymiser" and (not wanted or test.operands[0].text == "none"):
            yield _VPN_OFF
        elif op in {Op.HAS, Op.HAS_ANY, Op.HAS_ALL} and test.fact in {"person.groups", "person.roles"}:
            yield from self._membership(test, wanted)
        elif op in {Op.HAS, Op.HAS_ANY} and test.fact == "auth.methods" and wanted:
            return
        else:
            for value in _values(spec, op, test, wanted):
                yield from self._valued(test.fact, value, fix)

    def _valued(self, fact: str, value: Value, fix: str) -> Iterator[Step]:
        if self.facts.values.get(fact) == value:
            return
        spec = self.rulebook.catalogue[fact]
        if fact.startswith("person.attributes."):
            name = fact.rpartition(".")[2]
            yield Step(Who.ADMINISTRATOR, f"had {name} set to {show(value, spec)}", {fact: value})
            return
        if fact not in _BY_FACT or (fact == "person.risk" and not self._lower(fact, value)):
            return
        who, says = _BY_FACT[fact]
        said = says.format(value=show(value, spec))
        if fix:
            said = f"{said} ({fix.rstrip('.')})"
        if fact == "device.managed" and value is True:
            enrols: dict[str, Value] = {"operation": "enrol-device", "enrolling.depth": "managed"}
            facts: dict[str, Value] = {fact: value, "device.listed": True}
            yield Step(who, said, facts, enrols=enrols, family="fact device.managed")
            yield with_starter_code(
                Step(who, "enrolled the device with it", facts, enrols=enrols, family="fact device.managed")
            )
            return
        yield Step(who, said, {fact: value}, family=f"fact {fact}")

    def _lower(self, fact: str, level: Value) -> bool:
        """Tell whether a level is below the present one: nobody is made more suspect to get past a policy."""
        held = self.facts.values.get(fact)
        return held is None or LEVELS.index(str(level)) < LEVELS.index(str(held))

    def _membership(self, test: FactTest, wanted: bool) -> Iterator[Step]:
        held = self.facts.values.get(test.fact)
        noun = "group" if test.fact == "person.groups" else "role"
        keys = {s.id for s in self.rulebook.settings.keyholders}
        for operand in test.operands:
            # Nobody is made a keyholder to get past a policy.
            if wanted and operand.text not in keys and not (isinstance(held, frozenset) and operand.text in held):
                said = f"been given the {noun} {self.groups.get(operand.text, operand.text)}"
                yield Step(Who.ADMINISTRATOR, said, {test.fact: frozenset({operand.text})})

    def _place(self, place: Place, wanted: bool) -> Iterator[Step]:
        if not wanted:
            if place.parts.anonymisers or any(self.rulebook.places[p].parts.anonymisers for p in place.parts.places):
                yield _VPN_OFF
            others = [p for p in self.rulebook.places.values() if p.id != place.id and p.parts.networks]
            for other in others[:OTHER_PLACES]:
                yield from self._networks(other)
            return
        for where in (place, *(self.rulebook.places[name] for name in place.parts.places)):
            yield from self._networks(where)

    def _networks(self, where: Place) -> Iterator[Step]:
        """Yield coming from a place, as the first address of its first network."""
        for network in where.parts.networks[:1]:
            at = network.network_address + (1 if network.num_addresses > 2 else 0)
            facts: dict[str, Value] = {"network.ip": at}
            title = where.title or where.id
            said = f"come from {title}"
            yield Step(Who.PERSON_LATER, said, facts, forgets=NETWORK_FACTS, family="place", place=title)

    def _moment(self, schedule: Schedule, wanted: bool) -> Iterator[Step]:
        at = self.facts.values.get("time.at")
        if not isinstance(at, datetime):
            return
        opening = next_moment(schedule, at, wanted)
        if opening is not None:
            title = schedule.title or schedule.id
            local = opening.astimezone(schedule.zone).strftime("%a %d %b %H:%M")
            said = f"waited until {local} ({title})" if wanted else f"waited until {local}, outside {title}"
            yield Step(Who.PERSON_LATER, said, {"time.at": opening}, family="time")


def with_starter_code(step: Step) -> Step:
    """Return an enrolment for which an administrator gives a starter code first."""
    proven: Value = {"pwd": 0.0, "starter-code": 0.0}
    enrols = {**step.enrols, "auth.methods": proven}
    return replace(step, who=Who.ADMINISTRATOR, says=f"been given a starter code and {step.says}", enrols=enrols)


_VPN_OFF = Step(
    Who.PERSON_NOW,
    "turned off the VPN, relay or other anonymiser",
    {"network.anonymiser": "none"},
    forgets=("network.ip", "network.asn", "network.country", "network.city"),
    family="place",
)


def next_moment(schedule: Schedule, at: datetime, wanted: bool) -> datetime | None:
    """Return the next moment at which a schedule is open, or is not, within the days ahead; to the minute."""
    moment = at.replace(second=0, microsecond=0)
    for _ in range(DAYS_AHEAD * 24 * 60):
        moment += timedelta(minutes=1)
        if schedule.is_open(moment.astimezone(schedule.zone)) is wanted:
            return moment
    return None


def _values(spec: FactSpec, op: Op, test: FactTest, wanted: bool) -> Iterator[Value]:
    """Yield values of a fact for which a test would come out as wanted."""
    operands = [o.value for o in test.operands if o.value is not None]
    match op:
        case Op.FLAG:
            yield wanted
        case Op.IS | Op.ONE_OF if wanted:
            yield from operands[:3]
        case Op.IS | Op.ONE_OF:
            usual = _BROWSER.get(spec.name)
            if usual is not None and usual not in operands:
                yield usual
        case Op.AT_LEAST | Op.ABOVE | Op.AT_MOST | Op.BELOW if operands:
            rising = (op in {Op.AT_LEAST, Op.ABOVE}) == wanted
            strict = (op in {Op.ABOVE, Op.BELOW}) == wanted
            yield from _next_to(spec, operands[0], rising, strict)
        case Op.AT_LEAST | Op.ABOVE | Op.AT_MOST | Op.BELOW | Op.IS_NOT | Op.NOT_ONE_OF | Op.NOT_UNDER | Op.HAS_NONE:
            # Those that negate another are asked as it, turned round.
            return
        case Op.HAS | Op.HAS_ANY | Op.HAS_ALL | Op.CONTAINS | Op.STARTS | Op.ENDS | Op.UNDER | Op.KNOWN | Op.UNKNOWN:
            # What would be in a set or a text nobody can guess.
            return


def _next_to(spec: FactSpec, value: Value, rising: bool, strict: bool) -> Iterator[Value]:
    """Yield the value itself, or the nearest above or below it."""
    if not strict:
        yield value
    elif spec.type is FactType.LEVEL:
        at = LEVELS.index(str(value)) + (1 if rising else -1)
        if 0 <= at < len(LEVELS):
            yield LEVELS[at]
    elif spec.type in {FactType.NUMBER, FactType.DURATION} and isinstance(value, int | float):
        yield max(0, value + (1 if rising else -1))
