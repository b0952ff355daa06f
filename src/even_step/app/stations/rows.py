"""The rows of the list of parts: one for a part, one for each body of an assembly under it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QApplication, QLineEdit, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER
from even_step.app.theme.icons import pixmap
from even_step.app.theme.type import BODY, MARK, font
from even_step.app.widgets.fields import keeps_arrows
from even_step.app.widgets.marks import draw_mark
from even_step.core.job import edits
from even_step.core.job.spots import Spot, part_of

PART_INDENT, BODY_INDENT = 20, 34
LONGEST_NAME = 200


def adds() -> bool:
    """Whether the keys are held that pick in addition."""
    held = QApplication.keyboardModifiers()
    return bool(held & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))


class Row(QAbstractButton):
    """A name on the left, a size on the right; a click picks what it stands for."""

    indent, tall, hint = PART_INDENT, 24, ""

    def __init__(self, part: str, desk: Desk) -> None:
        super().__init__()
        self.part = part
        self.desk = desk
        self.name = self.lengths = self.mark = self.count = ""
        self.hidden = self.locked = False
        self.own = 0  # settings of its own
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setFixedHeight(self.tall)
        self.clicked.connect(self.pick)

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """Return the size of a row."""
        return QSize(280, self.tall)

    def pick(self) -> None:
        """Pick what the row stands for."""

    @property
    def picked(self) -> bool:
        """Whether what the row stands for is picked."""
        return False

    def event(self, event: QEvent) -> bool:
        """Keep the arrow keys, which walk through the list."""
        return keeps_arrows(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        """Walk to the row above or below; Enter picks like Space."""
        match event.key():
            case Qt.Key.Key_Up | Qt.Key.Key_Down:
                self.focusNextPrevChild(event.key() == Qt.Key.Key_Down)
            case Qt.Key.Key_Return | Qt.Key.Key_Enter:
                self.pick()
            case _:
                super().keyPressEvent(event)

    def say(self, told: str) -> None:
        """Give the row its words for those who do not see it; ``told`` shows under the pointer."""
        marks = "".join(f", {word}" for word in ("locked", "hidden") if getattr(self, word))
        own = f", {self.own} of its own" if self.own else ""
        self.setAccessibleName(f"{self.name}{self.count and ', '}{self.count}, {self.lengths} mm{marks}{own}")
        self.setToolTip(told or f"{self.name}: {self.lengths} mm{self.hint}")
        self.setChecked(self.picked)
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw mark, name, count and size, and a bar where it has settings of its own."""
        painter = QPainter(self)
        if self.picked or self.underMouse():
            painter.fillRect(self.rect(), QColor(PAPER.wash if self.picked else PAPER.paper))
        if self.hasFocus():
            painter.setPen(QColor(PAPER.accent))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        if self.own:
            painter.fillRect(0, 2, 3, self.height() - 4, QColor(PAPER.accent))
        area = QRectF(self.rect()).adjusted(self.indent, 0, -6, 0)
        if self.mark:
            draw_mark(painter, self.mark, 10, self.height() / 2)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(font(BODY))
        wide = painter.fontMetrics().horizontalAdvance(self.lengths)
        painter.setPen(QColor(PAPER.ink))
        painter.drawText(area, middle | Qt.AlignmentFlag.AlignRight, self.lengths)
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.faint))
        painter.drawText(area.adjusted(0, 0, -wide - 8, 0), middle | Qt.AlignmentFlag.AlignRight, self.count)
        painter.setFont(font(BODY, bold=self.picked))
        painter.setPen(QColor(PAPER.faint if self.hidden else PAPER.ink))
        room = int(area.width()) - wide - 36
        told = f"{self.name}, hidden" if self.hidden else self.name
        name = painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, room)
        painter.drawText(area, middle, name)
        if self.locked:
            across = painter.fontMetrics().horizontalAdvance(name)
            painter.drawPixmap(QRectF(area.left() + across + 6, 6, 12, 12).toRect(), pixmap("lock"))
        painter.end()


class NameField(QLineEdit):
    """A name being typed; gone once it is taken or left."""

    def __init__(self, name: str, take: Callable[[str], None], parent: QWidget) -> None:
        super().__init__(name, parent)
        self.setObjectName("new name")
        self.setAccessibleName("name of the part")
        self.setMaxLength(LONGEST_NAME)
        self._take = take
        self.editingFinished.connect(self._finish)

    def _finish(self) -> None:
        self.editingFinished.disconnect()
        name = self.text().strip()
        self.deleteLater()
        self._take(name)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        """Escape leaves the name as it was."""
        if event.key() == Qt.Key.Key_Escape:
            self.setText("")
            self._finish()
        else:
            super().keyPressEvent(event)


class PartRow(Row):
    """One part; a click picks all its copies, with Shift or Ctrl in addition."""

    hint = "\nDouble-click to rename (F2)"

    def __init__(self, part: str, desk: Desk) -> None:
        super().__init__(part, desk)
        self.setObjectName(f"part {part}")

    @property
    def spots(self) -> list[Spot]:
        """Its copies on the bed in view."""
        return [spot for spot in self.desk.spots if spot.part == self.part]

    def mouseDoubleClickEvent(self, _: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Rename."""
        self.rename()

    def rename(self) -> None:
        """Let another name be typed where the name stands; Escape leaves it."""
        field = NameField(self.name, self._take_name, self)
        field.setGeometry(self.rect().adjusted(self.indent - 6, 0, 0, 0))
        field.show()
        field.setFocus()
        field.selectAll()

    def _take_name(self, name: str) -> None:
        self.setFocus()
        if name and name != self.name:
            edit(self.desk, f"name {name}", lambda job: edits.with_part(job, self.part, name=name))

    def pick(self) -> None:
        """Pick all copies."""
        self.desk.selection.pick(self.spots, add=adds())

    @property
    def picked(self) -> bool:
        """Whether a copy is picked."""
        return self.part in self.desk.selection.parts

    def show_facts(self, lengths: str, mark: str, told: str) -> None:
        """Show size and mark; ``told`` says the reason of the mark."""
        part = part_of(self.desk.job, self.part)
        copies = [copy for copy in part.copies if copy.bed == self.desk.view.bed]
        self.name, self.lengths, self.mark = part.name, lengths, mark
        self.count = f"×{len(copies)}" if len(copies) > 1 else ""
        self.hidden = all(copy.hidden for copy in copies)
        self.locked = any(copy.locked for copy in copies)
        self.own = len(part.settings)
        self.say(told)


class BodyRow(Row):
    """One body of an assembly; a click picks the part and of it this body."""

    indent, tall = BODY_INDENT, 20

    def __init__(self, part: str, body: int, desk: Desk) -> None:
        super().__init__(part, desk)
        self.body = body
        self.setObjectName(f"part {part} body {body}")

    def pick(self) -> None:
        """Pick the body, or only its part when it was picked."""
        selection = self.desk.selection
        spots = [spot for spot in selection.spots if spot.part == self.part] or [
            spot for spot in self.desk.spots if spot.part == self.part
        ]
        selection.pick_body(spots, None if self.picked else self.body)

    @property
    def picked(self) -> bool:
        """Whether the body is."""
        hand = self.desk.selection.in_hand
        return hand is not None and hand.part == self.part and self.desk.selection.body == self.body

    def show_facts(self, name: str, lengths: str) -> None:
        """Show name and size."""
        self.name, self.lengths = name, lengths
        self.hidden = self.body in part_of(self.desk.job, self.part).hidden_bodies
        self.say("")
