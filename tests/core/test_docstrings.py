"""The examples in the docstrings are check values: they run."""

import doctest
import importlib
import pkgutil

import gumboot.core


def test_every_example_holds():
    tried = 0
    for found in pkgutil.walk_packages(gumboot.core.__path__, "gumboot.core."):
        result = doctest.testmod(importlib.import_module(found.name))
        assert result.failed == 0, found.name
        tried += result.attempted
    assert tried >= 15
