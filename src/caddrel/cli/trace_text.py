"""Writing decisions and traces for people, as `rehearse` and `trace` show them."""

from __future__ import annotations

from collections.abc import Iterable

from rich.text import Text

from caddrel.cli.output import SHAPES, heading, mark, plain, say
from caddrel.core.facts.values import show_duration
from caddrel.wire.decisions import Decision, PolicyTrace, Remedy, RuleTrace, Trace, Tree


def print_decision(decision: Decision) -> None:
    """Write the lines under the sentence: outcome, what is needed, what is in the way, what the person is told."""
    reason = f" ({decision.reason})" if decision.reason else ""
    doubt = "" if decision.certain else ", not certain"
    revision = f" under revision {decision.revision}" if decision.revision else ""
    _line("outcome", mark(decision.outcome) + Text(f"{reason}{doubt}{revision}"))
    for label, items in (
        ("needed", decision.outstanding),
        ("in the way", decision.in_the_way),
        ("not known", decision.unknown),
    ):
        if items:
            _line(label, Text(", ".join(items)))
    _line("decided by", Text(", ".join(f"{d.policy} / {d.rule}" for d in decision.deciding) or "no rule"))
    if decision.keep:
        shown = [
            f"{name.replace('_', ' ')}" + ("" if value is True else f" {show_duration(value)}")
            for name, value in decision.keep.items()
        ]
        _line("keep", Text(", ".join(shown)))
    changed = {name: outcome for name, outcome in decision.shadow.each.items() if outcome != decision.outcome}
    for name, outcome in changed.items():
        _line("in shadow", Text(f"{name}: ") + mark(outcome))
    for tell in decision.tell:
        _line("told", Text(tell.text + (f" {tell.link}" if tell.link else "")))


def _line(label: str, value: Text) -> None:
    text = Text(f"{label:<11}", style="dim")
    text.append_text(value)
    say_hanging(text, 11)


def say_hanging(text: Text, indent: int) -> None:
    """Write a text whose further lines are indented."""
    from caddrel.cli.output import console

    out = console()
    lines = text.wrap(out, out.width)
    if not lines:
        return
    first = lines[0]
    out.print(first)
    rest = Text(text.plain[len(first.plain) :].lstrip())
    if rest.plain:
        for line in rest.wrap(out, out.width - indent):
            out.print(Text(" " * indent) + line)


def print_remedies(remedies: list[Remedy], decision: Decision) -> None:
    """Write what would have led to a better outcome, the easiest first."""
    if decision.outcome == "allowed":
        return
    heading("What would have helped")
    if not remedies:
        say("Nothing that somebody could change, within three changes.", indent=2)
    for remedy in remedies:
        say(mark(remedy.outcome) + Text(f"  {plain(remedy.sentence)}") + Text(f"  {remedy.who}", style="dim"), indent=2)


def print_policies(trace: Trace, decision: Decision) -> None:
    """Write every policy: the deciding ones with all tests, the others in a line."""
    deciding = {ref.policy for ref in decision.deciding}
    for policy in sorted(trace.policies, key=lambda p: p.policy not in deciding):
        if policy.policy in deciding or _spoke(policy):
            heading(policy.title or policy.policy)
            say(mark(policy.mode) + Text(f"  {policy.policy}  ", style="dim") + Text(plain(policy.summary)), indent=2)
            for rule in policy.rules:
                print_rule(rule, trace)
    silent = [p for p in trace.policies if p.policy not in deciding and not _spoke(p)]
    if silent:
        heading("Had nothing to say")
        for policy in silent:
            say(Text(f"{policy.policy}: ", style="bold") + Text(plain(policy.summary)), indent=2)


def _spoke(policy: PolicyTrace) -> bool:
    return policy.mode != "off" and any(effect.rule is not None for effect in policy.effects)


def print_rule(rule: RuleTrace, trace: Trace) -> None:
    """Write one rule with the truth of every test."""
    line = shape(rule.truth) + Text(f" rule {rule.rule}: ", style="bold") + Text(f"then {rule.effect}")
    say(line, indent=4)
    if rule.when is not None:
        print_tree(rule.when, trace, 6)


def shape(truth: str) -> Text:
    """Return the shape of a truth value."""
    mark_, style = SHAPES[truth]
    return Text(mark_, style=style)


_WORDS = {"all": "all of", "any": "any of", "not": "not", "surely": "surely"}


def print_tree(tree: Tree, trace: Trace, indent: int) -> None:
    """Write a condition, a test a line, with truth, value and origin."""
    if tree.kind != "test":
        say(shape(tree.truth) + Text(f" {_WORDS[tree.kind]}  ") + Text(tree.truth, style="dim"), indent)
        for part in tree.parts:
            print_tree(part, trace, indent + 2)
        return
    line = shape(tree.truth) + Text(f" {tree.text}  ") + Text(f"{tree.truth}", style="dim")
    if tree.fact:
        known = f"{tree.value}, {tree.origin}" if tree.value is not None else "not known"
        line += Text(f"  [{tree.fact}: {known}]", style="dim")
    say(line, indent)
    if tree.standard:
        for check in trace.standards[tree.standard].checks:
            say(shape(check.truth) + Text(f" {check.title or check.check}: {check.must.text}"), indent + 2)
            if check.truth != "true":
                print_tree(check.must, trace, indent + 4)
    for name in tree.places:
        say(Text(f"{name}: {_parts(trace, name)}", style="dim"), indent + 2)
    for name in tree.signals:
        if signal := trace.signals.get(name):
            say(shape(signal.truth) + Text(f" {signal.title or name}: {plain(signal.summary)}"), indent + 2)
    if tree.schedule:
        schedule = trace.schedules[tree.schedule]
        shown = f"{schedule.local} in {schedule.zone}; open {', '.join(schedule.windows) or 'not at all'} that day"
        say(Text(shown if schedule.local else "the moment is not known", style="dim"), indent + 2)


def _parts(trace: Trace, name: str) -> str:
    place = trace.places[name]
    listed: Iterable[str] = (f"{part.part} {part.shown} {part.truth}" for part in place.parts)
    return "; ".join(listed)
