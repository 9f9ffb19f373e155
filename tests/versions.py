"""Whether the versions that pyproject allows are true: the lowest and the newest of each, on every Python there is.

    python tests/versions.py [pytest options]

For each Python from 3.11 up on this machine two environments are made, one with the lowest versions that pyproject
allows and that Python can have, one with the newest; in each the demo and the tests run. `make versions` does this.
"""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
OLDEST, NEWEST = 11, 15
SHOWN = ("numpy", "scipy", "pandas", "matplotlib", "pyarrow")


def uv(*words: str, **more: object) -> subprocess.CompletedProcess[str]:
    """Run uv, which finds Pythons and, unlike pip, the lowest versions."""
    return subprocess.run([sys.executable, "-m", "uv", *words], text=True, capture_output=True, cwd=ROOT, **more)


def interpreter(minor: int) -> str | None:
    """Return a Python of this version that runs: one on the path, or one that pyenv keeps."""
    kept = sorted(Path.home().glob(f".pyenv/versions/3.{minor}.*/bin/python3.{minor}"))
    for path in (shutil.which(f"python3.{minor}"), *map(str, kept)):
        if path and subprocess.run([path, "--version"], capture_output=True).returncode == 0:
            return path
    return None


def made(minor: int, which: str) -> Path | None:
    """Make an environment of the lowest or the highest versions; nothing where there is no such Python."""
    home, base = ROOT / ".versions" / f"3.{minor}-{which}", interpreter(minor)
    if base is None:
        return None
    uv("venv", "--clear", "--python", base, str(home))
    python = home / "bin" / "python"
    install = ("pip", "install", "--python", str(python), "--only-binary", ":all:", "--resolution", which)
    installed = uv(*install, "-e", ".[test]")
    if installed.returncode:
        print(f"3.{minor} {which}: cannot be installed\n{installed.stderr.strip()[-800:]}")
        return None
    return python


def ran(python: Path, options: list[str]) -> str:
    """Run the demo and the tests, and say how they ended."""
    demo = subprocess.run([python, "-m", "envelt", "demo"], text=True, capture_output=True, cwd=ROOT)
    if demo.returncode:
        return f"the demo ends in {demo.stderr.strip().splitlines()[-1][:200]}"
    options = ["--ignore=tests/test_kept.py", *options]  # numbers to the seventh digit are those of constraints.txt
    tests = subprocess.run([python, "-m", "pytest", "-n", "auto", *options], text=True, capture_output=True, cwd=ROOT)
    (python.parent.parent / "tests.txt").write_text(tests.stdout + tests.stderr, "utf-8")
    ends = [line for line in tests.stdout.splitlines() if re.search(r"passed|failed|error", line)]
    return f"the demo runs; {ends[-1].strip('= ') if ends else tests.stderr[-200:]}"


def main() -> None:
    """Look at every Python there is."""
    for minor in range(OLDEST, NEWEST + 1):
        for which in ("lowest-direct", "highest"):
            python = made(minor, which)
            if python is None:
                continue
            listed = uv("pip", "freeze", "--python", str(python)).stdout
            versions = " ".join(m for m in re.findall(r"^([a-z]+==\S+)$", listed, re.M) if m.split("==")[0] in SHOWN)
            print(f"3.{minor} {which}: {versions}", flush=True)
            print(f"    {ran(python, sys.argv[1:])}", flush=True)


if __name__ == "__main__":
    main()
