"""`./wallum test`: format, lint, types, layers, tests."""

import os
import subprocess
import sys
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from tempfile import TemporaryDirectory, TemporaryFile
from typing import IO, Final

import click

from wallum.checkout import ROOT

__all__ = ["run_checks"]

# Tests that wait for windows, and as many others as take as long with them as the rest does: that keeps the
# second core busy meanwhile.
WINDOWS: Final = ("desk", "soak", "exchange", "level")
CHECKS: Final = (
    ("format", ["ruff", "format", "--check", "--quiet", "."]),
    ("lint", ["ruff", "check", "--quiet", "."]),
    ("types", ["mypy"]),
    ("layers", ["importlinter.cli_shim"]),
    ("dead code", ["vulture"]),
)


def _command(words: list[str]) -> list[str]:
    if words[0] == "importlinter.cli_shim":
        return [
            sys.executable,
            "-c",
            "from importlinter.cli import lint_imports_command; lint_imports_command()",
        ]
    return [sys.executable, "-m", *words]


def run_checks(arguments: tuple[str, ...]) -> int:
    """Run every check, then pytest; returns 0 if all passed."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(ROOT / "src")}
    failed = []
    if not arguments:
        for name, words in CHECKS:
            done = subprocess.run(_command(words), cwd=ROOT, env=environment, capture_output=True, text=True)
            click.echo(f"{name}: {'ok' if done.returncode == 0 else 'FAILED'}")
            if done.returncode != 0:
                failed.append(name)
                click.echo(done.stdout + done.stderr)
    status = _pytest(arguments, environment) if arguments else _both_halves(environment)
    if failed:
        click.echo("failed: " + ", ".join(failed), err=True)
    return 1 if failed else status


def _pytest(arguments: Sequence[str], environment: dict[str, str], out: IO[bytes] | None = None) -> int:
    command = [sys.executable, "-m", "pytest", *arguments]
    return subprocess.run(command, cwd=ROOT, env=environment, stdout=out, stderr=out).returncode


def _both_halves(environment: dict[str, str]) -> int:
    """All tests, those of windows beside all others; the status of what failed."""
    folder = ROOT / "tests"
    others = [
        str(one.relative_to(ROOT))
        for one in sorted(folder.iterdir())
        if one.name not in (*WINDOWS, "__pycache__") and (one.is_dir() or one.name.startswith("test_"))
    ]
    with ThreadPoolExecutor(1) as beside, TemporaryFile() as told, TemporaryDirectory() as programs:
        # What the driver compiles for one half, and what is worked out of levels, serves the other.
        environment = {**environment, "MESA_SHADER_CACHE_DIR": programs, "WALLUM_TESTS_CACHE": programs}
        second = beside.submit(_pytest, ["-p", "no:cacheprovider", *others], environment, told)
        first = _pytest([f"tests/{one}" for one in WINDOWS], environment)
        other = second.result()
        told.seek(0)
        click.echo(told.read().decode(errors="replace"))
    return first or other
