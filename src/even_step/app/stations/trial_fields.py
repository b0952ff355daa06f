"""What the user says of the trial that is shown: a name, a note, and whether it stands out."""

from __future__ import annotations

from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QGridLayout, QWidget

from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER
from even_step.app.theme.icons import pixmap
from even_step.app.trials import Trial
from even_step.app.widgets.fields import WordsField
from even_step.app.widgets.sheet import button, label
from even_step.core.job.kept_trials import MOST_NAME, MOST_NOTE


class TrialFields(QWidget):
    """Two lines to type in, and a star; what is typed is taken when the line is left."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._trial: Trial | None = None
        self._name = WordsField("trial name", "what it changed", MOST_NAME)
        self._note = WordsField("trial note", "what came of it", MOST_NOTE)
        self._star = button("", "trial star", self._toggle, tip="A star on its ticket (Ctrl+B)")
        self._star.setCheckable(True)
        self._star.setIcon(_star())
        self._star.setAccessibleName("star")
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 8)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        for row, (words, field) in enumerate((("name", self._name), ("note", self._note))):
            grid.addWidget(label(words), row, 0)
            grid.addWidget(field, row, 1)
        grid.addWidget(self._star, 0, 2)
        self._name.editingFinished.connect(lambda: self._say(name=self._name.text().strip()))
        self._note.editingFinished.connect(lambda: self._say(note=self._note.text().strip()))
        desk.trials.shown_changed.connect(self.refresh)
        desk.trials.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show what is said of the trial on the canvas; what is being typed stays."""
        trial, before = self._desk.trials.shown, self._trial
        other, self._trial = trial is not before, trial
        if other and before is not None:  # what was still being typed is said of that one
            self._say_of(before, name=self._name.text().strip(), note=self._note.text().strip())
        if trial is None:
            return
        for field, text in ((self._name, trial.name), (self._note, trial.note)):
            if other or not field.hasFocus():
                field.setText(text)
                field.setCursorPosition(0)
                field.setToolTip(text)
        self._name.setPlaceholderText("; ".join(trial.changed))
        self._star.setChecked(trial.starred)

    def _say(self, **said: str) -> None:
        if self._trial is not None:
            self._say_of(self._trial, **said)

    def _say_of(self, trial: Trial, **said: str) -> None:
        if any(getattr(trial, what) != text for what, text in said.items()):
            self._desk.trials.say_of(trial, **said)

    def _toggle(self) -> None:
        if self._trial is not None:
            self._desk.trials.say_of(self._trial, starred=not self._trial.starred)


def _star() -> QIcon:
    """Return a star that is faint until it is given."""
    made = QIcon(pixmap("star", PAPER.rule))
    made.addPixmap(pixmap("star"), QIcon.Mode.Normal, QIcon.State.On)
    return made
