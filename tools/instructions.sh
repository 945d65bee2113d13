#!/bin/sh
# Counts the instructions of six fixed pieces of work of the core, which are the same from run to run however busy a machine is, and compares them
# with those that are stored; more than a twentieth above is a failure. With `store`, stores them. The core has to be compiled, as by `make install`.
set -eu
stored=bench/instructions.txt
if ! command -v valgrind > /dev/null 2>&1; then
  echo "Instructions are not counted: valgrind is missing."
  exit 0
fi
# other compilers make other instructions, and the library's exp() is another one on processors that cannot multiply and add at once
made_by="# $(${CXX:-g++} -dumpfullversion) $(uname -m)$(grep -q -w fma /proc/cpuinfo 2> /dev/null && echo ' fma' || true)"
if [ "${1:-}" != store ] && [ "$(head -n 1 "$stored")" != "$made_by" ]; then
  echo "Instructions are not compared: stored are those of $(head -n 1 "$stored"), and this is $made_by."
  exit 0
fi
make -s --no-print-directory build/instructions
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
count() {
  valgrind --tool=callgrind --callgrind-out-file="$out/$1" build/instructions "$1" > "$out/value$1" 2> "$out/log$1" || { tail -n 5 "$out/log$1" >&2; exit 1; }
  awk '/^summary:/ { print $2 }' "$out/$1"
}
# two at a time
for pair in "0 2" "1 3" "4 5" "6"; do
  for number in $pair; do count "$number" > "$out/count$number" & done
  wait
done
none=$(cat "$out/count0")
status=0
echo "$made_by" > "$out/new"
while read -r number before what; do
  now=$(($(cat "$out/count$number") - none))
  echo "$number $now $what" >> "$out/new"
  if [ "$((now * 20))" -gt "$((before * 21))" ]; then
    verdict="MORE"
    [ "${1:-}" = store ] || status=1
  else
    verdict="as before or fewer"
  fi
  printf '%-42s %13d instructions, %5.1f %% of %d: %s (%s)\n' "$what" "$now" "$(awk "BEGIN { print 100 * $now / $before }")" "$before" "$verdict" "$(cat "$out/value$number")"
done << EOF
$(tail -n +2 "$stored")
EOF
[ "${1:-}" = store ] && cp "$out/new" "$stored"
exit $status
