#!/bin/sh
# page-shot.sh PAGE.html OUT.png: the first screen of a page, by headless Chromium.
exec chromium --headless --no-sandbox --disable-gpu --no-first-run --disable-background-networking \
  --disable-component-update --disable-sync --hide-scrollbars --user-data-dir="$(mktemp -d)" \
  --window-size="${3:-1280,800}" --screenshot="$2" "file://$(realpath "$1")" >/dev/null 2>&1
