#!/usr/bin/env bash
# Installs into a folder of its own, and builds somebody else's project against that, with CMake and with pkg-config.
#   outside_test.sh BUILD_FOLDER PROJECT_FOLDER
set -euo pipefail
build=$1 project=$2
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
cmake --install "$build" --prefix "$work/installed" >/dev/null
cmake -S "$project/tests/packaging/outside" -B "$work/outside" -G Ninja -DCMAKE_PREFIX_PATH="$work/installed" >/dev/null
cmake --build "$work/outside" >/dev/null
"$work/outside/runtime_alone"
[ "$("$work/outside/with_authoring" "$project/demo/lamplighter.gait.yaml")" = moving ]
# The runtime brings neither YAML nor glTF.
if ldd "$work/outside/runtime_alone" | grep -E 'yaml|gltf|fmt'; then echo "the runtime links what only authoring needs" >&2; exit 1; fi
"$work/installed/bin/gait" --version
[ -s "$work/installed/share/man/man1/gait.1" ] && [ -s "$work/installed/share/bash-completion/completions/gait" ]

export PKG_CONFIG_PATH=$(dirname "$(find "$work/installed" -name pliant-gait-runtime.pc)")
c++ -std=c++20 "$project/tests/packaging/outside/runtime_alone.cpp" -o "$work/by_pkg_config" \
  $(pkg-config --define-variable=prefix="$work/installed" --cflags --libs pliant-gait-runtime)
"$work/by_pkg_config"
