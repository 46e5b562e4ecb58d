#!/usr/bin/env bash
# Runs the rigger as it would be printed, cast, milled and cut, and the first bracket at several local shares, and
# prints the tables of docs/making.md. About half an hour; --tool FILE names the tool, --work FOLDER keeps the runs.
set -euo pipefail
cd "$(dirname "$0")/.."
tool=build/release/bin/barelattice
work=$(mktemp -d)
while [ $# -gt 0 ]; do
  case $1 in
    --tool) tool=$2 ;;
    --work) work=$2 ;;
    *) echo "what is $1?" >&2; exit 2 ;;
  esac
  shift 2
done
mkdir -p "$work"

# NAME BRIEF LINE_OF_MAKING [MASS]
design() {
  local brief=$work/$1.toml
  awk -v line="$3" -v mass="${4:-}" '
    mass != "" && /^mass = / { print "mass = \"" mass " kg\""; next }
    { print }
    /^smallest_member/ && line != "" { print line }' "$2" >"$brief"
  "$tool" run "$brief" --quick --plain --folder "$work/$1.run" >"$work/$1.log" 2>&1 || true
}

row() {
  node scripts/making_row.mjs "$1" "$work/$1.run/results.json"
}

design free examples/rigger/rigger.toml ""
design printed examples/rigger/rigger.toml 'print = { up = "+x" }'
design milled examples/rigger/rigger.toml 'mill = { sides = ["+y", "-y", "+z", "-z"] }'
design cast examples/rigger/rigger.toml 'cast = { draw = "+y", parting = "0 mm", draft = "2 deg" }'
design cut examples/rigger/rigger.toml 'section = { along = "y" }' 2.5
echo "| rigger | mass, kg | compliance of the layout, J | found, J | least safety factor | thinnest wall, mm | measured |"
echo "|---|---|---|---|---|---|---|"
for name in free printed milled cast cut; do row $name; done

for share in 0.7 0.5 0.42; do
  design share$share examples/first/first.toml "local_share = { within = \"12 mm\", most = $share }"
done
design share1 examples/first/first.toml ""
echo
echo "| first bracket, local share | mass, kg | compliance of the layout, J | found, J | least safety factor | thinnest wall, mm | measured |"
echo "|---|---|---|---|---|---|---|"
for share in 1 0.7 0.5 0.42; do row share$share; done
