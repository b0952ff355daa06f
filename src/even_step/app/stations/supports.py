"""The station Supports, as far as it goes."""

from __future__ import annotations

from even_step.app.desk import Desk
from even_step.app.widgets.sheet import Sheet, label


class SupportsStation(Sheet):
    """Says what it will hold."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Supports")
        self._desk = desk
        self.add(
            label(
                "Here supports will be laid, painted and removed; until then, turn parts so that little hangs: "
                "what hangs past the machine's limit is hatched on the bed.",
                wrap=True,
            )
        )
