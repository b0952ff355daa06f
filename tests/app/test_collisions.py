"""Marks of parts that move faster than it is found where they touch."""

from __future__ import annotations

import threading
from dataclasses import replace

from even_step.app.canvas.collisions import Collisions


def test_a_part_moved_away_while_it_is_looked_at_is_not_marked(block):
    found = Collisions(block.desk.background)
    scene, areas = block.canvas.scene, ((0.0, 0.0, 200.0, 200.0),)
    go_on, cut = threading.Event(), found._cut
    found._footprint = lambda pose: (go_on.wait(10), cut(pose))[1]
    found.look(scene, areas)
    found.look(replace(scene, parts=(replace(scene.parts[0], at=(1000.0, 0.0)),)), areas)
    go_on.set()
    block.drawn()
    assert found.covering == frozenset()
