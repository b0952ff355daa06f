"""What an action is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from even_step.app.reach import Reach


def always(_: Reach) -> bool:
    """It can always be done."""
    return True


@dataclass(frozen=True)
class Action:
    """One thing the user can do.

    ``menu`` is where it stands (``Parts/Nudge`` is a menu in a menu), ``keys`` how it is done from the keyboard
    (in Qt's portable words), ``can`` tells whether it can be done now, ``name`` replaces the title where that
    depends on the job. An action of one ``station`` has its keys there alone.
    """

    id: str
    title: str
    menu: str
    run: Callable[[Reach], None]
    keys: tuple[str, ...] = ()
    icon: str = ""
    can: Callable[[Reach], bool] = always
    name: Callable[[Reach], str] | None = None
    station: str = ""
    synonyms: tuple[str, ...] = ()

    @property
    def tip(self) -> str:
        """The title with its first key."""
        return f"{self.title} ({self.keys[0]})" if self.keys else self.title
