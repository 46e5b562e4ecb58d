#!/usr/bin/env bash
# Installs what is missing, builds, holds the proof's stated errors against exact solutions on 105 pairs of
# meshes and prints the table of docs/performance.md. About half an hour on two cores.
# Usage: proof.sh [FILE]   keeps what was measured in FILE
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/setup.sh
cmake --preset bench >/dev/null
cmake --build --preset bench --target proof_bench
file=${1:-$(mktemp)}
build/bench/bin/proof_bench all 12000 20000 35000 60000 200000 >"$file"
node bench/proof/table.mjs "$file"
