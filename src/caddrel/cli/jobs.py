"""`caddrel jobs`: long work, how far it is, and stopping it."""

from __future__ import annotations

from typing import Any

import click
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from caddrel.cli.output import console, json_option, remark, say, table, write_json, write_line
from caddrel.cli.profile import connect
from caddrel.client import Caddrel, Refused
from caddrel.wire.jobs import Job
from caddrel.wire.problems import Problem


@click.group()
def jobs() -> None:
    """Long work: list it, cancel it."""


@jobs.command("list")
@json_option
def list_jobs(as_json: bool) -> None:
    """List the jobs since the service started, newest first; with --json one a line.

    \b
    Example: caddrel jobs list
    """
    with connect() as service:
        found = service.jobs.all()
    if as_json:
        for job in found:
            write_line(job)
        return
    if not found:
        say("No job since the service started.")
        return
    rows: list[list[Any]] = [[j.began[5:16].replace("T", " "), j.kind, j.state, _far(j), j.by, j.id] for j in found]
    table(["began (UTC)", "job", "state", "how far", "by", "id"], rows)


@jobs.command("cancel")
@click.argument("id")
@json_option
def cancel(id: str, as_json: bool) -> None:
    """Cancel a job; what it has done stays done.

    \b
    Example: caddrel jobs cancel 5f0c1d2e3a4b
    """
    with connect() as service:
        job = service.jobs.cancel(id)
    if as_json:
        write_json(job)
    else:
        say(f"The {job.kind} has ended already." if job.ended else f"The {job.kind} stops at its next step.")


def finished(service: Caddrel, job: Job) -> Job:
    """Follow a job to its end, with a bar where somebody watches; Ctrl-C cancels it.

    Raises
    ------
    Refused
        When the job failed.
    """
    watching = console(stderr=True)
    percent = TextColumn("{task.percentage:>3.0f}%")
    columns = (TextColumn("{task.description}"), BarColumn(), percent, TimeRemainingColumn())
    try:
        with Progress(*columns, console=watching, transient=True, disable=not watching.is_terminal) as bar:
            shown = bar.add_task(job.kind, total=job.total or 1)
            for found in service.jobs.follow(job.id):
                job = found
                bar.update(shown, completed=job.done)
    except KeyboardInterrupt:
        service.jobs.cancel(job.id)
        remark("stopping …")
        *_, job = service.jobs.follow(job.id)
    if job.state == "failed":
        raise Refused(job.problem or Problem(title="the job failed", status=500, code="job-failed"))
    return job


def _far(job: Job) -> str:
    if not job.total:
        return ""
    return f"{job.done * 100 // job.total}%"
