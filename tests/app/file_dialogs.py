"""What a user does in the file dialog that is about to open."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLineEdit


def when_it_opens(hand, act):
    """Act as soon as the dialog is on the screen, however long that takes; it is put away should that go wrong."""
    timer = QTimer(hand.window)
    timer.setInterval(50)

    def look():
        dialog = next((one for one in hand.window.findChildren(QFileDialog) if one.isVisible()), None)
        if dialog is None:
            return
        timer.stop()
        # Else the dialog would wait for ever.
        QTimer.singleShot(30_000, dialog, dialog.reject)
        act(dialog)

    timer.timeout.connect(look)
    timer.start()


def answer(hand, path):
    """Type a path, and Enter."""

    def type_it(dialog):
        name = dialog.findChild(QLineEdit, "fileNameEdit")
        name.clear()
        QTest.keyClicks(name, str(path))
        QTest.keyClick(name, Qt.Key.Key_Return)

    when_it_opens(hand, type_it)
