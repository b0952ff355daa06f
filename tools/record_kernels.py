"""Write ``data/kernels.json``: what each kernel is called with, in the order a slice first needs them.

Run ``PYTHONPATH=src .venv/bin/python tools/record_kernels.py`` when the tests say that a kernel is missing; it compiles
all of them into a folder of its own, which takes a minute and a half.
"""

from __future__ import annotations

import json
import tempfile
from typing import Any

from numba.core import event

from even_step.core import kernels
from even_step.core.job.shipped import DATA


class Order(event.Listener):
    """Notes kernels in the order they are asked for."""

    def __init__(self) -> None:
        self.names: list[str] = []

    def on_start(self, event: Any) -> None:
        """Note a kernel whose compilation begins."""
        function = event.data["dispatcher"].py_func
        self.names.append(f"{function.__module__}:{function.__name__}")

    def on_end(self, _: Any) -> None:
        """Nothing more to note."""


def main() -> None:
    """Compile everything in a fresh folder and write the list."""
    with tempfile.TemporaryDirectory() as folder:
        kernels.config.CACHE_DIR = folder
        order = Order()
        event.register("numba:compile", order)  # type: ignore[no-untyped-call]
        from even_step.core.warm_runs import run_everything  # noqa: PLC0415 - kernels take the folder when they are loaded

        run_everything()
    known = [name for name in dict.fromkeys(order.names) if name in kernels.KERNELS]
    rows = [[name, repr(types)] for name in known for types in kernels.KERNELS[name].signatures]
    rows = [row for row in rows if "Literal" not in row[1] and "List" not in row[1]]  # these only other kernels ask for
    path = DATA / "kernels.json"
    path.write_text("[\n" + ",\n".join(json.dumps(row) for row in rows) + "\n]\n")
    print(len(rows), "kernels")


if __name__ == "__main__":
    main()
