"""A figure shows exactly how it was worked out."""

import ast
import math
import operator
import re

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.figure import fmt, given, picked, solve
from tests.designs import design

OPS = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
}


def by_hand(node: ast.AST) -> float:
    """A small calculator of its own, apart from the one in core."""
    match node:
        case ast.Expression():
            return by_hand(node.body)
        case ast.Constant():
            return float(node.value)
        case ast.BinOp():
            return OPS[type(node.op)](by_hand(node.left), by_hand(node.right))
        case ast.UnaryOp(op=ast.USub()):
            return -by_hand(node.operand)
        case ast.Call():
            return {"min": min, "max": max, "sqrt": math.sqrt, "abs": abs}[node.func.id](
                *(
                    (by_hand(a) for a in node.args)
                    if len(node.args) == 1
                    else [by_hand(a) for a in node.args]
                )
            )
    raise AssertionError(ast.dump(node))


def test_the_formula_shown_is_the_formula_done():
    f = solve(
        "V",
        "V",
        "",
        "n * v * (1 + b * (t - 25))",
        given("n", 10, "", "", ""),
        given("v", 40, "V", "", ""),
        given("b", -0.0025, "1/°C", "", ""),
        given("t", -25, "°C", "", ""),
        source="x",
    )
    assert f.n == pytest.approx(450)
    assert f.put_in == "10 * 40 * (1 + (-0.0025) * ((-25) - 25))"


def test_a_symbol_without_an_input_is_refused():
    with pytest.raises(NameError):
        solve("x", "", "", "a + b", given("a", 1, "", "", ""), source="")


def test_formulas_reach_nothing_but_arithmetic():
    with pytest.raises(NameError):
        solve("x", "", "", "open(a)", given("a", 1, "", "", ""), source="")


def test_a_choice_is_not_a_number():
    with pytest.raises(TypeError, match="4 AWG"):
        _ = picked("S", "4 AWG", "", "", "least", source="").n


@pytest.mark.parametrize(
    ("value", "text"),
    [
        (483.449, "483.4"),
        (0.0608, "0.0608"),
        (16000, "16000"),
        (190, "190"),
        (-0.0026, "-0.0026"),
        (0, "0"),
        (14.4337, "14.43"),
    ],
)
def test_four_significant_figures(value, text):
    assert fmt(value) == text


def test_every_working_of_a_job_recomputes(tern):
    """Numbers put in, read back from the printed text and worked by another calculator, give the
    printed result.
    """
    seen = 0
    for key, figure in design(tern, catalogue()).figures.items():
        for f in figure.walk():
            assert f.source, (key, f)
            assert not f.source.startswith("NEC") or "from memory" in f.doubt, (
                key,
                f,
            )  # nobody had the book open
            if not f.formula or isinstance(f.value, str):
                continue
            assert {f.symbol for f in f.inputs} >= {
                s
                for s in re.findall(r"[A-Za-z]\w*", f.formula)
                if s not in ("min", "max", "sqrt", "abs")
            }
            assert by_hand(ast.parse(f.put_in, mode="eval")) == pytest.approx(f.n, rel=4e-3), (
                key,
                f.put_in,
            )
            seen += 1
    assert seen > 300


def test_a_figure_reads_as_the_trade_does_and_works_to_four():
    amps = given("I", 47.916, "A", "", "")
    assert (amps.text, amps.exact) == ("47.9 A", "47.92 A")
    assert amps.against(50) == "47.9 A" and amps.against(47.88) == "47.92 A"
    assert given("q", 2.04, "%", "", "").against(2.0) == "2.04 %"
    assert given("q", 2.0, "%", "", "").against(2.0) == "2 %"
