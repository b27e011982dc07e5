"""Reasons and examples of the product are its own: figures that only prove arithmetic stay in tests.

The figures below are check values of common practice (no source).
"""

import importlib
import inspect
import pkgutil
import re

import pytest

import quarry.core
from quarry.core.base.settings import Setting
from quarry.core.packs.health import HealthPolicy, Threshold

CHECKS = re.compile(
    r"(?<![\d.])(1[.]?569|196([.]1)?|11[.]68|11[.]92|8[.]08|39[.]3|12[.]59|10[.]7|4[.]15|4[.]18|96 to 99|15 to 20 %|use 60 %)(?![\d])"
)


def modules():
    for found in pkgutil.walk_packages(quarry.core.__path__, "quarry.core."):
        yield importlib.import_module(found.name)


def reasons():
    for module in modules():
        for setting in getattr(module, "SETTINGS", ()):
            if isinstance(setting, Setting):
                yield setting.key, setting.reason
    for name in HealthPolicy.__dataclass_fields__:
        value = getattr(HealthPolicy(), name)
        if isinstance(value, Threshold):
            yield name, value.reason


@pytest.mark.parametrize(("key", "reason"), sorted(set(reasons())))
def test_a_reason_is_said_in_general_words(key, reason):
    assert reason
    assert not CHECKS.search(reason)


@pytest.mark.parametrize("module", list(modules()), ids=lambda m: m.__name__)
def test_no_docstring_calculates_with_a_check_value(module):
    things = [module, *(v for v in vars(module).values() if getattr(v, "__module__", "") == module.__name__)]
    told = "\n".join(inspect.getdoc(t) or "" for t in things)
    assert not CHECKS.search(told)
