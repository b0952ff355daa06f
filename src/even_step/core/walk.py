"""Walks the graph of stages with several at work: what does not need each other is made side by side."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from typing import Any, TypeAlias

from even_step.core.graph import Runner, Stage, Unit

Place: TypeAlias = tuple[Stage[Any], Unit]


def make_all(runner: Runner, wanted: Sequence[Place]) -> None:
    """Make some values and what they need, so that the runner has them.

    Notes
    -----
    As many stages are at work as the crew has threads, and share these for their long loops: what a stage does alone
    then costs no time of its own. What most others wait for is made first.
    """
    abreast = runner.run.crew.threads
    if abreast < 2:
        return  # each is made when it is asked for
    waits = needed_for(wanted)
    turn = {place: i for i, place in enumerate(_longest_way_first(waits))}
    working: dict[Future[Any], Place] = {}
    with ThreadPoolExecutor(abreast, thread_name_prefix="stage") as pool:
        while waits or working:
            ready = sorted((place for place, needs in waits.items() if not needs), key=turn.__getitem__)
            for place in ready[: abreast - len(working)]:
                del waits[place]
                working[pool.submit(runner.value, place[0], place[1])] = place
            done = sorted(wait(working, return_when=FIRST_COMPLETED).done, key=lambda one: turn[working[one]])
            for future in done:
                future.result()
                place = working.pop(future)
                for needs in waits.values():
                    needs.discard(place)


def needed_for(wanted: Sequence[Place]) -> dict[Place, set[Place]]:
    """Return what has to be made, each after all that it needs, with what it needs."""
    found: dict[Place, set[Place]] = {}

    def visit(place: Place) -> None:
        if place in found:
            return
        stage, unit = place
        needs = [(one, of) for one in unit.needed_for(stage) if isinstance(one, Stage) for of in unit.sources(one.of)]
        for need in needs:
            visit(need)
        found[place] = set(needs)

    for place in wanted:
        visit(place)
    return found


def _longest_way_first(needs: dict[Place, set[Place]]) -> list[Place]:
    """Sort places by how many stages in a row wait for them."""
    after = dict.fromkeys(needs, 0)
    for place in reversed(needs):
        for need in needs[place]:
            after[need] = max(after[need], after[place] + 1)
    return sorted(needs, key=lambda place: -after[place])
