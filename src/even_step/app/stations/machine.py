"""The station Machine: which machine, which materials, and what follows from them."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QGridLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.store import Change
from even_step.app.theme.colours import PAPER
from even_step.app.theme.icons import pixmap
from even_step.app.theme.type import BODY, MARK, font
from even_step.app.widgets.fields import ChoiceField
from even_step.app.widgets.sheet import Group, Sheet, clear, label, line
from even_step.core.job import edits
from even_step.core.job.model import Machine, Material
from even_step.core.job.shipped import shipped

EMPTY = "empty"


class MachineDrawing(QWidget):
    """The machine from above: its bed, the side its cooling air comes from, its nozzles."""

    def __init__(self, machine: Machine) -> None:
        super().__init__()
        self._machine = machine
        self.setFixedHeight(176)

    def show_machine(self, machine: Machine) -> None:
        """Draw another machine."""
        self._machine = machine
        self.setAccessibleName(f"{machine.name} from above, fan at the {machine.fan_side}")
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw it to scale."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bed = self._machine.bed
        scale = 132 / max(bed.size)
        area = QRectF(0, 0, bed.size[0] * scale, bed.size[1] * scale)
        area.moveCenter(QPointF(self.width() / 2, 84))
        painter.setPen(QPen(QColor(PAPER.faint), 1))
        painter.setBrush(QColor(PAPER.paper))
        frame = area.adjusted(-14, -14, 14, 14)
        painter.drawRoundedRect(frame, 3, 3)
        painter.setBrush(QColor(PAPER.bed))
        if bed.shape == "round":
            painter.drawEllipse(area)
        else:
            painter.drawRect(area)
        self._rule(painter, area, scale)
        self._gantry(painter, area, frame)
        self._fan(painter, frame)
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.faint))
        words = f"{bed.size[0]:g} mm" if bed.shape == "rectangle" else f"⌀ {bed.size[0]:g} mm"
        painter.drawText(QRectF(0, frame.bottom() + 1, self.width(), 14), Qt.AlignmentFlag.AlignCenter, words)
        painter.end()

    def _rule(self, painter: QPainter, area: QRectF, scale: float) -> None:
        painter.save()
        painter.setPen(QPen(QColor(PAPER.rule), 1))
        step = 50 * scale
        for k in range(1, int(self._machine.bed.size[0] // 50) + 1):
            painter.drawLine(
                QPointF(area.left() + k * step, area.top()), QPointF(area.left() + k * step, area.bottom())
            )
        for k in range(1, int(self._machine.bed.size[1] // 50) + 1):
            painter.drawLine(
                QPointF(area.left(), area.bottom() - k * step), QPointF(area.right(), area.bottom() - k * step)
            )
        painter.restore()

    def _gantry(self, painter: QPainter, area: QRectF, frame: QRectF) -> None:
        y = area.top() + area.height() * 0.4
        painter.setPen(QPen(QColor(PAPER.ink), 1.4))
        painter.drawLine(QPointF(frame.left(), y), QPointF(frame.right(), y))
        painter.setBrush(QColor(PAPER.sheet))
        count = len(self._machine.extruders)
        x = area.center().x() - 9 * (count - 1)
        for k in range(count):
            painter.drawRect(QRectF(x + 18 * k - 7, y - 7, 14, 14))
            painter.drawEllipse(QPointF(x + 18 * k, y), 2.2, 2.2)

    def _fan(self, painter: QPainter, frame: QRectF) -> None:
        middle = frame.center()
        at = {
            "front": QPointF(middle.x(), frame.bottom() - 7),
            "back": QPointF(middle.x(), frame.top() + 7),
            "left": QPointF(frame.left() + 7, middle.y()),
            "right": QPointF(frame.right() - 7, middle.y()),
        }[self._machine.fan_side]
        painter.setPen(QPen(QColor(PAPER.faint), 1))
        painter.setBrush(QColor(PAPER.sheet))
        painter.drawEllipse(at, 9, 9)
        painter.drawPixmap(at - QPointF(7, 7), pixmap("fan", PAPER.ink, 14))


class MachineCard(QAbstractButton):
    """One machine to choose."""

    def __init__(self, machine: Machine) -> None:
        super().__init__()
        self.machine = machine
        self.setObjectName(f"machine {machine.name}")
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMinimumHeight(44)
        self.setAccessibleName(machine.name)
        bed = machine.bed
        span = f"⌀ {bed.size[0]:g}" if bed.shape == "round" else f"{bed.size[0]:g} × {bed.size[1]:g}"
        nozzles = " and ".join(f"{extruder.bore:g}" for extruder in machine.extruders)
        self._facts = f"{span} × {machine.height:g} mm · nozzle {nozzles} mm"

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """Return the size of a card."""
        return QSize(280, 44)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw name and facts, with a heavier edge when chosen."""
        painter = QPainter(self)
        area = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.fillRect(area, QColor(PAPER.wash if self.isChecked() else PAPER.paper))
        painter.setPen(
            QPen(
                QColor(PAPER.accent if self.isChecked() or self.hasFocus() else PAPER.rule),
                2 if self.isChecked() else 1,
            )
        )
        painter.drawRect(area)
        painter.setPen(QColor(PAPER.ink))
        painter.setFont(font(BODY, bold=True))
        painter.drawText(area.adjusted(10, 4, -8, -20), Qt.AlignmentFlag.AlignVCenter, self.machine.name)
        painter.setPen(QColor(PAPER.faint))
        painter.setFont(font(MARK))
        painter.drawText(area.adjusted(10, 21, -8, -3), Qt.AlignmentFlag.AlignVCenter, self._facts)
        painter.end()


class MachineStation(Sheet):
    """Choose machine and materials; see the limits that follow."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Machine")
        self._desk = desk
        self._drawing = MachineDrawing(desk.job.machine)
        self.add(self._drawing)
        self._cards = QButtonGroup(self)
        for machine in shipped(Machine).values():
            card = MachineCard(machine)
            self._cards.addButton(card)
            card.clicked.connect(lambda _=False, machine=machine: self._choose(machine))
            self.add(card)
        self._materials = Group("Material", "one for each extruder")
        self.add(self._materials)
        self._limits = Group("Limits", "what this machine and material can do")
        self._table = QGridLayout()
        self._table.setVerticalSpacing(3)
        self._limits.add(self._table)
        self.add(self._limits)
        desk.store.changed.connect(self._follow)
        self._refresh()

    def _follow(self, change: Change) -> None:
        if change.touches("machine", "materials"):
            self._refresh()

    def _choose(self, machine: Machine) -> None:
        edit(self._desk, f"machine {machine.name}", lambda job: edits.on_machine(job, machine))
        self._refresh()

    def _load(self, extruder: int, name: str) -> None:
        material = None if name == EMPTY else shipped(Material)[name]
        edit(self._desk, f"load {name}", lambda job: edits.with_material(job, extruder, material))
        self._refresh()

    def _refresh(self) -> None:
        job = self._desk.job
        self.remark.setText(job.machine.name)
        self._drawing.show_machine(job.machine)
        for card in self._cards.buttons():
            card.setChecked(isinstance(card, MachineCard) and card.machine.name == job.machine.name)
        clear(self._materials.body)
        for number in range(len(job.machine.extruders)):
            self._add_material(number)
        clear(self._table)
        for row, (name, value) in enumerate(self._facts()):
            self._table.addWidget(label(name, "faint"), row, 0)
            self._table.addWidget(label(value), row, 1, Qt.AlignmentFlag.AlignRight)

    def _add_material(self, number: int) -> None:
        """Add the spool of an extruder with what is known of its plastic."""
        job = self._desk.job
        choices = (*shipped(Material), EMPTY) if number > 0 else tuple(shipped(Material))
        field = ChoiceField(f"material {number + 1}", choices)
        field.setAccessibleName(f"material of extruder {number + 1}")
        loaded = job.materials[number].name if number < len(job.materials) else EMPTY
        if loaded in choices:
            field.show_value(loaded)
        field.activated.connect(lambda index: self._load(number, choices[index]))
        field.setEnabled(number <= len(job.materials))
        self._materials.add(line(f"Extruder {number + 1}", 1, field))
        if number < len(job.materials):
            material = job.materials[number]
            told = f"{material.density:g} g/cm³ · {material.price_per_kg:g} a kg · melts {material.flow_limit:g} mm³/s"
            self._materials.add(label(told, "mark"))

    def _facts(self) -> list[tuple[str, str]]:
        machine = self._desk.job.machine
        heights, widths = (
            " and ".join(dict.fromkeys(f"{low:g} to {high:g} mm" for low, high in ranges))
            for ranges in (
                [nozzle.layer_height for nozzle in machine.extruders],
                [nozzle.line_width for nozzle in machine.extruders],
            )
        )
        x, y, z, _ = machine.motion.speed
        highest = machine.heating
        ways = zip(("right", "back", "left", "front"), machine.overhang_limit, strict=True)
        return [
            ("layer height", heights),
            ("line width", widths),
            ("speed in x, y, z", f"{x:g}, {y:g}, {z:g} mm/s"),
            ("acceleration", f"{machine.motion.acceleration[0]:g} mm/s²"),
            ("nozzle, bed up to", f"{highest.nozzle_limit:g}, {highest.bed_limit:g} °C"),
            ("cooling air from the", machine.fan_side),
            *((f"overhang to the {way}", f"{limit:g}°") for way, limit in ways),
        ]
