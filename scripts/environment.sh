# Sourced by ./run and ./check from the project's folder: makes .venv from the lock file when it is missing or out of date,
# and sees to the Debian packages that Qt needs.

find_python() {
    local candidate
    for candidate in "${UMBRANT_PYTHON:-}" python3.11 python3.12 python3.13 python3; do
        if [[ -n $candidate ]] && command -v "$candidate" >/dev/null &&
            "$candidate" -c 'import sys, venv, ensurepip; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
            command -v "$candidate"
            return
        fi
    done
    echo "Umbrant needs Python 3.11 or newer, with its venv module. On Debian: apt-get install python3 python3-venv" >&2
    return 1
}

system_packages=(libegl1 libgl1 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libxcb-cursor0 libxcb-icccm4
    libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1
    fonts-dejavu-core fonts-inter)
check_packages=(xvfb openbox xdotool)

# Installs the Debian packages that are named and missing, or says how to.
see_to_packages() {
    command -v dpkg-query >/dev/null || return 0
    local package missing=()
    for package in "$@"; do
        dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
    done
    [[ ${#missing[@]} -gt 0 ]] || return 0
    if [[ $(id -u) == 0 ]]; then
        echo "Installing ${missing[*]}" >&2
        { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}"; } >/dev/null ||
            echo "Could not install ${missing[*]}; what needs them may not work." >&2
    else
        echo "These packages are not installed and may be needed: sudo apt-get install ${missing[*]}" >&2
    fi
}

make_environment() {
    local wanted
    wanted=$(cat requirements.lock pyproject.toml | sha256sum)
    [[ -f .venv/made-from && $(cat .venv/made-from) == "$wanted" ]] && return 0
    local python
    python=$(find_python)
    echo "Making .venv with $("$python" --version)" >&2
    "$python" -m venv --clear .venv
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes --requirement requirements.lock
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
    echo "$wanted" >.venv/made-from
}

see_to_packages "${system_packages[@]}"
make_environment
