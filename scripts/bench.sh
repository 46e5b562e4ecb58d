#!/usr/bin/env bash
# Installs what is missing, builds and runs the benchmarks behind docs/performance.md.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/setup.sh libbenchmark-dev
cmake --preset bench >/dev/null
cmake --build --preset bench
build/bench/bin/bench_solver "$@"

# From CAD: a plate of 476 faces inspected, the rigger's package space checked at a million voxels.
cmake --build --preset bench --target make_parts >/dev/null
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
build/bench/bin/make_parts "$work" perforated
cp examples/step/rigger.step "$work"
sed 's/^voxel = .*/voxel = "1.5 mm"/' examples/step/rigger.toml >"$work/rigger.toml"
TIMEFORMAT='%R s'
echo "inspect of 476 faces, twice:"
for _ in 1 2; do time build/bench/bin/barelattice inspect "$work/perforated.step" >/dev/null; done
echo "check of a million voxels from CAD, twice:"
for _ in 1 2; do time build/bench/bin/barelattice check "$work/rigger.toml" >/dev/null; done
