#!/usr/bin/env bash
# Sets up, builds and opens the lamplighter's stage: a page in your browser in which she walks as you drag and drive.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh build
cmake --preset release -DGAIT_BUILD_TESTS=OFF >/dev/null
cmake --build --preset release --parallel --target gait
exec build/release/bin/gait stage demo/lamplighter.gait.yaml "$@"
