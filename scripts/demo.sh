#!/usr/bin/env bash
# Sets up, builds, and plays the lamplighter's evening round.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh build
# In the same folder as the tests, which so find the libraries and the tool already built.
cmake --preset release -DGAIT_BUILD_TESTS=OFF >/dev/null
cmake --build --preset release --parallel
mkdir -p out
build/release/bin/gait perform demo/lamplighter.gait.yaml --cues demo/round.cues.yaml \
  --chart out/round.png --film out/round-film.png --bake out/round.glb --trace out/round.csv
echo
build/release/bin/gait perform demo/lamplighter.gait.yaml --cues demo/evening.cues.yaml \
  --chart out/evening.png --film out/evening-film.png
echo
build/release/bin/gait map demo/lamplighter.gait.yaml moving --cues demo/round.cues.yaml -o out/map.png
echo
build/release/bin/two_minds
echo
build/release/bin/quay_walk --out out/quay-walk
echo
# What a game ships, and a game loop by the runtime alone.
build/release/bin/gait pack demo/lamplighter.gait.yaml --strip -o out/lamplighter.gaitpack
exec build/release/bin/from_a_pack out/lamplighter.gaitpack
