"""What is done with the trial that is shown: made to stand out, taken away and put back, its job taken up again."""

from __future__ import annotations

from even_step.app.acts.action import Action
from even_step.app.reach import Reach
from even_step.app.trials import Trial
from even_step.core.job.beds import number_of_bed, on_bed, with_bed_as

WORDS = ("trial", "ticket", "slice")


def _shown(reach: Reach) -> Trial | None:
    return reach.desk.trials.shown


def _star(reach: Reach) -> None:
    trial = _shown(reach)
    if trial:
        reach.desk.trials.say_of(trial, starred=not trial.starred)


def _take_away(reach: Reach) -> None:
    trial = _shown(reach)
    if trial:
        reach.desk.trials.take_away(trial)
        reach.desk.note(f"Trial {trial.number} is taken away: {trial.title}.", remedy="trials.put_back")


def _back(reach: Reach) -> None:
    """Take up the job of the trial again, its bed and all settings, as one step that can be undone."""
    trial, job = _shown(reach), reach.desk.job
    bed = number_of_bed(job, trial.bed) if trial else None
    if trial and bed is not None:
        reach.desk.store.do(f"back to trial {trial.number}", with_bed_as(job, bed, trial.job))


def _differs(reach: Reach) -> bool:
    trial, job = _shown(reach), reach.desk.job
    bed = number_of_bed(job, trial.bed) if trial else None
    return trial is not None and bed is not None and on_bed(job, bed) != trial.job


def compare_with(reach: Reach, trial: Trial) -> None:
    """Compare a trial with the one that is shown, the earlier one first."""
    shown = _shown(reach)
    if shown is not None and shown is not trial:
        reach.asking.show_comparison(*sorted((shown, trial), key=lambda one: one.number))


def _before(reach: Reach) -> Trial | None:
    """Return the trial of the same bed that stands before the one shown, for the first the one after it."""
    shown, trials = _shown(reach), reach.desk.trials.all
    if shown is None:
        return None
    own = [trial for trial in trials if trial.bed == shown.bed]
    at = own.index(shown) if shown in own else 0
    return own[at - 1] if at else next(iter(own[1:]), None)


def _compare(reach: Reach) -> None:
    trial = _before(reach)
    if trial is not None:
        compare_with(reach, trial)


def _starred(reach: Reach) -> bool:
    trial = _shown(reach)
    return trial is not None and trial.starred


def _title(words: str, reach: Reach) -> str:
    trial = _shown(reach)
    return words.format(trial.number) if trial else words.format("shown")


ACTIONS = (
    Action(
        "trials.star",
        "Star the trial shown",
        "Slice",
        _star,
        ("Ctrl+B",),
        "star",
        can=lambda b: _shown(b) is not None,
        name=lambda b: _title("Take the star off trial {}" if _starred(b) else "Star trial {}", b),
        synonyms=(*WORDS, "best", "favourite", "mark"),
    ),
    Action(
        "trials.compare",
        "Compare the trial shown with the one before",
        "Slice",
        _compare,
        ("Ctrl+Shift+B",),
        can=lambda b: _before(b) is not None,
        synonyms=(*WORDS, "difference", "side by side"),
    ),
    Action(
        "trials.sweep",
        "Sweep a setting…",
        "Slice",
        lambda b: b.asking.show_sweep(),
        ("Ctrl+Shift+F",),
        synonyms=(*WORDS, "curve", "range", "line fit", "fit", "find", "best", "least", "optimise", "chart"),
    ),
    Action(
        "trials.back",
        "Back to the job of the trial shown",
        "Slice",
        _back,
        can=_differs,
        name=lambda b: _title("Back to the job of trial {}", b),
        synonyms=(*WORDS, "restore", "adopt", "settings"),
    ),
    Action(
        "trials.take_away",
        "Take the trial shown away",
        "Slice",
        _take_away,
        icon="trash-2",
        can=lambda b: _shown(b) is not None,
        name=lambda b: _title("Take trial {} away", b),
        synonyms=(*WORDS, "remove", "delete"),
    ),
    Action(
        "trials.put_back",
        "Put the trial back",
        "Slice",
        lambda b: b.desk.trials.put_back(),
        can=lambda b: b.desk.trials.away is not None,
        name=lambda b: f"Put trial {away.number} back" if (away := b.desk.trials.away) else "Put a trial back",
        synonyms=(*WORDS, "undo"),
    ),
)
