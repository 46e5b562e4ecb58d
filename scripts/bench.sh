#!/usr/bin/env bash
# Installs what is missing, builds, runs the benchmarks side by side and prints the tables of docs/performance.md.
# Usage: bench.sh [--json FILE] [--quick]
#   --json FILE  writes the figures as well
#   --quick      nothing above 221 thousand voxels, no whole design: a few minutes
set -euo pipefail
cd "$(dirname "$0")/.."

json=
quick=
while (($#)); do
  case $1 in
    --json) json=${2:?--json needs a file}; shift 2 ;;
    --quick) quick=1; shift ;;
    *) echo "unknown option $1; known: --json FILE, --quick" >&2; exit 2 ;;
  esac
done

scripts/setup.sh libbenchmark-dev pkg-config libpetsc-real-dev libsuitesparse-dev libopenblas0-pthread openmpi-bin valgrind
cmake --preset bench >/dev/null
cmake --build --preset bench --target all make_parts
bin=build/bench/bin
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

# Kernels, parts of an iteration, whole designs.
filter='Limit|apply|setUp|energies|filter|projection'
if [ -z "$quick" ]; then filter+='|solve|design'; fi
"$bin/bench_solver" --benchmark_filter="$filter" --benchmark_out="$work/solver.json" --benchmark_out_format=json

# Solvers on the same systems, one process each. One thread per rank or process unless it uses more by itself.
export OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=2
peer() { # SOLVER N [options]
  local solver=$1 n=$2
  shift 2
  if [ "$solver" = petsc ]; then
    mpirun --allow-run-as-root --oversubscribe -n 2 "$bin/peer_bench" petsc "$n" "$@" | tail -1 >>"$work/peers.jsonl"
  else
    "$bin/peer_bench" "$solver" "$n" >>"$work/peers.jsonl"
  fi
  tail -1 "$work/peers.jsonl"
}
# Of the aggregation thresholds none, 0.005, 0.01 and 0.02 those from 0.005 on were fastest at 28 and 221 thousand
# voxels; at a million its smoother's bound, estimated in ten steps, was too low and the solve broke off, so
# thirty.
gamg=(-pc_gamg_threshold 0.01 -pc_gamg_esteig_ksp_max_it 30 -mg_levels_esteig_ksp_max_it 30 -ksp_rtol 1e-4)
for n in 24 48; do
  peer ours "$n"
  peer petsc "$n" "${gamg[@]}"
done
peer eigen 24
peer cholmod 24
if [ -z "$quick" ]; then
  peer ours 32
  peer ours 80
  peer petsc 80 "${gamg[@]}"
  peer ours 80
  peer ours 160
fi

# The kernel by instructions, which do not depend on what else the machine does. Valgrind knows AVX2.
bench/instructions.sh "$bin/apply_count" >"$work/instructions"

# From CAD: a plate of 500 faces inspected, the rigger's package space checked at a million voxels.
"$bin/make_parts" "$work" perforated
cp examples/step/rigger.step "$work"
sed 's/^voxel = .*/voxel = "1.5 mm"/' examples/step/rigger.toml >"$work/rigger.toml"
seconds() { # COMMAND...: its wall time, the better of two
  local best= start end
  for _ in 1 2; do
    start=$(date +%s%N)
    "$@" >/dev/null
    end=$(date +%s%N)
    local took=$(((end - start) / 1000000))
    if [ -z "$best" ] || ((took < best)); then best=$took; fi
  done
  echo "$best"
}
inspect=$(seconds "$bin/barelattice" inspect "$work/perforated.step")
check=$(seconds "$bin/barelattice" check "$work/rigger.toml")

node bench/tables.mjs "$work/solver.json" "$work/peers.jsonl" "$work/instructions" "$inspect" "$check" ${json:+"$json"}
