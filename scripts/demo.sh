#!/usr/bin/env bash
# Installs what is missing, builds, and runs the sculling rigger from its brief to its report.
# Options are passed on to the tool, e.g. --quick for a first look in under a minute.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/setup.sh
cmake --preset release >/dev/null
cmake --build --preset release --target barelattice_tool barelattice_cad
code=0
build/release/bin/barelattice run examples/rigger/rigger.toml "$@" || code=$?
echo
echo "Open examples/rigger/rigger.run/report.html in a browser."
exit $code
