"""Functions of variables with few values each, as shared decision diagrams.

A node asks one variable and has a child for each of its values; nodes that are the same are one, and one whose children
are all the same is that child. So two functions are equal when they are the same number, and a function depends on a
variable just when a node of it asks it. (Multi-valued decision diagrams, after R. E. Bryant, 1986.)
Not here: what the variables stand for (`space`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence

FALSE, TRUE = 0, 1
# Nodes and what is remembered of combining them: about a hundred megabytes.
_MOST_KEPT = 500_000
_LOOK_EVERY = 2_000


class TooLong(Exception):
    """Time or room has run out."""


class Diagrams:
    """Makes functions and combines them.

    Parameters
    ----------
    results
        How many results there are beside false and true: they are the numbers from 2 on.
    late
        Tells that time has run out; asked now and then.
    """

    def __init__(self, results: int, late: Callable[[], bool]) -> None:
        self.first = 2 + results
        self._late = late
        self._giving_up = True
        self._variable: list[int] = [1 << 30] * self.first
        self._children: list[tuple[int, ...]] = [()] * self.first
        self._nodes: dict[tuple[int, tuple[int, ...]], int] = {}
        self._chosen: dict[tuple[int, int, int], int] = {}
        self._ends: dict[int, frozenset[int]] = {end: frozenset({end}) for end in range(self.first)}
        self._settled: dict[tuple[int, int], int] = {}
        self._differing: dict[tuple[int, int, int], bool] = {}
        self._support: dict[int, frozenset[int]] = {}
        self._sizes: list[int] = []

    def late(self) -> bool:
        """Tell whether time or room has run out, without giving up."""
        kept = len(self._variable) + len(self._chosen) + len(self._settled) + len(self._differing)
        return kept > _MOST_KEPT or self._late()

    def go_on(self) -> None:
        """Give up no more from here on: who goes on looks at the time by itself."""
        self._giving_up = False

    def variable(self, values: int) -> int:
        """Return a new variable; those made earlier are asked first."""
        self._sizes.append(values)
        return len(self._sizes) - 1

    def resize(self, variable: int, values: int) -> None:
        """Give a variable that nothing asks yet another number of values."""
        self._sizes[variable] = values

    def node(self, variable: int, children: Sequence[int]) -> int:
        """Return the function that asks a variable and goes on with the child of its value."""
        first = children[0]
        if all(child == first for child in children):
            return first
        key = (variable, tuple(children))
        found = self._nodes.get(key)
        if found is None:
            found = len(self._variable)
            if self._giving_up and found % _LOOK_EVERY == 0 and self.late():
                raise TooLong
            self._variable.append(variable)
            self._children.append(key[1])
            self._nodes[key] = found
        return found

    def test(self, variable: int, holds: Iterable[bool]) -> int:
        """Return the function that is true for some values of a variable."""
        return self.node(variable, [TRUE if each else FALSE for each in holds])

    def choose(self, condition: int, then: int, otherwise: int) -> int:
        """Return the function that is one where a condition holds and another where it does not."""
        if condition == TRUE:
            return then
        if condition == FALSE:
            return otherwise
        if then == otherwise:
            return then
        if then == TRUE and otherwise == FALSE:
            return condition
        key = (condition, then, otherwise)
        found = self._chosen.get(key)
        if found is None:
            asked = self._variable
            top = min(asked[condition], asked[then], asked[otherwise])
            three = [
                self._children[each] if asked[each] == top else (each,) * self._sizes[top]
                for each in (condition, then, otherwise)
            ]
            children = [self.choose(*each) for each in zip(*three, strict=True)]
            found = self._chosen[key] = self.node(top, children)
        return found

    def both(self, one: int, other: int) -> int:
        """Return where both hold."""
        return self.choose(one, other, FALSE)

    def either(self, one: int, other: int) -> int:
        """Return where at least one holds."""
        return self.choose(one, TRUE, other)

    def neither(self, one: int) -> int:
        """Return where one does not hold."""
        return self.choose(one, FALSE, TRUE)

    def all(self, parts: Iterable[int]) -> int:
        """Return where all hold."""
        found = TRUE
        for part in parts:
            found = self.both(found, part)
            if found == FALSE:
                break
        return found

    def any(self, parts: Iterable[int]) -> int:
        """Return where at least one holds."""
        found = FALSE
        for part in parts:
            found = self.either(found, part)
            if found == TRUE:
                break
        return found

    def ends(self, function: int) -> frozenset[int]:
        """Return the results that a function has."""
        found = self._ends.get(function)
        if found is None:
            found = frozenset().union(*(self.ends(child) for child in self._children[function]))
            self._ends[function] = found
        return found

    def support(self, function: int) -> frozenset[int]:
        """Return the variables that a function depends on."""
        if function < self.first:
            return frozenset()
        found = self._support.get(function)
        if found is None:
            found = frozenset({self._variable[function]}).union(
                *(self.support(child) for child in set(self._children[function]))
            )
            self._support[function] = found
        return found

    def size(self, function: int) -> int:
        """Return how many nodes a function has."""
        return sum(1 for _ in self.nodes(function))

    def asked(self, function: int) -> tuple[int, tuple[int, ...]]:
        """Return the variable that a function asks first, and its children."""
        return self._variable[function], self._children[function]

    def nodes(self, function: int) -> Iterator[tuple[int, tuple[int, ...]]]:
        """Yield the variable and the children of every node of a function, each once."""
        seen = {function}
        waiting = [function]
        while waiting:
            node = waiting.pop()
            if node < self.first:
                continue
            yield self._variable[node], self._children[node]
            fresh = set(self._children[node]) - seen
            seen |= fresh
            waiting.extend(fresh)

    def settled(self, function: int, nowhere: int) -> int:
        """Return a smaller function that is the same wherever the result is not `nowhere`."""
        if function < self.first:
            return function
        key = (function, nowhere)
        found = self._settled.get(key)
        if found is None:
            children = [self.settled(child, nowhere) for child in self._children[function]]
            there = [child for child in children if child != nowhere]
            # What never happens may as well come to what something else comes to.
            filled = [child if child != nowhere else there[0] for child in children] if there else children
            found = self._settled[key] = self.node(self._variable[function], filled)
        return found

    def differ(self, one: int, other: int, nowhere: int) -> bool:
        """Tell whether two functions have different results somewhere, where neither is `nowhere`."""
        if one == other or nowhere in (one, other):
            return False
        if one < self.first and other < self.first:
            return True
        key = (min(one, other), max(one, other), nowhere)
        found = self._differing.get(key)
        if found is None:
            top = min(self._variable[one], self._variable[other])
            two = [
                self._children[each] if self._variable[each] == top else (each,) * self._sizes[top]
                for each in (one, other)
            ]
            found = any(self.differ(a, b, nowhere) for a, b in zip(*two, strict=True))
            self._differing[key] = found
        return found

    def mapped(self, function: int, results: Mapping[int, int]) -> int:
        """Return a function with results in place of others."""
        known: dict[int, int] = dict(results)

        def made(of: int) -> int:
            if of not in known:
                if of < self.first:
                    return of
                known[of] = self.node(self._variable[of], [made(child) for child in self._children[of]])
            return known[of]

        return made(function)

    def ends_where(self, condition: int, function: int, known: dict[tuple[int, int], frozenset[int]]) -> frozenset[int]:
        """Return the results that a function has where a condition holds, without making the function of both.

        Parameters
        ----------
        known
            What was found before, by condition and function.
        """
        if condition == FALSE:
            return frozenset()
        if condition == TRUE or function < self.first:
            # What a condition leaves is never empty: all its nodes lead to somewhere where it holds.
            return self.ends(function)
        key = (condition, function)
        found = known.get(key)
        if found is None:
            asked = self._variable[condition], self._variable[function]
            if asked[0] == asked[1]:
                pairs = list(zip(self._children[condition], self._children[function], strict=True))
            elif asked[0] < asked[1]:
                pairs = [(child, function) for child in set(self._children[condition])]
            else:
                pairs = [(condition, child) for child in set(self._children[function])]
            found = known[key] = frozenset().union(*(self.ends_where(*pair, known) for pair in set(pairs)))
        return found

    def path(self, function: int, result: int) -> dict[int, int]:
        """Return values of variables, with which a function has a result; the first of each that leads there."""
        found = {}
        while function >= self.first:
            for value, child in enumerate(self._children[function]):
                if result in self.ends(child):
                    found[self._variable[function]] = value
                    function = child
                    break
        return found
