"""Devices that came to a door and are on no list: what the log has of them, and which are to stay off it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.sqlite import insert as put

from caddrel.store.book_tables import refused_devices
from caddrel.store.engine import Database
from caddrel.store.filters import bundled, fact_value
from caddrel.store.log_tables import bundles, signins
from caddrel.store.moments import from_stored, to_stored

_PLATFORM, _VERSION, _SERIAL = (fact_value(f"device.{name}") for name in ("platform", "os_version", "serial"))


@dataclass(frozen=True, slots=True)
class Seen:
    """What somebody did from a device that was not listed.

    Attributes
    ----------
    device, serial
        What was reported of it; at least one of them.
    count, first, last
        So many sign-ins, the first and the last.
    """

    device: str
    serial: str
    platform: str
    os_version: str
    person: str
    count: int
    first: datetime
    last: datetime


@dataclass(frozen=True, slots=True)
class RefusedDevice:
    """A device that is to stay off the list; `device` is its serial number or, without one, its id."""

    device: str
    at: datetime
    by: str
    why: str


class UnlistedDevices:
    """Reads what the log has of devices that were not listed."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def seen(self, since: datetime, most: int) -> Iterator[Seen]:
        """Yield who came from which, the latest first; at most so many pairs."""
        unlisted = bundled("device", fact_value("device.listed") == 0)
        # Without an id and a serial number it is not known which one it was.
        known = signins.c.device.is_not(None) | _SERIAL.is_not(None)
        last = func.max(signins.c.at)
        wanted = (
            select(
                signins.c.device, _SERIAL.label("serial"), _PLATFORM.label("platform"), _VERSION.label("version"),
                signins.c.person, func.count().label("times"), func.min(signins.c.at).label("first"),
                last.label("last"),
            )
            .join(bundles, (bundles.c.number == signins.c.device_facts) & (bundles.c.kind == "device"))
            .where(unlisted, known, signins.c.at >= to_stored(since))
            .group_by(signins.c.device, _SERIAL, signins.c.person)
            .order_by(last.desc())
            .limit(most)
        )  # fmt: skip
        with self._database.read() as connection:
            for row in connection.execute(wanted):
                yield Seen(
                    row.device or "", str(row.serial or ""), str(row.platform or ""), str(row.version or ""),
                    row.person or "", row.times, from_stored(row.first), from_stored(row.last),
                )  # fmt: skip


class RefusedDeviceStore:
    """Keeps which devices are to stay off the list."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> dict[str, RefusedDevice]:
        """Return the devices that were refused."""
        with self._database.read() as connection:
            rows = connection.execute(select(refused_devices)).all()
        return {row.device: RefusedDevice(row.device, from_stored(row.at), row.by, row.why) for row in rows}

    def refuse(self, refused: RefusedDevice) -> None:
        """Keep that a device is to stay off the list."""
        values = {"at": to_stored(refused.at), "by": refused.by, "why": refused.why}
        add = put(refused_devices).values(device=refused.device, **values)
        with self._database.write() as connection:
            connection.execute(add.on_conflict_do_update(index_elements=[refused_devices.c.device], set_=values))

    def forget(self, device: str) -> None:
        """Forget that a device was refused."""
        with self._database.write() as connection:
            connection.execute(delete(refused_devices).where(refused_devices.c.device == device))
