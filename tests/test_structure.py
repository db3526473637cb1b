"""The shape of the code: the core sees no interface, imports run one way, the player shares nothing with the
ear.
"""

from __future__ import annotations

import ast
import subprocess
import sys
import unittest
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "jeweller"
# Each package may import those before it (and the modules every package may use).
ORDER = [
    "score",
    "instruments",
    "pattern",
    "look",
    "book",
    "audio",
    "hear",
    "follow",
    "judge",
    "mark",
    "report",
    "check",
    "batch",
    "review",
    "ledger",
    "sheet",
    "band",
    "desk",
    "cli",
]
SHARED = {"errors", "plain", "files", "usage", ""}


def imports() -> dict[str, set[str]]:
    """Package (or top module) → packages of this program it imports, imports inside functions included."""
    out: dict[str, set[str]] = {}
    for path in SOURCE.rglob("*.py"):
        head = path.relative_to(SOURCE).parts[0].removesuffix(".py")
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            names = (
                [a.name for a in node.names]
                if isinstance(node, ast.Import)
                else [node.module or ""]
                if isinstance(node, ast.ImportFrom)
                else []
            )
            out.setdefault(head, set()).update(
                n.split(".")[1] if "." in n else "" for n in names if n.split(".")[0] == "jeweller"
            )
    return out


class Structure(unittest.TestCase):
    def test_imports_run_one_way(self) -> None:
        found = imports()
        for package, wanted in found.items():
            if package in ORDER:
                allowed = (
                    set(ORDER[: ORDER.index(package) + 1])
                    | SHARED
                    | ({"player"} if package in ("desk", "cli") else set())
                )
                self.assertLessEqual(wanted, allowed, package)

    def test_the_player_and_the_ear_share_nothing(self) -> None:
        found = imports()
        self.assertLessEqual(found["player"], {"player", "score", "instruments", "audio"} | SHARED)
        for package in ("hear", "follow", "judge", "mark", "report", "check"):
            self.assertNotIn("player", found[package], package)

    def test_the_core_runs_without_qt(self) -> None:
        core = [
            p
            for p in sorted(SOURCE.rglob("*.py"))
            if p.relative_to(SOURCE).parts[0] not in ("desk", "__main__.py") and "migrations" not in p.parts
        ]
        names = [
            ".".join(("jeweller", *p.relative_to(SOURCE).with_suffix("").parts)).removesuffix(".__init__")
            for p in core
        ]
        code = (
            f"import importlib, sys\nfor n in {names!r}: importlib.import_module(n)\nassert not [m for "
            "m in sys.modules if m.startswith(('PySide6', 'shiboken'))]"
        )
        done = subprocess.run(
            [sys.executable, "-c", code],
            capture_output=True,
            text=True,
            env={"PYTHONPATH": str(SOURCE.parent), "PATH": ""},
            check=False,
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))

    def test_no_colour_outside_the_theme(self) -> None:
        import re

        for path in SOURCE.rglob("*.py"):
            if path.name != "theme.py":
                self.assertIsNone(re.search(r'"#[0-9A-Fa-f]{6}"', path.read_text(encoding="utf-8")), path)
