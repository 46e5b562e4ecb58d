#!/usr/bin/env bash
# Usage: consume.sh SOURCE BUILD WORK find|embed FLAGS. Builds the consumer (and, with find, the C++ example) as an
# outsider would, and runs it. FLAGS are those the library was built with, for the sanitizers.
set -euo pipefail
source=$1 build=$2 work=$3 way=$4 flags=${5-}
rm -rf "$work"
mkdir -p "$work"
if [ "$way" = find ]; then
  cmake --install "$build" --prefix "$work/prefix" >/dev/null
  for project in "$source/tests/consumer" "$source/examples/cpp"; do
    name=$(basename "$project")
    cmake -S "$project" -B "$work/$name" -G Ninja -DCMAKE_BUILD_TYPE=Release -DCMAKE_PREFIX_PATH="$work/prefix" -DCMAKE_CXX_FLAGS="$flags" >/dev/null
    cmake --build "$work/$name"
  done
  "$work/consumer/consumer"
  "$work/cpp/rigger" 5 "$work/rigger.stl"
  # Moved, the tool reads STEP by the reader that moved with it.
  mv "$work/prefix" "$work/moved"
  reader=$work/moved/libexec/barelattice-cad
  if [ -e "$reader" ]; then
    mv "$reader" "$reader-itself"
    printf '#!/bin/sh\ntouch "%s/used"\nexec "%s-itself" "$@"\n' "$work" "$reader" >"$reader"
    chmod +x "$reader"
    # Into a file first: a grep that stops reading at its match breaks the tool's pipe.
    "$work/moved/bin/barelattice" inspect "$source/examples/step/hub.step" >"$work/inspected"
    grep '28 faces' "$work/inspected"
    test -e "$work/used"
  fi
  "$work/moved/bin/barelattice" --version
  for page in man/man1/barelattice.1 bash-completion/completions/barelattice zsh/site-functions/_barelattice \
    fish/vendor_completions.d/barelattice.fish; do
    test -s "$work/moved/share/$page"
  done
else
  cmake -S "$source/tests/consumer" -B "$work/embed" -G Ninja -DCMAKE_BUILD_TYPE=None -DCMAKE_CXX_FLAGS="-O0 $flags" -DSOURCE="$source" >/dev/null
  cmake --build "$work/embed"
  "$work/embed/consumer"
fi
