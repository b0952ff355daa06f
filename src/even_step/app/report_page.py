"""The report of a trial as a file: its pictures drawn, and the page written as HTML or PDF."""

from __future__ import annotations

from base64 import b64encode
from pathlib import Path

import numpy as np
from PySide6.QtCore import QBuffer, QIODevice, QMarginsF, QRectF, QSizeF, Qt, QUrl
from PySide6.QtGui import QColor, QImage, QPageLayout, QPageSize, QPainter, QPdfWriter, QTextDocument

from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import MARK, font
from even_step.app.trials import Trial
from even_step.app.written import written
from even_step.core.trials.page import as_html, tables_of
from even_step.core.wording import clock

WIDE, HIGH = 660, 140  # points, of the picture of the layers' times: twice as large as it stands on the page
SEEN, TALL = 330, 250  # points: how large pictures stand on the page of a PDF at the most
ROOM = 12  # points
SMALL = 11  # points, of the letters of a PDF
MARGIN = 15.0  # mm
#: Dots an inch, in which the page is laid out: the more the smaller, down to letters of 6 points.
DOTS = 96, 104, 112, 120, 126, 132

Picture = tuple[str, QImage]


def write_report(desk: Desk, path: str, seen: Picture) -> None:
    """Write the page of the trial shown as PDF, or HTML by the name's ending; ``seen`` is what the canvas shows."""
    trial = desk.trials.shown
    if trial is None:
        return
    shown = None if seen[1].isNull() else (seen[0], without_bare_paper(seen[1]))
    pictures = [one for one in (shown, times_of_layers(trial)) if one is not None]
    as_page = html_of if Path(path).suffix.lower() in {".html", ".htm"} else pdf_of
    page = as_page(trial, pictures)

    def told(fault: str) -> None:
        desk.note(fault or f"Saved the report {Path(path).name}", "stop" if fault else "")

    desk.background.run(f"report {path}", lambda: written(Path(path), page), told)


def title_of(trial: Trial) -> str:
    """Return what a trial's page is called."""
    return f"{trial.job.name}, trial {trial.number}" + (f": {trial.name}" if trial.name else "")


def without_bare_paper(image: QImage) -> QImage:
    """Return what of a picture is not of one colour with its corner, with a little room about it."""
    plain = image.convertToFormat(QImage.Format.Format_RGB32)
    rows = np.frombuffer(plain.constBits(), np.uint32).reshape(plain.height(), plain.bytesPerLine() // 4)
    drawn = rows[:, : plain.width()] != rows[0, 0]
    down, across = np.flatnonzero(drawn.any(axis=1)), np.flatnonzero(drawn.any(axis=0))
    if len(down) == 0:
        return plain
    x0, x1 = max(int(across[0]) - ROOM, 0), min(int(across[-1]) + ROOM, plain.width())
    y0, y1 = max(int(down[0]) - ROOM, 0), min(int(down[-1]) + ROOM, plain.height())
    out = plain.copy(x0, y0, x1 - x0, y1 - y0)
    out.setDevicePixelRatio(1.0)
    return out


def times_of_layers(trial: Trial) -> Picture | None:
    """Draw a bar for each layer, as tall as it takes long; none where its lines are not there."""
    if trial.lines is None or trial.lines.count == 0:
        return None
    times = trial.lines.layer_time
    image = QImage(WIDE, HIGH, QImage.Format.Format_RGB32)
    image.fill(QColor(PAPER.sheet))
    painter = QPainter(image)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(PAPER.accent))
    wide, most = WIDE / len(times), max(float(times.max()), 1e-9)
    for layer, seconds in enumerate(times.tolist()):
        high = (HIGH - 34) * seconds / most
        painter.drawRect(QRectF(layer * wide, HIGH - high, max(wide - 0.5, 0.5), high))
    painter.setPen(QColor(PAPER.ink))
    painter.setFont(font(2 * MARK))
    painter.drawText(QRectF(4, 2, WIDE - 8, 30), Qt.AlignmentFlag.AlignRight, f"{clock(most)} at the most")
    painter.end()
    return "Time of each layer, from the bed up", image


def html_of(trial: Trial, pictures: list[Picture]) -> bytes:
    """Return the page as HTML with its pictures in it."""
    inside = [(caption, "data:image/png;base64," + b64encode(png_of(image)).decode()) for caption, image in pictures]
    return as_html(title_of(trial), tables_of(trial.report, trial.job), inside).encode()


def pdf_of(trial: Trial, pictures: list[Picture]) -> bytes:
    """Return the page as PDF: on one A4 where it can still be read so, else on as many as it takes."""
    document = QTextDocument()
    document.setDefaultFont(font(SMALL))
    named = []
    for number, (caption, image) in enumerate(pictures):
        smooth = Qt.TransformationMode.SmoothTransformation
        small = image.scaled(SEEN, TALL, Qt.AspectRatioMode.KeepAspectRatio, smooth)
        document.addResource(QTextDocument.ResourceType.ImageResource.value, QUrl(f"picture:{number}"), small)
        named.append((caption, f"picture:{number}"))
    document.setHtml(as_html(title_of(trial), tables_of(trial.report, trial.job), named))
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setTitle(title_of(trial))
    writer.setCreator("Even Step")
    margins = QMarginsF(MARGIN, MARGIN, MARGIN, MARGIN)
    writer.setPageLayout(
        QPageLayout(
            QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, margins, QPageLayout.Unit.Millimeter
        )
    )
    for dots in (*DOTS, DOTS[0]):
        writer.setResolution(dots)
        document.setPageSize(QSizeF(writer.width(), writer.height()))
        if document.pageCount() == 1:
            break
    document.print_(writer)
    buffer.close()
    return bytes(buffer.data().data())


def png_of(image: QImage) -> bytes:
    """Return a picture as the bytes of a PNG."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(buffer.data().data())
