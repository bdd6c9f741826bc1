#!/usr/bin/env bash
# Installs into a folder of its own, and builds somebody else's project against that, with CMake and with pkg-config.
#   outside_test.sh BUILD_FOLDER PROJECT_FOLDER
set -euo pipefail
build=$1 project=$2
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
cmake --install "$build" --prefix "$work/installed" >/dev/null
# Beside the other build, and in the same way, so that ccache finds its objects: they serve shared libraries too.
shared_build=$build-shared
cmake -S "$project" -B "$shared_build" -G Ninja -DCMAKE_BUILD_TYPE=Release -DCMAKE_UNITY_BUILD=ON -DCMAKE_UNITY_BUILD_BATCH_SIZE=50 \
  -DBUILD_SHARED_LIBS=ON -DGAIT_BUILD_TOOL=OFF -DGAIT_BUILD_STAGE=OFF -DGAIT_BUILD_TESTS=OFF >/dev/null
cmake --build "$shared_build" >"$work/log" || { cat "$work/log" >&2; exit 1; }
cmake --install "$shared_build" --prefix "$work/shared" >/dev/null

for kind in installed shared; do
  cmake -S "$project/tests/packaging/outside" -B "$work/outside_$kind" -G Ninja -DCMAKE_PREFIX_PATH="$work/$kind" \
    -DPLIANT_GAIT_TOOL="$work/installed/bin/gait" -DDOCUMENT="$project/demo/lamplighter.gait.yaml" -DEXAMPLE_IN_C="$project/examples/stroll.c" >/dev/null
  cmake --build "$work/outside_$kind" >/dev/null
  "$work/outside_$kind/runtime_alone"
  "$work/outside_$kind/crowd_on_all_cores"
  [ "$("$work/outside_$kind/with_authoring" "$project/demo/lamplighter.gait.yaml")" = moving ]
  [ "$("$work/outside_$kind/packed_game")" = moving ]
  # One file is all it takes, in a folder where nothing else is.
  mkdir -p "$work/empty_$kind"
  cp "$work/outside_$kind/lamplighter.gaitpack" "$work/empty_$kind"
  (cd "$work/empty_$kind" && [ "$("$work/outside_$kind/packed_game" lamplighter.gaitpack)" = moving ])
  "$work/outside_$kind/in_c" "$work/empty_$kind/lamplighter.gaitpack" | grep -q 'moving, her right hand'
  # The runtime brings neither YAML nor glTF nor a thread pool.
  if ldd "$work/outside_$kind/runtime_alone" "$work/outside_$kind/packed_game" | grep -E 'yaml|gltf|fmt|tbb'; then
    echo "the runtime links what only authoring needs" >&2; exit 1
  fi
done
# The stage is a library of a static build; a project puts her on one.
"$work/outside_installed/on_stage" "$project/demo/lamplighter.gait.yaml" | grep -q '^http://127.0.0.1:[0-9]*/[0-9a-f]*/$'
ldd "$work/outside_shared/with_authoring" | grep 'libpliant_gait_authoring.so.0.1' >/dev/null
# A shared library shows the public headers' names, and nothing of the packages inside it.
shown=$(find "$work/shared" -name 'libpliant_gait_*.so' -exec nm -D --defined-only -C {} + | grep -E ' [TDB] ')
grep -q 'gait::Performer::advance(double)' <<<"$shown" && grep -q 'gait::compile(' <<<"$shown"
if grep -E 'kernels::|YamlMap|tinygltf::|YAML::|fmt::|DiagnosticSink' <<<"$shown"; then
  echo "the shared libraries show what should be hidden" >&2; exit 1
fi

"$work/installed/bin/gait" --version
find "$work/installed" -name LICENSE | grep -q .
[ -s "$work/installed/share/man/man1/gait.1" ] && [ -s "$work/installed/share/bash-completion/completions/gait" ]

export PKG_CONFIG_PATH=$(dirname "$(find "$work/installed" -name pliant-gait-runtime.pc)")
c++ -std=c++20 "$project/tests/packaging/outside/runtime_alone.cpp" -o "$work/by_pkg_config" \
  $(pkg-config --cflags --libs pliant-gait-runtime)
"$work/by_pkg_config"

# What drives performers compiles without what loads characters: in a fifth of the time, and lines of code alone count.
lines=$(echo '#include <gait/performer.hpp>' | c++ -std=c++20 -I"$work/installed/include" -E -P -x c++ - | wc -l)
[ "$lines" -lt 15000 ] || { echo "gait/performer.hpp brings in $lines lines" >&2; exit 1; }

# Taken into a project with flags of its own: they do not break ours, ours are not forced on it, and nothing is installed unasked.
cmake -S "$project/tests/packaging/inside" -B "$work/inside" -G Ninja -DCMAKE_BUILD_TYPE=Debug -DCMAKE_UNITY_BUILD=ON \
  -DPLIANT_GAIT="$project" >/dev/null
cmake --build "$work/inside" >"$work/log" || { cat "$work/log" >&2; exit 1; }
"$work/inside/game"
cmake --install "$work/inside" --prefix "$work/asked" >/dev/null
[ "$(find "$work/asked" -type f | wc -l)" = 1 ]
