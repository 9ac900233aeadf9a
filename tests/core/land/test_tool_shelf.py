"""Tools on the shelf against what a job asks for."""

from types import SimpleNamespace

from gumboot.core.kit import Tool
from gumboot.core.land.tools import not_kept


def needs(tool="", die="", bit=""):
    return SimpleNamespace(tool=tool, die=die, bit=bit)


def tool(role, label, *takes):
    return Tool(kind="tool", id=label, role=role, label=label, takes=takes)


TODO = [
    needs("hex crimper", "35 mm²"),
    needs("hex crimper", "70 mm²"),
    needs(bit="hex 5 mm"),
    needs(),
]


def test_a_shelf_without_tools_says_nothing():
    assert not_kept(TODO, []) == []


def test_what_is_missing_is_named_by_die_and_bit():
    kept = [tool("crimper", "Hex crimper", "35 mm²", "50 mm²")]
    assert not_kept(TODO, kept) == ["hex crimper, die 70 mm²"]  # bits: the shelf has none at all
    assert not_kept(TODO, [tool("bit", "bit set", "hex 5 mm", "hex 6 mm")]) == []
    assert not_kept(TODO, [tool("bit", "slot 6 mm")]) == ["hex 5 mm"]
    assert not_kept(TODO, [tool("crimper", "hex crimper")]) == []  # takes any die, as far as said
