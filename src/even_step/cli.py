"""The command line over the core. Its words, report and exit codes are a stable contract."""

from __future__ import annotations

import argparse
import contextlib
import os
import sys
import tempfile
import traceback
from collections.abc import Sequence
from pathlib import Path

import platformdirs
from pydantic import ValidationError

from even_step import __version__
from even_step.commands import inspect, slice_command, trials, window
from even_step.core import kernel_folder
from even_step.core.errors import EvenStepError
from even_step.core.job.shipped import plainly

USAGE = """\
  ./even-step [FILE …]                        open the window, with files brought in
  ./even-step demo                            open the window with the weather post
  ./even-step slice MODEL … --out OUT.gcode   turn models into a toolpath
  ./even-step sweep MODEL … --over KEY=A:B:STEP  slice once for each value, as a table
  ./even-step fit MODEL …                     the width of walls that leaves the least void
  ./even-step compare A B                     what differs between two reports, jobs or toolpaths
  ./even-step info MODEL …                    what is in a model file
  ./even-step check OUT.gcode                 read G-code back and measure it
  ./even-step settings                        every setting, with range and explanation
  ./even-step list machines|materials|recipes what ships with the program
  ./even-step shots                           make the documents' pictures again
  ./even-step test                            run all tests
  ./even-step bench                           measure speed against the yardstick
Each command explains itself: ./even-step slice --help"""


class _Parser(argparse.ArgumentParser):
    """Complains in one line."""

    def error(self, message: str) -> None:  # type: ignore[override]
        """Say what is wrong and leave with 2."""
        sys.stderr.write(f"even-step: {message} (see ./even-step --help)\n")
        raise SystemExit(2)


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(
        prog="./even-step",
        description="Even Step turns 3D models into printable toolpaths.",
        epilog=USAGE,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"even-step {__version__}")
    parser.set_defaults(run=window.run_window, files=(), computes=True)
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", parser_class=_Parser)
    slice_command.add_to(commands)
    trials.add_to(commands)
    inspect.add_to(commands)
    window.add_to(commands)
    return parser


def _chosen(arguments: Sequence[str]) -> argparse.Namespace:
    """Take the command line apart; what begins with a file opens the window."""
    if arguments and not arguments[0].startswith("-") and Path(arguments[0]).suffix:
        return argparse.Namespace(run=window.run_window, files=list(arguments), computes=True)
    return _parser().parse_args(arguments)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns 0 done, 1 a finding stops, 2 bad input, 3 could not finish."""
    try:
        chosen = _chosen(sys.argv[1:] if arguments is None else arguments)
        if chosen.computes and not kernel_folder.are_ready():
            from even_step.core.warm import prepare_aloud  # noqa: PLC0415 - loads everything, and is needed once

            prepare_aloud()
        return int(chosen.run(chosen))
    except EvenStepError as error:
        sys.stderr.write(f"even-step: {error}\n")
        return error.exit_code
    except KeyboardInterrupt:
        sys.stderr.write("even-step: cancelled\n")
        return 3
    except BrokenPipeError:
        return 3
    except MemoryError:
        sys.stderr.write("even-step: there is not enough memory for this job\n")
        return 3
    except ValidationError as error:
        sys.stderr.write(f"even-step: {plainly(error)}\n")
        return 2
    except Exception as error:  # noqa: BLE001 - whatever nobody foresaw is told in one line all the same
        sys.stderr.write(f"even-step: internal error ({type(error).__name__}); details are in {_logged()}\n")
        return 3


def _logged() -> Path:
    """Write the error under way, with where it happened, into a file; returns its name."""
    for folder in (Path(platformdirs.user_log_dir("even-step")), Path(tempfile.gettempdir())):
        path = folder / f"error-{os.getpid()}.log"
        with contextlib.suppress(OSError):
            folder.mkdir(parents=True, exist_ok=True)
            path.write_text(traceback.format_exc(), encoding="utf-8", errors="backslashreplace")
            return path
    return Path(os.devnull)


if __name__ == "__main__":
    sys.exit(main())
