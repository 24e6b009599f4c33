"""Arithmetic in blanks and in the numbers of a recipe."""

import ast
import math
import operator
from collections.abc import Mapping

from simpleeval import InvalidExpression, NameNotDefined, SimpleEval

# longer texts and larger exponents are no lengths, but attempts to keep the machine busy
_LONGEST = 200
_LARGEST_EXPONENT = 64.0


def _power(base: float, exponent: float) -> float:
    if abs(exponent) > _LARGEST_EXPONENT:
        raise ValueError("the exponent is too large")
    return base**exponent


def _number(node: ast.Constant) -> float:
    """A constant, which is a number: text and bytes could be multiplied."""
    if isinstance(node.value, bool) or not isinstance(node.value, (int, float)):
        raise TypeError(f"{node.value!r:.20} is no number")
    return float(node.value)


_OPERATORS = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.Pow: _power,
    ast.USub: operator.neg,
    ast.UAdd: operator.pos,
}

# arithmetic alone: no attributes, calls, comparisons or texts
_NODES = (ast.Expr, ast.Name, ast.BinOp, ast.UnaryOp)


def evaluate(text: str, numbers: Mapping[str, float]) -> float:
    """Value of an arithmetic expression over named numbers: + - * / ** and parentheses.

    Raises ValueError that says which part is not understood.
    """
    if len(text) > _LONGEST:
        raise ValueError("the expression is too long")
    parser = SimpleEval(operators=_OPERATORS, functions={}, names=dict(numbers))
    parser.nodes = {node: parser.nodes[node] for node in _NODES} | {ast.Constant: _number}
    try:
        value = parser.eval(text.strip().lstrip("=").strip())
    except NameNotDefined as error:
        raise ValueError(f"the number “{error.name}” is not defined") from error
    except (ZeroDivisionError, OverflowError) as error:
        raise ValueError(f"“{text}” has no finite value") from error
    except (
        InvalidExpression, SyntaxError, TypeError, KeyError, RecursionError, MemoryError
    ) as error:  # fmt: skip
        raise ValueError(f"“{text}” is not an arithmetic expression") from error
    if isinstance(value, bool) or not isinstance(value, (int, float, complex)):
        raise ValueError(f"“{text}” is not an arithmetic expression")
    try:
        if not isinstance(value, complex) and math.isfinite(value):
            return float(value)
    except OverflowError:
        pass  # a whole number with more digits than a float holds
    raise ValueError(f"“{text}” has no finite value")
