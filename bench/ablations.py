#!/usr/bin/env python3
"""What every rule of the ear is worth: each is switched off by itself, on a folder of takes with known truth.

    bench/ablations.py TAKES --work FOLDER [--stage assessment|notes|alignment|parts] [--json OUT]

A rule is a branch that rests on a number: `if gap > GAP_S and level < 3.0: continue` is one rule as a whole,
and one for each of its two conditions. They are found in the source, so none can be forgotten. Switched off,
a branch is not taken, a condition asks nothing. Nothing in the program knows of this: its modules are read
anew here, with each rule wrapped.

FOLDER keeps what does not change (features, alignments, note tables), so that a rule is run again only from
its own stage on, and only in takes where switching it off makes a difference. The worth of a rule is what is
lost without it: planted faults found, less false findings, plus verdicts that agree; its noise is the root of
the summed squares of that difference over the takes.
"""

from __future__ import annotations

import os

for _name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_name, "1")

import argparse
import ast
import builtins
import dataclasses
import importlib.abc
import importlib.machinery
import json
import pickle
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from types import CodeType, ModuleType
from typing import Any

sys.path.insert(0, str(Path(__file__).parent))

STAGES = ("assessment", "notes", "alignment")
PLAIN = {0, 1, -1, 2, -1.0, 0.5}  # numbers that are arithmetic, not a choice
EXITS = (ast.Return, ast.Continue, ast.Break)


@dataclass(frozen=True)
class Rule:
    stage: str
    where: str  # module.function:line
    text: str  # the condition as it is written
    off: bool  # what it says when it is switched off


class Switchboard:
    """All rules that were met, the one that is off, and those that would have said something else."""

    def __init__(self) -> None:
        self.rules: list[Rule] = []
        self.off = -1
        self.differs: set[int] = set()

    def __call__(self, number: int, said: Any, off: bool) -> Any:
        if getattr(said, "ndim", 0):
            return said
        if bool(said) != off:
            self.differs.add(number)
            if number == self.off:
                return off
        return said


BOARD = Switchboard()


def rests_on_number(node: ast.AST) -> bool:
    """Whether a condition names a number that somebody chose: a literal, a constant, a setting."""
    for part in ast.walk(node):
        if isinstance(part, ast.Constant) and isinstance(part.value, (int, float)):
            if not isinstance(part.value, bool) and part.value not in PLAIN:
                return True
        elif isinstance(part, ast.Name) and part.id.isupper() and len(part.id) > 2:
            return True
        elif isinstance(part, ast.Attribute) and isinstance(part.value, (ast.Name, ast.Attribute)):
            owner = part.value.id if isinstance(part.value, ast.Name) else part.value.attr
            if owner in ("s", "settings", "limits", "LIMITS", "tunings"):
                return True
    return False


class Wrapper(ast.NodeTransformer):
    """Wraps each rule of a module into a call of the switchboard."""

    def __init__(self, stage: str, module: str) -> None:
        self.stage, self.module, self.inside = stage, module, "?"

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        before, self.inside = self.inside, node.name
        self.generic_visit(node)
        self.inside = before
        return node

    def wrap(self, node: ast.expr, off: bool, source: ast.expr | None = None) -> ast.expr:
        BOARD.rules.append(
            Rule(self.stage, f"{self.module}.{self.inside}:{node.lineno}", ast.unparse(source or node), off)
        )
        call = ast.Call(
            ast.Name("__rule__", ast.Load()),
            [ast.Constant(len(BOARD.rules) - 1), node, ast.Constant(off)],
            [],
        )
        return ast.fix_missing_locations(ast.copy_location(call, node))

    def condition(self, node: ast.expr, off: bool) -> ast.expr:
        """The condition with its own conditions wrapped; `off`: what is as if it were not there."""
        if isinstance(node, ast.BoolOp):
            neutral = isinstance(node.op, ast.And)
            node.values = [self.condition(v, neutral) for v in node.values]
            return node
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            node.operand = self.condition(node.operand, not off)
            return node
        if rests_on_number(node) and not isinstance(node, (ast.Constant, ast.Name)):
            return self.wrap(node, off)
        return node

    def branch(self, test: ast.expr, off: bool) -> ast.expr:
        """A whole test: its conditions, and where there are several, all of them together."""
        whole = isinstance(test, ast.BoolOp) and rests_on_number(test)
        written = ast.parse(ast.unparse(test), mode="eval").body
        inner = self.condition(test, off)
        return self.wrap(inner, off, written) if whole else inner

    def visit_If(self, node: ast.If) -> ast.AST:
        self.generic_visit(node)
        node.test = self.branch(node.test, False)
        return node

    def visit_IfExp(self, node: ast.IfExp) -> ast.AST:
        self.generic_visit(node)
        node.test = self.branch(node.test, False)
        return node

    def visit_comprehension(self, node: ast.comprehension) -> ast.AST:
        self.generic_visit(node)
        node.ifs = [self.branch(test, True) for test in node.ifs]
        return node

    def visit_Return(self, node: ast.Return) -> ast.AST:
        self.generic_visit(node)
        if isinstance(node.value, (ast.BoolOp, ast.Compare)):
            node.value = self.branch(node.value, False)
        return node

    def visit_Assign(self, node: ast.Assign) -> ast.AST:
        self.generic_visit(node)
        if isinstance(node.value, ast.BoolOp):
            node.value = self.branch(node.value, False)
        return node


class Finder(importlib.abc.MetaPathFinder):
    """Loads the modules of the stages with their rules wrapped."""

    def find_spec(
        self, name: str, path: Sequence[str] | None, target: ModuleType | None = None
    ) -> importlib.machinery.ModuleSpec | None:
        stage = next((s for s in STAGES if name.startswith(f"jeweller.{s}.")), None)
        spec = importlib.machinery.PathFinder.find_spec(name, path, target) if stage else None
        if spec is None or spec.origin is None or stage is None or name.endswith(("settings", "messages")):
            return None
        spec.loader = Loader(stage, name, spec.origin)
        return spec


class Loader(importlib.machinery.SourceFileLoader):
    def __init__(self, stage: str, name: str, path: str) -> None:
        super().__init__(name, path)
        self.stage = stage

    def get_code(self, fullname: str) -> CodeType:
        tree = ast.parse(Path(self.path).read_text(encoding="utf-8"))
        wrapped = Wrapper(self.stage, fullname.removeprefix("jeweller.")).visit(tree)
        return compile(ast.fix_missing_locations(wrapped), self.path, "exec")


def install() -> None:
    """Before the program is imported."""
    vars(builtins)["__rule__"] = BOARD
    sys.meta_path.insert(0, Finder())
    import jeweller.pipeline.check  # noqa: F401 in one order, so that every process numbers the rules alike


# ---------------------------------------------------------------------------------------------------------


def prepare(job: tuple[str, str]) -> str:
    """One take up to its alignment, kept as a file."""
    from unittest import mock

    from jeweller.assessment.settings import make_settings
    from jeweller.features.extraction import Features
    from jeweller.pipeline import check as pipeline

    folder, work = job
    target = Path(work) / ("__".join(Path(folder).parts[-2:]) + ".pickle")
    if target.exists():
        return str(target)
    truth = json.loads((Path(folder) / "truth.json").read_text())
    options = pipeline.Options(
        settings=make_settings(changes=truth.get("asked", {})), rhythm_only=truth.get("rhythm", False)
    )
    kept: dict[str, Any] = {}

    def tables(alignment: Any, features: Features) -> Any:
        kept.update(alignment=alignment, features=features)
        return build(alignment, features)

    def report(*given: Any) -> Any:
        kept["given"] = given
        return write(*given)

    build, write = pipeline.build_note_tables, pipeline.build_report
    take = next(p for p in sorted(Path(folder).glob("take.*")))
    with (
        mock.patch.object(pipeline, "build_note_tables", tables),
        mock.patch.object(pipeline, "build_report", report),
    ):
        checked = pipeline.check(Path(folder) / "score.musicxml", take, options)
    _case, _, recording, name, score_hash, settings, scheme, bars, judged, _ = kept["given"]
    evidence = _evidence(kept["alignment"], kept["features"], checked.instrument, options, checked.line)
    kept["given"] = (
        dataclasses.replace(recording, samples=recording.samples[:1]),
        name,
        score_hash,
        settings,
        scheme,
        bars,
        judged,
    )
    kept |= {
        "truth": truth,
        "options": options,
        "line": checked.line,
        "instrument": checked.instrument,
        "evidence": evidence,
    }
    target.write_bytes(pickle.dumps(kept, protocol=5))
    return str(target)


def _evidence(alignment: Any, features: Any, instrument: Any, options: Any, line: Any) -> list[Any]:
    from jeweller.notes.build import build_note_tables
    from jeweller.notes.evidence import add_evidence

    rhythm = options.rhythm_only or line.part.percussion
    return [
        add_evidence(
            table,
            features,
            options.settings.evidence_limits,
            brass=instrument.family == "brass",
            rhythm_only=rhythm,
        )
        if table.followed
        else table
        for table in build_note_tables(alignment, features)
    ]


def _count(kept: dict[str, Any], evidence: list[Any]) -> dict[str, Any]:
    """What the report of these note tables gets right."""
    from jeweller.assessment.assess import assess
    from jeweller.assessment.context import AssessmentContext
    from jeweller.pipeline.check import choose_attempt, describe_attempts, on_the_page
    from jeweller.report.build import build_report
    from scoring import count

    options, line, instrument = kept["options"], kept["line"], kept["instrument"]
    rhythm = options.rhythm_only or line.part.percussion
    tries: list[Any] = [
        assess(table, instrument, options.settings, rhythm_only=rhythm)
        if table.followed
        else ([], AssessmentContext(table=table, settings=options.settings, instrument=instrument))
        for table in evidence
    ]
    findings, case = tries[choose_attempt(tries)]
    recording, name, score_hash, settings, scheme, bars, judged = kept["given"]
    return count(
        kept["truth"],
        build_report(
            on_the_page(case, line),
            findings,
            recording,
            name,
            score_hash,
            settings,
            scheme,
            bars,
            judged,
            describe_attempts(tries),
        ),
    )


def _stages(kept: dict[str, Any]) -> dict[str, Callable[[], dict[str, Any]]]:
    from jeweller.alignment.align import align

    options, line, instrument = kept["options"], kept["line"], kept["instrument"]

    def aligned() -> Any:
        return align(
            line,
            kept["features"],
            tempo_bpm=options.tempo_bpm,
            rhythm_only=options.rhythm_only or line.part.percussion,
            reference_shift=options.settings.reference_shift,
        )

    def from_alignment(alignment: Any) -> dict[str, Any]:
        return _count(kept, _evidence(alignment, kept["features"], instrument, options, line))

    return {
        "assessment": lambda: _count(kept, kept["evidence"]),
        "notes": lambda: from_alignment(kept["alignment"]),
        "alignment": lambda: from_alignment(aligned()),
    }


FIGURES = ("hits", "left", "agree", "near_false")


def _figures(row: dict[str, Any]) -> list[float]:
    return [row["hits"], float(len(row["false"])), row["agree"], row["near_false"]]


def run_take(job: tuple[str, str, list[str]]) -> dict[int, list[float] | str]:
    """For every rule of a stage that makes a difference in one take: the figures without it; -1: with all."""
    path, stage, only = job
    kept = pickle.loads(Path(path).read_bytes())
    run = _stages(kept)[stage]
    BOARD.off, BOARD.differs = -1, set()
    out: dict[int, list[float] | str] = {-1: _figures(run())}
    differ = sorted(
        k
        for k in BOARD.differs
        if BOARD.rules[k].stage == stage and (not only or any(o in BOARD.rules[k].where for o in only))
    )
    for number in differ:
        BOARD.off = number
        try:
            out[number] = _figures(run())
        except Exception as error:  # noqa: BLE001 a rule that keeps the program from failing is needed
            out[number] = repr(error)[:80]
    BOARD.off = -1
    return out


def table(stage: str, results: list[dict[int, list[float] | str]]) -> list[dict[str, Any]]:
    """Every rule of a stage with what is lost without it."""
    rows = []
    for number, rule in enumerate(BOARD.rules):
        if rule.stage != stage:
            continue
        row: dict[str, Any] = {
            "rule": rule.where,
            "condition": rule.text,
            "takes": 0,
            "fails": 0,
            "lost": [0.0] * len(FIGURES),
        }
        squares = 0.0
        for result in results:
            if number not in result:
                continue
            row["takes"] += 1
            without, whole = result[number], result[-1]
            if isinstance(without, str) or isinstance(whole, str):
                row["fails"] += 1
                continue
            lost = [a - b for a, b in zip(whole, without, strict=True)]
            row["lost"] = [a + b for a, b in zip(row["lost"], lost, strict=True)]
            squares += (lost[0] - lost[1] + lost[2] - lost[3]) ** 2
        hits, left, agree, near = row["lost"]
        row["worth"] = hits - left + agree - near
        row["noise"] = round(squares**0.5, 1)
        rows.append(row)
    return sorted(rows, key=lambda r: (r["worth"], r["takes"]))


SHOWN = 40  # rules of a stage on the page, those worth most


def page(files: list[str]) -> str:
    """What each rule is worth, as a page: of each stage those worth most, and how many are worth nothing."""
    out = [
        "# What each rule is worth",
        "",
        "Made by `bench/ablations.py STAGE.json ... --page docs/rules.md` from what "
        "`bench/ablations.py TAKES "
        "--work FOLDER --stage STAGE --json STAGE.json` measured on the validation set. A rule is a "
        "branch that "
        "rests on a number, or one of its conditions; what is lost without it: planted faults "
        "found, less false "
        "findings, plus verdicts that agree. *Noise* is the root of the summed squares over the takes.",
    ]
    for name in files:
        rows = json.loads(Path(name).read_text(encoding="utf-8"))
        nothing = sum(r["worth"] == 0 and not r["fails"] for r in rows)
        needed = sum(bool(r["fails"]) for r in rows)
        worse = sum(r["worth"] < 0 for r in rows)
        out += [
            "",
            f"## {Path(name).stem}",
            f"{len(rows)} conditions; without {needed} the program fails, {nothing} change nothing in these "
            f"takes, without {worse} it is better off by one or two.",
            "",
            "| worth | noise | takes | found | false | verdicts | rule | condition |",
            "|---|---|---|---|---|---|---|---|",
        ]
        told = [r for r in rows if r["worth"] != 0 and not r["fails"]]
        for r in sorted(told, key=lambda r: -abs(r["worth"]))[:SHOWN]:
            hits, left, agree, _near = r["lost"]
            condition = r["condition"].replace("|", "\\|")
            out.append(
                f"| {r['worth']:g} | {r['noise']:g} | {r['takes']} | {hits:+g} | {-left:+g} | {agree:+g} | "
                f"`{r['rule']}` | `{condition[:110]}` |"
            )
    return "\n".join(out) + "\n"


def _takes(folders: list[str]) -> Iterator[str]:
    for folder in folders:
        yield from (str(p) for p in sorted(Path(folder).iterdir()) if (p / "truth.json").exists())


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("takes", nargs="+")
    parser.add_argument("--work", default="")
    parser.add_argument("--stage", choices=STAGES, default="assessment")
    parser.add_argument("--only", default="", help="rules whose place holds one of these texts, with commas")
    parser.add_argument("--json")
    parser.add_argument("--page", help="a page of the documents, made of --json files of all stages")
    parser.add_argument("--workers", type=int, default=2)
    o = parser.parse_args()
    if o.page:
        Path(o.page).write_text(page(o.takes), encoding="utf-8")
        return
    Path(o.work).mkdir(parents=True, exist_ok=True)
    only = [t for t in o.only.split(",") if t]
    with ProcessPoolExecutor(o.workers, initializer=install) as pool:
        paths = list(pool.map(prepare, [(t, o.work) for t in _takes(o.takes)], chunksize=2))
        results = list(pool.map(run_take, [(p, o.stage, only) for p in paths], chunksize=1))
    install()
    rows = table(o.stage, results)
    whole = [sum(r[-1][k] for r in results if not isinstance(r[-1], str)) for k in range(len(FIGURES))]  # type: ignore[misc]
    told = ", ".join(f"{n} {v:g}" for n, v in zip(FIGURES, whole, strict=True))
    print(f"{len(paths)} takes; with every rule: {told}")
    print("worth  noise takes fails  found false verdicts near  rule")
    for r in rows:
        lost = " ".join(f"{v:5g}" for v in r["lost"])
        head = f"{r['worth']:5g} {r['noise']:6g} {r['takes']:5} {r['fails']:5}"
        print(f"{head}  {lost}  {r['rule']}  {r['condition']}")
    if o.json:
        Path(o.json).write_text(json.dumps(rows, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
