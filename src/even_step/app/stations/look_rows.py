"""How the layers are looked at: solid or as a section, and what is shown with them."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QPushButton, QVBoxLayout, QWidget

from even_step.app.desk import Desk
from even_step.app.widgets.sheet import button, line

#: Pieces of the view that are on or off: the word on the button, its name and its tip.
SWITCHES = {
    "code": ("G-code", "layer text", "The G-code beside (T)"),
    "ghosts": ("Ghosts", "ghosts", "Show the parts as veils (Y)"),
    "marks": ("Marks", "layer marks", "Seams, retractions and lifts of the layer in hand (N)"),
    "lens": ("Gap lens", "gap lens", "How far the part is from the support under the pointer (L)"),
}


class LookRows(QWidget):
    """Two rows of buttons; ``wants`` names an action that is to be done."""

    wants = Signal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        view = self._view = desk.view
        self._desk = desk
        see = partial(view.set, "section")
        self._solid = button("Solid", "show solid", partial(see, False), tip="All layers up to the one in hand (S)")
        self._section = button("Section", "show section", partial(see, True), tip="One layer flat, true to width (S)")
        kinds = QButtonGroup(self)
        for kind in (self._solid, self._section):
            kinds.addButton(kind)
        self._cut = button(
            "Cut",
            "cut upright",
            lambda: self.wants.emit("layers.cut"),
            tip="Cut the layers upright, toward the eye (C)",
        )
        self._rule = button("Measure", "measure layers", desk.rule.take, tip="Measure between two places (M)")
        self._switches: dict[str, QPushButton] = {
            piece: button(word, name, partial(view.toggle, piece), tip=tip)
            for piece, (word, name, tip) in SWITCHES.items()
        }
        for one in (self._solid, self._section, self._cut, self._rule, *self._switches.values()):
            one.setCheckable(True)
        code, *others = self._switches.values()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 8)
        box.addLayout(line(self._solid, self._section, 1, self._rule, code, spacing=0))
        box.addLayout(line(self._cut, *others, 1, spacing=0))
        view.changed.connect(lambda piece: self._show() if piece in {"section", "plane", *SWITCHES} else None)
        desk.rule.changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        self._solid.setChecked(not self._view.section)
        self._section.setChecked(self._view.section)
        self._cut.setChecked(self._view.plane is not None)
        self._rule.setChecked(self._desk.rule.in_hand)
        for piece, switch in self._switches.items():
            switch.setChecked(getattr(self._view, piece))
        for solid_only in (self._cut, self._switches["ghosts"]):
            solid_only.setEnabled(not self._view.section)
