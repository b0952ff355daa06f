"""The step curve by figures: a row a knot, and what can be done with all of it."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from even_step.app.acts.curve import move_knot, put_knot, remove_knot, reset_curve, show_curve, smooth_curve
from even_step.app.desk import Desk
from even_step.app.widgets.fields import NumberField
from even_step.app.widgets.sheet import button, clear, label, line
from even_step.core.job.step_curve import HIGHEST, THICKEST, Knot

LEAST_SPAN = 0.05  # mm
NEW = 2.0  # mm that a new knot reaches
FIGURES = (("low", "from"), ("high", "to"), ("height", "layers"))


class CurveFields(QWidget):
    """Shown for the part in hand, or the only one."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(8, 2, 2, 4)
        self._box.setSpacing(4)
        self._shown: tuple[str, int] | None = None
        self._rough = label("", "mark", wrap=True)
        desk.curving.changed.connect(self._refresh)
        desk.foreseen_heights.changed.connect(self._tell)
        self._refresh()

    def _refresh(self) -> None:
        part = self._desk.curving.part
        self.setVisible(part is not None and not self._desk.whose.zone)
        knots = part.curve if part else ()
        now = (part.id, len(knots)) if part else None
        if now != self._shown:
            self._shown = now
            self._lay_out(knots)
        for number, knot in enumerate(knots):
            for name, _ in FIGURES:
                for field in self.findChildren(NumberField, f"knot {number} {name}"):
                    field.show_value(getattr(knot, name))

        self._tell()

    def _tell(self) -> None:
        """Say how rough slopes will be."""
        part = self._desk.curving.part
        if part is None:
            return
        found = self._desk.foreseen_heights.roughness_of(part.id)
        told = f"slopes will show stairs up to {found.largest:.2f} mm, {found.mean:.2f} on the whole"
        seen, even, whole = (f"{area / 100:.1f}" for area in (found.rough, found.even, found.area))
        if seen != even:
            told += f"; rougher than 0.1 mm: {seen} of {whole} cm², with even layers {even}"
        self._rough.setText(told)
        self._rough.setVisible(found.largest > 0.0)

    def _lay_out(self, knots: tuple[Knot, ...]) -> None:
        self._box.removeWidget(self._rough)
        self._rough.setParent(None)
        clear(self._box)
        self._box.addWidget(self._rough)
        tip = "Drawn over the ruler, with knots to drag"
        over = button("Step curve", "open curve", partial(show_curve, self._desk), tip=tip)
        add = button("Add a knot", "add knot", self._add, role="link")
        self._box.addLayout(line(over, 1, add))
        if knots:
            self._box.addWidget(label("from, to, layer height", "mark"))
        for number in range(len(knots)):
            self._box.addLayout(self._row(number))
        if knots:
            smooth = button("Smooth", "smooth curve", partial(smooth_curve, self._desk), role="link")
            back = button("All knots away", "reset curve", partial(reset_curve, self._desk), role="link")
            self._box.addLayout(line(smooth, 1, back))

    def _row(self, number: int) -> QHBoxLayout:
        pieces: list[QWidget | str | int] = []
        for name, words in FIGURES:
            field = NumberField(f"knot {number} {name}", "mm", decimals=3, width=74)
            field.setAccessibleName(f"{words} of knot {number + 1}")
            field.refused.connect(lambda text: self._desk.note(text, "stop"))
            field.chosen.connect(partial(self._chosen, number, name))
            pieces.append(field)
        away = button("×", f"remove knot {number}", partial(remove_knot, self._desk, number), tip="Take this knot away")
        away.setFixedWidth(24)
        return line(*pieces, 1, away, spacing=6)

    def _chosen(self, number: int, name: str, value: float) -> None:
        part = self._desk.curving.part
        if part is None or number >= len(part.curve):
            return
        low, high, height = ({**part.curve[number].model_dump(), name: value}[one] for one, _ in FIGURES)
        if not (low >= 0.0 and low + LEAST_SPAN <= high <= HIGHEST and 0.0 < height <= THICKEST):
            words = f"A knot goes from a height to a greater one, with layers from 0 to {THICKEST:g} mm."
            self._desk.note(words, "stop")
            self._refresh()
            return
        self._desk.curving.take(number)
        move_knot(self._desk, low, high, height)

    def _add(self) -> None:
        part = self._desk.curving.part
        if part is None:
            return
        low = max((knot.high for knot in part.curve), default=0.0)
        height = float(self._desk.whose.resolved.values["layers.height"])
        self._desk.curving.take(put_knot(self._desk, low, low + NEW, height))
