#!/usr/bin/env bash
# Installs what is missing, builds and runs the benchmarks behind docs/performance.md.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/setup.sh libbenchmark-dev
cmake --preset bench >/dev/null
cmake --build --preset bench
build/bench/bin/bench_solver "$@"
