"""The bodies of an assembly, and what was mended of a part: what can be done with them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from even_step.app.acts.bodies import bodies_here, body_names, can_repair, can_undo_repair
from even_step.app.desk import Desk
from even_step.app.widgets.sheet import Group, button, label, line
from even_step.core.job.spots import part_of


class BodyFields(Group):
    """Split off, split all, hide, join again; shown for assemblies and for parts that were split."""

    def __init__(self, desk: Desk, wants: Callable[[str], None]) -> None:
        super().__init__("Bodies")
        self._desk = desk
        self._split = button("Split off", "split body", partial(wants, "bodies.split"), tip="Make it a part of its own")
        self._hide = button("Hide", "hide body", partial(wants, "bodies.hide"), tip="Hide or show it on the bed (H)")
        self._all = button(
            "Split all", "split all", partial(wants, "bodies.split_all"), tip="Make every body a part of its own"
        )
        self._join = button(
            "Join again", "join bodies", partial(wants, "bodies.join"), tip="Join the picked parts as they were"
        )
        self._hint = label("Pick a body in the list, or click the part once more.", "mark", wrap=True)
        self.add(self._hint)
        self.add(line(self._split, self._hide, self._all, self._join, 1))

    def refresh(self) -> None:
        """Show what can be done with what is picked."""
        desk, selection = self._desk, self._desk.selection
        bodies = bodies_here(desk, selection.parts[-1]) if selection.spots else ()
        several = len(bodies) > 1
        joins = len(selection.parts) > 1 and any(part_of(desk.job, part).bodies for part in selection.parts)
        self.setVisible(several or joins)
        body = selection.body if several else None
        for made in (self._split, self._hide):
            made.setVisible(several)
            made.setEnabled(body is not None)
        self._all.setVisible(several)
        self._join.setVisible(joins)
        self._hint.setVisible(several and body is None)
        hidden = part_of(desk.job, selection.parts[-1]).hidden_bodies if body is not None else ()
        self._hide.setText("Show" if body in hidden else "Hide")
        told = f"{len(bodies)} move together" if several else ""
        self.note.setText(told if body is None else body_names(desk, selection.parts[-1])[body])


class ReadFields(Group):
    """What was mended of the part in hand and what remains, with a way forth and back."""

    def __init__(self, desk: Desk, wants: Callable[[str], None]) -> None:
        super().__init__("What was read")
        self._desk = desk
        self._told = label("", wrap=True)
        self._repair = button(
            "Repair", "repair", partial(wants, "parts.repair"), tip="Turn what is flipped, close what is open"
        )
        self._undo = button(
            "Undo repair", "undo repair", partial(wants, "parts.undo_repair"), tip="Take it as it is in its file"
        )
        self.add(self._told)
        self.add(line(self._repair, self._undo, 1))

    def refresh(self) -> None:
        """Show what there is to tell of the part in hand."""
        spot = self._desk.selection.in_hand
        model = self._desk.shelf.whole(part_of(self._desk.job, spot.part)) if spot else None
        told = [*model.repairs, *model.warnings] if model else []
        self.setVisible(bool(told))
        self._told.setText("\n".join(told))
        self._repair.setVisible(can_repair(self._desk))
        self._undo.setVisible(can_undo_repair(self._desk))
