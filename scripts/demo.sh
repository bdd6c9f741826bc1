#!/usr/bin/env bash
# Sets up, builds, and plays the lamplighter's evening round.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh build
cmake --preset release -DGAIT_BUILD_TESTS=OFF -B build/demo >/dev/null
cmake --build build/demo --parallel
mkdir -p out
build/demo/bin/gait perform demo/lamplighter.gait.yaml --cues demo/round.cues.yaml \
  --chart out/round.png --film out/round-film.png --bake out/round.glb --trace out/round.csv
echo
build/demo/bin/gait perform demo/lamplighter.gait.yaml --cues demo/evening.cues.yaml \
  --chart out/evening.png --film out/evening-film.png
echo
build/demo/bin/gait map demo/lamplighter.gait.yaml moving --cues demo/round.cues.yaml -o out/map.png
echo
build/demo/bin/two_minds
echo
exec build/demo/bin/quay_walk --out out/quay-walk
