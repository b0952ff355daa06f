"""The list of parts: each with its copies, its size, its marks; a unit proposal in place."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QApplication, QVBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER
from even_step.app.theme.icons import pixmap
from even_step.app.theme.type import BODY, MARK, font
from even_step.app.widgets.marks import draw_mark
from even_step.app.widgets.sheet import button, clear, label, line
from even_step.core.job import edits
from even_step.core.job.model import MM_PER
from even_step.core.wording import size

UNIT_WORDS = {"inch": "inches", "cm": "centimetres", "m": "metres"}


class PartRow(QAbstractButton):
    """One part; a click picks all its copies, with Shift or Ctrl in addition."""

    def __init__(self, number: int, desk: Desk) -> None:
        super().__init__()
        self.number = number
        self._desk = desk
        self._lengths = self._mark = ""
        self.setObjectName(f"part {number}")
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setFixedHeight(24)
        self.clicked.connect(self._pick)

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """Return the size of a row."""
        return QSize(280, 24)

    def show_facts(self, lengths: str, mark: str, told: str) -> None:
        """Show size and mark; ``told`` says the reason of the mark."""
        self._lengths, self._mark = lengths, mark
        part = self._desk.job.parts[self.number]
        marks = "".join(f", {word}" for word in ("locked", "hidden") if any(getattr(c, word) for c in part.copies))
        self.setAccessibleName(f"{part.name}, {len(part.copies)} on the bed, {lengths} mm{marks}")
        self.setToolTip(told or f"{part.name}: {lengths} mm")
        self.update()

    def _pick(self) -> None:
        held = QApplication.keyboardModifiers()
        add = bool(held & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
        copies = self._desk.job.parts[self.number].copies
        self._desk.selection.pick([(self.number, k) for k in range(len(copies))], add=add)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw name, copies, size."""
        painter = QPainter(self)
        picked = self.number in self._desk.selection.parts
        if picked or self.underMouse():
            painter.fillRect(self.rect(), QColor(PAPER.wash if picked else PAPER.paper))
        if self.hasFocus():
            painter.setPen(QColor(PAPER.accent))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        part = self._desk.job.parts[self.number]
        area = QRectF(self.rect()).adjusted(20, 0, -6, 0)
        if self._mark:
            draw_mark(painter, self._mark, 10, self.height() / 2)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(font(BODY))
        wide = painter.fontMetrics().horizontalAdvance(self._lengths)
        painter.setPen(QColor(PAPER.ink))
        painter.drawText(area, middle | Qt.AlignmentFlag.AlignRight, self._lengths)
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.faint))
        count = f"×{len(part.copies)}" if len(part.copies) > 1 else ""
        painter.drawText(area.adjusted(0, 0, -wide - 8, 0), middle | Qt.AlignmentFlag.AlignRight, count)
        painter.setFont(font(BODY, bold=picked))
        hidden = all(copy.hidden for copy in part.copies)
        painter.setPen(QColor(PAPER.faint if hidden else PAPER.ink))
        room = int(area.width()) - wide - 36
        told = f"{part.name}, hidden" if hidden else part.name
        name = painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, room)
        painter.drawText(area, middle, name)
        if any(copy.locked for copy in part.copies):
            across = painter.fontMetrics().horizontalAdvance(name)
            painter.drawPixmap(QRectF(area.left() + across + 6, 6, 12, 12).toRect(), pixmap("lock"))
        painter.end()


class PartRows(QWidget):
    """All parts, and the files still being read."""

    def __init__(self, desk: Desk, marks: Callable[[int], tuple[str, str]]) -> None:
        super().__init__()
        self._desk, self._marks = desk, marks
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(1)
        self.rows: list[PartRow] = []
        self._shape: object = None

    def refresh(self) -> None:
        """Show the parts as they are now; rows are made anew only when there are others."""
        job, shelf = self._desk.job, self._desk.shelf
        proposals = tuple(
            (i, model.proposed)
            for i, part in enumerate(job.parts)
            if (model := shelf.model(part)) is not None and model.proposed and part.unit == "mm"
        )
        shape = (len(job.parts), proposals)
        if shape != self._shape:
            self._shape = shape
            self._make(dict(proposals))
        for row in self.rows:
            stand = self._desk.stand((row.number, 0))
            lengths = size(tuple(float(v) for v in stand.size)) if stand else "reading…"
            row.show_facts(lengths, *self._marks(row.number))

    def _make(self, proposals: dict[int, str | None]) -> None:
        clear(self._box)
        self.rows = []
        for number in range(len(self._desk.job.parts)):
            row = PartRow(number, self._desk)
            self.rows.append(row)
            self._box.addWidget(row)
            unit = proposals.get(number)
            if unit:
                self._add_proposal(number, unit)

    def _add_proposal(self, number: int, unit: str) -> None:
        """Offer another unit in place, with both sizes; nothing changes unasked."""
        part = self._desk.job.parts[number]
        stand = self._desk.stand((number, 0))
        if stand is None:
            return
        larger = size(tuple(float(v) * MM_PER[unit] for v in stand.size))
        accept = button(
            f"drawn in {UNIT_WORDS[unit]}?",
            f"unit {number}",
            lambda: edit(self._desk, f"{part.name} in {unit}", lambda job: edits.in_unit(job, number, unit)),  # type: ignore[arg-type]
            tip=f"Read {part.name} in {UNIT_WORDS[unit]}: {larger} mm",
        )
        row = line(accept, 1)
        row.setContentsMargins(20, 0, 6, 0)
        self._box.addLayout(row)
        told = line(label(f"then {larger} mm", "mark"))
        told.setContentsMargins(20, 0, 6, 4)
        self._box.addLayout(told)

    def repaint_rows(self) -> None:
        """Show what is picked."""
        for row in self.rows:
            row.setChecked(row.number in self._desk.selection.parts)
            row.update()
