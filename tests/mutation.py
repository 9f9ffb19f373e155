"""Changes a formula or a sign on purpose, one at a time, and counts how many the tests of its room notice.

    make mutants                                  # 300 changes, under an hour
    python tests/mutation.py 40 --room prepare    # some, of one room
    python tests/mutation.py 300 --seed 2 --out survivors.md

A seeded sample of all changes that Cosmic Ray can make in the rooms below is tried, each in a copy of the tree, against
the tests of its room until one fails: the quickest first, and of them those that come by the changed line, as one run
without a change has shown. What no test notices is written with its difference, to be read: killed by a new test, or
said to be equivalent.
"""

from __future__ import annotations

import argparse
import ast
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path
from queue import Queue
from typing import Any

ROOT = Path(__file__).parents[1]
WHOLE = ("formulas", "written_out", "invariances", "seldom", "by_reference", "kept")
STATS = (
    *WHOLE, "statistics", "units", "within", "properties", "held_out", "shapes", "distribution", "against",
    "contingency", "relations",
)  # fmt: skip
PREPARING = ("operations", "formulas", "kept")
ROOMS = {
    "core/stats": STATS,
    "core/relations": (*WHOLE, "relations", "relations_whole", "relations_shown", "panels", "units", "careful"),
    "core/contingency": (*WHOLE, "contingency", "within", "tables", "mended", "given"),
    "core/against": (*WHOLE, "against", "within", "mended", "panels", "units", "careful"),
    "core/within": (*WHOLE, "within", "contingency", "against", "relations", "mended", "units", "careful"),
    "core/rank": (*WHOLE, "mended", "held_out", "tables", "study", "rows_and_outcomes"),
    "core/embed/quality.py": ("formulas", "embed", "seldom"),
    "core/proposal": ("proposals", "preparation", "formulas", "kept"),
    "prepare": (*PREPARING, "preparation", "later_rows", "proposals", "rows_and_outcomes", "reading"),
}
"""Each room with the test files that are asked."""
OPERATORS = (
    "ReplaceBinaryOperator", "ReplaceUnaryOperator", "ReplaceComparisonOperator", "NumberReplacer", "ReplaceAndWithOr",
    "ReplaceOrWithAnd", "AddNot", "ReplaceTrueWithFalse", "ReplaceFalseWithTrue", "ZeroIterationForLoop",
)  # fmt: skip
BITS = ("RShift", "LShift", "BitOr", "BitAnd", "BitXor")
SECONDS = 240
"""After so long a change counts as noticed: it made something endless."""


def computed(path: Path) -> list[tuple[int, int, int, int]]:
    """Return where a module only says types, words or shapes of a decorator: changes there change no answer."""
    spans = []
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        parts: list[ast.AST | None] = []
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            arguments = [*node.args.args, *node.args.kwonlyargs, *node.args.posonlyargs]
            parts += [node.returns, *(a.annotation for a in arguments), *node.decorator_list]
        elif isinstance(node, ast.ClassDef):
            parts += node.decorator_list  # whether a dataclass is frozen
        elif isinstance(node, ast.AnnAssign):
            parts.append(node.annotation)
        elif isinstance(node, ast.JoinedStr):
            parts.append(node)
        elif isinstance(node, ast.Assign) and isinstance(node.value, ast.BinOp | ast.Subscript):
            names = [t.id for t in node.targets if isinstance(t, ast.Name)]
            parts += [node.value for n in names if n[:1].isupper() and not n.isupper()]  # the name of a type
        spans += [(p.lineno, p.col_offset, p.end_lineno or 0, p.end_col_offset or 0) for p in parts if p is not None]
    return spans


def changes(rooms: list[str]) -> dict[str, list[Any]]:
    """Return every change that can be made in each room, as Cosmic Ray has it."""
    from cosmic_ray.commands.init import _all_work_items

    found: dict[str, list[Any]] = {}
    for room in rooms:
        place = ROOT / "src" / "envelt" / room
        paths = [place] if place.is_file() else sorted(p for p in place.rglob("*.py") if p.name != "__init__.py")
        quiet = {p: computed(p) for p in paths}
        every = [item.mutations[0] for item in _all_work_items(paths, {})]
        found[room] = [c for c in every if _is_one(c.operator_name) and not _lies_in(c, quiet[Path(c.module_path)])]
    return found


def _is_one(operator: str) -> bool:
    """Say whether an operator changes a formula, not only its types: no bits of floats."""
    name = operator.split("/")[1]
    return name.startswith(OPERATORS) and not name.endswith(BITS)


def _lies_in(change: Any, spans: list[tuple[int, int, int, int]]) -> bool:
    return any((a, b) <= change.start_pos <= (c, d) for a, b, c, d in spans)


class Seen:
    """What tests come by each line, and how long each takes, from one run of all of them without a change."""

    def __init__(self, copy: Path, rooms: list[str]) -> None:
        files = sorted({f"tests/test_{t}.py" for room in rooms for t in ROOMS[room]})
        done = run_tests(
            copy, ["-n", "2", "--cov=src/envelt", "--cov-context=test", "--cov-report=", "--durations=0",
                   "--durations-min=0", *files], None,
        )  # fmt: skip
        if done.returncode:
            raise SystemExit(f"The tests fail without a change, so nothing could be shown:\n{done.stdout[-3000:]}")
        took = re.findall(r"^([0-9.]+)s (?:call|setup) +(\S.*)$", done.stdout, re.MULTILINE)
        self.seconds: dict[str, float] = defaultdict(float)
        for seconds, test in took:
            self.seconds[test] += float(seconds)
        from coverage import CoverageData

        self._data = CoverageData(str(copy / ".coverage"))
        self._data.read()
        self._copy = copy

    def tests(self, change: Any, room: str) -> list[str]:
        """Return the tests of a room that come by a changed line; all of it where it is run on import."""
        path = Path(change.module_path)
        by_line = self._data.contexts_by_lineno(str(self._copy / path.relative_to(ROOT)))
        contexts = {c.split("|")[0] for line in statement_of(path, change) for c in by_line.get(line, [])}
        files = [f"tests/test_{t}.py" for t in ROOMS[room]]
        if "" in contexts:
            return files
        return sorted((c for c in contexts if c.split("::")[0] in files), key=lambda c: self.seconds[c])


def statement_of(path: Path, change: Any) -> list[int]:
    """Return the lines on which the innermost statement with a change begins and runs."""
    line = change.start_pos[0]
    around = [
        n for n in ast.walk(ast.parse(path.read_text("utf-8")))
        if isinstance(n, ast.stmt) and n.lineno <= line <= (n.end_lineno or 0)
    ]  # fmt: skip
    if not around:
        return [line]
    inner = min(around, key=lambda n: (n.end_lineno or 0) - n.lineno)
    whole = isinstance(inner, ast.If | ast.For | ast.While | ast.With | ast.FunctionDef | ast.ClassDef | ast.Try)
    return [inner.lineno, line] if whole else list(range(inner.lineno, (inner.end_lineno or 0) + 1))


def run_tests(copy: Path, words: list[str], timeout: float | None) -> subprocess.CompletedProcess[str]:
    """Run pytest in a copy of the tree."""
    return subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", *words], cwd=copy, capture_output=True,
        env={"PYTHONPATH": str(copy / "src"), "PATH": "/usr/bin:/bin", "HOME": str(copy), "OPENBLAS_NUM_THREADS": "1"},
        text=True, timeout=timeout,
    )  # fmt: skip


def tried(change: Any, tests: list[str], copies: Queue[Path]) -> tuple[str, bool, str]:
    """Make one change in a copy of the tree, run some tests, and take it back."""
    import cosmic_ray.plugins
    from cosmic_ray.mutating import apply_mutation

    copy = copies.get()
    path = copy / Path(change.module_path).relative_to(ROOT)
    before = path.read_text("utf-8")
    try:
        operator = cosmic_ray.plugins.get_operator(change.operator_name)(**dict(change.operator_args))
        _, after = apply_mutation(path, operator, change.occurrence)
        line = change.start_pos[0]
        old, new = (t.splitlines()[line - 1].strip() for t in (before, after or before))
        said = f"{path.relative_to(copy)}:{line}\n    - {old}\n    + {new}"
        if after is None or old == new:
            return said, True, "no change"
        if not tests:
            return said, False, "no test comes here"
        done = run_tests(copy, ["-x", "-p", "no:xdist", "-p", "no:cov", *tests], SECONDS)
        return said, done.returncode != 0, done.stdout[-300:]
    except subprocess.TimeoutExpired:
        return said, True, "endless"
    finally:
        path.write_text(before, "utf-8")
        copies.put(copy)


def main() -> None:
    """Try a sample, and print the share that is noticed by room and what is not."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("size", type=int, nargs="?", default=300)
    parser.add_argument("--room", action="append", choices=list(ROOMS))
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--out", type=Path, default=Path("survivors.md"))
    asked = parser.parse_args()
    every = changes(asked.room or list(ROOMS))
    total = sum(map(len, every.values()))
    draw = random.Random(asked.seed)
    share = asked.size / max(total, 1)
    sample = [(room, c) for room, of in every.items() for c in draw.sample(of, min(len(of), int(share * len(of)) + 1))]
    draw.shuffle(sample)
    print(f"{len(sample)} of {total:,} changes")
    copies: Queue[Path] = Queue()
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(2) as pool:
        for k in range(2):
            copy = Path(folder) / str(k)
            aside = shutil.ignore_patterns(".venv", ".git", "__pycache__", "envelt-*", ".hypothesis", ".*_cache")
            shutil.copytree(ROOT, copy, ignore=aside)
            copies.put(copy)
        noticed: dict[str, list[bool]] = defaultdict(list)
        start = time.monotonic()
        asked.out.write_text("# Changes that no test noticed\n")
        seen_by = Seen(Path(folder) / "0", asked.room or list(ROOMS))
        print(f"{time.monotonic() - start:.0f} s for the tests without a change", flush=True)
        jobs = {pool.submit(tried, c, seen_by.tests(c, room), copies): room for room, c in sample}
        for k, job in enumerate(as_completed(jobs)):
            room, (said, killed, why) = jobs[job], job.result()
            if why == "no change":
                continue
            noticed[room].append(killed)
            if not killed:
                with asked.out.open("a") as out:
                    out.write(f"\n## {room}\n\n{said}\n{why if why == 'no test comes here' else ''}\n")
            print(
                f"{k + 1:4d} {time.monotonic() - start:6.0f} s  {'noticed ' if killed else 'SURVIVED'} {said}",
                flush=True,
            )
    for room, seen in noticed.items():
        print(f"{room:24s} {sum(seen):4d} of {len(seen):4d} noticed, {sum(seen) / len(seen):.0%}")
    seen = [k for of in noticed.values() for k in of]
    print(f"{'all':24s} {sum(seen):4d} of {len(seen):4d} noticed, {sum(seen) / max(len(seen), 1):.0%} (85 % wanted)")


if __name__ == "__main__":
    main()
