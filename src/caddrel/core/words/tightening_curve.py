"""What a tightening curve says, in one sentence."""

from __future__ import annotations

from caddrel.core.replay.tightening_curve import Curve, Point
from caddrel.core.words.pieces import Sentence, say


def tightening_words(curve: Curve, fewer_than: int) -> Sentence:
    """Return what the limit as it is would have done, and how strict it could be."""
    if not curve.attempts:
        return say("No sign-in was found to try it on.")
    if not any(point.hit.count for point in curve.points):
        return say(f"None of these choices would have hit any of {curve.attempts:,} sign-ins.")
    current = next((point for point in curve.points if point.current), None)
    said = [_now(current)] if current is not None else []
    nobody, few = curve.strictest(1), curve.strictest(fewer_than)
    if nobody is None:
        said.append("every choice would have hit somebody")
    elif nobody is current:
        said.append("no stricter choice would have hit nobody")
    else:
        said.append(f"{nobody.value} would have hit nobody")
    if few is not None and few is not nobody:
        said.append(f"{few.value} is the strictest for fewer than {fewer_than} people")
    return say("; ".join(said), ".")


def _now(point: Point) -> str:
    if not point.hit.count:
        return f"As it is, {point.value}, nobody would have been hit"
    people, count = len(point.hit.people), point.hit.count
    who = f"{people:,} {'person' if people == 1 else 'people'}"
    how_often = f"{count:,} {'sign-in' if count == 1 else 'sign-ins'}"
    return f"As it is, {point.value}, {who} would have been hit in {how_often}"
