"""The shape of the code: imports run one way and in no circle, the core sees no interface, the simulated player
shares nothing with the ear, and no two classes share a name.
"""

from __future__ import annotations

import ast
import collections
import importlib
import importlib.util
import re
import subprocess
import sys
import unittest
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "jeweller"
# Each package may import those before it (and the modules that every package may use).
ORDER = [
    "notation",
    "instruments",
    "exercises",
    "difficulty",
    "repertoire",
    "omr",
    "audio",
    "synthesis",
    "features",
    "warmup",
    "alignment",
    "notes",
    "assessment",
    "grading",
    "decisions",
    "report",
    "pipeline",
    "library",
    "practice",
    "documents",
    "booth",
    "student",
    "demo_band",
    "simulator",
    "eartraining",
    "gui",
    "cli",
]
SHARED = {
    "assets",
    "errors",
    "files",
    "log",
    "regression",
    "scratch",
    "serialization",
    "i18n",
    "phrases",
    "report_format",
    "setting",
    "",
}
EAR = ("features", "alignment", "notes", "assessment", "grading", "decisions", "report", "pipeline")


def modules() -> dict[str, ast.Module]:
    """Dotted name below `jeweller` → syntax tree, migrations aside."""
    found = {}
    for path in sorted(SOURCE.rglob("*.py")):
        parts = path.relative_to(SOURCE).with_suffix("").parts
        if "migrations" not in parts:
            name = ".".join(parts).removesuffix(".__init__").removesuffix("__init__")
            found[name] = ast.parse(path.read_text(encoding="utf-8"))
    return found


def imported(tree: ast.AST, known: set[str]) -> set[str]:
    """The modules of this program that a syntax tree imports, inside functions too; not those for types alone."""
    types = {
        id(inner)
        for node in ast.walk(tree)
        if isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING"
        for inner in ast.walk(node)
    }
    out = set()
    for node in ast.walk(tree):
        if id(node) in types or not isinstance(node, ast.Import | ast.ImportFrom):
            continue
        if isinstance(node, ast.Import):
            names = [a.name for a in node.names]
        else:
            names = [f"{node.module}.{a.name}" for a in node.names]
        for name in names:
            if name.split(".")[0] == "jeweller":
                inside = name.split(".", 1)[1]
                out.add(inside if inside in known else inside.rpartition(".")[0])
    return out


MODULES = modules()
IMPORTS = {name: imported(tree, set(MODULES)) - {name} for name, tree in MODULES.items()}
PACKAGES: dict[str, set[str]] = {}
for _name, _wanted in IMPORTS.items():
    PACKAGES.setdefault(_name.split(".")[0], set()).update(w.split(".")[0] for w in _wanted)


class Structure(unittest.TestCase):
    def test_imports_run_one_way(self) -> None:
        for package, wanted in PACKAGES.items():
            if package not in SHARED | {"__main__", "simulator"}:
                allowed = set(ORDER[: ORDER.index(package) + 1]) | SHARED
                self.assertLessEqual(wanted, allowed, package)

    def test_no_circle_of_modules(self) -> None:
        left = {name: set(wanted) for name, wanted in IMPORTS.items()}
        while free := {name for name, wanted in left.items() if not wanted & left.keys()}:
            left = {name: wanted for name, wanted in left.items() if name not in free}
        self.assertEqual(sorted(left), [])

    def test_the_simulated_player_and_the_ear_share_nothing(self) -> None:
        self.assertLessEqual(
            PACKAGES["simulator"], {"simulator", "notation", "instruments", "audio", "synthesis"} | SHARED
        )
        for package in EAR:
            self.assertFalse(PACKAGES[package] & {"simulator", "synthesis"}, package)

    def test_no_two_classes_share_a_name(self) -> None:
        found: dict[str, list[str]] = collections.defaultdict(list)
        for name, tree in MODULES.items():
            for node in ast.walk(tree):
                if isinstance(node, ast.ClassDef):
                    found[node.name].append(name)
        self.assertEqual({n: m for n, m in found.items() if len(m) > 1}, {})

    def test_the_core_runs_without_qt(self) -> None:
        core = [f"jeweller.{n}" for n in MODULES if n and n.split(".")[0] not in ("gui", "__main__")]
        code = (
            f"import importlib, sys\nfor n in {core!r}: importlib.import_module(n)\n"
            "assert not [m for m in sys.modules if m.startswith(('PySide6', 'shiboken'))]"
        )
        environment = {"PYTHONPATH": str(SOURCE.parent), "PATH": ""}
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, env=environment, check=False
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))

    def test_benches_and_tools_import_what_is_there(self) -> None:
        for path in [
            *(SOURCE.parents[1] / "bench").glob("*.py"),
            *(SOURCE.parents[1] / "tools").glob("*.py"),
        ]:
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("jeweller"):
                    module = importlib.import_module(node.module or "")
                    for name in (alias.name for alias in node.names):
                        there = hasattr(module, name) or importlib.util.find_spec(f"{node.module}.{name}")
                        self.assertTrue(there, f"{path.name}: {node.module}.{name}")

    def test_what_is_done_later_is_dropped_with_its_owner(self) -> None:
        """A functor called after its widget was destroyed ends the program, some paints later."""
        bare = [
            f"{name}:{node.lineno}"
            for name, tree in MODULES.items()
            for node in ast.walk(tree)
            if isinstance(node, ast.Call)
            and isinstance(node.func, ast.Attribute)
            and node.func.attr == "singleShot"
            and len(node.args) < 3
        ]
        self.assertEqual(bare, [])

    def test_json_is_read_in_one_place(self) -> None:
        """There what is nested too deeply is told, too."""
        for path in SOURCE.rglob("*.py"):
            if path != SOURCE / "files.py":
                self.assertNotRegex(path.read_text(encoding="utf-8"), r"json\.loads?\(", path)

    def test_no_colour_outside_the_theme(self) -> None:
        for path in SOURCE.rglob("*.py"):
            if path.name != "theme.py":
                self.assertIsNone(re.search(r'"#[0-9A-Fa-f]{6}"', path.read_text(encoding="utf-8")), path)
