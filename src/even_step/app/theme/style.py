"""The style sheet of the whole window, from the palette."""

from __future__ import annotations

from string import Template

from PySide6.QtGui import QColor, QPalette
from PySide6.QtWidgets import QApplication, QWidget

from even_step.app.theme.colours import PAPER, Palette
from even_step.app.theme.type import BODY, MARK, TITLE, font, load_fonts

SHEET = Template(
    """
* { font-family: B612; font-size: ${body}px; color: $ink; }
QMainWindow, QWidget#paper { background: $paper; }
QWidget#sheet, QWidget#topline, QWidget#strip, QWidget#rail { background: $sheet; }
QWidget#topline { border-bottom: 1px solid $rule; }
QWidget#strip { border-top: 1px solid $rule; }
QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; border: none; }
QLabel[role="title"] { font-size: ${title}px; font-weight: bold; }
QLabel[role="head"] { font-weight: bold; }
QLabel[role="mark"], QLabel[role="faint"] { color: $faint; }
QLabel[role="mark"] { font-size: ${mark}px; }
QLabel[role="stop"] { color: $stop; }
QLabel[role="caution"] { color: $caution; }
QLabel:disabled { color: $faint; }
QFrame[role="rule"] { background: $rule; max-height: 1px; min-height: 1px; border: none; }
QPushButton, QToolButton { background: $sheet; border: 1px solid $faint; padding: 3px 8px; }
QPushButton:hover, QToolButton:hover { background: $wash; }
QPushButton:pressed, QToolButton:pressed, QPushButton:checked, QToolButton:checked {
    background: $wash; border-color: $accent; }
QPushButton:disabled, QToolButton:disabled { color: $faint; border-color: $rule; }
QPushButton:focus, QToolButton:focus { border: 2px solid $accent; padding: 2px 7px; }
QPushButton[role="link"] { border: none; color: $accent; padding: 0; text-align: left; background: transparent; }
QPushButton[role="link"]:focus, QPushButton[role="link"]:hover { text-decoration: underline; padding: 0; }
QPushButton[role="heading"] { border: none; padding: 1px 0; text-align: left; font-weight: bold;
    background: transparent; }
QPushButton[role="heading"]:hover, QPushButton[role="heading"]:focus { color: $accent; }
QPushButton[role="plain"], QToolButton[role="plain"] { border: none; background: transparent; }
QPushButton[role="plain"]:hover, QToolButton[role="plain"]:hover { background: $wash; }
QLineEdit, QComboBox { background: $paper; border: none; border-bottom: 1px solid $faint; padding: 2px 6px;
    selection-background-color: $accent; selection-color: $sheet; }
QLineEdit:focus, QComboBox:focus { border-bottom: 2px solid $accent; padding-bottom: 1px; }
QLineEdit[wrong="true"] { border-bottom: 2px solid $stop; }
QLineEdit:disabled { color: $faint; border-bottom-color: $rule; }
QComboBox::drop-down { border: none; width: 16px; }
QComboBox::down-arrow { image: url($icons/chevron-down.svg); width: 12px; height: 12px; }
QComboBox QAbstractItemView { background: $sheet; border: 1px solid $faint; selection-background-color: $wash;
    selection-color: $ink; outline: none; }
QCheckBox::indicator { width: 12px; height: 12px; border: 1px solid $faint; background: $paper; }
QCheckBox::indicator:checked { background: $accent; border-color: $accent; image: url($icons/tick.svg); }
QCheckBox:focus { text-decoration: underline; }
QCheckBox::indicator:focus { border: 2px solid $accent; }
QMenuBar { background: $sheet; padding: 0; }
QMenuBar::item { padding: 6px 8px 6px 8px; background: transparent; }
QMenuBar::item:selected, QMenu::item:selected { background: $wash; color: $ink; }
QMenu { background: $sheet; border: 1px solid $faint; padding: 4px 0; }
QMenu::item { padding: 4px 24px 4px 12px; }
QMenu::icon { padding-left: 10px; }
QMenu::item:disabled { color: $faint; }
QMenu::separator { height: 1px; background: $rule; margin: 4px 8px; }
QToolTip { background: $sheet; color: $ink; border: 1px solid $faint; padding: 4px; }
QScrollBar:vertical { background: transparent; width: 8px; margin: 0; }
QScrollBar::handle:vertical { background: $rule; min-height: 24px; }
QScrollBar:horizontal { background: transparent; height: 8px; margin: 0; }
QScrollBar::handle:horizontal { background: $rule; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {
    background: none; border: none; height: 0; width: 0; }
QProgressBar { background: $paper; border: 1px solid $rule; }
QProgressBar::chunk { background: $accent; }
QListWidget { background: $sheet; border: none; outline: none; }
QListWidget::item:selected { background: $wash; color: $ink; }
QSplitter::handle { background: $rule; }
QDialog { background: $sheet; }
QDialog#find { border: 1px solid $faint; }
"""
)


def style_sheet(palette: Palette, icons: str) -> str:
    """Return Qt's style sheet for a palette."""
    colours = {name: getattr(palette, name) for name in palette.__dataclass_fields__}
    return SHEET.substitute(colours, body=BODY, mark=MARK, title=TITLE, icons=icons)


def dress(app: QApplication) -> None:
    """Give an application our type and colours."""
    load_fonts()
    app.setStyle("Fusion")
    app.setFont(font())
    colours = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, PAPER.sheet),
        (QPalette.ColorRole.Base, PAPER.paper),
        (QPalette.ColorRole.Text, PAPER.ink),
        (QPalette.ColorRole.WindowText, PAPER.ink),
        (QPalette.ColorRole.ButtonText, PAPER.ink),
        (QPalette.ColorRole.Button, PAPER.sheet),
        (QPalette.ColorRole.Highlight, PAPER.accent),
        (QPalette.ColorRole.HighlightedText, PAPER.sheet),
        (QPalette.ColorRole.PlaceholderText, PAPER.faint),
    ):
        colours.setColor(role, QColor(colour))
    app.setPalette(colours)


def style_window(window: QWidget, icons: str) -> None:
    """Style a window and all that belongs to it, once it is assembled.

    An application's sheet would style every piece anew each time that one is put into another: a window then takes
    five times as long to open.
    """
    window.setStyleSheet(style_sheet(PAPER, icons))
