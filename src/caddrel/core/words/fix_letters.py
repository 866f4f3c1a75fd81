"""What the owners of devices that fail a standard are told: a text for each, from a template. Nothing is sent."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from caddrel.core.words.replays import filled

TEMPLATE = """Dear {name},

{devices} will soon not be good enough for {apps}.

What you need to do:
{fixes}

If something does not work, ask {contact}.
"""
# Person, name, device, its failed checks with their fixes, the apps that are lost by it.
Failing = tuple[str, str, str, Sequence[tuple[str, str]], Sequence[str]]


def fix_letters(devices: Iterable[Failing], contact: str, template: str = TEMPLATE) -> dict[str, str]:
    """Return a text for every owner, by person; devices that are nobody's have none."""
    names: dict[str, str] = {}
    owned: dict[str, list[str]] = {}
    fixes: dict[str, dict[str, None]] = {}
    apps: dict[str, dict[str, None]] = {}
    for person, name, device, checks, loses in devices:
        if not person:
            continue
        names[person] = name or person
        owned.setdefault(person, []).append(device)
        for title, fix in checks:
            fixes.setdefault(person, {})[fix or f"{title}: ask how"] = None
        for app in loses:
            apps.setdefault(person, {})[app] = None
    return {
        person: filled(
            template,
            {
                "name": names[person],
                "person": person,
                "devices": ", ".join(owned[person]),
                "fixes": "\n".join(f"- {fix}" for fix in fixes.get(person, ())),
                "apps": ", ".join(apps.get(person, ())) or "everything that asks for it",
                "contact": contact or "whoever runs your sign-in",
            },
        )
        for person in sorted(names)
    }
