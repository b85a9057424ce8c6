"""What people type into a number: arithmetic, units, and changes to the value that was there."""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable

_OPERATORS: dict[type, Callable] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.Pow: operator.pow,
    ast.USub: operator.neg,
    ast.UAdd: operator.pos,
}

_UNITS = {
    "m": {"mm": 0.001, "cm": 0.01, "m": 1.0, "km": 1000.0},
    "s": {"ms": 0.001, "s": 1.0, "min": 60.0},
    "°": {"°": 1.0, "deg": 1.0, "rad": 180 / math.pi, "turn": 360.0, "turns": 360.0},
    "m/s": {"m/s": 1.0, "cm/s": 0.01, "km/h": 1 / 3.6},
    "/s": {"/s": 1.0, "/min": 1 / 60},
}


class NotANumber(ValueError):  # noqa: N818 - it says what the text is
    """The text is no number; the message says what was expected."""


def _value(node: ast.expr) -> float:
    if isinstance(node, ast.Constant) and isinstance(node.value, (int, float)) and not isinstance(node.value, bool):
        return float(node.value)
    if isinstance(node, ast.UnaryOp) and type(node.op) in _OPERATORS:
        return _OPERATORS[type(node.op)](_value(node.operand))
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
        return _OPERATORS[type(node.op)](_value(node.left), _value(node.right))
    raise NotANumber("expected a number or arithmetic such as 2*1.5")


def number_from(text: str, unit: str, now: float) -> float:
    """The number a text stands for, in the field's unit.

    Takes arithmetic (`2*1.5`), units (`20 cm` in a field of metres), and changes to the value `now`: `*1.5`, `/2`,
    `+=0.1`, `-=0.1`. Raises NotANumber.
    """
    plain = text.strip().lower().replace(",", ".").replace("×", "*").replace("−", "-").replace("–", "-")
    factor = 1.0
    for name, size in sorted(_UNITS.get(unit, {unit.lower(): 1.0}).items(), key=lambda one: -len(one[0])):
        if name and re.search(rf"[\d.)\s]{re.escape(name)}$", plain):
            plain, factor = plain[: -len(name)].strip(), size
            break
    changed = re.match(r"(\*|/|\+=|-=)(.*)", plain)
    try:
        tree = ast.parse(changed.group(2).strip() if changed else plain, mode="eval")
        made = _value(tree.body)
        if changed:
            symbol = changed.group(1)
            made = (
                {"*": now * made, "+=": now + made * factor, "-=": now - made * factor}.get(symbol, 0.0)
                if symbol != "/"
                else now / made
            )
        else:
            made *= factor
    except (SyntaxError, RecursionError, MemoryError):
        raise NotANumber("expected a number or arithmetic such as 2*1.5") from None
    except (ZeroDivisionError, OverflowError):
        raise NotANumber("the result is not a finite number") from None
    if isinstance(made, complex) or not math.isfinite(made):
        raise NotANumber("the result is not a finite number")
    return made


def shown_number(value: float, whole: bool = False) -> str:
    """A number as people write it: enough digits to tell neighbours apart, no more."""
    if whole:
        return str(int(value))
    size = abs(value)
    if size >= 1000:
        text = f"{value:.0f}"
    elif size >= 100:
        text = f"{value:.1f}"
    elif size >= 10:
        text = f"{value:.2f}"
    elif size >= 0.1 or size == 0:
        text = f"{value:.3f}"
    else:
        text = f"{value:.3g}"
    if "." in text and "e" not in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text == "-0" else text
