# Sets up Arabesque's environment; sourced by ./start and ./check.
# Every step is skipped when it has been done for the same lock file.

root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
venv="$root/.venv"

say() { printf '%s\n' "$*" >&2; }
fail() { say "arabesque: $*"; exit 1; }

find_python() {
    local candidate
    for candidate in python3 python3.14 python3.13 python3.12 python3.11; do
        if "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
            printf '%s' "$candidate"
            return
        fi
    done
    fail "Python 3.11 or newer is needed. Install it, for example with: sudo apt-get install python3 python3-venv"
}

# install_packages PACKAGE...: with root, install them; without, print the line to run.
install_packages() {
    if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
        say "Installing system libraries: $*"
        { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@"; } >&2 ||
            fail "The system libraries could not be installed: $*"
    else
        fail "System libraries are missing. Run this once, then start again: sudo apt-get install $*"
    fi
}

# system_libraries FILE...: make sure that the packages named in the files are there.
system_libraries() {
    command -v dpkg-query >/dev/null || return 0
    local wanted missing=() package
    wanted=$(sed 's/#.*//' "$@")
    for package in $wanted; do
        dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
    done
    [ ${#missing[@]} -eq 0 ] || install_packages "${missing[@]}"
}

# system_of COMMAND: which system libraries it needs (nothing, kernel, window), as its module in headless/ says itself.
system_of() {
    local module
    case "$1" in --version | --help | -h) echo nothing && return ;; esac
    module=$(grep -lx "WORD = \"$1\"" "$root"/src/arabesque/headless/*.py) || { echo window && return; }
    sed -n 's/^SYSTEM = "\(.*\)"$/\1/p' "$module"
}

# python_packages NAME LOCK...: the virtual environment with all that the lock files pin.
python_packages() {
    local name=$1 stamp
    shift
    stamp=$(cat "$@" | sha256sum | cut -d' ' -f1)
    [ "$(cat "$venv/.$name" 2>/dev/null)" = "$stamp" ] && return
    if [ ! -x "$venv/bin/pip" ]; then
        local python
        python=$(find_python)
        say "Making a virtual environment"
        if ! "$python" -m venv "$venv" >/dev/null 2>&1; then
            rm -rf "$venv"
            install_packages python3-venv
            "$python" -m venv "$venv" || fail "A virtual environment could not be made in $venv"
        fi
    fi
    say "Installing pinned packages (the first time takes a minute or two)"
    local arguments=() lock
    for lock in "$@"; do arguments+=(-r "$lock"); done
    "$venv/bin/pip" install --quiet --disable-pip-version-check "${arguments[@]}" >&2 ||
        fail "The packages could not be installed: see the lines above"
    printf '%s' "$stamp" >"$venv/.$name"
}

export PYTHONPATH="$root/src${PYTHONPATH:+:$PYTHONPATH}"
# many small matrices: idle BLAS threads would spin and cost far more than they give
export OPENBLAS_NUM_THREADS=1
