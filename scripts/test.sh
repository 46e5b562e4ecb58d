#!/usr/bin/env bash
# Installs what is missing, builds, and runs every test. Warnings are errors where CI is set.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/setup.sh chromium doxygen valgrind g++-aarch64-linux-gnu mandoc bsdextrautils zsh fish clang locales ccache
# The library is compiled once more, as a part of another project.
export CMAKE_CXX_COMPILER_LAUNCHER=ccache CCACHE_DIR=$PWD/build/ccache
preset=release
if [ -n "${CI:-}" ]; then preset=ci; fi
cmake --preset "$preset" >/dev/null
cmake --build --preset "$preset"
ctest --preset "$preset"
