#!/usr/bin/env bash
# Builds and runs the benchmarks: a table of ratios, and the same as JSON in out/bench.json.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh bench
cmake --preset release -DGAIT_BUILD_BENCH=ON >/dev/null
cmake --build --preset release --parallel --target frame_bench
mkdir -p out
exec build/release/bench/frame_bench out/bench.json
