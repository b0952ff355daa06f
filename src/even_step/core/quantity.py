"""A typed quantity: a number, a sum, or a length in another unit."""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable

from even_step.core.errors import SettingError

MM_OF = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "inch": 25.4, '"': 25.4, "µm": 0.001, "um": 0.001}
LONGEST = 60
OPERATORS: dict[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
}


def quantity(text: str, unit: str = "") -> float:
    """Return the number a text means, in the unit of its field.

    Parameters
    ----------
    text
        Such as ``12``, ``12.5 mm``, ``127/2``, ``2*(3+4)``, ``5 in``; a comma counts as a decimal point.
    unit
        The field's own unit; where it is mm, other lengths may be given.

    Raises
    ------
    SettingError
        When it is no number, or its unit is not one of the field's.
    """
    cleaned = text.strip().replace(",", ".").replace("×", "*").replace("−", "-")
    match = re.fullmatch(r'(.*?[\d.)])\s*([a-zA-Zµ°%"/²³]*)', cleaned)
    if not match or len(cleaned) > LONGEST:
        raise SettingError(f"“{text.strip()}” is no number", remedy=_example(unit))
    number, written = match.groups()
    factor = 1.0
    if written and written != unit:
        if unit != "mm" or written not in MM_OF:
            raise SettingError(f"“{written}” is no unit here", remedy=_example(unit))
        factor = MM_OF[written]
    try:
        value = _sum(ast.parse(number.strip(), mode="eval").body) * factor
    except (SyntaxError, ValueError, ZeroDivisionError, RecursionError) as error:
        raise SettingError(f"“{text.strip()}” is no number", remedy=_example(unit)) from error
    if not math.isfinite(value):
        raise SettingError(f"“{text.strip()}” is no number", remedy=_example(unit))
    return value


def _example(unit: str) -> str:
    return "such as 12.5, 127/2 or 5 in" if unit == "mm" else "such as 12.5 or 25/2"


def _sum(node: ast.expr) -> float:
    """Work out a sum of numbers; anything else is refused."""
    if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
        return float(node.value)
    if isinstance(node, ast.BinOp) and type(node.op) in OPERATORS:
        return OPERATORS[type(node.op)](_sum(node.left), _sum(node.right))
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
        return -_sum(node.operand)
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.UAdd):
        return _sum(node.operand)
    raise ValueError
