"""The pins of the bed in view: each with its note, and what came of it in print."""

from __future__ import annotations

from functools import partial

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.pinning import look_at_pin, seen_pins
from even_step.app.widgets.fields import WordsField
from even_step.app.widgets.sheet import Group, button, clear, label, line
from even_step.core.job import edits
from even_step.core.job.pins import MOST_WORDS, Pin

NOTE, PRINTED = "what to look at", "what came of it in print"


class PinRows(Group):
    """A line for each; the one looked at has fields for its words."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Pins", "F9 goes through them")
        self.setObjectName("pins")
        self._desk = desk
        desk.store.changed.connect(lambda _: self.refresh())
        desk.view.changed.connect(lambda piece: self.refresh() if piece in {"pin", "bed"} else None)
        desk.trials.shown_changed.connect(self.refresh)
        self._shown: object = None
        self.refresh()

    def refresh(self) -> None:
        """Show the pins there are."""
        shown = self._desk.job.pins, [number for number, _ in seen_pins(self._desk)], self._desk.view.pin
        self.setVisible(bool(shown[1]))
        if shown == self._shown:
            return
        self._shown = shown
        clear(self.body)
        for number, place in seen_pins(self._desk):
            self._add(number, self._desk.job.pins[number], place[2])

    def _add(self, number: int, pin: Pin, z: float) -> None:
        looked_at = number == self._desk.view.pin
        words = f"{number + 1} · z {z:.2f} mm" + (f" · {pin.note}" if pin.note and not looked_at else "")
        head = button(words, f"pin {number + 1}", partial(look_at_pin, self._desk, number), role="link")
        away = button("remove", f"remove pin {number + 1}", partial(self._remove, number), role="link")
        self.add(line(head, 1, away))
        if looked_at:
            self._add_field(number, "note", NOTE, pin.note)
            self._add_field(number, "printed", PRINTED, pin.printed)
        elif pin.printed:
            self.add(label(f"in print: {pin.printed}", "mark", wrap=True))

    def _add_field(self, number: int, name: str, asks: str, text: str) -> None:
        field = WordsField(f"pin {name}", asks, MOST_WORDS)
        field.setText(text)
        field.editingFinished.connect(lambda: self._say(number, name, field.text().strip()))
        row = line(field)
        row.setContentsMargins(12, 0, 0, 2)
        self.add(row)

    def _say(self, number: int, name: str, words: str) -> None:
        pins = self._desk.job.pins
        if number < len(pins) and getattr(pins[number], name) != words:
            edit(
                self._desk,
                f"words of pin {number + 1}",
                lambda job: edits.with_pin_changed(job, number, **{name: words}),
            )

    def _remove(self, number: int) -> None:
        self._desk.view.set("pin", -1)
        edit(self._desk, f"remove pin {number + 1}", lambda job: edits.without_pin(job, number))
