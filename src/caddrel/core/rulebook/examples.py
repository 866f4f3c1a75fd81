"""Every key of the rulebook format with what it says and an example: what the reference shows and a test reads.

Not here: conditions and formulas (`language.examples`).
"""

from __future__ import annotations

from collections.abc import Mapping

# A small rulebook that has one object of every section; each key's example is put into it.
DOCUMENT = """
caddrel: 1
settings: {stance: open}
attributes: {person.attributes.clearance: number}
apps: {gangway: {}}
places:
  head-office: {networks: [192.0.2.0/26]}
  hidden: {anonymisers: [vpn, tor]}
standards:
  crew-tablet:
    checks:
      encrypted: {must: device.encrypted}
      patched: {must: device.platform is not android or device.os_version is at least 15}
password-standards:
  counter: {must: {length: 14}}
schedules:
  shore-hours: {zone: Atlantic/Reykjavik, hours: {mon-fri: ["07:00-19:00"]}}
proofs:
  strong-key: {any_of: [[hwk], [swk, fpt]]}
notices:
  guest-terms: {version: 3, text: Berth plans are confidential.}
signals:
  too-fast: {kind: travel-speed, above_kmh: 900}
  new-country: {kind: first-seen, of: network.country}
  guessing: {kind: failed-attempts, at_least: 5, within: 15m}
  far: {kind: far-away, km: 500}
policies:
  farebox: {rules: [{then: block}]}
guarantees:
  proven: {for: {apps: [manifest]}, at_least: require mfa}
  reachable: {for: {people: [group:keyholders]}, at_most: challenged}
rehearsals:
  mate: {attempt: {person: ines.faro, app: manifest}, expect: allowed}
  anywhere: {attempt: {person: ines.faro, app: manifest}, expect_open: [allowed, blocked]}
accepted:
  - {code: person-by-name, object: policies.farebox, because: Two captains only.}
"""

# Path in the document (the first rule is `rules.0`), what the key says, an example of its value.
KEYS: Mapping[str, tuple[str, str]] = {
    "caddrel": ("The version of the format.", "1"),
    "settings.stance": ("Of apps that say nothing: `open`, allowed unless a policy objects; or `closed`.", "open"),
    "settings.keyholders": ("Accounts set aside so that nobody locks everyone out.", "[group:keyholders]"),
    "settings.assume": ("Facts that nobody reported, with the value they are given.", "{risk.attempt: none}"),
    "settings.contact": ("Shown to people who are blocked.", "access-help@kelpline.example"),
    "attributes": (
        "Own facts with their types: text, flag, number, version, level, name, names, moment.",
        "{device.attributes.maker: text}",
    ),
    "apps.gangway.stance": ("Of this app: `open` or `closed`.", "closed"),
    "places.head-office.networks": ("IPv4 and IPv6 networks.", '[192.0.2.0/26, "2001:db8:10::/48"]'),
    "places.head-office.lists": ("Address lists that the inventory keeps.", "[bad-addresses]"),
    "places.head-office.countries": ("ISO 3166-1 alpha-2 codes.", "[NO, IS]"),
    "places.head-office.anonymisers": ("What hides the true origin.", "[vpn, proxy, relay, tor]"),
    "places.head-office.asns": ("Numbers of autonomous systems.", "[64500]"),
    "places.head-office.places": ("Other places, whole.", "[hidden]"),
    "places.head-office.without": (
        "What is left out: networks, lists, countries, places.",
        "{networks: [192.0.2.48/28]}",
    ),
    "standards.crew-tablet.checks": (
        "The checks by id, at least one; a device must pass all.",
        "{encrypted: {must: device.encrypted}}",
    ),
    "standards.crew-tablet.checks.encrypted.must": ("A condition that must hold.", "device.encrypted"),
    "standards.crew-tablet.checks.encrypted.fix": (
        "What the device's owner does about it.",
        "Turn on storage encryption.",
    ),
    "password-standards.counter.people": ("Whose passwords; everyone when left out.", "[group:terminal-staff]"),
    "password-standards.counter.apps": ("For which apps; every app when left out.", "[farebox]"),
    "password-standards.counter.must": ("What a password must be.", "{length: 12}"),
    "password-standards.counter.must.length": ("At least so many characters.", "12"),
    "password-standards.counter.must.classes": ("So many of: lower-case letters, capitals, digits, others.", "3"),
    "password-standards.counter.must.not_last": ("None of the last so many.", "10"),
    "password-standards.counter.must.max_age": ("No older than this.", "180d"),
    "password-standards.counter.must.not_contain_name": ("No part of the person's id or name.", "yes"),
    "password-standards.counter.lock": (
        "When guessing locks out; all three keys.",
        "{after: 5, within: 15m, for: 30m}",
    ),
    "password-standards.counter.lock.after": ("After so many wrong passwords …", "5"),
    "password-standards.counter.lock.within": ("… within this time …", "15m"),
    "password-standards.counter.lock.for": ("… for this time.", "30m"),
    "schedules.shore-hours.zone": ("An IANA time zone.", "Atlantic/Reykjavik"),
    "schedules.shore-hours.hours": (
        "Windows by weekday or range of weekdays.",
        '{mon-fri: ["07:00-19:00"], sat: ["22:00-02:00"]}',
    ),
    "schedules.shore-hours.closed": ("Dates without windows.", "[2027-01-01]"),
    "schedules.shore-hours.open": ("Dates with windows of their own.", '{2027-01-02: ["10:00-14:00"]}'),
    "proofs.strong-key.any_of": (
        "Combinations of RFC 8176 methods; one whole combination is enough.",
        "[[hwk], [swk, fpt]]",
    ),
    "notices.guest-terms.version": ("Raised when it must be accepted again.", "4"),
    "notices.guest-terms.text": ("What the person accepts.", "Berth plans are confidential."),
    "signals.new-country.kind": ("first-seen, travel-speed, far-away or failed-attempts.", "first-seen"),
    "signals.new-country.of": ("first-seen: the fact compared.", "network.city"),
    "signals.new-country.after": ("first-seen: compare only when there are so many attempts.", "3"),
    "signals.new-country.history": ("At most so many earlier attempts.", "30"),
    "signals.new-country.not_older_than": ("None older than this.", "90d"),
    "signals.too-fast.above_kmh": ("travel-speed: kilometres an hour.", "900"),
    "signals.too-fast.ignore_km": ("travel-speed: shorter ways never fire; 50 when left out.", "80"),
    "signals.far.km": ("far-away: farther than this from every earlier attempt.", "500"),
    "signals.guessing.at_least": ("failed-attempts: so many wrong …", "5"),
    "signals.guessing.within": ("failed-attempts: … in this time.", "10m"),
    "policies.farebox.why": ("Why it is there.", "Ticket money is counted at the terminals."),
    "policies.farebox.owner": ("Who answers for it.", "terminals"),
    "policies.farebox.mode": ("off, shadow or enforced; shadow when left out.", "enforced"),
    "policies.farebox.labels": ("Words to group policies by.", "[money]"),
    "policies.farebox.contact": (
        "Whom a blocked person asks, instead of `settings.contact`.",
        "shift-lead@kelpline.example",
    ),
    "policies.farebox.active": (
        "When it counts; outside as if off.",
        "{from: 2026-01-04T06:00:00Z, until: 2028-07-01T00:00:00Z}",
    ),
    "policies.farebox.active.from": ("From this moment on.", "2026-01-04T06:00:00Z"),
    "policies.farebox.active.until": ("Before this moment.", "2028-07-01T00:00:00Z"),
    "policies.farebox.people": (
        "Whose sign-ins; everyone when left out.",
        '[group:terminal-staff, {where: "person.risk is high"}]',
    ),
    "policies.farebox.except_people": ("Except these.", "[group:keyholders, role:auditor, kind:service, unit:/office]"),
    "policies.farebox.apps": ("To which apps; every app when left out.", '[farebox, "label:money"]'),
    "policies.farebox.except_apps": ("Except these.", "[library]"),
    "policies.farebox.operations": ("Doing what; sign-in when left out.", "[enrol-device, enrol-factor]"),
    "policies.farebox.rules": (
        "Rules in order; the first that matches speaks.",
        "[{when: device.managed, then: allow}, {then: block}]",
    ),
    "policies.farebox.rules.0.id": ("Its name in traces; r1, r2 … when left out.", "after-hours"),
    "policies.farebox.rules.0.when": ("A condition; always when left out.", "not during shore-hours"),
    "policies.farebox.rules.0.then": (
        "allow, block, abstain, or require and a formula.",
        "require mfa within 12h or proof strong-key",
    ),
    "policies.farebox.rules.0.tell": (
        "Plain text for the person, with {contact}, {app}, {fixes}, {reference}.",
        '"{app} is closed. Ask {contact}."',
    ),
    "policies.farebox.rules.0.link": ("An https address to read more.", "https://help.kelpline.example/farebox"),
    "policies.farebox.rules.0.keep": ("How long it lasts before asking again.", "{session_at_most: 12h}"),
    "policies.farebox.rules.0.keep.session_at_most": ("At most so long.", "12h"),
    "policies.farebox.rules.0.keep.idle_at_most": ("At most so long without doing anything.", "30m"),
    "policies.farebox.rules.0.keep.end_with_browser": ("It ends when the browser is closed.", "yes"),
    "guarantees.proven.for": (
        "The attempts it speaks of: a scope as of policies.",
        "{people: [everyone], apps: [manifest]}",
    ),
    "guarantees.proven.when": ("Only those for which this may hold.", "not from head-office"),
    "guarantees.proven.who": ("`anyone` the inventory could hold, or `inventory`: those it holds.", "inventory"),
    "guarantees.proven.at_least": (
        "None gets by with less: `block`, or require and a formula.",
        "require mfa or proof strong-key",
    ),
    "guarantees.reachable.at_most": ("None is treated worse: challenged or allowed.", "allowed"),
    "guarantees.proven.with_shadow": ("Count policies in shadow as if they were enforced; no when left out.", "yes"),
    "rehearsals.mate.attempt": (
        "Facts; person, app and device stand for their ids.",
        "{person: ines.faro, auth.methods: [pwd, otp]}",
    ),
    "rehearsals.mate.expect": ("The outcome it must give, or a list of those that it may.", "[allowed, challenged]"),
    "rehearsals.anywhere.expect_open": (
        "The outcomes that must be possible, and no others, whatever the facts that are left open are.",
        "[challenged, blocked]",
    ),
    "accepted.0.code": ("The code of a finding that was looked at and stands.", "policy-without-why"),
    "accepted.0.object": ("The path of what it is about; what lies within counts too.", "policies.farebox.rules[0]"),
    "accepted.0.because": ("Why it stands.", "The counters are told by phone."),
    "accepted.0.until": ("The last day on which it stands; it is told again afterwards.", "2027-06-30"),
    "policies.farebox.title": ("Every object may have a title …", "Farebox opens at the counter"),
    "policies.farebox.note": ("… and a note.", "Agreed with the terminals in spring."),
}
