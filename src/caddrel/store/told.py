"""What feeds have told of people: risks that are believed for a while, and who was put off."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.dialects.sqlite import insert as put

from caddrel.store.book_tables import put_off, risks_before, told_risks
from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored


@dataclass(frozen=True, slots=True)
class ToldRisk:
    """A risk that a feed has told of a person, until when it is believed."""

    person: str
    feed: str
    level: str
    until: datetime


class ToldStore:
    """Keeps what feeds have told."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def tell(self, risk: ToldRisk) -> None:
        """Keep what a feed says of a person, in the place of what it said before."""
        values = {"level": risk.level, "until": to_stored(risk.until)}
        add = put(told_risks).values(person=risk.person, feed=risk.feed, **values)
        with self._database.write() as connection:
            key = [told_risks.c.person, told_risks.c.feed]
            connection.execute(add.on_conflict_do_update(index_elements=key, set_=values))

    def risks(self, person: str) -> list[ToldRisk]:
        """Return what feeds say of a person."""
        with self._database.read() as connection:
            rows = connection.execute(select(told_risks).where(told_risks.c.person == person)).all()
        return [ToldRisk(row.person, row.feed, row.level, from_stored(row.until)) for row in rows]

    def over(self, now: datetime) -> list[ToldRisk]:
        """Return what is not believed any more."""
        with self._database.read() as connection:
            rows = connection.execute(select(told_risks).where(told_risks.c.until <= to_stored(now))).all()
        return [ToldRisk(row.person, row.feed, row.level, from_stored(row.until)) for row in rows]

    def forget(self, risk: ToldRisk) -> None:
        """Forget what a feed said of a person, unless it has said something else since."""
        this = (told_risks.c.person == risk.person) & (told_risks.c.feed == risk.feed)
        with self._database.write() as connection:
            connection.execute(delete(told_risks).where(this, told_risks.c.until == to_stored(risk.until)))

    def before(self, person: str) -> tuple[str, str | None] | None:
        """Return which risk a person has by what feeds say, and which they had before; None where feeds say nothing."""
        with self._database.read() as connection:
            row = connection.execute(select(risks_before).where(risks_before.c.person == person)).first()
        return (row.level, row.before) if row is not None else None

    def keep_before(self, person: str, level: str, before: str | None) -> None:
        """Keep which risk a person has by what feeds say, and which they had before."""
        values = {"level": level, "before": before}
        add = put(risks_before).values(person=person, **values)
        with self._database.write() as connection:
            connection.execute(add.on_conflict_do_update(index_elements=[risks_before.c.person], set_=values))

    def forget_before(self, person: str) -> None:
        """Forget it: feeds say nothing of them any more."""
        with self._database.write() as connection:
            connection.execute(delete(risks_before).where(risks_before.c.person == person))

    def keep_off(self, person: str, feed: str, off: str) -> None:
        """Keep that a feed has put a person off, and since when, as it stands with them."""
        add = put(put_off).values(person=person, feed=feed, off=off)
        with self._database.write() as connection:
            key = [put_off.c.person, put_off.c.feed]
            connection.execute(add.on_conflict_do_update(index_elements=key, set_={"off": off}))

    def off_by(self, person: str) -> dict[str, str]:
        """Return which feeds have put a person off, and since when."""
        with self._database.read() as connection:
            rows = connection.execute(select(put_off).where(put_off.c.person == person)).all()
        return {row.feed: row.off for row in rows}

    def forget_off(self, person: str, feed: str) -> None:
        """Forget that a feed has put a person off."""
        this = (put_off.c.person == person) & (put_off.c.feed == feed)
        with self._database.write() as connection:
            connection.execute(delete(put_off).where(this))
