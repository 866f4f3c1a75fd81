"""The service at work: what is shared by all requests and goes on beside them, built once.

Not here: what is kept (`state.data_folder`), and what comes of a request (the rooms below).
"""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from importlib import import_module

import structlog

from caddrel.service.auth.callers import Callers
from caddrel.service.auth.lockouts import LockOuts
from caddrel.service.auth.login_throttle import Throttle
from caddrel.service.auth.second_factors import Challenges
from caddrel.service.authoring.scope_members import Covering
from caddrel.service.decisions.decider import Decider
from caddrel.service.decisions.evaluate import Door
from caddrel.service.decisions.group_commit import Recorder
from caddrel.service.decisions.quick_answers import QuickAnswers
from caddrel.service.decisions.shadow_drafts import Shadows
from caddrel.service.http.endpoints import Serving
from caddrel.service.inventory.changes import InventoryChanges
from caddrel.service.proving.proof_jobs import SOLVING, ProofJobs
from caddrel.service.proving.standing_proofs import StandingProofs
from caddrel.service.replay.results import ReplayResults
from caddrel.service.rulebooks.findings import Findings
from caddrel.service.rulebooks.publish import Publisher
from caddrel.service.rulebooks.scheduled_publish import Planner
from caddrel.service.rulebooks.view import LastView
from caddrel.service.signins.live_log import LiveLog
from caddrel.service.signins.recompute import catch_up
from caddrel.service.signins.strange_words import StrangeWords
from caddrel.service.state.checkpoints import Checkpoints
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.jobs import Jobs
from caddrel.service.state.worker_process import WorkerProcess
from caddrel.service.streams.delivery import Delivery
from caddrel.service.streams.event_keys import EventKeys
from caddrel.service.streams.fetcher import Fetcher
from caddrel.service.streams.hooks import is_hook
from caddrel.service.streams.poller import Poller
from caddrel.service.streams.receiver import Receiver
from caddrel.service.streams.reevaluate import Reevaluation
from caddrel.service.streams.told_facts import ToldFacts
from caddrel.service.streams.transmitter import Transmitter
from caddrel.service.watch.reporter import Reporter
from caddrel.service.watch.watched import Watched
from caddrel.store.accounts import DIRECTORY
from caddrel.wire.decisions import File
from caddrel.wire.proofs import GuaranteeAnswer, GuaranteeRequest
from caddrel.wire.rulebooks import Side


@dataclass(slots=True, kw_only=True, repr=False)
class Runtime(Serving):
    """What is made of a data folder to serve it; see `begin`."""

    throttle: Throttle
    challenges: Challenges
    checkpoints: Checkpoints
    covering: Covering
    inventory: InventoryChanges
    findings: Findings
    last_view: LastView
    publisher: Publisher
    planner: Planner
    log: LiveLog
    strange_words: StrangeWords
    recorder: Recorder
    shadows: Shadows
    door: Door
    decider: Decider
    quick: QuickAnswers
    sessions: Reevaluation
    event_keys: EventKeys
    delivery: Delivery
    transmitter: Transmitter
    receiver: Receiver
    poller: Poller
    jobs: Jobs
    replays: ReplayResults
    checker: WorkerProcess
    exporter: WorkerProcess
    replayer: WorkerProcess
    prover: WorkerProcess
    proofs: ProofJobs
    standing: StandingProofs
    watched: Watched
    reporter: Reporter
    fetcher: Fetcher


_log = structlog.get_logger("caddrel.service")
# Bytes: a rulebook of 500 policies takes some 200 million of address space, and nothing else bounds what proofs take.
_PROVING = 4 * 2**30


def begin(data: DataFolder) -> Runtime:
    """Return a service at work on a data folder."""
    throttle, findings, jobs = Throttle(), Findings(data), Jobs(data.clock)
    log = LiveLog(data.signins, LockOuts(data.signins, data.unlocks, data.caches), data.caches)
    prover = WorkerProcess(data.folder, data.addresses, 0, _PROVING, SOLVING)
    proofs = ProofJobs(data, prover)
    standing = StandingProofs(data, proofs)

    def guarantees(files: Sequence[File]) -> list[GuaranteeAnswer]:
        found: list[GuaranteeAnswer] = proofs.ask("prove", GuaranteeRequest(Side(files=list(files)))).guarantees
        return found

    publisher = Publisher(data, findings, guarantees)

    def catch_up_soon() -> None:
        def work() -> None:
            with log.importing:
                catch_up(data, log)

        jobs.soon(work)

    words = StrangeWords(data.signins)
    recorder = Recorder(data.signins, log.histories.stored, log.lost, catch_up_soon)
    log.settle = recorder.settle
    shadows = Shadows(data)
    watched = Watched(data, findings, words, standing.look_soon)
    inventory = InventoryChanges(data)
    told = ToldFacts(data, inventory)
    receiver = Receiver(data, told)
    sessions = Reevaluation(data, recorder.settle, told.expire, log.give_way)
    event_keys = EventKeys(data)
    delivery = Delivery(data, event_keys)
    transmitter = Transmitter(data, delivery)
    callers = Callers(data.accounts, data.clock, throttle)
    checkpoints = Checkpoints(data.folder, data.keys, data.audit, data.signins)
    decider = Decider(recorder, partial(keep_house, data, callers, checkpoints))
    log.asked = lambda: decider.busy or recorder.busy
    door = Door(data, log, decider, recorder, shadows)
    return Runtime(
        data=data,
        callers=callers,
        throttle=throttle,
        challenges=Challenges(),
        checkpoints=checkpoints,
        covering=Covering(data),
        inventory=inventory,
        findings=findings,
        last_view=LastView(data),
        publisher=publisher,
        planner=Planner(data, publisher),
        log=log,
        strange_words=words,
        recorder=recorder,
        shadows=shadows,
        door=door,
        decider=decider,
        quick=QuickAnswers(data, callers, door, decider),
        sessions=sessions,
        event_keys=event_keys,
        delivery=delivery,
        transmitter=transmitter,
        receiver=receiver,
        poller=Poller(data, receiver),
        jobs=jobs,
        checker=WorkerProcess(data.folder, data.addresses, data.limits.checked_here),
        exporter=WorkerProcess(data.folder, data.addresses, data.limits.exported_here),
        replays=ReplayResults(data.folder),
        replayer=WorkerProcess(data.folder, data.addresses, 0),
        prover=prover,
        proofs=proofs,
        standing=standing,
        watched=watched,
        fetcher=Fetcher(data, inventory),
        reporter=Reporter(data, watched, lambda: any(map(is_hook, data.event_streams.all()))),
    )


def go_on(runtime: Runtime) -> None:
    """Begin what goes on beside requests: in the process that serves the folder alone, not in a command beside it."""
    runtime.planner.wake()
    runtime.watched.begin()
    runtime.sessions.begin()
    runtime.delivery.begin()
    runtime.poller.rounds.begin()
    runtime.reporter.begin()
    runtime.fetcher.rounds.begin()
    if any(token.role == DIRECTORY for token in runtime.data.accounts.all_tokens()):
        # A directory is going to call: were they made then, whoever stands at a door would wait for it.
        runtime.jobs.soon(_make_messages)


def _make_messages() -> None:
    """Make the models of SCIM's messages, which come with its module (`scim.exchange`)."""
    import_module("caddrel.service.scim.exchange")


def keep_house(data: DataFolder, callers: Callers, checkpoints: Checkpoints) -> None:
    """Write down what is gathered between requests; that it cannot be written spoils nobody's answer."""
    try:
        now = data.clock()
        callers.token_uses.write(now)
        checkpoints.write(now)
    except Exception as error:  # noqa: BLE001
        _log.error("housekeeping.failed", exc_info=error)


def stop(runtime: Runtime) -> None:
    """Store what waits, and end what goes on; whatever fails here, the rest is done."""
    now = runtime.data.clock
    runtime.planner.stop()
    runtime.sessions.stop()
    runtime.delivery.stop()
    runtime.poller.rounds.stop()
    runtime.reporter.stop()
    runtime.fetcher.rounds.stop()
    with contextlib.suppress(Exception):
        runtime.callers.token_uses.write(now(), always=True)
    runtime.decider.stop()
    runtime.recorder.stop()
    runtime.shadows.stop()
    runtime.jobs.stop()
    runtime.proofs.jobs.stop()
    runtime.watched.stop()
    runtime.checker.stop()
    runtime.exporter.stop()
    runtime.replayer.stop()
    runtime.prover.stop()
    runtime.replays.stop()
    with contextlib.suppress(Exception):
        runtime.checkpoints.write(now(), always=True)
