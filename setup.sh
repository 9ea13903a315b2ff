#!/bin/sh
# Sets Wallum up: system libraries first, then a virtual environment from the pinned lock.
# Called by ./wallum when something changed. Exit status 3: something this machine lacks.
set -eu
root=$1
say() { printf 'wallum: %s\n' "$*" >&2; }

missing_packages() {
    for name in $(grep -v '^#' "$root/system-packages.txt"); do
        case "$(dpkg-query -W -f='${Status}' "$name" 2>/dev/null || true)" in
            *"ok installed"*) ;;
            *) printf '%s ' "$name" ;;
        esac
    done
}

system_packages() {
    if ! command -v dpkg-query >/dev/null 2>&1; then
        say "this is no Debian system; the libraries of system-packages.txt are taken as present"
        return 0
    fi
    missing=$(missing_packages)
    [ -n "$missing" ] || return 0
    install="apt-get install -y --no-install-recommends $missing"
    if [ "$(id -u)" = 0 ]; then
        as=""
    elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
        as="sudo"
    else
        say "system libraries are missing; please run:"
        printf '  sudo %s\n' "$install" >&2
        exit 3
    fi
    say "installing system libraries: $missing"
    log=$(mktemp)
    if ! { $as apt-get update && $as env DEBIAN_FRONTEND=noninteractive $install; } >"$log" 2>&1; then
        tail -n 5 "$log" >&2
        rm -f "$log"
        say "the system libraries could not be got ($missing); is there a network?"
        exit 3
    fi
    rm -f "$log"
}

find_python() {
    for name in python3.11 python3; do
        if command -v "$name" >/dev/null 2>&1 \
            && "$name" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' 2>/dev/null; then
            # The interpreter itself: one of our own environment would go with it.
            base=$("$name" -c 'import sys; print(getattr(sys, "_base_executable", sys.executable))')
            if [ -x "$base" ]; then printf '%s\n' "$base"; else command -v "$name"; fi
            return 0
        fi
    done
    say "Python 3.11 is not on this machine"
    exit 3
}

environment() {
    python=$(find_python) || exit $?
    say "making the environment in .venv (once; a minute or two)"
    # An environment that was cut short has no lists in it and is made anew.
    rm -rf "$root/.venv"
    if ! "$python" -m venv "$root/.venv" >&2; then
        rm -rf "$root/.venv"
        say "the virtual environment could not be made"
        exit 3
    fi
    log="$root/.venv/setup.log"
    if ! "$root/.venv/bin/pip" install --disable-pip-version-check --require-hashes --no-deps \
        -r "$root/requirements.lock" >"$log" 2>&1; then
        tail -n 5 "$log" >&2
        say "the Python packages of requirements.lock could not be got; is there a network?"
        exit 3
    fi
}

system_packages
same() { cmp -s "$root/$1" "$root/.venv/$1"; }
if ! same requirements.lock; then
    environment
    cp "$root/requirements.lock" "$root/.venv/"
fi
cp "$root/system-packages.txt" "$root/.venv/"
