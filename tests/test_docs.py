"""The examples in docstrings run; the documents link to what is there."""

from __future__ import annotations

import ast
import doctest
import importlib
import re
import unittest
from pathlib import Path

from tests.support import checked_take

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src"


class Examples(unittest.TestCase):
    def test_every_example_of_the_core_runs(self) -> None:
        ran, known = 0, {"checked": checked_take()}  # as said in jeweller.report
        for path in sorted((SOURCE / "jeweller").rglob("*.py")):
            parts = path.relative_to(SOURCE).with_suffix("").parts
            if ">>>" not in path.read_text(encoding="utf-8") or "shell" in parts:
                continue
            with self.subTest(path.name):
                module = importlib.import_module(".".join(parts).removesuffix(".__init__"))
                failed, tried = doctest.testmod(module, extraglobs=known if "report" in parts else {})
                self.assertEqual(failed, 0)
                ran += tried
        self.assertGreater(ran, 20)


# Packages whose public functions have an example each.
SHOWN = ("notation", "audio", "features", "alignment", "grading", "report")


class Docstrings(unittest.TestCase):
    def test_public_functions_say_what_they_do(self) -> None:
        bare, without = [], []
        for package in SHOWN:
            for path in sorted((SOURCE / "jeweller" / package).rglob("*.py")):
                for node in ast.parse(path.read_text(encoding="utf-8")).body:
                    if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                        told = ast.get_docstring(node) or ""
                        bare += [] if told else [f"{path.name}: {node.name}"]
                        without += [] if ">>>" in told else [f"{path.name}: {node.name}"]
        self.assertEqual(bare, [])
        self.assertEqual(without, [])


class Links(unittest.TestCase):
    def test_what_the_documents_link_to_is_there(self) -> None:
        pages = [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")]
        self.assertGreater(len(pages), 50)
        for page in pages:
            for target in re.findall(r"\]\(([^)#]+)", page.read_text(encoding="utf-8")):
                if "://" not in target:
                    self.assertTrue((page.parent / target).exists(), f"{page.name}: {target}")


if __name__ == "__main__":
    unittest.main()
