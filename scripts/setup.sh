#!/usr/bin/env bash
# Brings a bare Debian 12 to the point where Zax runs: system packages, then the locked environment.
# Usage: scripts/setup.sh [browser]   ("browser" adds what the browser tests need)
set -euo pipefail
cd "$(dirname "$0")/.."

packages=(tzdata python3-venv python3-dev gcc libc6-dev pkg-config libmariadb-dev mariadb-server-core
  mariadb-client-core mariadb-client mariadb-backup age libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0)
if [ "${1:-}" = browser ]; then packages+=(chromium chromium-driver); fi

missing=()
for package in "${packages[@]}"; do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
done

as_root=()
if [ "$(id -u)" -ne 0 ]; then as_root=(sudo); fi
install_line="apt-get install -y --no-install-recommends ${missing[*]}"

if [ "${#missing[@]}" -gt 0 ]; then
  if [ "$(id -u)" -ne 0 ] && ! command -v sudo >/dev/null; then
    echo "Zax needs these Debian packages first. As root, run:" >&2
    echo "  apt-get update && $install_line" >&2
    exit 1
  fi
  echo "Installing Debian packages: ${missing[*]}"
  mkdir -p var
  log=var/apt.log
  if ! { "${as_root[@]}" apt-get -o DPkg::Lock::Timeout=300 update &&
         "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=300 \
           install -y --no-install-recommends "${missing[@]}"; } >"$log" 2>&1; then
    tail -n 3 "$log" >&2
    echo "The packages could not be installed (whole output: $log). Mend that, then run the same command again:" >&2
    echo "  ${as_root[*]} $install_line" >&2
    exit 1
  fi
fi

# One setup at a time; a second one waits and then finds the work done.
exec 9>.setup.lock
flock 9

want=$(sha256sum requirements.lock | cut -d' ' -f1)
if [ "$(cat .venv/zax-lock 2>/dev/null || true)" = "$want" ]; then exit 0; fi

uv_version=0.13.9
if ! .tools/bin/uv --version 2>/dev/null | grep -q "$uv_version"; then
  echo "Installing uv $uv_version"
  rm -rf .tools
  /usr/bin/python3 -m venv .tools
  .tools/bin/pip install --quiet --disable-pip-version-check "uv==$uv_version"
fi
echo "Building the Python environment from requirements.lock"
.tools/bin/uv venv --quiet --allow-existing --python /usr/bin/python3 .venv
if ! .tools/bin/uv pip sync --quiet --system-certs --python .venv/bin/python --require-hashes requirements.lock; then
  echo "The Python packages could not be installed. Look at the lines above, then run the same command again." >&2
  exit 1
fi
echo "$want" >.venv/zax-lock
