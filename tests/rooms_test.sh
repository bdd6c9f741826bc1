#!/usr/bin/env bash
# The border between the rooms holds, and is seen to fail.
#   rooms_test.sh PROJECT_FOLDER
set -euo pipefail
project=$1
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
"$project/scripts/rooms.py" "$project"

# refused INCLUDER INCLUDED WORDS: an include that is added is refused with these words.
refused() {
  rm -rf "$work"/*; cp -r "$project/src" "$project/include" "$work"
  echo "#include \"$2\"" >>"$work/$1"
  if "$project/scripts/rooms.py" "$work" >"$work/said"; then echo "$1 may include $2" >&2; exit 1; fi
  [ "$(wc -l <"$work/said")" = 1 ] && grep -qF "$3" "$work/said" || { cat "$work/said" >&2; exit 1; }
}
refused src/rig/rig.cpp perform/frame.hpp "'rig' may not include perform/frame.hpp, which belongs to 'perform'"
refused include/gait/performer.hpp gait/document.hpp "'perform' may not include gait/document.hpp, which belongs to authoring"
refused src/files/load.cpp check/machine_checks.hpp "'files' may not include check/machine_checks.hpp"
refused src/begin/begin.cpp gait/stage.hpp "'begin' may not include gait/stage.hpp"
refused include/gait/rig.hpp gait/nowhere.hpp 'gait/nowhere.hpp belongs to no room'
