"""The nouns of the client library."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from types import TracebackType
from typing import Any
from urllib.parse import quote

import httpx

from caddrel.client.caller import Caller, Refused
from caddrel.client.coverage import Coverage
from caddrel.client.drafts import Drafts
from caddrel.client.feeds import Feeds
from caddrel.client.imports import Imports
from caddrel.client.inventory import InventoryFeed, Things
from caddrel.client.limits import Tightenings
from caddrel.client.mappings import Mappings
from caddrel.client.profiles import Profiles, Sheets, Unlisted
from caddrel.client.proofs import Proofs
from caddrel.client.rehearsals import Rehearsals
from caddrel.client.replays import Replays
from caddrel.client.watch import Watching
from caddrel.wire import (
    acceptances,
    access,
    audit,
    authoring,
    authzen,
    decisions,
    doctor,
    inventory,
    jobs,
    passwords,
    rehearsals,
    rulebooks,
    sessions,
    signins,
    starter_codes,
)


class Rulebook:
    """The rulebook: its revisions, checking and publishing."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def get(self, revision: int | None = None) -> rulebooks.Revision:
        """Return a revision with its documents, the current one when none is named."""
        return self._caller.get("/api/v1/rulebook", rulebooks.Revision, {"revision": revision})

    def view(self, revision: int | None = None) -> rulebooks.RulebookView:
        """Return a revision as sentences, rules and parts."""
        return self._caller.get("/api/v1/rulebook/view", rulebooks.RulebookView, {"revision": revision})

    def policy(self, id: str, revision: int | None = None) -> rulebooks.PolicyView:
        """Return one policy."""
        path = f"/api/v1/rulebook/policies/{quote(id, safe='')}"
        return self._caller.get(path, rulebooks.PolicyView, {"revision": revision})

    def edit(
        self, edits: Sequence[authoring.Edit], why: str, accept_lockout_risk: str = "", base: int | None = None,
        accept_failing_rehearsals: str = "",
        accept_failing_guarantees: str = "",
    ) -> rulebooks.PublishResult:  # fmt: skip
        """Publish changes of single fields of the current revision as one new revision."""
        body = authoring.EditRequest(
            list(edits), why, base, accept_lockout_risk, accept_failing_rehearsals, accept_failing_guarantees
        )
        return self._caller.post("/api/v1/rulebook/edits", body, rulebooks.PublishResult)

    def history(self) -> list[rulebooks.RevisionInfo]:
        """Return every revision, newest first."""
        return self._caller.get("/api/v1/rulebook/revisions", rulebooks.RevisionList).items

    def check(self, files: Sequence[decisions.File] = (), draft: str = "") -> rulebooks.CheckResult:
        """Return everything that checking documents or a draft finds."""
        body = rulebooks.CheckRequest(list(files), draft)
        return self._caller.post("/api/v1/rulebook/check", body, rulebooks.CheckResult)

    def publish(
        self, files: Sequence[decisions.File], why: str, base: int | None = None, accept_lockout_risk: str = "",
        accept_failing_rehearsals: str = "",
        accept_failing_guarantees: str = "",
    ) -> rulebooks.PublishResult:  # fmt: skip
        """Publish documents as the next revision.

        Parameters
        ----------
        base
            The revision that must be current.
        accept_lockout_risk, accept_failing_rehearsals, accept_failing_guarantees
            Why, although somebody who must get in could be locked out, or kept rehearsals fail; recorded.
        """
        body = rulebooks.PublishRequest(
            list(files), why, base, accept_lockout_risk, accept_failing_rehearsals, accept_failing_guarantees
        )
        return self._caller.post("/api/v1/rulebook/publish", body, rulebooks.PublishResult)

    def restore(
        self, number: int, why: str, base: int | None = None, accept_lockout_risk: str = "",
        accept_failing_rehearsals: str = "",
        accept_failing_guarantees: str = "",
    ) -> rulebooks.PublishResult:  # fmt: skip
        """Publish an earlier revision again as the next one; the rest as in `publish`."""
        body = rulebooks.RestoreRequest(
            number, why, base, accept_lockout_risk, accept_failing_rehearsals, accept_failing_guarantees
        )
        return self._caller.post("/api/v1/rulebook/restore", body, rulebooks.PublishResult)

    def compare(self, before: rulebooks.Side, after: rulebooks.Side) -> rulebooks.Comparison:
        """Return what differs between two rulebooks, object by object."""
        body = rulebooks.CompareRequest(before, after)
        return self._caller.post("/api/v1/rulebook/compare", body, rulebooks.Comparison)


class Signins:
    """The sign-in log."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def import_(
        self,
        lines: Iterable[bytes],
        format: str = "ndjson",
        mapping: str = "",
        name: str = "",
        goes_on: int | None = None,
    ) -> signins.ImportResult:
        """Take in a log: NDJSON, CSV by a mapping that is kept, or OCSF events; the bytes may be gzip.

        Parameters
        ----------
        name
            What the import is called in the list of imports.
        goes_on
            The number of an import that this goes on with.
        """
        params = _given(format=format, mapping=mapping, name=name, goes_on=goes_on)
        return self._caller.stream("/api/v1/signins", lines, signins.ImportResult, params)

    def export(self, format: str = "ndjson", **filters: str) -> Iterator[bytes]:
        """Yield every sign-in that matches, in pieces of a file; filters as in `list`."""
        return self._caller.pieces("/api/v1/signins/export", {"format": format, **filters})

    def old(self, older_than: str) -> signins.Forgotten:
        """Tell how many sign-ins are older than a duration."""
        return self._caller.get("/api/v1/signins/old", signins.Forgotten, {"older_than": older_than})

    def list(self, *, after: str | None = None, limit: int = 50, **filters: str) -> signins.SigninPage:
        """Return one page, newest first; filters are those of the API, such as ``outcome="blocked"``."""
        params: Mapping[str, Any] = {**filters, "after": after, "limit": limit}
        return self._caller.get("/api/v1/signins", signins.SigninPage, params)

    def causes(self, **filters: str) -> signins.CauseList:
        """Return what blocks and challenges have in common, the most frequent first; filters as in `list`."""
        return self._caller.get("/api/v1/causes", signins.CauseList, filters)

    def get(self, id: str) -> signins.SigninDetail:
        """Return one sign-in with its decision, by id or reference."""
        return self._caller.get(f"/api/v1/signins/{quote(id, safe='')}", signins.SigninDetail)

    def record(self, id: str) -> signins.WholeRecord:
        """Return everything a decision came from: recomputing it needs no service."""
        return self._caller.get(f"/api/v1/signins/{quote(id, safe='')}/record", signins.WholeRecord)

    def trace(self, id: str) -> signins.SigninTrace:
        """Return why a sign-in came out as it did, by id or reference."""
        return self._caller.get(f"/api/v1/signins/{quote(id, safe='')}/trace", signins.SigninTrace)


def _given(**params: str | int | None) -> dict[str, str]:
    return {name: str(value) for name, value in params.items() if value not in {"", None}}


class Jobs:
    """Long work: started here, followed, cancelled."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def import_(
        self,
        lines: Iterable[bytes],
        format: str = "ndjson",
        mapping: str = "",
        name: str = "",
        instead_of: int | None = None,
    ) -> jobs.Job:
        """Start taking in a log, as `Signins.import_` does, once all of it has been sent.

        Parameters
        ----------
        instead_of
            The number of an import that is taken back first.
        """
        params = _given(format=format, mapping=mapping, name=name, instead_of=instead_of)
        return self._caller.stream("/api/v1/jobs/import", lines, jobs.Job, params)

    def forget(self, older_than: str) -> jobs.Job:
        """Start taking out sign-ins older than a duration, for good."""
        return self._caller.stream("/api/v1/jobs/forget", (), jobs.Job, {"older_than": older_than})

    def all(self) -> list[jobs.Job]:
        """Return the jobs since the service started, newest first."""
        return self._caller.get("/api/v1/jobs", jobs.JobList).items

    def get(self, id: str) -> jobs.Job:
        """Return a job as it is now."""
        return self._caller.get(f"/api/v1/jobs/{quote(id, safe='')}", jobs.Job)

    def cancel(self, id: str) -> jobs.Job:
        """Cancel a job; what it has done stays done."""
        return self._caller.delete(f"/api/v1/jobs/{quote(id, safe='')}", jobs.Job)

    def follow(self, id: str, pause: float = 1.0) -> Iterator[jobs.Job]:
        """Yield a job each time it has changed, until it has ended.

        Parameters
        ----------
        pause
            Seconds between questions, where the service has no thread to spare for telling by itself.
        """
        try:
            yield from self._caller.events(f"/api/v1/jobs/{quote(id, safe='')}/events", jobs.Job)
        except Refused as refused:
            if refused.problem.code != "too-many-watchers":
                raise
            job = self.get(id)
            yield job
            while not job.ended:
                self._caller.pause(pause)
                job = self.get(id)
                yield job


class Access:
    """Decisions for a door: the AuthZEN API, for which the token must be a door's."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def evaluate(
        self, request: authzen.Evaluation, request_id: str = "", deadline: float | None = None
    ) -> authzen.AccessDecision:
        """Return whether a person may do something now; asked again by the same id, the answer is the same.

        Parameters
        ----------
        deadline
            Seconds from now on, after which nobody has answered: a door has people waiting.
        """
        return self._caller.post(
            "/access/v1/evaluation", request, authzen.AccessDecision, request_id, deadline=deadline
        )

    def evaluate_all(self, request: authzen.Evaluations, request_id: str = "") -> list[authzen.AccessDecision]:
        """Return the decisions on several evaluations, in order."""
        return self._caller.post("/access/v1/evaluations", request, authzen.AccessDecisions, request_id).evaluations

    def search(self, what: str, request: authzen.Search) -> authzen.SearchResults:
        """Return who, what or which actions would be allowed; `what` is ``subject``, ``resource`` or ``action``."""
        return self._caller.post(f"/access/v1/search/{quote(what, safe='')}", request, authzen.SearchResults)

    def end(self, session: str) -> None:
        """End a session of this door."""
        self._caller.post("/access/v1/sessions/end", authzen.SessionEnd(session), authzen.AccessDecision)


class Sessions:
    """The sessions of doors."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def all(self) -> list[sessions.DoorSession]:
        """Return who is in, those seen last first."""
        return self._caller.get("/api/v1/sessions", sessions.SessionList).items

    def end(self, id: str) -> list[sessions.DoorSession]:
        """End a session; returns those that are left."""
        return self._caller.delete(f"/api/v1/sessions/{quote(id, safe='')}", sessions.SessionList).items

    def held(self) -> list[sessions.HeldChange]:
        """Return the changes that are held, as they would end many sessions or an administrator's."""
        return self._caller.get("/api/v1/held-changes", sessions.HeldChangeList).items

    def decide(self, number: int, carry_out: bool) -> sessions.HeldDecided:
        """Have a held change end its sessions, or leave them."""
        body = sessions.HeldVerdict("carry out" if carry_out else "spare")
        return self._caller.post(f"/api/v1/held-changes/{number}", body, sessions.HeldDecided)


class StarterCodes:
    """Codes that let people enrol who have nothing to prove themselves with yet."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def issue(self, person: str, lasts: str = "24h", starts: str = "") -> starter_codes.StarterCodeMade:
        """Issue a code; its text is told this once."""
        body = starter_codes.StarterCodeRequest(person, lasts, starts)
        return self._caller.post("/api/v1/starter-codes", body, starter_codes.StarterCodeMade)

    def revoke(self, id: str) -> list[starter_codes.StarterCodeInfo]:
        """Revoke a code that nobody has used."""
        path = f"/api/v1/starter-codes/{quote(id, safe='')}"
        return self._caller.delete(path, starter_codes.StarterCodeList).items

    def all(self) -> list[starter_codes.StarterCodeInfo]:
        """Return the codes without their texts, those issued last first."""
        return self._caller.get("/api/v1/starter-codes", starter_codes.StarterCodeList).items


class Acceptances:
    """Who accepted which version of which notice."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def list(self, person: str = "", notice: str = "", after: int = 0, limit: int = 50) -> acceptances.AcceptanceList:
        """Return acceptances in the order they came."""
        asked = {"person": person, "notice": notice, "limit": limit, **({"after": after} if after else {})}
        return self._caller.get("/api/v1/acceptances", acceptances.AcceptanceList, asked)

    def export(self, format: str = "ndjson", person: str = "", notice: str = "") -> Iterator[bytes]:
        """Yield every acceptance piece by piece, as NDJSON or CSV."""
        asked = {"format": format, "person": person, "notice": notice}
        return self._caller.pieces("/api/v1/acceptances/export", asked)


class Audit:
    """Every change and refusal."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def list(self, search: str = "", before: int = 0, limit: int = 50) -> audit.AuditPage:
        """Return entries, newest first."""
        asked = {"search": search, "limit": limit, **({"before": before} if before else {})}
        return self._caller.get("/api/v1/audit", audit.AuditPage, asked)

    def verify(self, expect: str = "", log: bool = False) -> audit.AuditVerdict:
        """Return whether every entry is as it was written.

        Parameters
        ----------
        expect
            ``SEQ:HASH`` of an entry, as an earlier checkpoint has it.
        log
            Look through the sign-in log too, which takes longer.
        """
        asked = {**({"expect": expect} if expect else {}), **({"log": "yes"} if log else {})}
        return self._caller.get("/api/v1/audit/verify", audit.AuditVerdict, asked)

    def checkpoint(self) -> audit.Checkpoint:
        """Return what the trail and the log have come to, signed."""
        return self._caller.get("/api/v1/audit/checkpoint", audit.Checkpoint)


class Passwords:
    """Password standards at work."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def check(self, person: str, candidate: str, app: str = "", age: float | None = None) -> passwords.CandidateResult:
        """Check a candidate password; the service keeps it nowhere."""
        body = passwords.CandidateRequest(person, candidate, app, age)
        return self._caller.post("/api/v1/passwords/check", body, passwords.CandidateResult)

    def change(self, person: str, candidate: str, app: str = "") -> passwords.CandidateResult:
        """Check a password that a person has chosen; when it passes, its salted hash is kept."""
        body = passwords.CandidateRequest(person, candidate, app)
        return self._caller.post("/api/v1/passwords/change", body, passwords.CandidateResult)

    def reserve_try(self, person: str, app: str = "") -> passwords.LockState:
        """Reserve a try before a password is looked at; its id goes into the evaluation as ``context["try"]``."""
        asked = f"/api/v1/people/{quote(person, safe='')}/tries" + (f"?app={quote(app, safe='')}" if app else "")
        return self._caller.post(asked, None, passwords.LockState)

    def lift_lock(self, person: str) -> passwords.LockState:
        """Lift a lock-out: wrong passwords up to now count no more."""
        return self._caller.delete(f"/api/v1/people/{quote(person, safe='')}/lock", passwords.LockState)

    def lock_state(self, person: str, app: str = "") -> passwords.LockState:
        """Return whether a person is locked out for too many wrong passwords."""
        return self._caller.get(f"/api/v1/people/{quote(person, safe='')}/lock", passwords.LockState, {"app": app})


class Tokens:
    """Tokens of programs."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def all(self) -> list[access.TokenInfo]:
        """Return every token, without secrets."""
        return self._caller.get("/api/v1/tokens", access.TokenList).items

    def create(
        self,
        name: str,
        role: str,
        days: int = 90,
        reports: Sequence[str] = (),
        sees: bool = False,
        only: Sequence[str] = (),
    ) -> access.TokenMade:
        """Make a token; its text is told this once. Of a door: which facts it may report, and what it is told."""
        body = access.TokenRequest(name, role, days, list(reports), sees, list(only))
        return self._caller.post("/api/v1/tokens", body, access.TokenMade)

    def revoke(self, id: str) -> None:
        """Revoke a token."""
        self._caller.delete(f"/api/v1/tokens/{quote(id, safe='')}", access.TokenList)


class Accounts:
    """Accounts of the console."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def all(self) -> list[access.AccountInfo]:
        """Return every account."""
        return self._caller.get("/api/v1/accounts", access.AccountList).items

    def remove(self, name: str) -> list[access.AccountInfo]:
        """Take an account out: its sessions end, and what it planned is held."""
        return self._caller.delete(f"/api/v1/accounts/{quote(name, safe='')}", access.AccountList).items

    def sessions(self) -> list[access.ConsoleSession]:
        """Return who is signed in to the console."""
        return self._caller.get("/api/v1/console-sessions", access.ConsoleSessionList).items

    def end_sessions(self, name: str) -> list[access.ConsoleSession]:
        """End the console sessions of an account."""
        path = f"/api/v1/accounts/{quote(name, safe='')}/sessions"
        return self._caller.delete(path, access.ConsoleSessionList).items

    def put(self, name: str, role: str, password: str = "") -> list[access.AccountInfo]:
        """Add an account, or change its role and password; without a password it keeps the one it has."""
        body = access.AccountRequest(name, role, password)
        return self._caller.post("/api/v1/accounts", body, access.AccountList).items


class Caddrel:
    """A Caddrel service.

    Attributes
    ----------
    rulebook, drafts, proofs, rehearsals, coverage, sheets
        What is written: revisions, drafts, attempts that did not happen, who reaches what, pages to sign.
    people, groups, devices, apps, lists, inventory, profiles
        Who and what there is, and how each stands.
    signins, imports, mappings, replays, tightenings, jobs
        The log: looked into, taken in, decided again; long work is a job.
    watch, audit, sessions, feeds, unlisted, acceptances, starter_codes, passwords
        What is wrong or due, who did what, and what people have.
    tokens, accounts
        Who may call the service.
    access
        Decisions for a door (OpenID AuthZEN).

    Parameters
    ----------
    url
        Where it is, such as ``http://127.0.0.1:8420``.
    token
        A bearer token of it.
    timeout
        Seconds to wait for an answer.
    transport
        Another way to send requests than the network.
    pause
        Waits, for so many seconds, until something is asked for again.

    Raises
    ------
    CaddrelError
        From every call: `Unreachable` when nobody answers, `Refused` when the service says no.
    """

    def __init__(
        self,
        url: str,
        token: str = "",
        *,
        timeout: float = 120.0,
        transport: httpx.BaseTransport | None = None,
        pause: Callable[[float], object] = time.sleep,
    ) -> None:
        caller = Caller(url, token, timeout, transport, pause)
        self._caller = caller
        self.url = url
        self.rulebook = Rulebook(caller)
        self.signins = Signins(caller)
        self.jobs = Jobs(caller)
        self.access = Access(caller)
        self.sessions = Sessions(caller)
        self.feeds = Feeds(caller)
        self.unlisted = Unlisted(caller)
        self.starter_codes = StarterCodes(caller)
        self.acceptances = Acceptances(caller)
        self.audit = Audit(caller)
        self.drafts = Drafts(caller)
        self.proofs = Proofs(caller)
        self.rehearsals = Rehearsals(caller)
        self.coverage = Coverage(caller)
        self.profiles = Profiles(caller)
        self.mappings = Mappings(caller)
        self.imports = Imports(caller)
        self.sheets = Sheets(caller)
        self.replays = Replays(caller)
        self.tightenings = Tightenings(caller)
        self.watch = Watching(caller)
        self.inventory = InventoryFeed(caller)
        self.people = Things(caller, "people")
        self.groups = Things(caller, "groups")
        self.devices = Things(caller, "devices")
        self.apps = Things(caller, "apps")
        self.lists = Things(caller, "lists")
        self.passwords = Passwords(caller)
        self.tokens = Tokens(caller)
        self.accounts = Accounts(caller)

    def report_state(self, device: str, state: inventory.DeviceState) -> inventory.Item:
        """Report a device's state, with the token of that device; returns the device as it is known now."""
        return self._caller.post(f"/api/v1/devices/{quote(device, safe='')}/state", state, inventory.Item)

    def examine(self) -> doctor.Examination:
        """Return what is missing or doubtful about how the service is set up and fed."""
        return self._caller.get("/api/v1/doctor", doctor.Examination)

    def rehearse(
        self,
        given: Mapping[str, str] | None = None,
        *,
        facts: Mapping[str, Any] | None = None,
        files: Sequence[decisions.File] | None = None,
        revision: int | None = None,
        draft: str = "",
    ) -> rehearsals.Rehearsal:
        """Decide an attempt that did not happen.

        Parameters
        ----------
        given
            Facts as text: ``{"person": "ines.faro", "device.owner": "company"}``.
        facts
            Facts as JSON values.
        files, revision, draft
            Another rulebook than the current revision.
        """
        listed = list(files) if files is not None else None
        body = decisions.RehearseRequest(dict(facts or {}), dict(given or {}), listed, revision, draft)
        return self._caller.post("/api/v1/rehearse", body, rehearsals.Rehearsal)

    def facts(self) -> list[rulebooks.FactView]:
        """Return the facts that the current rulebook knows."""
        return self._caller.get("/api/v1/facts", rulebooks.FactList).items

    def health(self) -> access.Health:
        """Tell whether the service is there."""
        return self._caller.get("/healthz", access.Health)

    def close(self) -> None:
        """Close the connections."""
        self._caller.close()

    def __enter__(self) -> Caddrel:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
