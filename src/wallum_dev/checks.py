"""`./wallum test`: format, lint, types, layers, dead code, and all tests."""

import os
import subprocess
import sys
from concurrent.futures import Future, ThreadPoolExecutor
from tempfile import TemporaryDirectory
from typing import Final

import click

from wallum.checkout import ROOT

__all__ = ["run_checks"]

CHECKS: Final = (
    ("format", ["-m", "ruff", "format", "--check", "--quiet", "."]),
    ("lint", ["-m", "ruff", "check", "--quiet", "."]),
    ("types", ["-m", "mypy"]),
    ("layers", ["-c", "from importlinter.cli import lint_imports_command; lint_imports_command()"]),
    ("dead code", ["-m", "vulture"]),
)
# One process for each core of the smallest machine. Tests of a file share their fixtures.
PARALLEL: Final = ("-n", "2", "--dist", "loadfile")


def _run(arguments: list[str], environment: dict[str, str]) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, *arguments]
    return subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, text=True)


def _pytest(arguments: tuple[str, ...], environment: dict[str, str]) -> int:
    command = [sys.executable, "-m", "pytest", *arguments]
    return subprocess.run(command, cwd=ROOT, env=environment).returncode


def _report(name: str, done: subprocess.CompletedProcess[str]) -> bool:
    """Print how a check ended; returns whether it passed."""
    passed = done.returncode == 0
    click.echo(f"{name}: {'ok' if passed else 'FAILED'}")
    if not passed:
        click.echo(done.stdout + done.stderr)
    return passed


def run_checks(arguments: tuple[str, ...]) -> int:
    """Run every check beside all tests; returns 0 if all passed.

    arguments : for pytest; with any, only the tests that they choose are run, in one process
    """
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(ROOT / "src")}
    if arguments:
        return _pytest(arguments, environment)
    with ThreadPoolExecutor(1) as beside, TemporaryDirectory() as cache:
        checks: list[tuple[str, Future[subprocess.CompletedProcess[str]]]] = [
            (name, beside.submit(_run, command, environment)) for name, command in CHECKS
        ]
        # What the driver compiles in one process, and the fields of probes, serve the others.
        shared = {**environment, "MESA_SHADER_CACHE_DIR": cache, "WALLUM_TESTS_CACHE": cache}
        status = _pytest(PARALLEL, shared)
        failed = [name for name, check in checks if not _report(name, check.result())]
    if failed:
        click.echo("failed: " + ", ".join(failed), err=True)
    return 1 if failed else status
