"""Causes: counting the blocks and challenges of the log that have the same deciding policy, rule and facts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import msgspec
from sqlalchemy import func, select

from caddrel.store.engine import Database
from caddrel.store.filters import fact_value
from caddrel.store.log_tables import bundles, causes, signins
from caddrel.store.moments import from_stored
from caddrel.store.queries import Query, conditions_of


@dataclass(frozen=True, slots=True)
class CauseCount:
    """A cause with how often it is there, for how many people, devices and apps; and when it was first there at all."""

    key: str
    document: Mapping[str, Any]
    count: int
    people: int
    devices: int
    apps: int
    first: datetime
    last: datetime
    first_ever: datetime
    first_revision: int
    days: Mapping[int, int]


class CauseStore:
    """Counts causes, and whom and what they are about."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def counts(self, query: Query, most: int = 100) -> list[CauseCount]:
        """Return the causes of the sign-ins that match, the most frequent first."""
        columns = signins.c
        with self._database.read() as connection:
            where = [columns.cause.is_not(None), *conditions_of(query, connection)]
            each = (
                select(
                    columns.cause,
                    func.count(),
                    func.count(columns.person.distinct()),
                    func.count(columns.device.distinct()),
                    func.count(columns.app.distinct()),
                    func.min(columns.at),
                    func.max(columns.at),
                )
                .where(*where)
                .group_by(columns.cause)
                .order_by(func.min(columns.outcome), func.count().desc(), func.max(columns.at).desc(), columns.cause)
                .limit(most)
            )
            day = columns.at // 86_400_000_000
            per_day = select(columns.cause, day, func.count()).where(*where).group_by(columns.cause, day)
            rows = list(connection.execute(each))
            keys = [row[0] for row in rows]
            trends: dict[str, dict[int, int]] = {key: {} for key in keys}
            for key, at, count in connection.execute(per_day):
                if key in trends:
                    trends[key][at] = count
            listed = connection.execute(select(causes).where(causes.c.key.in_(keys)))
            documents = {row.key: msgspec.json.decode(row.document) for row in listed}
            found = []
            for row in rows:
                earliest = select(columns.at, columns.revision).where(columns.cause == row[0]).order_by(columns.at)
                first = connection.execute(earliest.limit(1)).one()
                key, count, people, devices, apps, since, until = row
                found.append(
                    CauseCount(
                        key, documents[key], count, people, devices, apps, from_stored(since), from_stored(until),
                        from_stored(first.at), first.revision, trends[key],
                    )
                )  # fmt: skip
        return found

    def affected(self, query: Query) -> tuple[int, int]:
        """Return how many people the causes of matching sign-ins are about, and how many sign-ins."""
        with self._database.read() as connection:
            where = [signins.c.cause.is_not(None), *conditions_of(query, connection)]
            wanted = select(func.count(signins.c.person.distinct()), func.count()).where(*where)
            people, count = connection.execute(wanted).one()
        return people, count

    def addresses_of(self, query: Query, cause: str, most: int = 1000) -> list[str]:
        """Return the addresses that the sign-ins of a cause came from."""
        address = fact_value("network.ip")
        with self._database.read() as connection:
            where = [signins.c.cause == cause, *conditions_of(query, connection)]
            wanted = (
                select(address)
                .select_from(signins.join(bundles, bundles.c.number == signins.c.network_facts))
                .where(address.is_not(None), *where)
                .distinct()
                .order_by(address)
                .limit(most)
            )
            return [row[0] for row in connection.execute(wanted)]
