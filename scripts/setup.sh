#!/usr/bin/env bash
# Installs what is missing, and nothing else: no network is needed when all is there.
# Usage: setup.sh [extra Debian packages ...]
set -euo pipefail
cd "$(dirname "$0")/.."

packages=(build-essential cmake ninja-build libeigen3-dev libfmt-dev libcli11-dev libtomlplusplus-dev nlohmann-json3-dev
  libtbb-dev libpugixml-dev libmeshoptimizer-dev lib3mf-dev libzip-dev libqhull-dev
  libocct-data-exchange-dev libocct-modeling-algorithms-dev libgtest-dev libgmock-dev "$@")
command -v node >/dev/null || packages+=(nodejs)
command -v npm >/dev/null || packages+=(npm)

missing=()
for package in "${packages[@]}"; do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
done
if ((${#missing[@]})); then
  echo "installing ${missing[*]}"
  as_root=()
  if [ "$(id -u)" -ne 0 ]; then as_root=(sudo); fi
  "${as_root[@]}" apt-get update -q
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "${missing[@]}"
fi

stamp=web/node_modules/.installed
if ! cmp -s web/package-lock.json "$stamp"; then
  echo "installing the viewer's packages"
  (cd web && npm ci --no-audit --no-fund)
  cp web/package-lock.json "$stamp"
fi
