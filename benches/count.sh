#!/usr/bin/env bash
# Counts the instructions of Fracht and of the bare runs, by valgrind's callgrind with one thread: the counts are the
# same on every run. Prints a table. Usage: benches/count.sh [SERVICES]
set -euo pipefail
cd "$(dirname "$0")/.."

services=${1:-1000}
profile=${FRACHT_PROFILE:-quick}
cargo build --quiet --locked --profile "$profile" -p fracht --bin fracht
bench=$(cargo bench --quiet --locked --profile "$profile" -p fracht-benches --bench bare --no-run --message-format json \
  | sed -n 's/.*"executable":"\([^"]*bare[^"]*\)".*/\1/p' | tail -n 1)
fracht=target/$profile/fracht
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
"$bench" generate "$services" >"$work/fracht.toml"
"$fracht" render -q --stack "$work" --format json >"$work/fracht.toml.json"
"$fracht" render -q --stack "$work" >"$work/objects.yaml"
fracht=$PWD/$fracht
(cd "$work" && "$fracht" demo >/dev/null)
printf 'fn main() {}\n' >"$work/empty.rs"
rustc -O -o "$work/empty" "$work/empty.rs"

# The instructions of a command, in thousands.
count() {
  RAYON_NUM_THREADS=1 valgrind --tool=callgrind --callgrind-out-file=/dev/null "$@" 2>&1 >/dev/null \
    | awk '/Collected/ { print int($4 / 1000) }'
}
parse=$(count "$bench" parse "$work/fracht.toml")
read=$(count "$bench" read "$work/fracht.toml")
bare=$(($(count "$bench" render "$work/fracht.toml") - read))
check=$(count "$fracht" check -q --stack "$work")
render=$(count "$fracht" render -q --stack "$work")
reach=$(count "$fracht" reach -q --stack "$work")
demo=$(count "$fracht" check -q --stack "$work/tidedesk")
version=$(count "$fracht" --version)
empty=$(count "$work/empty")
ratio() { awk -v a="$1" -v b="$2" 'BEGIN { printf "%.2f", a / b }'; }
printf '%-34s %12s  %s\n' \
  "$services services, thousands of" instructions 'ratio' \
  'bare parse' "$parse" '' \
  'check' "$check" "$(ratio "$check" "$parse") x bare parse" \
  'bare parse, copy and write' "$bare" '' \
  'render' "$render" "$(ratio "$render" "$bare") x bare run" \
  'reach' "$reach" '' \
  'an empty program' "$empty" '' \
  'fracht --version' "$version" "$(ratio "$version" "$empty") x empty program" \
  'check of the demo' "$demo" ''
/usr/bin/time -f '%M' "$fracht" check -q --stack "$work" 2>"$work/peak" >/dev/null || true
awk -v size="$(wc -c <"$work/fracht.toml")" '{ peak = $1 } END { printf "peak memory of check: %d MB, %.1f x the input\n", peak / 1024, peak * 1024 / size }' "$work/peak"
