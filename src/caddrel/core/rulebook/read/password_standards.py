"""Reading password standards."""

from __future__ import annotations

from caddrel.core.facts.types import Value
from caddrel.core.facts.values import read_duration, read_flag
from caddrel.core.rulebook.model import (
    PasswordStandard,
)
from caddrel.core.rulebook.read.fields import Fields, Reading, section_objects
from caddrel.core.rulebook.read.parts import whole_number
from caddrel.core.rulebook.read.selectors import EVERY_APP, EVERYONE, read_selectors
from caddrel.core.rulebook.read.signals import _COUNT
from caddrel.core.rulebook.source import Mapping

PASSWORD_MUST = {
    "length": whole_number(1, 1000),
    "classes": whole_number(1, 4),
    "not_last": whole_number(1, 1000),
    "max_age": read_duration,
    "not_contain_name": read_flag,
}


PASSWORD_LOCK = {"after": _COUNT, "within": read_duration, "for": read_duration}


def read_password_standards(reading: Reading, document: Mapping) -> dict[str, PasswordStandard]:
    """Return the password standards."""
    found = {}
    section = "password-standards"
    for name, node, path in section_objects(reading, document, section, "password standard"):
        fields = Fields(reading, node, path, ("people", "apps", "must", "lock"), "password standard")
        fields.need("must", "such as must: {length: 12}")
        tables: list[dict[str, Value]] = []
        for key, table in (("must", PASSWORD_MUST), ("lock", PASSWORD_LOCK)):
            values: dict[str, Value] = {}
            if key in fields.values:
                inner = Fields(reading, fields.values[key], f"{path}.{key}", tuple(table), f"`{key}`")
                for field_name, parse in table.items():
                    value = inner.parsed(field_name, parse)
                    if value is not None:
                        values[field_name] = value
                    elif key == "lock":
                        inner.need(field_name)
            tables.append(values)
        found[name] = PasswordStandard(
            name,
            fields.text("title"),
            fields.text("note"),
            read_selectors(fields, "people", (EVERYONE,)),
            read_selectors(fields, "apps", (EVERY_APP,)),
            *tables,
        )
    return found
