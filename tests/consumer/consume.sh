#!/usr/bin/env bash
# Usage: consume.sh SOURCE BUILD WORK find|embed FLAGS. Builds consumers as outsiders would, and runs them: with `find`
# against the installed static library, with `embed` from the sources as a subproject, shared, and that installed.
# FLAGS are those the library was built with, for the sanitizers.
set -euo pipefail
source=$1 build=$2 work=$3 way=$4 flags=${5-}
rm -rf "$work"
mkdir -p "$work"

# consume NAME PREFIX COMPILER STANDARD FLAGS: the consumer and the plug-in built in their own way; their words kept.
consume() {
  cmake -S "$source/tests/consumer" -B "$work/$1" -G Ninja -DCMAKE_BUILD_TYPE=None -DCMAKE_PREFIX_PATH="$2" \
    -DCMAKE_CXX_COMPILER="$3" -DCMAKE_CXX_STANDARD="$4" -DCMAKE_CXX_FLAGS="$5 $flags" >/dev/null
  cmake --build "$work/$1"
  "$work/$1/consumer" | tee "$work/$1.said"
  "$work/$1/host" "$work/$1/plugin.so"
}

# Public headers without a warning, whoever compiles them.
compile_headers() {
  echo '#include <barelattice/barelattice.hpp>' >"$work/umbrella.cpp"
  for compiler in g++ clang++; do
    command -v "$compiler" >/dev/null || continue
    for standard in c++20 c++2b; do
      echo "headers with $compiler, $standard"
      "$compiler" -std=$standard -Wall -Wextra -Wpedantic -Wshadow -Wconversion -Wsign-conversion -Werror -fsyntax-only \
        -DEIGEN_MAX_ALIGN_BYTES=16 -DEIGEN_MALLOC_ALREADY_ALIGNED=1 -I "$1/include" -isystem /usr/include/eigen3 "$work/umbrella.cpp"
    done
  done
  # Without the fixed alignment they do not compile for a machine with other vectors, instead of crashing there.
  if "g++" -std=c++20 -mavx2 -fsyntax-only -I "$1/include" -isystem /usr/include/eigen3 "$work/umbrella.cpp" 2>"$work/refused"; then
    echo "headers compiled with another alignment than the library's" && return 1
  fi
  grep -q 'EIGEN_MAX_ALIGN_BYTES=16' "$work/refused"
}

if [ "$way" = find ]; then
  cmake --install "$build" --prefix "$work/prefix" >/dev/null
  mv "$work/prefix" "$work/moved"
  moved=$work/moved
  if grep -rnE "$work/prefix|$source|/usr/lib/" "$moved"/lib/cmake/BareLattice; then
    echo "the package names places of the machine it was made on" && exit 1
  fi
  test -s "$moved/share/doc/BareLattice/LICENSE"
  consume plain "$moved" g++ 20 "-O1 -Wall -Wextra"
  if [ -z "$flags" ]; then
    consume native "$moved" g++ 23 "-O2 -march=native"
    cmp "$work/plain.said" "$work/native.said"
    if command -v clang++ >/dev/null; then
      consume clang "$moved" clang++ 20 "-O1"
      cmp "$work/plain.said" "$work/clang.said"
    fi
    compile_headers "$moved"
  fi
  for project in "$source/examples/cpp" "$source/examples/embed"; do
    name=$(basename "$project")
    cmake -S "$project" -B "$work/$name" -G Ninja -DCMAKE_BUILD_TYPE=Release -DCMAKE_PREFIX_PATH="$moved" -DCMAKE_CXX_FLAGS="$flags" >/dev/null
    cmake --build "$work/$name"
  done
  "$work/cpp/rigger" 5 "$work/rigger.stl"
  for example in cancel_and_resume own_parts own_function brief_to_verdict; do
    echo "$example"
    "$work/embed/$example"
  done
  # The tool reads STEP by the reader that moved with it.
  reader=$moved/libexec/barelattice-cad
  if [ -e "$reader" ]; then
    mv "$reader" "$reader-itself"
    printf '#!/bin/sh\ntouch "%s/used"\nexec "%s-itself" "$@"\n' "$work" "$reader" >"$reader"
    chmod +x "$reader"
    # Into a file first: a grep that stops reading at its match breaks the tool's pipe.
    "$moved/bin/barelattice" inspect "$source/examples/step/hub.step" >"$work/inspected"
    grep '28 faces' "$work/inspected"
    test -e "$work/used"
  fi
  "$moved/bin/barelattice" --version
  for page in man/man1/barelattice.1 bash-completion/completions/barelattice zsh/site-functions/_barelattice \
    fish/vendor_completions.d/barelattice.fish; do
    test -s "$moved/share/$page"
  done
else
  cmake -S "$source/tests/consumer" -B "$work/untold" -DSOURCE="$source" >"$work/untold.log" 2>&1
  grep -q 'CMAKE_BUILD_TYPE is empty' "$work/untold.log"
  # Compiled as it was before, so that a cache of the compiler's has it all: it takes ten minutes otherwise.
  same() { sed -n "s/^\($1\):[A-Z]*=/-D\1=/p" "$build/CMakeCache.txt"; }
  cmake -S "$source/tests/consumer" -B "$work/embed" -G Ninja -DCMAKE_CXX_FLAGS="$flags" \
    "$(same CMAKE_BUILD_TYPE)" "$(same BARELATTICE_WARNINGS_AS_ERRORS)" \
    -DSOURCE="$source" -DBUILD_SHARED_LIBS=ON -DBARELATTICE_INSTALL=ON >/dev/null
  cmake --build "$work/embed"
  "$work/embed/consumer"
  "$work/embed/host" "$work/embed/plugin.so"

  cmake --install "$work/embed" --prefix "$work/shared" >/dev/null
  library=$work/shared/lib/libbarelattice.so
  readelf -d "$library" | grep -E 'SONAME|NEEDED'
  readelf -d "$library" | grep -q 'SONAME.*libbarelattice\.so\.0\.1\]'
  # What is not marked is not seen: neither what is internal nor what the library has of others.
  nm -D --defined-only "$library" | sed 's/.* //' >"$work/exported"
  if grep -E '^_ZNK?(5Eigen|3fmt|8nlohmann|4toml|11barelattice(11TableReader|8Readings|14MultigridLevel|9Formulation))' "$work/exported" | head | grep .; then
    echo "names are exported that nobody is promised" && exit 1
  fi
  grep -q '^_ZN11barelattice7prepare' "$work/exported"
  consume find-shared "$work/shared" g++ 20 "-O0"
fi
