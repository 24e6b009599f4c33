#!/usr/bin/env bash
# Install what is missing: Debian's packages, Python's and the page's. Nothing else is started.
set -euo pipefail
cd "$(dirname "$0")/.."
mkdir -p var

say() { printf '%s\n' "$*"; }
fail() { printf 'Intaglio cannot be installed. %s\n' "$*" >&2; exit 1; }

# --- Debian's packages: only those that are missing
missing=()
[ -n "$(ls -d /usr/lib/postgresql/*/bin/initdb 2>/dev/null)" ] || missing+=(postgresql)
command -v chromium >/dev/null || missing+=(chromium)
command -v cgnscheck >/dev/null || missing+=(cgns-convert)
# not through a pipe: grep ends at the first hit, and what still writes into it then fails
libraries=$(ldconfig -p 2>/dev/null || true)
[[ $libraries == *libGL.so.1* ]] || missing+=(libgl1)
[[ $libraries == *libseccomp.so.2* ]] || missing+=(libseccomp2)
if [ ${#missing[@]} -gt 0 ]; then
  install=(apt-get install -y -q --no-install-recommends "${missing[@]}")
  if [ "$(id -u)" = 0 ]; then
    root=()
  elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
    root=(sudo -n)
  else
    fail "These Debian packages are missing: ${missing[*]}. As an administrator run: apt-get install ${missing[*]}"
  fi
  say "installing ${missing[*]}"
  export DEBIAN_FRONTEND=noninteractive
  "${root[@]}" apt-get update -q >var/apt.log 2>&1 || true
  "${root[@]}" "${install[@]}" >>var/apt.log 2>&1 || { tail -5 var/apt.log >&2; fail "Debian's packages could not be installed; see var/apt.log."; }
fi

# --- Python
python=${PYTHON:-}
if [ -z "$python" ]; then
  for candidate in python3.11 python3; do
    if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))'; then
      python=$candidate
      break
    fi
  done
fi
[ -n "$python" ] || fail "Python 3.11 is needed."
command -v npm >/dev/null || fail "Node.js 20 with npm is needed."

# --- the page's packages, beside all that follows
page() {
  local stamp
  stamp=$(sha256sum web/package-lock.json | cut -d' ' -f1)
  [ "$(cat web/node_modules/.installed 2>/dev/null || true)" = "$stamp" ] && return
  say "installing the page's packages"
  # where a registry lacks builds for other platforms, the lock lacks them too and `npm ci` objects;
  # `npm install` takes the same pinned versions
  (cd web && { npm ci --no-audit --no-fund --loglevel=silent ||
    npm install --no-audit --no-fund --no-save --loglevel=error; })
  echo "$stamp" >web/node_modules/.installed
}
page &
page=$!

stamp=$(cat requirements.lock requirements-dev.lock pyproject.toml | sha256sum | cut -d' ' -f1)
if [ "$(cat .venv/installed 2>/dev/null || true)" != "$stamp" ]; then
  say "installing Python packages"
  if ! [ -x .venv/bin/python ]; then
    "$python" -m venv .venv 2>var/venv.log || {
      rm -rf .venv
      if [ "$(id -u)" = 0 ]; then apt-get install -y -q python3-venv >>var/apt.log 2>&1 || true; fi
      "$python" -m venv .venv || fail "A virtual environment cannot be made: install python3-venv."
    }
  fi
  # every file by its hash, and nothing that is not listed; what only tests and checks when wanted
  locks=(-r requirements.lock)
  [ -n "${INTAGLIO_RUNS_ONLY:-}" ] || locks+=(-r requirements-dev.lock)
  .venv/bin/python -m pip install -q --disable-pip-version-check --no-compile --no-deps --require-hashes "${locks[@]}" 2>&1 | { grep -v '^WARNING: Location' || true; }
  .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
  echo "$stamp" >.venv/installed
fi

# --- compiled kernels, so that no first run waits for the compiler; found by their source's content,
# by every checkout of this machine
if ! [ -e "$(.venv/bin/python -c 'from intaglio.numeric.kernels import compiled; print(compiled())')" ]; then
  say "compiling the numeric code (about two minutes, once)"
  .venv/bin/intaglio warm
fi
wait "$page" || fail "The page's packages could not be installed; npm says why above."
