"""Says which kernels the rest of the core calls, which the warm-up calls and with what; run as a program of its own."""

from __future__ import annotations

import importlib
import inspect
import json
import pkgutil
import sys
from collections.abc import Iterator
from types import CodeType, FunctionType

import even_step.core
from even_step.core import kernels
from even_step.core.warm_runs import run_everything


def codes(code: CodeType) -> Iterator[CodeType]:
    """Yield a function's code and that of all functions in it."""
    yield code
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from codes(constant)


def functions() -> Iterator[FunctionType]:
    """Yield the core's functions and methods that are no kernels."""
    for module in [module for name, module in sys.modules.items() if name.startswith("even_step.core")]:
        classes = [made for made in vars(module).values() if inspect.isclass(made)]
        for holder in (module, *classes):
            yield from filter(inspect.isfunction, vars(holder).values())


def called_from_outside() -> set[str]:
    """Name the kernels that something else than a kernel calls."""
    for module in pkgutil.walk_packages(even_step.core.__path__, "even_step.core."):
        importlib.import_module(module.name)
    names = {id(made): name for name, made in kernels.KERNELS.items()}
    words = {(f, word) for f in functions() for code in codes(f.__code__) for word in code.co_names}
    return {names[id(f.__globals__[word])] for f, word in words if id(f.__globals__.get(word)) in names}


if __name__ == "__main__":
    wanted = called_from_outside()
    run_everything()
    calls = [[name, repr(types)] for name, made in kernels.KERNELS.items() for types in made.signatures]
    sys.stdout.write(json.dumps({"calls": calls, "known": list(kernels.KERNELS), "wanted": sorted(wanted)}))
