"""Rows of other systems' logs: what each cell comes to, what is wrong with a mapping, and what columns suggest."""

from __future__ import annotations

from typing import Any

import pytest

from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.catalogue import Catalogue, attribute_spec
from caddrel.core.facts.types import FactType
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.logs.mapped_rows import RowReader
from caddrel.core.logs.mapping import ColumnRule, LogMapping, problems_of
from caddrel.core.logs.suggested_mapping import suggested

CATALOGUE = Catalogue({"person.attributes.level": attribute_spec("person.attributes.level", FactType.NUMBER)})
AT = {"When": ColumnRule("time.at"), "Id": ColumnRule("id")}
STAMP = "2026-11-20T08:00:00Z"


def _inventory() -> Inventory:
    found, problems = read_inventory(
        {
            "people": [{"id": "ines.faro"}, {"id": "Bo"}, {"id": "bo"}],
            "apps": [{"id": "post"}, {"id": "manifest"}],
            "devices": [{"id": "tab-0117"}],
        }
    )
    assert found is not None
    assert not problems
    return found


def _read(rule: ColumnRule, said: Any, mapping: LogMapping | None = None) -> Any:
    made = mapping or LogMapping({**AT, "X": rule})
    rows = RowReader(made, CATALOGUE, _inventory())
    document = rows.member_row({"When": STAMP, "Id": "r-1", "X": said})
    assert document is not None
    return document["facts"].get(rule.to)


@pytest.mark.parametrize(
    ("rule", "said", "read"),
    [
        (ColumnRule("auth.methods", ";"), "pwd;otp", ["pwd", "otp"]),
        (ColumnRule("auth.methods", "", {"TOTP": "otp", "Password": "pwd"}), "password, totp", ["pwd", "otp"]),
        (ColumnRule("auth.methods", "+", {"mfa": "pwd,otp"}), "MFA", ["pwd", "otp"]),
        (ColumnRule("auth.methods"), "pwd,otp:15m", {"pwd": None, "otp": 900}),
        (ColumnRule("auth.methods"), ["pwd", "otp"], ["pwd", "otp"]),
        (ColumnRule("auth.methods", ";", {"none": ""}), "none", None),
        (ColumnRule("person.groups", "|"), "crew | deck", ["crew", "deck"]),
        (ColumnRule("person.kind", "", {"Staff": "employee", "EXT": "contractor"}), "ext", "contractor"),
        (ColumnRule("person.kind"), "CONTRACTOR", "CONTRACTOR"),
        (ColumnRule("network.country"), "is", "is"),
        (ColumnRule("device.managed"), "TRUE", True),
        (ColumnRule("device.managed", "", {"enrolled": "yes", "-": ""}), "Enrolled", True),
        (ColumnRule("device.managed", "", {"enrolled": "yes", "-": ""}), "-", None),
        (ColumnRule("device.managed"), False, False),
        (ColumnRule("device.os_version"), 15, "15"),
        (ColumnRule("person.attributes.level"), "2", 2),
        (ColumnRule("auth.age"), "90", 90),
        (ColumnRule("person.id"), "INES.Faro", "ines.faro"),
        (ColumnRule("person.id"), "BO", "BO"),  # two are spelled so: whose it is cannot be told
        (ColumnRule("person.id"), "nobody", "nobody"),
        (ColumnRule("app.id", "", {"E-Mail": "post"}), "e-mail", "post"),
        (ColumnRule("app.id"), "   ", None),
    ],
)
def test_what_is_said_there_is_read_as_it_is_said_here(rule: ColumnRule, said: Any, read: Any) -> None:
    assert _read(rule, said) == read


@pytest.mark.parametrize(
    ("moment", "zone", "said", "read"),
    [
        ("", "", "2026-11-20T09:00:00+01:00", STAMP),
        ("", "Europe/Oslo", "2026-11-20 09:00:00", STAMP),
        ("%d.%m.%Y %H:%M", "Europe/Oslo", "20.11.2026 09:00", STAMP),
        ("%d.%m.%Y %H:%M", "Europe/Oslo", "20.07.2026 10:00", "2026-07-20T08:00:00Z"),
        ("%d.%m.%Y %H:%M %z", "", "20.11.2026 09:00 +0100", STAMP),
        ("epoch", "", "1795161600", STAMP),
        ("epoch-ms", "", 1795161600000, STAMP),
        ("", "", "2026-11-20 09:00:00", None),
        ("%d.%m.%Y %H:%M", "Europe/Oslo", "2026-11-20 09:00", None),
        ("epoch", "", "soon", None),
        ("epoch", "", "nan", None),
        ("epoch", "", "1e300", None),
        ("", "", "0001-01-01T00:00:00+14:00", None),
    ],
)
def test_stamps_are_read_as_the_mapping_says(moment: str, zone: str, said: Any, read: str | None) -> None:
    mapping = LogMapping({"X": ColumnRule("time.at"), "Id": ColumnRule("id")}, {}, zone, moment)
    assert not problems_of(mapping, CATALOGUE)
    if read is None:
        with pytest.raises(AttemptRefused) as refused:
            _read(ColumnRule("time.at"), said, mapping)
        (problem,) = refused.value.problems
        assert (problem.code, problem.path) == ("wrong-value", "time.at")
        assert problem.message.startswith("X, `time.at`")
    else:
        assert _read(ColumnRule("time.at"), said, mapping) == read


def test_rows_without_an_id_are_told_apart_by_what_they_hold_and_some_are_passed_over() -> None:
    mapping = LogMapping(
        {"When": ColumnRule("time.at"), "user.name": ColumnRule("person.id"), "r": ColumnRule("recorded.outcome")},
        {"client.kind": "browser", "auth.credentials": "right"},
        skip={"Event": ["Heartbeat"]},
    )
    rows = RowReader(mapping, CATALOGUE, _inventory())
    one = {"When": STAMP, "user": {"name": "Ines.Faro"}, "r": "in", "Event": "logon"}
    first, again, other, none = (
        rows.member_row(each)
        for each in (one, dict(reversed(one.items())), {**one, "r": "out"}, {"Event": "heartbeat"})
    )
    assert first is not None
    assert other is not None
    assert first == again
    assert first["id"] != other["id"]
    assert none is None
    assert (rows.skipped, rows.respelled) == (1, {("person.id", "Ines.Faro", "ines.faro"): 3})
    assert first["facts"] == {
        "client.kind": "browser", "auth.credentials": "right", "time.at": STAMP, "person.id": "ines.faro",
    }  # fmt: skip
    assert first["recorded"] == {"outcome": "in"}
    with pytest.raises(AttemptRefused):
        rows.member_row([])


@pytest.mark.parametrize(
    ("mapping", "code", "says"),
    [
        (LogMapping({"A": ColumnRule("id")}), "missing-key", "time.at"),
        (LogMapping({**AT, "C": ColumnRule("persn.id")}), "unknown-fact", "column C"),
        (LogMapping({**AT, "C": ColumnRule("time.at")}), "given-twice", "time.at"),
        (LogMapping({**AT, "C": ColumnRule("app.id", ";")}), "wrong-value", "no set"),
        (LogMapping({**AT, "C": ColumnRule("person.kind", "", {"x": "staff"})}), "wrong-value", "column C, x"),
        (LogMapping(AT, {"client.kind": "browsr"}), "wrong-value", "client.kind"),
        (LogMapping(AT, {"clint.kind": "browser"}), "unknown-fact", "clint.kind"),
        (LogMapping(AT, zone="Europe/Olso"), "wrong-value", "time zone"),
        (LogMapping(AT, zone="../../etc/passwd"), "wrong-value", "time zone"),
        (LogMapping(AT, moment="dd.mm.yyyy"), "wrong-value", "how a moment"),
        (LogMapping(AT, moment="%d.%m.%Y"), "wrong-value", "how a moment"),
        (LogMapping(AT, moment="%Q" * 40), "wrong-value", "how a moment"),
    ],
)
def test_what_is_wrong_with_a_mapping_is_told(mapping: LogMapping, code: str, says: str) -> None:
    (problem,) = problems_of(mapping, CATALOGUE)
    assert problem.code == code
    assert says in problem.message


def test_names_and_values_suggest_what_columns_are() -> None:
    columns = {
        "Timestamp": ["20.11.2026 09:00", "21.11.2026 10:30"],
        "Account": ["INES.FARO", "bo"],
        "Target": ["POST", "manifest"],
        "Src": ["203.0.113.9", "2001:db8::1"],
        "Land": ["IS", "NO"],
        "Auth": ["pwd;otp", "pwd"],
        "OS": ["android", "windows"],
        "Result": ["ok", "denied"],
        "Row": ["17", "18"],
        "Notes": ["whatever"],
    }
    found = suggested(columns, CATALOGUE, _inventory(), "Europe/Oslo")
    assert {name: rule.to for name, rule in found.mapping.columns.items()} == {
        "Timestamp": "time.at", "Account": "person.id", "Target": "app.id", "Src": "network.ip",
        "Land": "network.country", "Auth": "auth.methods", "OS": "device.platform", "Result": "recorded.outcome",
    }  # fmt: skip
    assert (found.mapping.moment, found.mapping.zone) == ("%d.%m.%Y %H:%M", "Europe/Oslo")
    assert found.mapping.columns["Auth"].split == ";"
    assert any("no offset" in note for note in found.notes)
    assert any("ids are made" in note for note in found.notes)
    assert not problems_of(found.mapping, CATALOGUE)
    doubtful = suggested({"When": ["03/04/2026 10:00"], "id": ["a"]}, CATALOGUE, Inventory())
    assert any("day or month" in note for note in doubtful.notes)
    nothing = suggested({"A": ["x"], "B": []}, CATALOGUE, Inventory())
    assert any("moment" in note for note in nothing.notes)


def test_words_that_others_have_are_understood_and_told() -> None:
    columns = {
        "When": ["2026-11-20T09:00:00Z"], "Ctry": ["IS", "no", "UK"], "OS": ["WIN", "Mac", "android"],
        "Kind": ["Browser", "IMAP", "native"], "How": ["pwd", "pwd;TOTP", "PWD;push"], "Note": ["uk", "it", "hello"],
    }  # fmt: skip
    found = suggested(columns, CATALOGUE, Inventory())
    rules = found.mapping.columns
    assert {name: rule.to for name, rule in rules.items()} == {
        "When": "time.at", "Ctry": "network.country", "OS": "device.platform", "Kind": "client.kind",
        "How": "auth.methods",
    }  # fmt: skip
    assert rules["Ctry"].words == {"uk": "GB"}
    assert rules["OS"].words == {"win": "windows", "mac": "macos"}
    assert rules["Kind"].words == {"imap": "legacy"}
    # What nobody knows another word for is left, to be told when it is tried.
    assert rules["How"].words == {"totp": "otp"}
    assert "Ctry: `uk` is taken for GB" in found.notes
    assert not problems_of(found.mapping, CATALOGUE)
    row = {"Ctry": "UK", "OS": "Win", "Kind": "imap", "How": "pwd;totp"}
    read = {rules[name].to: _read(rules[name], said) for name, said in row.items()}
    assert read == {
        "network.country": "GB", "device.platform": "windows", "client.kind": "legacy", "auth.methods": ["pwd", "otp"],
    }  # fmt: skip
