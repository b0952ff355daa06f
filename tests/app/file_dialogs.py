"""What a user does in the file dialog that is about to open."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLineEdit


def when_it_opens(hand, act):
    """Act once the dialog is on the screen, however long that takes, and again until it has gone."""
    timer = QTimer(hand.window)
    timer.setInterval(400)  # ms: it looks into its folder beside the window, and takes nothing before that
    tries = []

    def look():
        dialog = next((one for one in hand.window.findChildren(QFileDialog) if one.isVisible()), None)
        if dialog is None:
            if tries:
                timer.stop()
            return
        tries.append(dialog)
        if len(tries) < 50:
            act(dialog)
        else:
            dialog.reject()  # or it would wait for ever

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
