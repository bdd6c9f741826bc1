#!/usr/bin/env bash
# Makes the pictures in docs/screenshots again, each from the demo's data by the command that the README shows with it.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh screenshots
cmake --preset release -DGAIT_BUILD_TESTS=OFF >/dev/null
cmake --build --preset release --parallel
gait=$PWD/build/release/bin/gait shots=$PWD/docs/screenshots
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT

# What a command prints, as a terminal shows it.
terminal() {
  local picture=$1; shift
  { printf '$ gait %s\n' "$*"; "$gait" "$@"; } | fold -s -w 150 | awk '
    BEGIN { print "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"1280\" height=\"HEIGHT\"><rect width=\"100%\" height=\"100%\" fill=\"white\"/>" \
                  "<g font-family=\"DejaVu Sans Mono\" font-size=\"13.5\" fill=\"#222\" xml:space=\"preserve\">" }
    { gsub(/&/, "\\&amp;"); gsub(/</, "\\&lt;"); printf "<text x=\"16\" y=\"%d\">%s</text>\n", 12 + 18 * NR, $0 }
    END { print "</g></svg>"; print 24 + 18 * NR > "/dev/stderr" }' >"$work/terminal.svg" 2>"$work/height"
  sed -i "s/HEIGHT/$(cat "$work/height")/" "$work/terminal.svg"
  rsvg-convert "$work/terminal.svg" -o "$shots/$picture"
}

terminal perform.png perform demo/lamplighter.gait.yaml --cues demo/round.cues.yaml
terminal why.png perform demo/lamplighter.gait.yaml --set speed=0.08 --why
"$gait" perform demo/lamplighter.gait.yaml --cues demo/evening.cues.yaml --bake "$work/take.bvh" >/dev/null
(cd "$work" && terminal begin.png begin take.bvh -o take.gait.yaml 2>/dev/null)
"$gait" begin demo/harbour_master.glb demo/lamplighter.glb -o "$work/his.gait.yaml" >/dev/null 2>&1
cues=$PWD/docs/guide/0_your_own_clips.cues.yaml
(cd "$work" && "$gait" perform his.gait.yaml --cues "$cues" --film "$shots/own-clips.png" >/dev/null 2>&1)
"$gait" clips demo/lamplighter.glb --clip stroll --film "$shots/stroll-film.png" --view side >/dev/null
"$gait" clips demo/lamplighter.glb --clip stroll --chart "$shots/stroll-feet.png" >/dev/null
"$gait" clips demo/lamplighter.glb --mask demo/lamplighter.gait.yaml:trunk --film "$shots/mask.png" >/dev/null
"$gait" perform demo/crossing.gait.yaml --cues demo/crossing.cues.yaml --film "$shots/crossing-film.png" >/dev/null
"$gait" sketch demo/crossing.gait.yaml -o "$shots/crossing-sketch.png" >/dev/null
"$gait" sketch demo/lamplighter.gait.yaml -o "$shots/lamplighter-sketch.png" >/dev/null
"$gait" perform demo/lamplighter.gait.yaml --cues demo/round.cues.yaml --chart "$shots/round-chart.png" \
  --film "$shots/round-path.png" --view path >/dev/null
"$gait" perform demo/lamplighter.gait.yaml --cues demo/evening.cues.yaml --chart "$shots/evening-chart.png" \
  --film "$shots/evening-film.png" >/dev/null
"$gait" perform demo/lamplighter.gait.yaml --cues demo/evening.cues.yaml --film "$shots/evening-layers.png" --tint layers \
  --film-from 24.6 --film-to 32.3 >/dev/null
"$gait" map demo/lamplighter.gait.yaml moving --cues demo/round.cues.yaml -o "$shots/map.png" >/dev/null
build/release/bin/quay_walk --out "$work/quay" >/dev/null
rsvg-convert "$work/quay.svg" -o "$shots/quay-walk.png"
node stage/page/screenshots.mjs "$gait" "$shots"
git status --short docs/screenshots
