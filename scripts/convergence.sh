#!/usr/bin/env bash
# Installs what is missing, builds, tries the optimiser on many layout problems by its own and by six other
# schedules, and prints the table of docs/performance.md. About half an hour on two cores.
# Usage: convergence.sh [FOLDER]   keeps what was measured in FOLDER, a file for each schedule
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/setup.sh libsuitesparse-dev libopenblas0-pthread
cmake --preset bench >/dev/null
cmake --build --preset bench --target convergence_bench
folder=${1:-$(mktemp -d)}
mkdir -p "$folder"
export OPENBLAS_NUM_THREADS=1
for schedule in usual plain slow fast small-steps wide eroded-first other-start; do
  build/bench/bin/convergence_bench suite "$schedule" >"$folder/suite-$schedule.jsonl"
done
for set in wheels shorts; do build/bench/bin/convergence_bench "$set" usual >"$folder/$set-usual.jsonl"; done
node bench/convergence/table.mjs "$folder"
