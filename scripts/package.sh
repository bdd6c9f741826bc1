#!/usr/bin/env bash
# Makes the Debian package in out/. With --try, installs it in a bare Debian root as well and plays the demo with it there
# (as root; makes the root with debootstrap).
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh build
cmake --preset release -DGAIT_BUILD_TESTS=OFF -B build/package >/dev/null
cmake --build build/package --parallel
mkdir -p out
(cd build/package && cpack -G DEB >/dev/null)
package=$(ls -t build/package/*.deb | head -1)
cp "$package" out/
echo "out/$(basename "$package")"
[ "${1:-}" = --try ] || exit 0

command -v debootstrap >/dev/null || { echo "Installing with apt: debootstrap"; apt-get install -y -qq debootstrap >/dev/null; }
root=$(mktemp -d)
trap 'umount -l "$root/proc" 2>/dev/null || true; rm -rf "$root"' EXIT
source /etc/os-release
mirror=$(grep -hoE '^URIs: .*|^deb +[^ ]+' /etc/apt/sources.list.d/debian.sources /etc/apt/sources.list 2>/dev/null | head -1 | awk '{print $2}' || true)
debootstrap --variant=minbase --include=ca-certificates "$VERSION_CODENAME" "$root" "$mirror" >build/package/debootstrap.log 2>&1
# What lets this machine reach its mirror lets the root reach it too.
cp -r /etc/apt/apt.conf.d/. "$root/etc/apt/apt.conf.d/"
cp -L /etc/resolv.conf /etc/hosts "$root/etc/"
for folder in /usr/local/share/ca-certificates /etc/ssl/certs; do
  [ -d "$folder" ] && mkdir -p "$root$folder" && cp -rL "$folder/." "$root$folder/" 2>/dev/null || true
done
mount -t proc proc "$root/proc"
mkdir "$root/try"
cp "$package" "$root/try/package.deb"
cp demo/*.yaml demo/*.glb "$root/try"
chroot "$root" env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin DEBIAN_FRONTEND=noninteractive LANG=C.UTF-8 bash -euc '
  apt-get update -qq
  apt-get install -y -qq --no-install-recommends /try/package.deb >/dev/null
  cd /try
  gait --version
  gait check lamplighter.gait.yaml
  gait perform lamplighter.gait.yaml --cues round.cues.yaml --trace trace.csv --film film.png
  apt-get remove -y -qq pliant-gait >/dev/null
  [ ! -e /usr/bin/gait ]
'
echo "installed, played and removed in a bare root"
