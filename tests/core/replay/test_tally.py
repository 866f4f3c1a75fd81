"""What a replay counts, against counting one by one; and parts of a log put together."""

from __future__ import annotations

from collections import Counter
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from caddrel.core.columnar.batch import Flags, Rows
from caddrel.core.decide.decision import RuleRef
from caddrel.core.replay.recorded import Coded
from caddrel.core.replay.tally import Attempts, Changed, Side, Tally, changed_json, outcomes_of, tally_json
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.core.words.pieces import plain
from caddrel.core.words.replays import filled, replay_words, unknown_placeholders

RULES = [RuleRef("a", "one"), RuleRef("a", "two"), RuleRef("b", "one")]
outcome = st.sampled_from(OUTCOMES)
person = st.sampled_from(["ines", "bruno", "odd", None])
rules = st.lists(st.sampled_from(range(3)), max_size=2, unique=True)
attempt = st.tuples(person, st.sampled_from(["t1", "t2", None]), outcome, outcome, rules, rules, st.booleans())


def _sides(rows: list[Any]) -> tuple[Attempts, Side, Side]:
    def side(place: int, of_side: int, certain: bool) -> Side:
        found = [
            (rule, np.array([row for row, each in enumerate(rows) if number in each[of_side]], np.intp))
            for number, rule in enumerate(RULES)
        ]
        known = np.array([each[6] for each in rows], np.bool_)

        def deciding(wanted: Flags) -> list[tuple[RuleRef, Rows]]:
            return [(rule, mine[wanted[mine]]) for rule, mine in found]

        return Side(outcomes_of(each[place] for each in rows), deciding, known if certain else None)

    people, devices = (Coded.of(each[place] for each in rows) for place in (0, 1))
    return (
        Attempts(lambda some: [f"s{row}" for row in some], people, devices, np.arange(len(rows))),
        side(2, 4, False),
        side(3, 5, True),
    )


@given(st.lists(attempt, max_size=30))
@settings(max_examples=150, deadline=None)
def test_everything_is_counted_once_and_parts_add_up(rows: list[Any]) -> None:
    tally = Tally()
    changed = list(tally.add(*_sides(rows)))
    told = tally_json(tally)
    wanted = [(f"s{row}", each) for row, each in enumerate(rows) if each[2] != each[3]]
    assert [each.id for each in changed] == [id for id, _ in wanted]
    for each, (_, row) in zip(changed, wanted, strict=True):
        # The rules of the stricter side are the reason.
        stricter = OUTCOMES.index(row[3]) > OUTCOMES.index(row[2])
        assert set(each.because) == {RULES[number] for number in row[5 if stricter else 4]}
        assert changed_json(each)["from"] == row[2]
    assert (told["attempts"], told["same"]) == (len(rows), len(rows) - len(wanted))
    assert told["undetermined"] == sum(not row[6] for row in rows)
    flows = Counter((row[2], row[3]) for row in rows)
    assert {(flow["from"], flow["to"]): flow["count"] for flow in told["flows"]} == dict(flows)
    for flow in told["flows"]:
        mine = [row for row in rows if (row[2], row[3]) == (flow["from"], flow["to"])]
        assert flow["people"] == len({row[0] for row in mine} - {None})
        assert flow["devices"] == len({row[1] for row in mine} - {None})
    because = Counter((c.before, c.after, ref) for c in changed for ref in c.because)
    assert {(b["from"], b["to"], RuleRef(b["policy"], b["rule"])): b["count"] for b in told["because"]} == dict(because)
    assert told["people"] == len({row[0] for row in rows} - {None})
    assert told["changed"]["people"] == len({row[0] for _, row in wanted} - {None}) == len(tally.people)
    assert plain(replay_words(tally))

    parts = Tally()
    for start in range(0, len(rows), 7):
        part = Tally()
        list(part.add(*_sides(rows[start : start + 7])))
        parts.merge(part)
    assert tally_json(parts) == told
    for name, hit in tally.people.items():
        other = parts.people[name]
        assert (hit.flows, hit.devices, hit.because) == (other.flows, other.devices, other.because)


def test_what_is_filled_in_is_not_read_again() -> None:
    assert (
        filled("Hello {name}, {nothing}: {needs}", {"name": "{needs}", "needs": "-"}) == "Hello {needs}, {nothing}: -"
    )
    assert unknown_placeholders("{name} {nmae} {contact}") == ["nmae"]
    assert isinstance(changed_json(Changed(0, "s", None, None, "allowed", "blocked", ())), dict)
