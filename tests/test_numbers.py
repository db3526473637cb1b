"""Numbers that influence a verdict: declared once, with unit, bounds and reason; and the ear is called after them."""

from __future__ import annotations

import ast
import dataclasses
import unittest
from collections.abc import Iterator
from pathlib import Path
from unittest import mock

import jeweller
from jeweller.assessment import limits
from jeweller.report import ear_version
from jeweller.setting import numbers_of

SOURCE = Path(jeweller.__file__).parent
EAR = ("features", "alignment", "notes", "assessment")
ARITHMETIC = {0, 1, 2, 3, 4, 10, 12, 20, 60, 69, 100, 440, 1000, 1200, 0.5, 1.4826}
# Numbers that still stand in the code, not in settings: to be fewer, never more.
BARE = {"features": 11, "alignment": 21, "notes": 101, "assessment": 217}


def bare_numbers(tree: ast.AST) -> Iterator[ast.Constant]:
    """Float literals inside functions that are more than arithmetic."""
    for function in ast.walk(tree):
        if isinstance(function, ast.FunctionDef):
            for node in ast.walk(function):
                value = node.value if isinstance(node, ast.Constant) else None
                if isinstance(value, float) and value not in ARITHMETIC and abs(value) > 1e-4:
                    yield node  # type: ignore[misc]


class Numbers(unittest.TestCase):
    def test_each_lies_within_its_bounds_and_says_why(self) -> None:
        for module in ear_version.PACKAGES:
            for group, settings in vars(module).items():
                if not dataclasses.is_dataclass(settings) or isinstance(settings, type):
                    continue
                for name, value, told in numbers_of(settings):
                    low, high = told["bounds"]
                    for one in value if isinstance(value, tuple) else (value,):
                        self.assertTrue(low <= one <= high, (group, name, one))
                    self.assertGreater(len(told["why"].split()), 2, (group, name))
                    self.assertTrue(told["unit"], (group, name))

    def test_no_module_keeps_numbers_of_its_own(self) -> None:
        for package in EAR:
            for path in sorted((SOURCE / package).glob("*.py")):
                if path.stem in (
                    "settings",
                    "detail_settings",
                    "limits",
                    "finding",
                    "phrases",
                    "sound",
                    "decoder",
                    "segments",
                ):
                    continue  # tables of the format and of the notation; a marker that is no number
                for node in ast.parse(path.read_text(encoding="utf-8")).body:
                    if isinstance(node, ast.Assign) and isinstance(node.value, ast.Constant):
                        self.assertNotIsInstance(node.value.value, float, f"{package}/{path.name}")

    def test_bare_numbers_do_not_grow(self) -> None:
        for package, most in BARE.items():
            found = [
                f"{path.name}:{node.lineno} {node.value}"
                for path in sorted((SOURCE / package).glob("*.py"))
                if path.stem not in ("settings", "phrases")
                for node in bare_numbers(ast.parse(path.read_text(encoding="utf-8")))
            ]
            self.assertLessEqual(len(found), most, (package, len(found), found[-20:]))


class EarVersion(unittest.TestCase):
    def setUp(self) -> None:
        self.addCleanup(ear_version.ear_version.cache_clear)

    def test_another_number_is_another_ear(self) -> None:
        before = ear_version.ear_version()
        ear_version.ear_version.cache_clear()
        self.assertEqual(ear_version.ear_version(), before)
        ear_version.ear_version.cache_clear()
        other = dataclasses.replace(limits.TIMING_LIMITS, neighbour_beats=5.0)
        with mock.patch.object(limits, "TIMING_LIMITS", other):
            self.assertNotEqual(ear_version.ear_version(), before)


if __name__ == "__main__":
    unittest.main()
