#!/usr/bin/env bash
# Writes the reference of the public headers to build/docs/html. A type, function or enumeration without a word fails; so
# does any other warning. A member variable whose name says it all needs none.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh docs
mkdir -p build/docs
doxygen docs/Doxyfile
if grep -vE 'Member .* \(variable\) of (struct|class) ' build/docs/warnings.log; then
  echo "the public headers are not all documented" >&2; exit 1
fi
echo "build/docs/html/index.html"
