#!/usr/bin/env bash
# clang-format and clang-tidy over the checkout; installs both when they are missing.
set -euo pipefail
cd "$(dirname "$0")/.."
for tool in clang-format clang-tidy; do
  command -v "$tool" >/dev/null || { echo "Installing with apt: $tool"; $([ "$(id -u)" -eq 0 ] || echo sudo) apt-get install -y -qq "$tool" >/dev/null; }
done
git ls-files '*.cpp' '*.hpp' | xargs clang-format --dry-run --Werror
scripts/rooms.py
scripts/setup.sh build
(cd stage/page && npm run --silent check)
# File by file; and what the compiler precompiles, clang cannot read.
cmake --preset release -B build/lint -DCMAKE_UNITY_BUILD=OFF -DCMAKE_DISABLE_PRECOMPILE_HEADERS=ON >/dev/null
git ls-files 'src/*.cpp' 'tools/*.cpp' 'demo/*.cpp' 'examples/*.cpp' 'stage/server/*.cpp' | xargs -P "$(nproc)" -n 4 clang-tidy -p build/lint --quiet --extra-arg=-Wno-unknown-warning-option
