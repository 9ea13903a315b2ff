"""The set-up script on machines that lack something, played by stand-ins on the PATH."""

import os
import shutil
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[1]
PLAIN = ("sh", "cmp", "grep", "dirname", "cat", "mktemp", "tail", "rm", "cp", "env")


@pytest.fixture
def machine(tmp_path):
    """A copy of the scripts, and a PATH with only what the test puts there."""
    home, programs = tmp_path / "wallum", tmp_path / "bin"
    home.mkdir()
    programs.mkdir()
    for name in ("wallum", "setup.sh", "system-packages.txt", "requirements.lock"):
        shutil.copy(ROOT / name, home / name)
    for name in PLAIN:
        (programs / name).symlink_to(shutil.which(name))

    def program(name, text):
        (programs / name).write_text(f"#!/bin/sh\n{text}\n")
        (programs / name).chmod(0o755)

    def run(*arguments):
        command = [str(home / "wallum"), *arguments]
        return subprocess.run(command, env={"PATH": str(programs)}, capture_output=True, text=True)

    program("dpkg-query", 'echo "install ok installed"')
    program("id", "echo 0")
    return home, program, run


def test_without_rights_the_one_command_is_printed(machine):
    _, program, run = machine
    program("dpkg-query", 'case "$3" in xvfb) echo "unknown"; exit 1;; *) echo "install ok installed";; esac')
    program("id", "echo 1000")
    done = run("show", "demo:pale-room")
    assert done.returncode == 3
    assert "sudo apt-get install -y --no-install-recommends xvfb" in done.stderr
    assert done.stdout == ""


def test_without_a_network_the_part_is_named(machine):
    _, program, run = machine
    program("dpkg-query", "exit 1")
    program("apt-get", "exit 100")
    done = run("test")
    assert done.returncode == 3
    assert "system libraries could not be got" in done.stderr
    assert "libegl1" in done.stderr


def test_only_missing_libraries_are_installed(machine):
    home, program, run = machine
    program("dpkg-query", 'case "$3" in libegl1|xvfb) exit 1;; *) echo "install ok installed";; esac')
    program("apt-get", f'echo "$@" >> {home}/asked')
    run("test")
    assert (home / "asked").read_text().splitlines()[-1].endswith("--no-install-recommends libegl1 xvfb")


def test_packages_that_cannot_be_got_leave_no_half_environment(machine):
    home, program, run = machine
    program(
        "python3.11",
        f'[ "$1" = -c ] && exit 0; mkdir -p "$3/bin"; cp {home}/pip "$3/bin/pip"',
    )
    (home / "pip").write_text("#!/bin/sh\necho no route to host\nexit 1\n")
    (home / "pip").chmod(0o755)
    os.symlink(shutil.which("mkdir"), home.parent / "bin" / "mkdir")
    done = run("test")
    assert done.returncode == 3
    assert "requirements.lock could not be got" in done.stderr
    # The next start begins anew: nothing says that the set-up was complete.
    assert not (home / ".venv" / "requirements.lock").exists()


def test_another_python_is_said(machine):
    _, program, run = machine
    program("python3", "exit 1")
    done = run("test")
    assert done.returncode == 3
    assert "Python 3.11" in done.stderr


def test_the_lock_pins_everything_and_names_no_host():
    text = (ROOT / "requirements.lock").read_text()
    assert "://" not in text
    pinned = [line for line in text.splitlines() if line and not line.startswith((" ", "#"))]
    assert len(pinned) > 20
    assert all("==" in line for line in pinned)
    assert text.count("--hash=sha256:") >= len(pinned)
