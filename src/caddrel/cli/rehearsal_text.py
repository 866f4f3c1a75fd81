"""Who a rehearsal is about, the policies in order, two side by side, and first devices, as lines for a terminal.

Not here: all cases (`cli.cases_text`), and the decision on what is known (`cli.trace_text`).
"""

from __future__ import annotations

from collections.abc import Iterable

from rich.text import Text

from caddrel.cli.output import heading, mark, plain, say, table
from caddrel.wire.decisions import Decision, Trace
from caddrel.wire.rehearsals import Beside, FirstDevice, GroupView, PersonView, ProofNeeded, Stage


def print_person(person: PersonView) -> None:
    """Write who it is: groups and where they come from, roles, factors, and with what a proof can be given."""
    heading(person.title)
    _line("groups", "; ".join(_group(each) for each in person.groups) or "none")
    _line("roles", ", ".join(person.roles))
    _line("factors", "not known" if person.factors is None else ", ".join(person.factors) or "none")
    for fact in person.used:
        _line(fact.fact.removeprefix("person."), f"{fact.shown} ({fact.origin})")
    for proof in person.needed:
        _line("asked", f"{plain(proof.words)}: {_proof(proof)}")
    for each in person.enrol:
        code = ", with a starter code" if each.needs_code else ""
        said = mark(each.possible[0]) if len(each.possible) == 1 else Text(" or ").join(map(mark, each.possible))
        say(Text(f"enrolling {', '.join(each.factors)}{code}: ") + said + Text(f"  {plain(each.sentence)}"), indent=4)


def _line(label: str, text: str) -> None:
    if text:
        say(Text(f"{label:<10} ", style="dim") + Text(text))


def _group(each: GroupView) -> str:
    through = f" (through {', '.join(each.through)})" if each.through else ""
    return f"{each.title}{through}{f' until {each.until}' if each.until else ''}"


def _proof(proof: ProofNeeded) -> str:
    if proof.held:
        return f"has {_ways(proof.held)}"
    lacking = [f"would have to enrol {_ways(proof.enrolling)}"] if proof.enrolling else []
    lacking += ["needs a starter code from an administrator"] if proof.code else []
    return ", or ".join(lacking) or "no factor would do"


def _ways(ways: Iterable[Iterable[str]]) -> str:
    return ", or ".join(" with ".join(way) for way in ways)


def print_stages(stages: list[Stage]) -> None:
    """Write what has a say, in the order of the sign-in."""
    for stage in stages:
        heading(stage.title)
        for part in stage.parts:
            decides = Text("  decides", style="bold") if part.decides else Text()
            perhaps = "perhaps: " if part.perhaps else ""
            mode = "" if part.mode == "enforced" else f" ({part.mode})"
            title = f"{part.title} / {part.rule}{mode}" if part.policy else ""
            says = f"{perhaps}{plain(part.says)}"
            say(Text(title, style="bold") + Text(f"{'  ' if title else ''}{says}") + decides, indent=2)


def print_list(trace: Trace, decision: Decision) -> None:
    """Write every policy with what it had to do with the attempt."""
    deciding = {ref.policy for ref in decision.deciding}
    table(
        ["policy", "mode", "its part"],
        [
            [
                each.title or each.policy,
                mark(each.mode),
                plain(each.summary) + (" It decides." * (each.policy in deciding)),
            ]
            for each in trace.policies
        ],
    )


def print_beside(found: Beside) -> None:
    """Write two rehearsals side by side: what comes of each, and what differs."""
    for side, word in ((found.left, "this"), (found.right, "that")):
        say(Text(f"{word:<6}", style="bold") + Text(plain(side.cases.sentence)))
        say(Text(" or ").join(mark(outcome) for outcome in side.cases.possible), indent=6)
    if found.same:
        say("Nothing differs.")
        return
    facts = [each for each in found.facts if each.differs]
    if facts:
        heading("Facts that differ")
        table(["fact", "this", "that"], [[each.fact, each.left or "open", each.right or "open"] for each in facts])
    policies = [each for each in found.policies if each.differs]
    if policies:
        heading("Policies that have another part in it")
        for policy in policies:
            say(Text(policy.title, style="bold"), indent=2)
            say(f"this: {plain(policy.left) or 'not there'}", indent=4)
            say(f"that: {plain(policy.right) or 'not there'}", indent=4)
    elif not facts:
        say("What is known is the same, and so is what the policies say; what is open comes out otherwise.")


def print_first_device(found: FirstDevice) -> None:
    """Write the steps to a first device."""
    say(plain(found.sentence))
    for number, step in enumerate(found.steps, 1):
        code = Text("  with a starter code", style="dim") if step.needs_code else Text()
        dead = Text("  dead end", style="bold") if step.dead_end else Text()
        heading(f"{number}. {step.title}")
        say(Text(" or ").join(mark(outcome) for outcome in step.possible) + code + dead, indent=2)
        say(plain(step.sentence), indent=2)
        if step.why:
            say(plain(step.why), indent=2)
        rules = ", ".join(f"{ref.policy} / {ref.rule}" for ref in step.deciding)
        if rules:
            say(Text(rules, style="dim"), indent=2)
