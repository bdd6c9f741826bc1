#!/usr/bin/env bash
# Installs what building, testing and drawing need. A second run finds everything and touches nothing.
#   scripts/setup.sh build     compilers, libraries and what draws charts
#   scripts/setup.sh bench     and the benchmark library
#   scripts/setup.sh test      and what only the tests need
#   scripts/setup.sh fuzz      and clang, whose fuzzer drives the readers
#   scripts/setup.sh docs      and Doxygen
#   scripts/setup.sh screenshots   and what turns a terminal's text into a picture
set -euo pipefail
cd "$(dirname "$0")/.."

packages=(build-essential cmake ninja-build pkg-config ccache
  libeigen3-dev libfmt-dev libyaml-cpp-dev libtinygltf-dev nlohmann-json3-dev libcli11-dev libspdlog-dev libhwy-dev libtbb-dev
  libcairo2-dev libgif-dev gnuplot-nox graphviz fonts-dejavu-core
  libboost-dev zlib1g-dev nodejs npm ca-certificates)
[ "${1:-build}" = bench ] && packages+=(libbenchmark-dev)
[ "${1:-build}" = fuzz ] && packages+=(clang libclang-rt-14-dev)
[ "${1:-build}" = docs ] && packages+=(doxygen)
[ "${1:-build}" = screenshots ] && packages+=(librsvg2-bin chromium)
[ "${1:-build}" = test ] && packages+=(catch2 bsdutils python3 libbenchmark-dev valgrind chromium)

missing=()
for package in "${packages[@]}"; do
  # The test machine may have Node.js from elsewhere.
  case $package in nodejs) command -v node >/dev/null && continue ;; npm) command -v npm >/dev/null && continue ;; esac
  [ "$(dpkg-query -W -f='${db:Status-Status}' "$package" 2>/dev/null)" = installed ] || missing+=("$package")
done
if [ "${#missing[@]}" -gt 0 ]; then
  echo "Installing with apt: ${missing[*]}"
  as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null || { echo "These packages need root and there is no sudo; install them and run this again." >&2; exit 1; }
    as_root=(sudo)
  fi
  "${as_root[@]}" apt-get update -qq
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
fi
if [ ! -d stage/page/node_modules/three ]; then
  echo "Installing with npm: what builds the stage's page, in stage/page"
  (cd stage/page && npm ci --silent --no-audit --no-fund)
fi
if [ "${1:-build}" = test ] && [ ! -d tests/validator/node_modules/gltf-validator ]; then
  echo "Installing with npm: gltf-validator, in tests/validator"
  (cd tests/validator && npm ci --silent --no-audit --no-fund)
fi
