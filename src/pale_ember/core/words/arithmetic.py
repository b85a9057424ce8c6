"""What people type into a number: arithmetic, units, and changes to the value that was there."""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable

from pale_ember.core.effect.values import Range

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


_EXPECTED = "expected a number or arithmetic such as 2*1.5"
_ONE_NUMBER = "this is one number, and a minus between two makes a range; to subtract, type (5-3) or -=3"


class NotANumber(ValueError):  # noqa: N818 - it says what the text is
    """The text is no number; the message says what was expected."""


def _value(node: ast.expr) -> float:
    if isinstance(node, ast.Constant) and isinstance(node.value, (int, float)) and not isinstance(node.value, bool):
        return float(node.value)
    if isinstance(node, ast.UnaryOp) and type(node.op) in _OPERATORS:
        return _OPERATORS[type(node.op)](_value(node.operand))
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
        return _OPERATORS[type(node.op)](_value(node.left), _value(node.right))
    raise NotANumber(_EXPECTED)


def _plain(text: str) -> str:
    """The text in plain signs, without blanks around it."""
    return text.strip().lower().replace(",", ".").replace("×", "*").replace("−", "-").replace("–", "-")


def _unit_in(plain: str, unit: str) -> tuple[str, float]:
    """The unit at the end of a text and its size in the field's unit; "" and 1 where there is none."""
    for name, size in sorted(_UNITS.get(unit, {unit.lower(): 1.0}).items(), key=lambda known: -len(known[0])):
        if name and re.search(rf"[\d.)\s]{re.escape(name)}$", plain):
            return name, size
    return "", 1.0


def _divided(plain: str) -> list[str]:
    """The ends of a range: what stands between minus signs, or `to`, outside brackets. A minus at the beginning, behind
    a sign or in an exponent belongs to its number."""
    plain = re.sub(r"(?<=[\w.)°%])\s*\bto\b\s*(?=[-+\d.(])", "-", plain)
    ends, begin, depth = [], 0, 0
    for i, sign in enumerate(plain):
        depth += (sign == "(") - (sign == ")")
        before = plain[begin:i].rstrip()
        exponent = re.search(r"\d\.?e$", before) and plain[i + 1 : i + 2].isdigit()
        if sign == "-" and depth == 0 and re.search(r"[\w.)°%²]$", before) and not exponent:
            ends.append(before)
            begin = i + 1
    return [*ends, plain[begin:].strip()]


def number_from(text: str, unit: str, now: float) -> float:
    """The number a text stands for, in the field's unit.

    Takes arithmetic (`2*1.5`), units (`20 cm` in a field of metres), and changes to the value `now`: `*1.5`, `/2`,
    `+=0.1`, `-=0.1`. A range is refused. Raises NotANumber.
    """
    plain = _plain(text)
    if "±" in plain or "+-" in plain or ";" in plain or len(_divided(plain)) > 1:
        raise NotANumber(_ONE_NUMBER)
    return _one_number(plain, unit, now)


def range_from(text: str, unit: str, now: float) -> tuple[float, float]:
    """Low and high from what was typed: `0.6 - 1.1`, `0.6-1.1`, `20 - 30 cm`, `0.6 to 1.1`, `0.8 ± 0.2`, `0.8 ± 25%`, or
    one number for both; each may be arithmetic, with brackets round a subtraction. Raises NotANumber.
    """
    plain = _plain(text).replace("+/-", "±").replace("+-", "±")
    if "±" in plain:
        middle_text, share = (part.strip() for part in plain.split("±", 1))
        middle = _one_number(middle_text, unit, now)
        if share.endswith("%"):
            part = abs(middle) * _one_number(share[:-1], "", 0) / 100
        else:
            part = _one_number(share, unit, 0)
        return _tidy(middle - abs(part)), _tidy(middle + abs(part))
    ends = _divided(plain)
    if len(ends) > 2:
        raise NotANumber("a range has two ends; to subtract, put brackets round it: (5-3)")
    if len(ends) == 2 and not _unit_in(ends[0], unit)[0]:
        ends[0] += _unit_in(ends[1], unit)[0]
    numbers = sorted(_one_number(end, unit, now) for end in ends)
    return numbers[0], numbers[-1]


def range_said(text: str, unit: str, now: Range, limited: Callable[[float], float]) -> Range:
    """The range that a text means as a whole: two ends, one number for both, a list to choose from, or a change of what is there,
    which means both ends. limited : what nature allows of a number. Raises NotANumber."""
    choices = choices_from(text, unit, now.middle)
    if text.strip().startswith(("*", "/", "+=", "-=")):
        low, high = (number_from(text, unit, end) for end in (now.least, now.most))
    else:
        low, high = (min(choices), max(choices)) if choices else range_from(text, unit, now.middle)
    kept = tuple(float(limited(choice)) for choice in choices)
    return Range(low=float(limited(low)), high=float(limited(high)), choices=kept)


def sides_from(text: str, unit: str, now: float) -> tuple[float, float, float] | None:
    """Low and high of a width, and the height as a share of it, from `0.05 × 0.1`, `5 x 10 cm` or `0.3 – 0.6 × 0.9`; None
    where the text names no two sides. Raises NotANumber."""
    parts = re.split(r"\s*×\s*|(?<=[\d\s.a-z])\s*x\s*(?=[\d.(])", text.strip())
    if len(parts) != 2 or not all(parts):
        return None
    told = _unit_in(_plain(parts[1]), unit)[0]
    width = parts[0] if not told or _unit_in(_plain(parts[0]), unit)[0] else f"{parts[0]} {told}"
    low, high = range_from(width, unit, now)
    middle = 0.5 * (low + high)
    if middle <= 0:
        raise NotANumber("a width of 0 has no height")
    return low, high, _tidy(_one_number(_plain(parts[1]), unit, now) / middle)


def is_range(text: str) -> bool:
    """Whether a text says two ends, be they the same."""
    return "±" in text or len(_divided(_plain(text))) > 1


def choices_from(text: str, unit: str, now: float) -> tuple[float, ...]:
    """The numbers of a list such as `0.2; 0.5; 1`, or nothing where the text is no list. Raises NotANumber."""
    if ";" not in text:
        return ()
    return tuple(number_from(part, unit, now) for part in text.split(";") if part.strip())


def _one_number(plain: str, unit: str, now: float) -> float:
    """The number that a text without a range stands for. Raises NotANumber."""
    name, factor = _unit_in(plain, unit)
    plain = plain[: len(plain) - len(name)].strip()
    changed = re.match(r"(\*|/|\+=|-=)(.*)", plain)
    try:
        tree = ast.parse(changed.group(2).strip() if changed else plain, mode="eval")
        value = _value(tree.body)
        if changed:
            symbol = changed.group(1)
            value = (
                {"*": now * value, "+=": now + value * factor, "-=": now - value * factor}.get(symbol, 0.0)
                if symbol != "/"
                else now / value
            )
        else:
            value *= factor
    except (SyntaxError, RecursionError, MemoryError):
        raise NotANumber(_EXPECTED) from None
    except (ZeroDivisionError, OverflowError):
        raise NotANumber("the result is not a finite number") from None
    if isinstance(value, complex) or not math.isfinite(value):
        raise NotANumber("the result is not a finite number")
    return _tidy(value)


def _tidy(value: float) -> float:
    """A number as it was meant: 0.1 + 0.2 is 0.3."""
    return float(f"{value:.12g}")


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
