#!/usr/bin/env bash
# Usage: terminal.sh TOOL BRIEF. On a terminal of 60 columns no live line takes two rows: it could not be replaced. On one
# that knows no escapes there are none.
set -euo pipefail
tool=$(realpath "$1") brief=$(realpath "$2")
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
sed 's/^voxel = .*/voxel = "3.4 mm"/' "$brief" >brief.toml
TERM=xterm script -qec "stty cols 60 rows 20; '$tool' optimise brief.toml" /dev/null >shown || true
tr '\r' '\n' <shown | sed -n 's/^\x1b\[K//p' | grep '^  iteration.*compliance' >live
test "$(wc -l <live)" -gt 5
awk 'length($0) > 59 { print "takes two rows: " $0; bad = 1 } END { exit bad }' live
TERM=dumb script -qec "stty cols 60 rows 20; '$tool' optimise brief.toml --fresh" /dev/null >shown || true
test "$(grep -c iteration shown)" -gt 1
! grep -q $'\x1b' shown
