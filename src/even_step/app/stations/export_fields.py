"""What is wished for when G-code is exported: a pattern for its name, a picture beside it, a command after it."""

from __future__ import annotations

from even_step.app.exporting import FILE, Exporting
from even_step.app.widgets.fields import SwitchField, WordsField
from even_step.app.widgets.sheet import Group, label, line
from even_step.core.errors import EvenStepError
from even_step.core.export_name import MOST, PLACES

LONGEST = 1000  # letters of a command


class ExportFields(Group):
    """Kept for every job."""

    def __init__(self, exporting: Exporting) -> None:
        super().__init__("With each export")
        self._exporting = exporting
        self._pattern = WordsField("export name", "{job}", MOST)
        self._pattern.setToolTip("Places: " + ", ".join(f"{{{place}}}" for place in PLACES))
        self._picture = SwitchField("export picture")
        self._picture.setAccessibleName("a picture beside the file")
        self._command = WordsField("export command", f"program {FILE}", LONGEST)
        self._command.setToolTip(f"Run after each export, without a shell; {FILE} is the file")
        self._told = label("", "mark", wrap=True)
        self._told.setObjectName("export told")
        for words, field in (("name", self._pattern), ("command", self._command)):
            called = label(words, "faint")
            called.setMinimumWidth(64)
            row = line(called, field)
            row.setStretch(1, 1)
            self.add(row)
        self.add(line("a picture beside it", 1, self._picture))
        self.add(self._told)
        self._pattern.editingFinished.connect(lambda: self._wish(pattern=self._pattern.text().strip() or "{job}"))
        self._command.editingFinished.connect(lambda: self._wish(command=self._command.text().strip()))
        self._picture.clicked.connect(lambda on: self._wish(picture=on))
        exporting.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the wishes; what is being typed stays."""
        wishes = self._exporting.wishes
        for field, text in ((self._pattern, wishes.pattern), (self._command, wishes.command)):
            if not (field.hasFocus() and field.isModified()):
                field.setText(text)
                field.setCursorPosition(0)
        self._picture.setChecked(wishes.picture)
        self._say(self._exporting.told)

    def _say(self, text: str) -> None:
        self._told.setText(text)
        self._told.setVisible(bool(text))

    def _wish(self, **changes: object) -> None:
        wishes = self._exporting.wishes
        if all(getattr(wishes, name) == value for name, value in changes.items()):
            return
        try:
            self._exporting.wish(**changes)
        except EvenStepError as error:
            self._say(str(error))
