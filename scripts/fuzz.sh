#!/usr/bin/env bash
# Runs the fuzz targets for so many minutes in all (10), shared out evenly, two at a time, from what tests/fuzz/corpus holds.
#   scripts/fuzz.sh [--minutes N] [TARGET ...]
#   targets: gltf bvh document cue_sheet expression (readers), restore (stored blocks), pack (packed characters), calls (the whole face of a
#   performer), filled (documents that a program fills), drawn (texts as what draws reads them), asked (what pages say to a stage)
# What is found is left in build/fuzz/found; what has been learnt stays in build/fuzz/learnt for the next run.
#   scripts/fuzz.sh --keep      puts what was learnt, made small, into tests/fuzz/corpus, which the tests replay
set -euo pipefail
cd "$(dirname "$0")/.."
minutes=10 keep=no
all=(gltf bvh document cue_sheet expression restore pack calls filled drawn asked)
targets=()
while [ $# -gt 0 ]; do
  case $1 in
    --minutes) minutes=${2:?--minutes takes a number}; shift 2 ;;
    --keep) keep=yes; shift ;;
    -*) echo "no option '$1'; there are --minutes N and --keep" >&2; exit 2 ;;
    *)
      [[ " ${all[*]} " == *" $1 "* ]] || { echo "no target '$1'; there are ${all[*]}" >&2; exit 2; }
      targets+=("$1"); shift ;;
  esac
done
[ "${#targets[@]}" -gt 0 ] || targets=("${all[@]}")
scripts/setup.sh fuzz
cmake --preset fuzz >/dev/null
cmake --build --preset fuzz --parallel
mkdir -p build/fuzz/found
jobs=$(nproc)
seconds=$((minutes * 60 * jobs / ${#targets[@]}))
[ "$seconds" -gt 0 ] || seconds=1

# Runs one target, and says what came of it.
run() {
  local target=$1 learnt=build/fuzz/learnt/$1 log=build/fuzz/$1.log words=()
  mkdir -p "$learnt"
  [ "$target" = cue_sheet ] && cp demo/*.cues.yaml "$learnt"
  [ -f tests/fuzz/words/"$target" ] && words=(-dict=tests/fuzz/words/"$target")
  # Exhausting memory is a find too: what a reader takes must be in proportion to what it is given.
  if build/fuzz/tests/fuzz/"${target}"_fuzz "${words[@]}" "$learnt" tests/fuzz/corpus/"$target" -max_total_time="$seconds" \
    -timeout=10 -rss_limit_mb=2048 -max_len=2048 -entropic=0 -artifact_prefix=build/fuzz/found/"$target"- -print_final_stats=1 >"$log" 2>&1; then
    printf '%-11s clean, %s runs\n' "$target" "$(grep -a number_of_executed_units "$log" | grep -o '[0-9]*$')"
  else
    printf '%-11s FOUND something: see %s\n' "$target" "$log"
    return 1
  fi
}
# Puts what was learnt of a target into the corpus, as far as it is small.
keep() {
  local target=$1 small=build/fuzz/small/$1
  rm -rf "$small"; mkdir -p "$small"
  build/fuzz/tests/fuzz/"${target}"_fuzz -merge=1 -max_len=2048 "$small" tests/fuzz/corpus/"$target" build/fuzz/learnt/"$target" \
    >"build/fuzz/$target.log" 2>&1
  # Of many the smallest.
  find "$small" -type f -printf '%s %f\n' | sort -n | head -40 | cut -d' ' -f2 |
    while read -r name; do cp "$small/$name" tests/fuzz/corpus/"$target"/"${name:0:12}"; done
}
failed=0
if [ "$keep" = yes ]; then
  for target in "${targets[@]}"; do keep "$target"; done
else
  export -f run; export seconds
  printf '%s\n' "${targets[@]}" | xargs -P "$jobs" -I{} bash -c 'run {}' || failed=1
fi
exit $failed
