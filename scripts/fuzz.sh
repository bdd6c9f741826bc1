#!/usr/bin/env bash
# Runs each fuzz target for so many seconds (60), from the seeds in tests/fuzz/corpus and the demo's own files.
#   scripts/fuzz.sh [SECONDS [TARGET ...]]      targets: gltf bvh document cue_sheet expression
# What is found is left in build/fuzz/found; what has been learnt stays in build/fuzz/learnt for the next run.
set -euo pipefail
cd "$(dirname "$0")/.."
seconds=${1:-60}; shift || true
targets=("$@"); [ "${#targets[@]}" -gt 0 ] || targets=(gltf bvh document cue_sheet expression)
scripts/setup.sh fuzz
cmake --preset fuzz >/dev/null
cmake --build --preset fuzz --parallel
mkdir -p build/fuzz/found
failed=0
for target in "${targets[@]}"; do
  learnt=build/fuzz/learnt/$target; mkdir -p "$learnt"
  case $target in
    document) cp demo/*.gait.yaml docs/guide/*.gait.yaml "$learnt" ;;
    cue_sheet) cp demo/*.cues.yaml "$learnt" ;;
  esac
  log=build/fuzz/$target.log
  # Exhausting memory is a find too: what a reader takes must be in proportion to what it is given.
  words=(); [ -f tests/fuzz/words/"$target" ] && words=(-dict=tests/fuzz/words/"$target")
  if build/fuzz/tests/fuzz/"${target}"_fuzz "${words[@]}" "$learnt" tests/fuzz/corpus/"$target" -max_total_time="$seconds" -timeout=10 \
    -rss_limit_mb=2048 -max_len=16384 -artifact_prefix=build/fuzz/found/"$target"- -print_final_stats=1 >"$log" 2>&1; then
    printf '%-11s clean, %s runs\n' "$target" "$(awk '/number_of_executed_units/ {print $2}' "$log")"
  else
    printf '%-11s FOUND something: see %s\n' "$target" "$log"; failed=1
  fi
done
exit $failed
