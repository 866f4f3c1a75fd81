"""Rehearsals answered with all cases, through client and network: true sentences, tables, and clear refusals."""

from __future__ import annotations

import random
import re
import shlex
from collections.abc import Sequence
from ipaddress import IPv4Address, IPv6Address
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live

from caddrel.client import Caddrel, Refused
from caddrel.core.cases.answer import all_cases
from caddrel.core.cases.tree import Fork, Leaf, Tree
from caddrel.core.decide.interpreter.interpreter import Others, explain
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.requirements import Requirements
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.facts import Setting
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Entry
from caddrel.core.language.nodes import Item
from caddrel.core.words.cases import cases_words, clauses
from caddrel.core.words.pieces import plain
from caddrel.service.tracing.cases import known_addresses
from caddrel.wire.cases import AxisRequest, CaseNode, MatrixRequest

PAGE = Path(__file__).parents[3] / "docs" / "rehearsing.md"


def _leaf(tree: Tree, judge: Judge, requirements: Requirements) -> Leaf:
    while isinstance(tree, Fork):
        truth = requirements.met(tree.asks) if isinstance(tree.asks, Item) else judge.judge(tree.asks).truth
        tree = tree.yes if truth is TRUE else tree.no
    return tree


def _without_names(person: Entry) -> str:
    facts = sorted((name, repr(value)) for name, value in person.facts.items() if name != "person.id")
    return repr((facts, sorted(person.attributes.items()), person.groups_until))


def test_for_every_person_and_app_the_sentence_is_true_of_cases_that_are_decided_one_by_one(kelpline: Live) -> None:
    rulebook, inventory = kelpline.data.rulebooks.need_current().rulebook, kelpline.data.inventories.current()
    rng = random.Random(7)
    known = known_addresses(kelpline.data)
    assert known is not None
    decided, others = 0, Others()
    # Of those who are alike in all but their names one, with every app.
    alike = {_without_names(person): person for person in inventory.people.values()}
    assert len(alike) > 10
    for person in alike.values():
        for app in inventory.apps:
            given = complete(
                {"person.id": person.id, "app.id": app}, rulebook.catalogue, rulebook.settings.assume, inventory,
                Setting.REHEARSAL, kelpline.clock(), kelpline.data.addresses,
            )  # fmt: skip
            answer = all_cases(rulebook, given, inventory, known=known)
            sentence = plain(cases_words(answer, rulebook, given, person.title))
            assert answer.exact
            assert re.match(r"[A-ZÅÆØÉÍÓ].*[^ ]\.$", sentence), sentence
            assert "  " not in sentence
            said, rest = clauses(answer)
            for _ in range(28):
                case = answer.any_case(rng.random)
                assert case is not None
                explained = explain(rulebook, case, others=others)
                decision, judge, requirements = explained.decision, explained.judge, explained.requirements
                decided += 1
                # Country and the like of a known address are as the address data say.
                address = case.values.get("network.ip")
                record = known.look_up(address).facts if isinstance(address, IPv4Address | IPv6Address) else {}
                assert all(case.values[name] == value for name, value in record.items() if name in case.values)
                assert decision.outcome in answer.possible
                assert decision.outcome in _leaf(answer.tree, judge, requirements).possible
                # The first clause whose conditions hold tells what comes of it.
                for asks, yes, outcomes in said:
                    truth = requirements.met(asks) if isinstance(asks, Item) else judge.judge(asks).truth
                    if (truth is TRUE) is yes:
                        assert decision.outcome in outcomes, sentence
                        break
                else:
                    assert decision.outcome in rest, sentence
    assert decided == 28 * len(alike) * len(inventory.apps)


def _ends(node: CaseNode) -> list[CaseNode]:
    return [each for side in (node.yes, node.no) if side is not None for each in _ends(side)] or [node]


def test_an_answer_says_what_can_come_and_each_end_of_its_tree_comes_to_it(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        found = viewer.rehearse({"person": "ines.faro", "app": "manifest"}).cases
        assert (found.exact, found.possible) == (True, ["challenged", "blocked"])
        assert plain_text(found.sentence).startswith("Ines Faro gets into Manifest after MFA if ")
        assert plain_text(found.door).startswith("If nothing more is reported: Ines Faro may not open Manifest")
        assert set(found.matters) <= set(found.facts)
        for end in _ends(found.tree):
            again = viewer.rehearse(facts={"person": "ines.faro", "app": "manifest", **end.facts})
            assert (again.decision.outcome, again.decision.certain) == (end.possible[0], True)
            assert again.decision.outstanding == end.outstanding
        closed = viewer.rehearse({"person": "bruno.krog", "app": "gangway"})
        assert plain_text(closed.cases.sentence) == "Bruno Krog does not get into Gangway, whatever else is so."
        assert (closed.cases.possible, closed.cases.matters) == (["blocked"], [])
        # What the door would say for want of facts is told as such.
        assert plain_text(closed.cases.door).startswith("If nothing more is reported: ")
        settled = viewer.rehearse(
            {
                "person": "ines.faro",
                "app": "manifest",
                "device": "tab-0117",
                "device.os_version": "15",
                "network.ip": "198.51.100.90",
            }
        )
        assert (settled.cases.matters, settled.cases.possible) == ([], [settled.decision.outcome])
        assert settled.remedies
        assert settled.cases.sentence == settled.sentence


def plain_text(pieces: Sequence[object]) -> str:
    return "".join(getattr(piece, "text", "") for piece in pieces)


@pytest.mark.parametrize(
    ("given", "code", "told"),
    [
        (
            {"device": "nope-1", "device.managed": "yes"},
            "contradictory-facts",
            "yes, while inventory gives",
        ),
        ({"device.listed": "no", "device.owner": "company"}, "contradictory-facts", "`device.listed` no"),
        ({"device.owner": "personal", "device.platform": "chromeos"}, "contradictory-facts", "personal"),
        ({"person": "ines.farro"}, "unknown-person", "ines.farro"),
        ({"device.colour": "red"}, "unknown-fact", "device.colour"),
        ({"device.managed": "perhaps"}, "wrong-value", "perhaps"),
    ],
)
def test_facts_that_no_attempt_can_have_are_refused_by_name(
    kelpline: Live, given: dict[str, str], code: str, told: str
) -> None:
    with kelpline.client("viewer") as viewer, pytest.raises(Refused) as refused:
        viewer.rehearse({"app": "post", **given})
    problem = refused.value.problem
    assert problem.status == 422
    assert [error.code for error in problem.errors] == [code]
    assert told in problem.errors[0].message


def _ask(viewer: Caddrel, *axes: tuple[str, list[str]], **given: str) -> list[list[list[str]]]:
    across, *down = [AxisRequest(fact, values) for fact, values in axes]
    found = viewer.rehearsals.matrix(MatrixRequest(across, down[0] if down else None, given))
    return [[cell.possible for cell in line] for line in found.cells]


def test_a_table_has_the_outcomes_of_every_combination(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        who = {"person": "ines.faro", "app": "manifest"}
        [owners] = _ask(viewer, ("device.owner", []), **who)
        assert owners == [["challenged", "blocked"], ["blocked"], ["blocked"]]
        two = _ask(viewer, ("device.owner", ["company"]), ("network.anonymiser", ["none", "tor"]), **who)
        for line, hidden in zip(two, ("none", "tor"), strict=True):
            one = viewer.rehearse({**who, "device.owner": "company", "network.anonymiser": hidden})
            assert line == [one.cases.possible]
        group = viewer.rehearsals.matrix(MatrixRequest(AxisRequest("person", ["group:bridge"]), None, {"app": "post"}))
        assert "ines.faro" in group.across_values
        impossible = viewer.rehearsals.matrix(
            MatrixRequest(AxisRequest("device.owner", []), None, {**who, "device.listed": "no"})
        )
        assert [bool(cell.refused) for cell in impossible.cells[0]] == [True, True, False]


_MANY = [f"v{i}" for i in range(50)]


@pytest.mark.parametrize(
    ("axes", "code"),
    [
        ([("nothing", [])], "bad-matrix"),
        ([("network.city", [])], "bad-matrix"),
        ([("device.owner", []), ("device.owner", [])], "bad-matrix"),
        ([("network.country", [])], "bad-matrix"),
        (
            [("network.city", [f"c{i}" for i in range(50)]), ("person.home", [f"h{i}" for i in range(50)])],
            "too-many-combinations",
        ),
    ],
)
def test_a_table_that_cannot_be_is_refused(kelpline: Live, axes: list[tuple[str, list[str]]], code: str) -> None:
    with kelpline.client("viewer") as viewer, pytest.raises(Refused) as refused:
        _ask(viewer, *axes, app="post")
    assert (refused.value.problem.status, refused.value.problem.code) == (422, code)
    assert refused.value.problem.hint


def test_kept_rehearsals_are_there_to_start_from(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        kept = viewer.rehearsals.kept()
        assert [each.id for each in kept] == list(kelpline.data.rulebooks.need_current().rulebook.rehearsals)
        for each in kept[:3]:
            assert viewer.rehearse(facts=each.attempt).decision.outcome in each.expect


def test_the_commands_of_the_page_run(kelpline: Live, tmp_path: Path) -> None:
    text = PAGE.read_text(encoding="utf-8")
    commands = re.findall(r"^caddrel .*", text, re.M)
    assert len(commands) >= 5
    kept = re.findall(r"```yaml\n(.*?)```", text, re.S)[0]
    (tmp_path / "rehearsals").mkdir()
    (tmp_path / "rehearsals" / "mate.yaml").write_text(kept, encoding="utf-8")
    book = kelpline.data.rulebooks.need_current().revision.files[0][1]
    (tmp_path / "rulebook.yaml").write_text(book, encoding="utf-8")
    (tmp_path / "attempts.ndjson").write_text('{"id": "a", "facts": {"app.id": "post"}}\n', encoding="utf-8")
    for command in commands:
        done = run(*shlex.split(command)[1:], cwd=tmp_path, env=kelpline.environment())
        # Without an inventory nobody knows whom the kept ones are about: that is a note, or the answer is no.
        assert done.returncode == 0 or "--rehearsals" in command, f"{command}: {done.stderr}"
        assert "Traceback" not in done.stderr
    assert (tmp_path / "rehearsals.xml").read_text(encoding="utf-8").startswith("<?xml")
    offline = re.findall(r"`(caddrel decide --open[^`]*)`", text)[0]
    done = run(*shlex.split(offline)[1:], cwd=tmp_path)
    assert '"open": {"facts": [' in done.stdout
    assert "Ines Faro gets into Manifest after MFA if" in run(
        *shlex.split(commands[0])[1:], env=kelpline.environment(), cwd=tmp_path
    ).stdout.replace("\n", " ")
