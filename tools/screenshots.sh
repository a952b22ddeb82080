#!/bin/sh
# Takes the pictures in docs/screenshots from the demo study: pages in headless Chromium, the terminal in xterm under Xvfb.
# Needs chromium, xvfb, xterm and imagemagick. Run by `make screenshots`.
set -eu
cd "$(dirname "$0")/.."
out=docs/screenshots
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir -p "$out"

page() {   # page NAME SECTION HEIGHT; an empty section shows the top of the page
  hide=""
  [ -z "$2" ] || hide="<style>main > *:not(#$2) { display: none; }</style>"
  sed "s|</head>|$hide</head>|" demo-study/results/report.html >"$work/page.html"
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update \
    --disable-sync --hide-scrollbars --user-data-dir="$work/home" --window-size=1280,"$3" --screenshot="$out/$1.png" "file://$work/page.html" >/dev/null 2>&1
}
terminal() {   # terminal NAME ROWS COMMAND
  rm -f "$work/done"
  PATH=$PWD/.library/nubrek/exec:$PATH xvfb-run -a -s "-screen 0 1280x1024x24" sh -c "
    xterm -fa 'DejaVu Sans Mono' -fs 11 -bg '#faf7f2' -fg '#22313f' -geometry 104x$2+0+0 -b 12 -e sh -c 'printf \"\$ %s\\n\" \"$3\"; $3; touch $work/done; sleep 60' &
    shown=\$!
    while [ ! -f $work/done ]; do sleep 0.3; done
    sleep 1; import -window root -crop 1000x$((24 * $2))+0+0 -trim +repage '$PWD/$out/$1.png'; kill \$shown"
}
page report-first '' 800
page report-data data 1100
page report-repeat repeat 2060
page report-gaps repeat 5000
convert "$out/report-gaps.png" -crop 1280x2500+0+2560 +repage "$out/report-gaps.png"
page report-cohorts cohorts 7600
convert "$out/report-cohorts.png" -crop 1280x2330+0+5010 +repage "$out/report-payback.png"
convert "$out/report-cohorts.png" -crop 1280x2000+0+0 +repage "$out/report-cohorts.png"
page report-ranks rfm 4200
convert "$out/report-ranks.png" -trim +repage "$out/report-ranks.png"
page report-tiers tiers 5200
convert "$out/report-tiers.png" -crop 1280x2700+0+1880 +repage "$out/report-moves.png"
convert "$out/report-tiers.png" -crop 1280x1880+0+0 +repage "$out/report-tiers.png"
page report-audiences audiences 4200
page report-campaigns campaigns 5200
page report-forecast forecast 3400
page report-worth worth 6600
convert "$out/report-worth.png" -crop 1280x4400+0+0 +repage "$out/report-worth.png"
page report-models trust 8200
convert "$out/report-models.png" -crop 1280x5000+0+0 +repage "$out/report-models.png"
for f in report-audiences report-campaigns report-forecast report-worth report-models; do convert "$out/$f.png" -trim +repage "$out/$f.png"; done
terminal terminal-run 10 "nubrek run demo-study/study.yaml"
terminal terminal-check 46 "nubrek check demo-study/study.yaml"
terminal terminal-coming 32 "nubrek show coming demo-study/study.yaml"
terminal terminal-moves 22 "nubrek show moves demo-study/study.yaml"
terminal terminal-tiers 13 "nubrek show tiers demo-study/study.yaml"
# small files: few colours are in them
for f in "$out"/*.png; do convert "$f" -strip -colors 128 -define png:compression-level=9 PNG8:"$f"; done
