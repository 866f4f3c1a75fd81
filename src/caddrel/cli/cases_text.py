"""All cases of a rehearsal as lines for a terminal: on what it turns, and the tree.

Not here: the decision on what is known, and its trace (`cli.trace_text`).
"""

from __future__ import annotations

from rich.text import Text

from caddrel.cli.output import mark, plain, remark, say, table
from caddrel.wire.cases import CaseNode, Cell, Matrix, OpenCases


def print_cases(cases: OpenCases) -> None:
    """Write the sentence, on what the outcome turns, and the tree; of a single outcome the sentence alone."""
    say(plain(cases.sentence))
    if not cases.exact:
        remark("Not all cases could be looked at: other outcomes are not excluded.")
    if cases.now is not None:
        more = "" if cases.now.exact else " Not all cases could be looked at."
        say(Text(f"{'now':<11}", style="dim") + Text(f"At {cases.now.at}: {plain(cases.now.sentence)}{more}"))
    if cases.matters:
        say(Text("turns on   ", style="dim") + Text(", ".join(cases.matters)))
    if cases.tree.asks or cases.facts:
        say()
        _node(cases.tree, 0, "")
        say()


def _node(node: CaseNode, depth: int, answer: str) -> None:
    start = Text(f"{answer:<5}", style="dim") if answer else Text()
    if not node.asks:
        say(start + _result(node), indent=3 * depth)
        return
    say(start + Text(f"{node.asks}?"), indent=3 * depth)
    for word, side in (("yes", node.yes), ("no", node.no)):
        if side is not None:
            _node(side, depth + 1, word)


def _result(node: CaseNode) -> Text:
    found = Text(" or ").join(mark(outcome) for outcome in node.possible)
    if node.outstanding:
        found += Text(f", for {', '.join(node.outstanding)}")
    rules = ", ".join(f"{ref.policy} / {ref.rule}" for ref in node.deciding[:3])
    more = f" and {len(node.deciding) - 3} more" if len(node.deciding) > 3 else ""
    return found + (Text(f"  {rules}{more}", style="dim") if rules else Text())


def print_matrix(found: Matrix) -> None:
    """Write what can come of every combination: the fewer of the two lists of values across."""
    rows, columns = found.down_values or [""], found.across_values
    cells = found.cells
    if len(columns) > len(rows):
        # A terminal is higher than it is wide.
        rows, columns = columns, rows
        cells = [list(line) for line in zip(*cells, strict=True)]
        heads = (found.across, found.down)
    else:
        heads = (found.down, found.across)
    say(Text(f"{heads[0]} down" + (f", {heads[1]} across" if heads[1] else ""), style="dim"))
    lines: list[list[str | Text | None]] = [
        [row, *(_cell(cell) for cell in line)] for row, line in zip(rows, cells, strict=True)
    ]
    table([heads[0], *(column or "outcome" for column in columns)], lines)
    refused = dict.fromkeys(cell.refused for line in cells for cell in line if cell.refused)
    for message in list(refused)[:3]:
        remark(f"–: {message}")


def _cell(cell: Cell) -> Text:
    if cell.refused:
        return Text("–")
    found = Text(" or ").join(mark(outcome) for outcome in cell.possible)
    return found if cell.exact else found + Text(" …")
