#!/usr/bin/env bash
# Usage: manual.sh TOOL MANUAL. The man page and the completions (in the folder MANUAL) are read by the programs they
# are for, and know what TOOL knows.
set -euo pipefail
tool=$1 manual=$2
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
touch "$work/arm.toml" "$work/arm.step" "$work/ARM.STL" "$work/notes.txt"
mkdir "$work/arm.run"
cd "$work"

expect() { # WHAT WANTED FOUND
  if [ "$2" != "$3" ]; then
    printf '%s: wanted "%s", found "%s"\n' "$1" "$2" "$3"
    exit 1
  fi
}

# The words bash offers for a line, sorted.
bash_offers() {
  bash -c '. "$1/barelattice.bash"; shift; COMP_WORDS=("$@"); COMP_CWORD=$((${#COMP_WORDS[@]} - 1)); _barelattice
    printf "%s\n" "${COMPREPLY[@]}"' - "$manual" "$@" | sort | tr '\n' ' '
}
fish_offers() {
  fish -c 'source $argv[1]; complete -C $argv[2]' "$manual/barelattice.fish" "$1" | cut -f1 | sort | tr '\n' ' '
}

expect "bash, a verb" "run " "$(bash_offers barelattice ru)"
expect "bash, a brief" "arm.run arm.toml " "$(bash_offers barelattice check a)"
expect "bash, geometry" "ARM.STL arm.run arm.step " "$(LC_ALL=C bash_offers barelattice inspect '')"
expect "bash, a unit" "cm " "$(bash_offers barelattice inspect --unit c)"
expect "bash, an option" "--solid " "$(bash_offers barelattice proof --s)"
expect "bash, a folder" "arm.run " "$(bash_offers barelattice run --folder '')"
expect "fish, a verb" "run " "$(fish_offers 'barelattice ru')"
expect "fish, an option" "--solid " "$(fish_offers 'barelattice proof --s')"
expect "fish, a unit" "cm in m mm " "$(fish_offers 'barelattice inspect --unit ')"
zsh -n "$manual/_barelattice"

mandoc -T lint -W error "$manual/barelattice.1"
mandoc -T ascii "$manual/barelattice.1" | col -bx >page
# Every verb and option of the help, hidden ones aside.
"$tool" --help | sed -n '/^Subcommands:/,$p' | awk 'NR > 1 && NF { print $1 }' >verbs
test "$(wc -l <verbs)" -gt 8
while read -r verb; do
  grep -qx "   $verb" page || { echo "the man page misses $verb"; exit 1; }
  case " $(bash_offers barelattice '')" in *" $verb "*) ;; *) echo "bash misses $verb"; exit 1 ;; esac
  "$tool" "$verb" --help | grep -oE '^  --[a-z]+' | tr -d ' ' >options || true
  while read -r option; do
    grep -qE "^ +$option( |$)" page || { echo "the man page misses $verb $option"; exit 1; }
    expect "bash, $verb" "$option " "$(bash_offers barelattice "$verb" "$option")"
    grep -q "^ *'$option\[" "$manual/_barelattice" || { echo "zsh misses $option"; exit 1; }
  done <options
done <verbs
