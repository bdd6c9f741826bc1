#!/usr/bin/env bash
# Sets up, builds and runs the tests. scripts/test.sh sanitize does it under the address and undefined-behaviour sanitizers.
set -euo pipefail
cd "$(dirname "$0")/.."
preset=${1:-release}
scripts/setup.sh test
cmake --preset "$preset" -DGAIT_BUILD_TESTS=ON -DGAIT_BUILD_BENCH=ON >/dev/null
cmake --build --preset "$preset" --parallel
exec ctest --preset "$preset" --parallel "$(nproc)"
