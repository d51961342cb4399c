# Sets the project up: system libraries where they are missing, a virtual environment, pinned packages, the package itself.
# Sourced by scripts/demo and scripts/test, from the project's folder.

QT_LIBRARIES="libegl1 libgl1 libglib2.0-0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libpulse0"
SCREEN="xvfb xauth"  # a screen for machines without one
BROWSERS="chromium chromium-driver"  # in which the listening page is tested
BROWSERS_AT_LENGTH="$BROWSERS firefox-esr"
DESKTOP="desktop-file-utils appstream shared-mime-info zsh fish"  # with which what a desktop gets is tested

fail() { echo "$1" >&2; exit 1; }

find_python() {
    for candidate in "${PYTHON:-}" python3.11 python3.12 python3.13 python3; do
        [ -n "$candidate" ] && command -v "$candidate" >/dev/null &&
            "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null && { echo "$candidate"; return; }
    done
    fail "Dubbin needs Python 3.11 or newer, and none was found."
}

# install_missing PACKAGE...: Debian packages that are not there yet, where apt exists and may be used.
install_missing() {
    command -v dpkg-query >/dev/null || return 0
    missing=""
    for package in "$@"; do
        dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q "install ok installed" || missing="$missing $package"
    done
    [ -z "$missing" ] && return 0
    sudo=""
    if [ "$(id -u)" -ne 0 ]; then
        sudo="sudo -n"
        sudo -n true 2>/dev/null || { echo "Please install these system libraries and start again:$missing" >&2; return 0; }
    fi
    echo "Installing system libraries:$missing"
    $sudo apt-get update -qq && $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null ||
        echo "Some system libraries could not be installed:$missing" >&2
}

# set_up LOCK...: the environment with exactly these lock files; does nothing when it is there already. Says what it does: it takes minutes.
set_up() {
    stamp=".venv/.set-up-$(cat pyproject.toml "$@" | sha256sum | cut -c1-16)-$(echo "$@" | sha256sum | cut -c1-8)"
    if [ ! -f "$stamp" ]; then
        python="$(find_python)"
        if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then install_missing python3-venv; fi
        [ -x .venv/bin/python ] || "$python" -m venv .venv
        for lock in "$@"; do
            echo "Installing the packages of $lock (the first time this takes a few minutes) …"
            .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r "$lock"
        done
        .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
        .venv/bin/python -m compileall -q src || true
        echo "Compiling the inner loops, once …"
        .venv/bin/python -m dubbin.core.batch.warm_up || echo "They could not be compiled yet: each will be at its first use."
        touch "$stamp"
    fi
}
