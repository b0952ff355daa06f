"""The station Recipe: cards to choose from, and the settings of the page in hand."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QGridLayout, QPushButton, QWidget

from even_step.app.acts.placing import edit
from even_step.app.card_figures import CardFigure
from even_step.app.desk import Desk
from even_step.app.stations.curve_fields import CurveFields
from even_step.app.stations.scope_line import ScopeLine
from even_step.app.stations.texture_feel import TextureFeel
from even_step.app.stations.vase_offer import VaseOffer
from even_step.app.store import Change
from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import BODY, MARK, font
from even_step.app.widgets.setting_line import SettingLine
from even_step.app.widgets.setting_lines import HEADINGS, SettingLines
from even_step.app.widgets.sheet import Sheet, button, line
from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue.setting import Level, Setting
from even_step.core.job import edits
from even_step.core.job.model import Recipe
from even_step.core.job.shipped import shipped
from even_step.core.wording import clock, grams

LEVELS: tuple[Level, ...] = ("short", "wider", "everything")
AT_A_TIME = 10  # lines that are made before the window looks about again


def for_several(setting: Setting) -> bool:
    """Tell whether a setting is about several extruders only."""
    return setting.group in {"extruder", "purge"} or setting.key == "heat.idle_nozzle"


class RecipeCard(QAbstractButton):
    """One recipe with its layer height, and time and mass for this job once known."""

    def __init__(self, recipe: Recipe) -> None:
        super().__init__()
        self.recipe = recipe
        self._known = ""
        self.setObjectName(f"recipe {recipe.name}")
        self.setAccessibleName(f"recipe {recipe.name}")
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMinimumSize(QSize(84, 62))

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """Return the size of a card."""
        return QSize(88, 62)

    def know(self, figure: CardFigure | None) -> None:
        """Show what the job takes with this recipe; what was measured before it changed is marked."""
        about = "" if figure is None or figure.exact else "≈ "
        self._known = f"{about}{clock(figure.time)}\n{about}{grams(figure.mass)}" if figure else ""
        self.setAccessibleDescription(self._known.replace("\n", ", "))
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw it, with a heavier edge when chosen."""
        painter = QPainter(self)
        area = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.fillRect(area, QColor(PAPER.wash if self.isChecked() else PAPER.paper))
        chosen = self.isChecked() or self.hasFocus()
        painter.setPen(QPen(QColor(PAPER.accent if chosen else PAPER.rule), 2 if self.isChecked() else 1))
        painter.drawRect(area)
        painter.setPen(QColor(PAPER.ink))
        painter.setFont(font(BODY, bold=True))
        painter.drawText(area.adjusted(8, 5, -4, 0), Qt.AlignmentFlag.AlignTop, self.recipe.name)
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.ink if self._known else PAPER.faint))
        height = float(self.recipe.settings.get("layers.height", CATALOGUE["layers.height"].default))
        told = self._known or f"{height:g} mm high\nnot sliced yet"
        painter.drawText(area.adjusted(8, 24, -2, 0), Qt.AlignmentFlag.AlignTop, told)
        painter.end()


class RecipeStation(Sheet):
    """Choose a recipe and change a few things."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Recipe")
        self._desk = desk
        self._cards = QButtonGroup(self)
        self._scope = ScopeLine(desk)
        self.add(self._scope)
        self._recipes = QWidget()
        grid = QGridLayout(self._recipes)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(6)
        for number, recipe in enumerate(shipped(Recipe).values()):
            card = RecipeCard(recipe)
            self._cards.addButton(card)
            grid.addWidget(card, number // 3, number % 3)
            card.clicked.connect(lambda _=False, recipe=recipe: self._choose(recipe))
        self.add(self._recipes)
        self._levels = QButtonGroup(self)
        switch = []
        for level in LEVELS:
            piece = button(level.title(), f"level {level}", partial(desk.view.set, "level", level))
            piece.setCheckable(True)
            self._levels.addButton(piece)
            switch.append(piece)
        self._switch = dict(zip(LEVELS, switch, strict=True))
        self._return: QPushButton = button("", "return all", self._return_all, role="link", tip="Take all changes back")
        row = line(*switch, 1, spacing=0)
        row.setContentsMargins(0, 10, 0, 2)
        self.add(row)
        self.add(line(self._return, 1))
        self._page: set[str] = set()
        self.lines = SettingLines(self._make, lambda key: key in self._page)
        self._curve = CurveFields(desk)
        self._vase, self._feel = VaseOffer(desk), TextureFeel(desk)
        for heading, group in self.lines.groups.items():
            self.add(group)
            if heading == HEADINGS["layers"]:
                group.add(self._curve)
            if heading == HEADINGS["vase"]:
                self.add(self._vase)
                group.add(self._feel)
        self._open: SettingLine | None = None
        self._rest = QTimer(self)
        self._rest.timeout.connect(self._make_some)
        desk.store.changed.connect(self._follow)
        desk.trials.changed.connect(self._refresh_cards)
        desk.card_figures.changed.connect(self._refresh_cards)
        desk.whose.changed.connect(self._refresh)
        desk.view.changed.connect(self._follow_view)
        self._refresh()

    def _make(self, setting: Setting) -> SettingLine:
        made = SettingLine(setting, self._desk)
        made.opened.connect(self._show_detail)
        made.refresh()
        return made

    def _on_page(self) -> set[str]:
        """Return the settings of the page in hand; what was changed is on every page."""
        whose, several = self._desk.whose, len(self._desk.job.machine.extruders) > 1
        levels = LEVELS[: LEVELS.index(self._desk.view.level) + 1]
        changed = {*whose.own, *whose.complaints}
        return {
            key
            for key, setting in CATALOGUE.items()
            if whose.has(setting)
            and (key in changed or (setting.level in levels and (several or not for_several(setting))))
        }

    def _show_level(self) -> None:
        """Show the page in hand; lines that it does not have yet come a few at a time."""
        self._switch[self._desk.view.level].setChecked(True)
        self._page = self._on_page()
        for key, made in self.lines.made.items():
            made.setVisible(key in self._page)
        visible = {HEADINGS[CATALOGUE[key].group] for key in self._page}
        for heading, group in self.lines.groups.items():
            group.setVisible(heading in visible)
        self._rest.start(0)
        self._make_some()

    def _make_some(self) -> None:
        missing = [key for key in self.lines if key in self._page and key not in self.lines.made]
        for key in missing[:AT_A_TIME]:
            self.lines[key]
        if len(missing) <= AT_A_TIME:
            self._rest.stop()

    def reveal(self, key: str) -> None:
        """Show a setting whatever page it is on, and put the keyboard into its field."""
        made, machine = self.lines[key], self._desk.job.machine
        if for_several(made.setting) and len(machine.extruders) < 2 and key not in self._desk.whose.own:
            told = f"{made.setting.label} is for machines with several extruders; {machine.name} has one."
            self._desk.note(told, remedy="go.machine")
            return
        if not self._desk.whose.has(made.setting):
            self._desk.whose.choose(())
        if LEVELS.index(made.setting.level) > LEVELS.index(self._desk.view.level):
            self._desk.view.set("level", made.setting.level)
        self._show_detail(made)
        self.ensureWidgetVisible(made)
        made.field.setFocus(Qt.FocusReason.ShortcutFocusReason)
        # What is told about it is to be read too, once it has its height.
        QTimer.singleShot(0, self, lambda: QTimer.singleShot(0, self, lambda: self.ensureWidgetVisible(made)))

    def _show_detail(self, made: SettingLine) -> None:
        if self._open is made:
            return
        before = made.mapTo(self.viewport(), QPoint(0, 0)).y()
        if self._open is not None:
            self._open.open(opened=False)
        self._open = made
        made.open(opened=True)

        def hold() -> None:
            """Keep the line where it was: what was folded above would else pull it from under the pointer."""
            moved = made.mapTo(self.viewport(), QPoint(0, 0)).y() - before
            self.verticalScrollBar().setValue(self.verticalScrollBar().value() + moved)

        QTimer.singleShot(0, self, hold)  # once the rows have found their places

    def _follow_view(self, piece: str) -> None:
        whose = self._desk.whose
        if piece == "level":
            self._show_level()
        elif piece == "station" and self._desk.view.station != "Recipe" and whose.zone:
            whose.choose(whose.parts)  # only here can a zone's settings be seen

    def _choose(self, recipe: Recipe) -> None:
        edit(self._desk, f"recipe {recipe.name}", lambda job: edits.with_recipe(job, recipe))
        self._refresh_cards()

    def _return_all(self) -> None:
        whose = self._desk.whose
        words = f"all settings back for {whose.name}" if whose.parts else "all settings back"
        edit(self._desk, words, whose.take_back(whose.own))

    def _follow(self, change: Change) -> None:
        own = self._desk.whose.parts and change.touches("parts")
        own = own or any(a.settings is not b.settings for a, b in zip(change.old.parts, change.new.parts, strict=False))
        if own or change.touches("machine", "materials", "recipe", "settings"):
            self._refresh()

    def _refresh(self) -> None:
        for made in self.lines.made.values():
            made.refresh()
        self._vase.refresh()
        self._feel.refresh()
        whose = self._desk.whose
        count = len(whose.own)
        below = "the part" if whose.zone else "the whole job" if whose.parts else "the recipe"
        self._recipes.setVisible(not whose.parts)
        # Its room is kept, so that nothing moves under the pointer when the first setting is changed.
        self._return.setText(f"{count} changed · all back to {below}" if count else "nothing changed")
        self._return.setEnabled(bool(count))
        self.remark.setText(whose.told or self._desk.job.recipe.name)
        self._show_level()
        self._refresh_cards()

    def _refresh_cards(self) -> None:
        """Mark the chosen card, and tell on each what it took for this job as it is."""
        job = self._desk.job_of_bed
        for card in self._cards.buttons():
            if isinstance(card, RecipeCard):
                card.setChecked(card.recipe.name == job.recipe.name)
                card.know(self._desk.card_figures.of(card.recipe))
