#!/bin/sh
# Refreshes docs/screenshots from a fresh demo; needs Xvfb, xterm, ImageMagick and Chromium.
set -eu
shots=docs/screenshots
mkdir -p $shots
cp results/fit.png $shots/plot-fit.png
cp results/residuals.png $shots/plot-residuals.png
sh tools/page-shot.sh results/report.html $shots/report.png 1280,800
R_LIBS=build/library Rscript tools/pictures.R
R_LIBS=build/library Rscript tools/pictures-of-the-page.R
# terminal NAME COLUMNSxROWS COMMAND: what a command looks like in a terminal window.
terminal() {
  xvfb-run -a -s "-screen 0 1280x1750x24" sh -c "
    xterm -geometry $2+0+0 -fa 'DejaVu Sans Mono' -fs 8 -bg white -fg '#222222' -e sh -c '$3; sleep 30' &
    sleep 20; import -window root $shots/$1.png; kill %1" 2>/dev/null || true
  convert $shots/$1.png -trim -bordercolor white -border 12 $shots/$1.png
}
terminal demo-terminal 110x132 "build/library/tundrel/exec/tundrel demo --out results"
