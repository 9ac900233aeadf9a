# Shared by the scripts: system packages, the virtual environment, and where data lives.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."

if [ "$(id -u)" = 0 ]; then
  GUMBOOT_HOME="${GUMBOOT_HOME:-/var/lib/gumboot}"
else
  GUMBOOT_HOME="${GUMBOOT_HOME:-${XDG_DATA_HOME:-$HOME/.local/share}/gumboot}"
fi
export GUMBOOT_HOME
export OPENBLAS_NUM_THREADS="${OPENBLAS_NUM_THREADS:-1}" # there are several processes; threads of one would only wait for each other

export PYTHONDONTWRITEBYTECODE= # every process would compile all of it anew

need_packages() { # Debian packages that must be there; installs what is missing, or says how
  local missing=() p
  for p in "$@"; do
    dpkg-query -W -f='${db:Status-Status}' "$p" 2>/dev/null | grep -q '^installed$' || missing+=("$p")
  done
  [ ${#missing[@]} = 0 ] && return
  local apt=(env DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=600)
  if [ "$(id -u)" != 0 ]; then
    if command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
      apt=(sudo "${apt[@]}")
    else
      echo "Missing: ${missing[*]}. Have it installed with:" >&2
      echo "    sudo apt-get install ${missing[*]}" >&2
      exit 1
    fi
  fi
  echo "Installing ${missing[*]} …" >&2
  ( # one script at a time, for the lists have a lock that nobody waits for
    flock 9
    "${apt[@]}" update -qq
    "${apt[@]}" install -y -qq --no-install-recommends "${missing[@]}"
  ) 9</var/lib/dpkg >&2
}

need_python() { # .venv with exactly what a lock file says
  local lock="$1" stamp
  stamp="$(cat "$lock" pyproject.toml | sha256sum | cut -c1-16)"
  if [ ! -x .venv/bin/python ]; then
    local python="" p
    for p in python3 python3.13 python3.12 python3.11; do
      "$p" -c 'import sys; sys.exit(sys.version_info < (3, 11))' >/dev/null 2>&1 && python="$p" && break
    done
    [ -n "$python" ] || { echo "Gumboot needs Python 3.11 or newer: sudo apt-get install python3 on Debian 12 or later." >&2; exit 1; }
    "$python" -m venv .venv
  fi
  grep -qx "$stamp" .venv/.locked 2>/dev/null && return
  echo "Installing Python packages from $lock …" >&2
  .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r "$lock" >&2
  echo "$stamp" >> .venv/.locked
}

SERVER_PACKAGES=(postgresql libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0 fonts-dejavu-core python3-venv)
