"""Compile every kernel once, by using each on small models.

Compiling holds the interpreter, so a second process works through the list of kernels from its other end until the two
meet in the folder where machine code is kept.
"""

from __future__ import annotations

import contextlib
import importlib
import json
import os
import subprocess
import sys
import threading
from collections.abc import Callable
from dataclasses import dataclass

from numba.core.sigutils import normalize_signature

from even_step.core import kernel_folder, kernels
from even_step.core.job.shipped import DATA
from even_step.core.warm_runs import run_everything

#: What each kernel is called with, in the order a slice first needs them; made by ``tools/record_kernels.py``.
LIST = DATA / "kernels.json"
OFTEN = 0.5  # s between two looks at how far it is
PATIENCE = 60.0  # s for the other process to finish the kernel it is at


def compile_listed() -> None:
    """Compile the kernels of the list, those first that a slice needs last."""
    for name, signature in reversed(json.loads(LIST.read_text())):
        importlib.import_module(name.partition(":")[0])
        if name not in kernels.KERNELS:
            continue  # the list is older than the sources; the tests say so
        # As types, for the folder knows a kernel by them and not by their words.
        kernels.KERNELS[name].compile(tuple(normalize_signature(signature)[0]))  # type: ignore[no-untyped-call]


def exit_with_parent() -> None:
    """End this process when the one that started it does: its end of the pipe is closed then, however it ended."""
    sys.stdin.buffer.read()
    os._exit(1)


def prepare(tell: Callable[[float], None]) -> None:
    """Compile what is not compiled yet, on both cores.

    Parameters
    ----------
    tell
        Is told now and then how far it is, 0 to 1, from another thread.
    """
    if kernel_folder.are_ready():
        return
    done = threading.Event()
    watcher = threading.Thread(target=_watch, args=(tell, done), daemon=True)
    watcher.start()
    command = [sys.executable, "-m", "even_step.core.warm", "aside"]
    aside = subprocess.Popen(command, stdin=subprocess.PIPE, stderr=subprocess.DEVNULL)
    try:
        run_everything()
        with contextlib.suppress(subprocess.TimeoutExpired):
            aside.wait(PATIENCE)
        if aside.returncode != 0:  # what it went through is compiled, to the last
            compile_listed()
    finally:
        aside.kill()
        aside.wait()
        done.set()
        watcher.join()
    (kernel_folder.FOLDER / kernel_folder.READY).touch()
    kernel_folder.forget_older(kernel_folder.FOLDER, kernel_folder.ROOTS)


def _watch(tell: Callable[[float], None], done: threading.Event) -> None:
    """Tell how many of the kernels have been kept."""
    count = len({name for name, _ in json.loads(LIST.read_text())})
    while not done.wait(OFTEN):
        tell(min(1.0, sum(1 for _ in kernel_folder.FOLDER.rglob("*.nbi")) / count))


@dataclass
class _Voice:
    """Says on standard error how far it is: on a terminal in one line that counts, else a line each fifth."""

    terminal: bool
    told: int = -1

    def say(self, share: float) -> None:
        """Tell a share, unless it has been told."""
        step = int(share * (100 if self.terminal else 5))
        if step != self.told:
            self.told = step
            words = f"even-step: compiling kernels (once): {share:.0%}"
            sys.stderr.write(f"\r{words} " if self.terminal else f"{words}\n")
            sys.stderr.flush()


def prepare_aloud() -> None:
    """Compile what is not compiled yet, and say so on standard error."""
    if kernel_folder.are_ready():
        return
    voice = _Voice(sys.stderr.isatty())
    voice.say(0.0)
    prepare(voice.say)
    voice.say(1.0)
    sys.stderr.write("\n" if voice.terminal else "")


if __name__ == "__main__":
    if "aside" in sys.argv[1:]:
        threading.Thread(target=exit_with_parent, daemon=True).start()
        compile_listed()
    else:
        prepare_aloud()
