#!/usr/bin/env bash
# Prints how many instructions the single-precision operator takes for a voxel: the difference between two
# numbers of applications under callgrind, so that everything else cancels. Valgrind knows AVX2, not AVX-512.
# Usage: instructions.sh APPLY_COUNT [BOUND]      fails above BOUND
set -euo pipefail
program=$1
count() { # REPETITIONS
  valgrind --tool=callgrind --callgrind-out-file=/dev/null "$program" "$1" 2>&1 >/dev/null |
    sed -n 's/.*Collected : \([0-9]*\).*/\1/p'
}
few=$(count 2)
many=$(count 12)
voxels=$("$program" 0)
each=$(((many - few) / (10 * voxels)))
echo "$each instructions for each voxel"
if [ $# -gt 1 ] && ((each > $2)); then
  echo "more than the $2 allowed: has the kernel lost its vectors?" >&2
  exit 1
fi
