#!/bin/sh
# Takes the pictures in docs/screenshots from the demo study: pages in headless Chromium, the terminal in xterm under Xvfb.
# Needs chromium, xvfb, xterm and imagemagick. Run by `make screenshots`.
set -eu
cd "$(dirname "$0")/.."
out=docs/screenshots
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir -p "$out"

page() {   # page NAME HEIGHT IDS...: these blocks of the report, open; without any the top of the page
  name=$1 height=$2
  shift 2
  style=""
  [ $# = 0 ] || style="main > header, .lead, .fold, .contents, #remarks, main > section > h2 { display: none; } body { display: block; } section { border: 0; margin: 0; padding: 0; } .folds { display: block; }"
  for id in "$@"; do style="$style main #$id { display: block; }"; done
  sed "s|</head>|<style>$style</style></head>|; s|<details id=\"\([^\"]*\)\" class=\"fold\"|<details open id=\"\1\" class=\"fold\"|" demo-study/results/report.html >"$work/page.html"
  [ $# != 0 ] || cp demo-study/results/report.html "$work/page.html"
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update \
    --disable-sync --hide-scrollbars --user-data-dir="$work/home" $dark --window-size=1280,"$height" --screenshot="$out/$name.png" "file://$work/page.html" >/dev/null 2>&1
  [ $# = 0 ] || convert "$out/$name.png" -trim +repage -bordercolor '#faf7f2' -border 20 "$out/$name.png"
}
dark=""
terminal() {   # terminal NAME ROWS COMMAND
  rm -f "$work/done"
  PATH=$PWD/.library/nubrek/exec:$PATH xvfb-run -a -s "-screen 0 1280x1024x24" sh -c "
    xterm -fa 'DejaVu Sans Mono' -fs 11 -bg '#faf7f2' -fg '#22313f' -geometry 104x$2+0+0 -b 12 -e sh -c 'printf \"\$ %s\\n\" \"$3\"; $3; touch $work/done; sleep 60' &
    shown=\$!
    while [ ! -f $work/done ]; do sleep 0.3; done
    sleep 1; import -window root -crop 1000x$((24 * $2))+0+0 -trim +repage '$PWD/$out/$1.png'; kill \$shown"
}
page report-first 800
dark="--blink-settings=preferredColorScheme=0"
page report-dark 1600
dark=""
page report-data 1400 audit rows identified
page report-repeat 2600 repeat-rate repeat-by-first_channel curve waits
page report-new 1600 new sales
page report-cohorts 2200 cohorts-retention usual cohorts-by-value_to_date
page report-payback 2600 payback payback-by
page report-ranks 2400 bands map
page report-tiers 2600 ladder tier-shares moves outlook
page report-audiences 3200 audience-list audience-1 overlap audience-time groups-1
page report-campaigns 3000 effect-1 plan-1 targets wallet
page report-forecast 1800 coming coming-periods shares
page report-worth 3000 worth-cohorts worth-by value-by-first_channel
page report-models 3200 backtest captured rolling comparison tracking
terminal terminal-run 10 "nubrek run demo-study/study.yaml"
terminal terminal-check 46 "nubrek check demo-study/study.yaml"
page report-weekly 3600 stores events returns steps due
terminal terminal-changes 20 "nubrek changes demo-study/study.yaml"
Rscript tools/shot-explore.R "$out/explore.png"
# small files: few colours are in them
for f in "$out"/*.png; do convert "$f" -strip -colors 128 -define png:compression-level=9 PNG8:"$f"; done
