#!/usr/bin/env bash
# Compiles the kernels for aarch64, as far as the compiler looks for mistakes: no code is made.
# Usage: other_machine.sh COMPILER SOURCE_DIR
set -euo pipefail
cd "$2"
# Headers that are the same on every machine; the compiler's own come first.
headers=$(mktemp -d)
trap 'rm -rf "$headers"' EXIT
ln -s /usr/include/tbb /usr/include/oneapi /usr/include/fmt "$headers"
for kernel in voxels/{voxel_operator,projected_operator,swept_level,projection} solve/{vectors,block_matrix} \
  layout/density_filter; do
  "$1" -std=c++20 -fsyntax-only -Wall -Wextra -Wno-psabi -Werror -Iinclude -Isrc -isystem "$headers" \
    -isystem /usr/include/eigen3 "src/$kernel.cpp"
done
