#!/usr/bin/env bash
# Installs what is missing, builds, and runs every test. Warnings are errors where CI is set.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/setup.sh chromium doxygen valgrind g++-aarch64-linux-gnu mandoc bsdextrautils zsh fish clang locales
preset=release
if [ -n "${CI:-}" ]; then preset=ci; fi
cmake --preset "$preset" >/dev/null
cmake --build --preset "$preset"
ctest --preset "$preset"
