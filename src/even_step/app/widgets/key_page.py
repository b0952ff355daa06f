"""The page of keys, drawn from the table of actions."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QGridLayout, QScrollArea, QVBoxLayout, QWidget

from even_step.app.acts.action import Action
from even_step.app.widgets.sheet import button, label, line

POINTER = (
    ("left drag on bare paper, middle drag", "turn the view"),
    ("right drag, Shift+middle drag", "shift the view"),
    ("wheel, pinch", "zoom at the pointer"),
    ("click, Shift+click, Shift+drag on paper", "pick, pick more, frame"),
    ("drag a part", "slide it over the bed"),
)


class KeyPage(QDialog):
    """Every key and what it does."""

    def __init__(self, actions: tuple[Action, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.setObjectName("keys")
        inside = QWidget()
        table = QGridLayout(inside)
        table.setHorizontalSpacing(24)
        table.setVerticalSpacing(2)
        menu = ""
        row = 0
        menus = list(dict.fromkeys(action.menu for action in actions))
        for action in sorted((one for one in actions if one.keys), key=lambda one: menus.index(one.menu)):
            if action.menu != menu:
                menu = action.menu
                table.addWidget(label(menu, "head"), row, 0, 1, 2)
                row += 1
            where = f" (in {action.station})" if action.station else ""
            table.addWidget(label(" or ".join(action.keys)), row, 0)
            table.addWidget(label(action.title + where), row, 1)
            row += 1
        table.addWidget(label("Pointer", "head"), row, 0, 1, 2)
        for k, (how, what) in enumerate(POINTER, row + 1):
            table.addWidget(label(how), k, 0)
            table.addWidget(label(what), k, 1)
        scroll = QScrollArea()
        scroll.setWidget(inside)
        scroll.setWidgetResizable(True)
        box = QVBoxLayout(self)
        box.addWidget(scroll)
        box.addLayout(line(1, button("Close", "close keys", self.accept)))
        self.resize(520, 560)
