"""Replaying a log in a Parquet file, against SQL written for the same rulebook and tuned for DuckDB."""

from __future__ import annotations

import random
import tempfile
import time
from collections.abc import Iterator
from ipaddress import ip_address, ip_network
from pathlib import Path
from typing import Any

import duckdb
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from bench.company import COUNTRIES, Company
from bench.result import Result
from caddrel.cli.parquet_log import parquet_tables
from caddrel.core.facts.types import LEVELS
from caddrel.core.garbage import between, collect_seldom
from caddrel.core.replay.table import TableReplay
from caddrel.core.replay.tally import tally_json
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

ROWS, PEOPLE, DEVICES, ADDRESSES, APPS, GROUPS = 1_000_000, 10_000, 10_000, 16_384, 60, 80
GOALS = {20: 1.4, 200: 6.0}
_VERSIONS = ["12", "13.1", "14.2", "15", "16"]


def run() -> Iterator[Result]:
    """Yield the figures: processor time of both, in turns."""
    # As the command does.
    collect_seldom()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "log.parquet"
        log = _log()
        for policies, goal in GOALS.items():
            company = Company(policies)
            rulebook = read_rulebook(Source("r", company.text)).or_raise()
            connection = duckdb.connect()
            # It makes joins of long lists, which takes longer here.
            for setting in ("threads = 1", "disabled_optimizers = 'in_clause'", "enable_progress_bar = false"):
                connection.execute(f"SET {setting}")
            pq.write_table(_recorded(log, company, connection, path), path, compression="zstd", row_group_size=500_000)
            query, rows = _sql(company, path), list[Any]()
            ours, theirs = [], []
            replay = TableReplay(None, rulebook)
            for _ in range(5):
                began = time.process_time()
                replay = TableReplay(None, rulebook)
                for table in between(parquet_tables(path, named=False)):
                    replay.count(table)
                ours.append(time.process_time() - began)
                began = time.process_time()
                rows = connection.execute(query).fetchall()
                theirs.append(time.process_time() - began)
            told = {(each["from"], each["to"]): each for each in tally_json(replay.tally)["flows"]}
            assert {(a, b): (n, p, d) for a, b, n, p, d in rows} == {
                pair: (each["count"], each["people"], each["devices"]) for pair, each in told.items()
            }
            said = f"{ROWS / min(ours) / 1e6:.2f} million a CPU second, DuckDB {ROWS / min(theirs) / 1e6:.2f}"
            yield Result(f"replay of Parquet, {policies} policies: DuckDB / columns", min(theirs) / min(ours), "above",
                         goal, said)  # fmt: skip


def _log() -> pa.Table:
    rng = np.random.default_rng(3)
    drawn = random.Random(5)  # noqa: S311 - made-up people

    def many(values: list[Any], weights: list[float] | None = None) -> pa.Array:
        codes = rng.choice(len(values), ROWS, p=weights)
        return pa.DictionaryArray.from_arrays(pa.array(codes, pa.int32()), pa.array(values)).dictionary_decode()

    def of(codes: Any, values: list[Any]) -> pa.Array:
        return pa.array(values).take(pa.array(codes))

    people, devices = rng.integers(0, PEOPLE, ROWS), rng.integers(0, DEVICES, ROWS)
    addresses = rng.integers(0, ADDRESSES, ROWS)
    first = int(ip_address("198.18.0.0"))
    versions = [drawn.choice(_VERSIONS) for _ in range(DEVICES)]
    groups = [sorted({f"group-{drawn.randrange(GROUPS)}" for _ in range(drawn.randint(2, 6))}) for _ in range(PEOPLE)]
    moments = np.int64(1_761_955_200_000_000) + rng.integers(0, 30 * 86_400, ROWS) * 1_000_000
    return pa.table({
        "id": pa.array([f"s{number}" for number in range(ROWS)]),
        "outcome": many(list(OUTCOMES), [0.8, 0.1, 0.1]),
        "time.at": pa.array(moments, pa.timestamp("us", "UTC")),
        "operation": many(["sign-in"]),
        "person.id": of(people, [f"person-{number}" for number in range(PEOPLE)]),
        "person.groups": of(people, groups),
        "person.roles": of(people, [drawn.choice([[], ["auditor"], ["deputy"]]) for _ in range(PEOPLE)]),
        "person.factors": of(people, [drawn.choice([["password"], ["password", "push"]]) for _ in range(PEOPLE)]),
        "app.id": many([f"app-{number}" for number in range(APPS)]),
        "device.id": of(devices, [f"device-{number}" for number in range(DEVICES)]),
        "device.owner": of(devices, [drawn.choice(["company", "company", "personal"]) for _ in range(DEVICES)]),
        "device.managed": of(devices, [drawn.random() < 0.8 for _ in range(DEVICES)]),
        "device.encrypted": of(devices, [drawn.random() < 0.9 for _ in range(DEVICES)]),
        "device.platform": of(devices, [drawn.choice(["android", "windows", "macos"]) for _ in range(DEVICES)]),
        "device.os_version": of(devices, versions),
        "network.country": of(addresses, [COUNTRIES[number // 1700] for number in range(ADDRESSES)]),
        "network.ip": of(addresses, [str(ip_address(first + 4 * number)) for number in range(ADDRESSES)]),
        "risk.attempt": many(["none", "low", "medium"], [0.6, 0.2, 0.2]),
        "client.kind": many(["browser", "native", "legacy"], [0.3, 0.5, 0.2]),
        "auth.methods": of(rng.integers(0, 3, ROWS), [["pwd"], ["pwd", "otp"], ["pwd", "otp"]]),
        # For SQL alone: numbers that somebody who tunes it would have made beforehand.
        "ip_number": pa.array(first + 4 * addresses),
        "version_number": of(devices, [_number(version) for version in versions]),
    })  # fmt: skip


def _number(version: str) -> int:
    major, _, minor = version.partition(".")
    return int(major) * 1000 + int(minor or 0)


def _recorded(log: pa.Table, company: Company, connection: Any, path: Path) -> pa.Table:
    """Return the log as a rulebook recorded it that made something else of one in fifty."""
    pq.write_table(log, path)
    inner = _sql(company, path).partition("FROM (")[2].rpartition(") GROUP BY")[0]
    outcomes = [row[0] for row in connection.execute(f"SELECT becomes FROM ({inner})").fetchall()]  # noqa: S608
    drawn = random.Random(9)  # noqa: S311 - a made-up log
    outcomes = [drawn.choice(OUTCOMES) if drawn.random() < 0.02 else each for each in outcomes]
    return log.set_column(log.column_names.index("outcome"), "outcome", pa.array(outcomes))


def _sql(company: Company, path: Path) -> str:
    """Return a query with one expression for each policy, as somebody would write it who knows the engine."""
    blocks: list[str] = []
    needs: list[str] = []
    for policy in company.document["policies"].values():
        scope = ["operation = 'sign-in'"]
        if policy["people"] != ["everyone"]:
            groups = ", ".join(f"'{each.removeprefix('group:')}'" for each in policy["people"])
            scope.append(f'list_has_any("person.groups", [{groups}])')
        if policy["apps"] != ["every-app"]:
            scope.append(f'"app.id" IN ({", ".join(map(repr, policy["apps"]))})')
        taken: list[str] = []
        for effect, found in (("block", blocks), ("require mfa", needs)):
            taken = []
            for rule in policy["rules"]:
                test = _condition(company, rule["when"])
                if rule["then"] == effect:
                    before = "".join(f" AND NOT ({each})" for each in taken)
                    found.append(f"({' AND '.join(scope)} AND ({test}){before})")
                taken.append(test)
    return _question(" OR ".join(blocks) or "false", " OR ".join(needs) or "false", path)


def _question(blocked: str, needed: str, path: Path) -> str:
    mfa = "list_contains(\"auth.methods\", 'otp')"
    push = "list_contains(\"person.factors\", 'push')"
    outcome = (
        f"CASE WHEN {blocked} THEN 'blocked' WHEN NOT {mfa} AND ({needed}) THEN "
        f"CASE WHEN {push} THEN 'challenged' ELSE 'blocked' END ELSE 'allowed' END"
    )
    return (
        f'SELECT outcome, becomes, count(*), count(DISTINCT "person.id"), count(DISTINCT "device.id") FROM '  # noqa: S608
        f'(SELECT outcome, "person.id", "device.id", {outcome} AS becomes FROM read_parquet(\'{path}\')) '
        "GROUP BY outcome, becomes"
    )


def _condition(company: Company, when: str) -> str:
    return " AND ".join(f"({_test(company, part.strip('()'))})" for part in when.split(" and "))


def _test(company: Company, test: str) -> str:
    words = test.split()
    match words:
        case ["from", place]:
            spans = [ip_network(each) for each in company.networks[int(place.removeprefix("place-"))]]
            ends = [(int(each.network_address), int(each.broadcast_address)) for each in spans]
            return " OR ".join(f"ip_number BETWEEN {first} AND {last}" for first, last in ends)
        case ["not", "device", "passes", "tablet"]:
            return f'NOT ("device.encrypted" AND version_number >= {_number("14")})'
        case ["not", fact]:
            return f'NOT "{fact}"'
        case ["person.roles", "has", "none", "of", *listed]:
            return f'NOT list_has_any("person.roles", [{_listed(listed)}])'
        case [fact, "is", "not", "one", "of", *listed]:
            return f'"{fact}" NOT IN ({_listed(listed)})'
        case [fact, "is", "not", value]:
            return f"\"{fact}\" <> '{value}'"
        case ["device.os_version", "is", "below", version]:
            return f"version_number < {_number(version)}"
        case [fact, "is", "at", "least", level]:
            return f'"{fact}" IN ({_listed(list(LEVELS[LEVELS.index(level) :]))})'
        case [fact, "is", value]:
            return f"\"{fact}\" = '{value}'"
        case _:
            raise AssertionError(test)


def _listed(words: list[str]) -> str:
    return ", ".join(f"'{word.strip('[],')}'" for word in words)
