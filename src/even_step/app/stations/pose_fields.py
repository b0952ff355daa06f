"""Pose proposals: small pictures with what each pose would cost, and what they are weighed by."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QGridLayout

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.shelf import ShelfModel
from even_step.app.stations.part_fields import ToolFields
from even_step.app.theme.colours import PAPER, mixed
from even_step.app.theme.type import MARK, font
from even_step.app.widgets.fields import Slider
from even_step.app.widgets.sheet import label, line
from even_step.core.job import edits
from even_step.core.job.model import MM_PER, Part
from even_step.core.job.spots import Spot, part_of
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.turning import turn_matrix
from even_step.core.overhang import limits_of
from even_step.core.wording import millimetres, rough_clock

if TYPE_CHECKING:
    from even_step.core.proposals import Proposals

WIDE, HIGH, TEXT = 146, 84, 60  # points of a card's picture, and of the lines under it
CARDS = 6
STEPS = 10  # of a slider
WORDS = {
    "support": "little support",
    "contact": "much on the bed",
    "height": "low",
    "step": "fine slopes",
    "time": "quick",
}
AT_FIRST = {"support": 10, "contact": 3, "height": 3, "step": 3, "time": 5}
Shown = tuple["Proposals", dict[int, QImage]]


def picture_of(light: NDArray[np.float32], shown: NDArray[np.uint8]) -> QImage:
    """Colour a portrait: bone for the part, hatched clay for what hangs."""
    rows, columns = np.indices(shown.shape)
    hatched = (shown == 2) & ((rows + columns) % 6 < 3)
    out = np.zeros((*shown.shape, 4), np.uint8)
    for kind, colour in ((shown > 0, PAPER.bone), (hatched, PAPER.clay)):
        dark, bright = mixed(PAPER.ink, colour, 0.35), QColor(colour)
        for channel, (a, b) in enumerate(
            zip((dark.blue(), dark.green(), dark.red()), (bright.blue(), bright.green(), bright.red()), strict=True)
        ):
            out[..., channel] = np.where(kind, a + (b - a) * np.clip(light, 0, 1), out[..., channel])
    out[..., 3] = np.where(shown > 0, 255, 0)
    return QImage(out.tobytes(), shown.shape[1], shown.shape[0], QImage.Format.Format_ARGB32).copy()


class PoseCard(QAbstractButton):
    """One proposal: its picture and its figures; a click applies it."""

    def __init__(self, number: int) -> None:
        super().__init__()
        self.setObjectName(f"pose {number}")
        self.setAccessibleName(f"pose proposal {number + 1}")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCheckable(True)
        self._picture = QImage()
        self._lines: list[str] = []

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """Return the size of a card."""
        return QSize(WIDE, HIGH + TEXT)

    def show_pose(self, picture: QImage, lines: list[str], *, in_use: bool) -> None:
        """Show a proposal."""
        self._picture, self._lines = picture, lines
        self.setChecked(in_use)
        self.setAccessibleName(", ".join(lines))
        self.setToolTip("as it stands now" if in_use else "Click to stand the part like this")
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw picture and figures."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(PAPER.wash if self.isChecked() or self.underMouse() else PAPER.paper))
        painter.setPen(QColor(PAPER.accent if self.isChecked() or self.hasFocus() else PAPER.rule))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.drawImage(QRectF((self.width() - WIDE) / 2, 0, WIDE, HIGH), self._picture)
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.ink))
        for row, text in enumerate(self._lines):
            painter.drawText(QRectF(6, HIGH + 1 + 14 * row, self.width() - 8, 14), Qt.AlignmentFlag.AlignVCenter, text)
        painter.end()


class PoseFields(ToolFields):
    """What poses would cost, worked out beside the window for the part in hand."""

    tool = "pose"

    def __init__(self, desk: Desk) -> None:
        super().__init__("Pose proposals", desk)
        self._told = label("Looking at poses…", "mark")
        self.add(self._told)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.cards = [PoseCard(number) for number in range(CARDS)]
        for number, card in enumerate(self.cards):
            grid.addWidget(card, number // 2, number % 2)
            card.clicked.connect(partial(self._apply, number))
        self.add(grid)
        self.sliders: dict[str, Slider] = {}
        self.add(label("What counts", "head"))
        for name, word in WORDS.items():
            slider = Slider(f"weight {name}", STEPS, AT_FIRST[name])
            slider.setAccessibleName(f"how much it counts: {word}")
            slider.setFixedWidth(150)
            slider.valueChanged.connect(lambda _: self._rank())
            self.sliders[name] = slider
            self.add(line(word, 1, slider))
        self._asked: object = None
        self._found: Proposals | None = None
        self._pictures: dict[int, QImage] = {}
        self._ranked: list[int] = []

    def remark(self) -> str:
        """Name the part the figures are of."""
        parts = self.desk.selection.parts
        name = part_of(self.desk.job, parts[-1]).name
        return name if len(parts) == 1 else f"{name}, picked last of {len(parts)}"

    def show_copy(self, spot: Spot) -> None:
        """Ask for the poses of the part in hand, unless they are known."""
        part = part_of(self.desk.job, spot.part)
        model = self.desk.shelf.model(part)
        if model is None or self.desk.view.tool != self.tool or self.desk.complaints:
            self._asked, self._found = None, None  # what is known is another part's
            self._show()
            return
        job, resolved = self.desk.job, self.desk.resolved_of(spot.part)
        wanted = (model.key, part.stretch, part.unit, job.machine, job.materials, resolved)
        if wanted == self._asked:
            self._show()
            return
        self._asked, self._found, self._pictures = wanted, None, {}
        self._show()

        def work() -> Proposals:
            from even_step.core.proposals import proposals  # noqa: PLC0415 - kernels load after the window shows

            return proposals(_sized(model.mesh, part), job, resolved)

        def arrived(found: Proposals) -> None:
            if self._asked is wanted:
                self._found = found
                self._rank()

        self.desk.background.run("poses", work, arrived)

    @property
    def is_drawn(self) -> bool:
        """Whether all poses that are proposed now have their pictures."""
        return bool(self._ranked) and all(number in self._pictures for number in self._ranked)

    def _weights(self) -> dict[str, float]:
        return {name: slider.value() / STEPS for name, slider in self.sliders.items()}

    def _rank(self) -> None:
        """Choose the best by what counts now, and have those drawn that are not yet."""
        found, spot = self._found, self.desk.selection.in_hand
        if found is None or spot is None:
            return
        from even_step.core.proposals import ranked  # noqa: PLC0415 - kernels load after the window shows

        self._ranked = ranked(found, self._weights(), CARDS)
        part = part_of(self.desk.job, spot.part)
        model = self.desk.shelf.model(part)
        missing = [number for number in self._ranked if number not in self._pictures]
        if model is not None and missing:
            angle = float(self.desk.resolved_of(part.id).values["supports.angle"])
            limits = limits_of(angle, self.desk.job.machine.overhang_limit)

            def draw() -> dict[int, QImage]:
                return {number: _drawn(model, part, found.matrix[number], limits) for number in missing}

            self.desk.background.run("portraits", draw, self._take_pictures)
        self._show()

    def _take_pictures(self, drawn: dict[int, QImage]) -> None:
        self._pictures |= drawn
        self._show()

    def _show(self) -> None:
        """Show the cards as far as they are known."""
        found = self._found
        self._told.setText("Click one to stand the part like that." if found else "Looking at poses…")
        spot = self.desk.selection.in_hand
        for place, card in enumerate(self.cards):
            card.setVisible(found is not None and place < len(self._ranked))
            if found is None or spot is None or place >= len(self._ranked):
                continue
            number = self._ranked[place]
            turn = part_of(self.desk.job, spot.part).turn
            in_use = bool(np.allclose(turn_matrix(turn), found.matrix[number], atol=1e-4))
            card.show_pose(self._pictures.get(number, QImage()), _lines(found, number), in_use=in_use)

    def _apply(self, place: int) -> None:
        if self._found is None or place >= len(self._ranked):
            return
        matrix = self._found.matrix[self._ranked[place]]
        part = part_of(self.desk.job, self.desk.selection.parts[-1])
        edit(self.desk, f"pose of {part.name}", lambda job: edits.posed_as(job, part.id, matrix))
        self._show()


def _sized(mesh: Mesh, part: Part) -> Mesh:
    return mesh.mapped(np.diag(part.stretch) * MM_PER[part.unit])


def _drawn(
    model: ShelfModel, part: Part, matrix: NDArray[np.float64], limits: tuple[float, float, float, float]
) -> QImage:
    from even_step.core.mesh.portrait import portrait  # noqa: PLC0415 - kernels load after the window shows
    from even_step.core.mesh.pose import set_down  # noqa: PLC0415

    posed, _ = set_down(_sized(model.few, part), matrix)
    return picture_of(*portrait(posed, limits, 2 * WIDE, 2 * HIGH))


def _lines(found: Proposals, number: int) -> list[str]:
    """Say the figures of a pose."""
    figures = {name: float(figure[number]) for name, figure in found.figures.items()}
    return [
        f"{rough_clock(figures['time'])}, {millimetres(figures['height'])} mm high",
        f"≈ {figures['support'] / 1000:.1f} cm³ to hold",
        f"{figures['contact'] / 100:.1f} cm² on the bed",
        f"stairs of {figures['step']:.2f} mm",
    ]
