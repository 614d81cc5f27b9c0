"""Which small faults would no test notice? A sample of them, put in one at a time.

    python -m bench.mutants --count 200 --seed 1 [--only core/lut]
    python -m bench.mutants --again RESULT.txt     those that an earlier run let live

The tests (those without a window) run once with coverage, which tells what test reaches which
line. Then faults are drawn at random from `core`, `formats`, `media`, `raster` and `work`: an operator
exchanged, a number changed, a condition turned round. For each the tests that reach its line run in
a copy of the tree. A fault that all of them let pass has survived, and is shown with its line.
Some survivors change nothing that anybody could see; the share is a ceiling.
Compiled kernels are left out: coverage cannot see into them, and a test holds each of them against
its NumPy twin.
"""

from __future__ import annotations

import argparse
import ast
import collections
import concurrent.futures
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import coverage
from attrs import frozen

ROOT = Path(__file__).resolve().parents[1]
PARTS = ("core", "formats", "media", "raster", "work")
LEFT_OUT = ("core/kernels", "core/compiled.py", "work/warm.py", "work/desktop_entry.py")
TESTS = ("tests/unit", "tests/property", "tests/test_cli.py")
TESTS += ("tests/contract/test_formats.py", "tests/contract/test_glazes.py")
MOST_SECONDS, MOST_TESTS = 40.0, 40  # of the first round
_SWAPS = {
    ast.Lt: "<=",
    ast.LtE: "<",
    ast.Gt: ">=",
    ast.GtE: ">",
    ast.Eq: "!=",
    ast.NotEq: "==",
    ast.Add: "-",
    ast.Sub: "+",
    ast.Mult: "/",
    ast.Div: "*",
    ast.And: "or",
    ast.Or: "and",
}
_NAMES = {"min": "max", "max": "min", "minimum": "maximum", "maximum": "minimum"}
_NAMES |= {"any": "all", "all": "any", "floor": "ceil", "ceil": "floor"}


@frozen
class Fault:
    """One place of a file and what is put there."""

    file: str
    line: int
    begin: int
    end: int
    text: str
    is_top: bool

    def put(self, source: bytes) -> bytes:
        return source[: self.begin] + self.text.encode() + source[self.end :]


def faults(file: str, source: bytes) -> Iterator[Fault]:
    """Yield every fault that can be put into a module."""
    starts = [0]
    for line in source.splitlines(keepends=True):
        starts.append(starts[-1] + len(line))

    def span(node: ast.expr) -> tuple[int, int]:
        assert node.end_lineno is not None
        assert node.end_col_offset is not None
        return (
            starts[node.lineno - 1] + node.col_offset,
            starts[node.end_lineno - 1] + node.end_col_offset,
        )

    def between(left: ast.expr, right: ast.expr, text: str, top: bool) -> Iterator[Fault]:
        begin, end = span(left)[1], span(right)[0]
        gap = source[begin:end]
        sign = gap.strip(b" ()\n\\").split(b"#")[0].strip()
        if sign and gap.count(sign) == 1:
            at = begin + gap.index(sign)
            yield Fault(file, left.lineno, at, at + len(sign), text, top)

    def visit(node: ast.AST, top: bool) -> Iterator[Fault]:
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            for statement in node.body:  # no annotations, defaults or decorators
                yield from visit(statement, False)
            return
        if isinstance(node, ast.AnnAssign):  # fields of records are defaults and how controls look
            if node.value is not None and not top:
                yield from visit(node.value, top)
            return
        if isinstance(node, ast.ImportFrom | ast.Import | ast.JoinedStr | ast.Raise):
            return
        if isinstance(node, ast.Compare) and len(node.ops) == 1:
            if swap := _SWAPS.get(type(node.ops[0])):
                yield from between(node.left, node.comparators[0], swap, top)
        elif isinstance(node, ast.BinOp):
            if swap := _SWAPS.get(type(node.op)):
                yield from between(node.left, node.right, swap, top)
        elif isinstance(node, ast.BoolOp):
            for left, right in zip(node.values, node.values[1:], strict=False):
                yield from between(left, right, _SWAPS[type(node.op)], top)
        elif isinstance(node, ast.Constant):
            begin, end = span(node)
            new: str | None = None
            if isinstance(node.value, bool):
                new = str(not node.value)
            elif isinstance(node.value, int):
                new = str(node.value + 1)
            elif isinstance(node.value, float):
                new = repr(node.value * 1.25 if node.value else 0.25)
            if new is not None:
                yield Fault(file, node.lineno, begin, end, new, top)
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            begin, _ = span(node)
            yield Fault(file, node.lineno, begin, begin + 3, "", top)
        elif isinstance(node, ast.Call):
            name = node.func
            word = name.attr if isinstance(name, ast.Attribute) else getattr(name, "id", "")
            if word in _NAMES:
                end = span(name)[1]
                yield Fault(file, node.lineno, end - len(word), end, _NAMES[word], top)
        if isinstance(node, ast.If | ast.While | ast.IfExp):
            begin, end = span(node.test)
            turned = f"(not ({source[begin:end].decode()}))"
            yield Fault(file, node.test.lineno, begin, end, turned, top)
        for child in ast.iter_child_nodes(node):
            yield from visit(child, top)

    yield from visit(ast.parse(source), True)


PLUGIN = """
import json, pathlib, time, coverage, pytest
SECONDS, FAILED = {}, []

@pytest.hookimpl(hookwrapper=True)
def pytest_runtest_protocol(item):
    name = item.nodeid.split("[")[0]
    coverage.Coverage.current().switch_context(name)
    begin = time.perf_counter()
    yield
    SECONDS[name] = SECONDS.get(name, 0) + time.perf_counter() - begin

def pytest_runtest_logreport(report):
    if report.failed:
        FAILED.append(report.nodeid.split("[")[0])

def pytest_sessionfinish():
    for name in FAILED:
        SECONDS.pop(name, None)
    pathlib.Path("seconds.json").write_text(json.dumps(SECONDS))
"""


def copy_of_the_tree(place: Path) -> Path:
    """Copy what the tests need; fixed data is linked."""
    for name in ("sfumato", "tests"):
        shutil.copytree(ROOT / name, place / name, ignore=shutil.ignore_patterns("__pycache__"))
    for name in (
        "demo",
        "docs",
        "dev",
        "README.md",
        "pyproject.toml",
        "constraints.txt",
        "CHANGELOG.md",
        "LICENSE",
        "bench",
    ):
        (place / name).symlink_to(ROOT / name)
    shutil.copytree(ROOT / ".numba_cache", place / ".numba_cache")
    return place


def environment(place: Path) -> dict[str, str]:
    return os.environ | {
        "PYTHONPATH": str(place),
        "NUMBA_CACHE_DIR": str(place / ".numba_cache"),
        "QT_QPA_PLATFORM": "offscreen",
        "PYTHONDONTWRITEBYTECODE": "1",
        "CI": "1",
    }


Reach = dict[tuple[str, int], set[str]]  # the tests that reach a line; line 0: any line of the file


def reached(place: Path) -> tuple[Reach, dict[str, float]]:
    """Run the tests once; return what reaches which line, and how long each test takes."""
    (place / "context_plugin.py").write_text(PLUGIN)
    sources = ",".join(str(place / "sfumato" / part) for part in PARTS)
    command = ["-m", "coverage", "run", f"--source={sources}", "-m", "pytest", "-q", *TESTS]
    subprocess.run(
        [sys.executable, *command, "-p", "context_plugin", "-p", "no:cacheprovider"],
        cwd=place,
        env=environment(place),
        check=False,
    )
    data = coverage.CoverageData(str(place / ".coverage"))
    data.read()
    found: Reach = collections.defaultdict(set)
    for name in data.measured_files():
        file = str(Path(name).relative_to(place / "sfumato"))
        for line, contexts in data.contexts_by_lineno(name).items():
            tests = {c for c in contexts if "::" in c}
            found[file, line] |= tests
            found[file, 0] |= tests
    return found, json.loads((place / "seconds.json").read_text())


def tests_for(fault: Fault, reach: Reach, seconds: dict[str, float]) -> list[list[str]]:
    """Return the tests to run, in two rounds: those named like the module and the quickest, the rest."""
    tests = reach.get((fault.file, 0 if fault.is_top else fault.line), set()) & seconds.keys()
    stem = Path(fault.file).stem
    ordered = sorted(tests, key=lambda t: (f"test_{stem}.py" not in t, seconds[t]))
    first, total = 0, 0.0
    while first < min(len(ordered), MOST_TESTS) and total <= MOST_SECONDS:
        total += seconds[ordered[first]]
        first += 1
    return [part for part in (ordered[:first], ordered[first:]) if part]


def survives(fault: Fault, place: Path, rounds: list[list[str]]) -> bool:
    file = place / "sfumato" / fault.file
    whole = file.read_bytes()
    file.write_bytes(fault.put(whole))
    try:
        for tests in rounds:
            done = subprocess.run(
                [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *tests],
                cwd=place,
                env=environment(place),
                capture_output=True,
                timeout=8 * MOST_SECONDS,
                check=False,
            )
            if done.returncode:
                return False
    except subprocess.TimeoutExpired:
        return False
    finally:
        file.write_bytes(whole)
    return True


def told(fault: Fault) -> str:
    text = (ROOT / "sfumato" / fault.file).read_bytes()
    old = text[fault.begin : fault.end].decode()
    line = text.splitlines()[fault.line - 1].decode().strip()
    return f"{fault.file}:{fault.line}: {old} -> {fault.text} in: {line}"


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawTextHelpFormatter
    )
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default="", help="a folder or file of the package")
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 2)
    parser.add_argument("--again", type=Path, help="what an earlier run printed")
    wish = parser.parse_args()
    every: list[Fault] = []
    for part in PARTS:
        for path in sorted((ROOT / "sfumato" / part).rglob("*.py")):
            file = str(path.relative_to(ROOT / "sfumato"))
            if file.startswith(wish.only) and not file.startswith(LEFT_OUT):
                every += faults(file, path.read_bytes())
    if wish.again:
        lived = wish.again.read_text()
        drawn = [f for f in every if told(f) in lived]
    else:
        drawn = random.Random(wish.seed).sample(every, min(wish.count, len(every)))
    with tempfile.TemporaryDirectory() as folder:
        places = [copy_of_the_tree(Path(folder) / f"copy{i}") for i in range(wish.jobs)]
        reach, seconds = reached(places[0])
        free = list(places)
        survived, unreached = [], []

        def tried(fault: Fault) -> tuple[Fault, bool | None]:
            tests = tests_for(fault, reach, seconds)
            if not tests:
                return fault, None
            place = free.pop()
            try:
                return fault, survives(fault, place, tests)
            finally:
                free.append(place)

        with concurrent.futures.ThreadPoolExecutor(wish.jobs) as pool:
            for fault, lives in pool.map(tried, drawn):
                if lives is False:
                    continue
                (unreached if lives is None else survived).append(fault)
                word = "no test reaches" if lives is None else "survived"
                print(f"{word}: {told(fault)}", flush=True)
    met = len(drawn) - len(unreached)
    print(
        f"{len(drawn)} faults of {len(every)} possible: {len(unreached)} on lines that no test without "
        f"a window reaches; of the other {met}, {len(survived)} survived ({len(survived) / max(met, 1):.1%})"
    )


if __name__ == "__main__":
    main()
