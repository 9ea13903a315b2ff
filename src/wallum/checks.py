"""`./wallum test`: format, lint, types, layers, tests."""

import os
import subprocess
import sys
from pathlib import Path
from typing import Final

import click

__all__ = ["run_checks"]

ROOT: Final = Path(__file__).resolve().parents[2]
CHECKS: Final = (
    ("format", ["ruff", "format", "--check", "--quiet", "."]),
    ("lint", ["ruff", "check", "--quiet", "."]),
    ("types", ["mypy"]),
    ("layers", ["importlinter.cli_shim"]),
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
    tests = subprocess.run([sys.executable, "-m", "pytest", *arguments], cwd=ROOT, env=environment)
    if failed:
        click.echo("failed: " + ", ".join(failed), err=True)
    return 1 if failed else tests.returncode
