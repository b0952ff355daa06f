"""The one decorator for compiled loops."""

from __future__ import annotations

import gc
from collections.abc import Callable, Iterable
from typing import Any

import numba
from numba.core import types

from even_step.core.kernel_folder import FOLDER

SELDOM = 100  # collections of what is younger, to one of all

config: Any = numba.config  # numba fills it at run time
config.CACHE_DIR = str(FOLDER)  # once, for kernels are loaded from several threads
# A full collection of garbage goes through the 170 000 objects that numba keeps, a tenth of a second in which no thread
# gets on; each third slice had one.
gc.set_threshold(*gc.get_threshold()[:2], SELDOM)
#: Every kernel that has been loaded, by module and name.
KERNELS: dict[str, Any] = {}


def kernel(function: Callable[..., Any]) -> Callable[..., Any]:
    """Compile a loop: without the interpreter lock, cached on disk, lazily, with exact arithmetic.

    Division by zero gives infinity as in NumPy instead of raising. Kernels are private to their module; a
    public wrapper checks what they are given, for they check no bounds.
    """
    made: Any = numba.njit(nogil=True, cache=True, error_model="numpy")(function)
    template = made.get_call_template

    def once_a_type(args: Iterable[Any], kws: dict[str, Any]) -> Any:
        """Find what a call from another kernel calls; a constant is as any number of its type.

        Else numba compiles a kernel again for each constant that it is called with.
        """
        return template(tuple(types.unliteral(kind) for kind in args), kws)  # type: ignore[no-untyped-call]

    made.get_call_template = once_a_type
    KERNELS[f"{function.__module__}:{function.__name__}"] = made
    return made  # type: ignore[no-any-return]
