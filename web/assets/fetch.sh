#!/usr/bin/env bash
# Brings the front-end packages in at exact versions; run by hand when one is
# to change. What it writes is committed, so that nothing is fetched later.
set -euo pipefail
cd "$(dirname "$0")"
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
get() { # package version; files… (source:target)
  local tgz dir="$work/${1//\//-}"; mkdir -p "$dir"
  tgz=$(cd "$work" && npm pack --silent "$1@$2")
  tar xzf "$work/$tgz" -C "$dir" --strip-components=1
  shift 2
  for f in "$@"; do cp "$dir/${f%%:*}" "vendor/${f##*:}"; done
}
mkdir -p vendor
get htmx.org 4.0.1 dist/htmx.min.js:htmx.min.js LICENSE:htmx.LICENSE
get bulma 1.0.4 css/versions/bulma-no-helpers.min.css:bulma.min.css LICENSE:bulma.LICENSE
font=files/atkinson-hyperlegible
get @fontsource/atkinson-hyperlegible 5.3.0 \
  $font-latin-400-normal.woff2:hyperlegible-400.woff2 $font-latin-700-normal.woff2:hyperlegible-700.woff2 \
  $font-latin-ext-400-normal.woff2:hyperlegible-ext-400.woff2 $font-latin-ext-700-normal.woff2:hyperlegible-ext-700.woff2 \
  LICENSE:hyperlegible.LICENSE
get lucide-static 1.62.0 LICENSE:lucide.LICENSE \
  icons/list-checks.svg:icon-today.svg icons/egg.svg:icon-eggs.svg icons/circle-plus.svg:icon-set.svg \
  icons/layers.svg:icon-batches.svg icons/ellipsis.svg:icon-more.svg
get uplot 1.6.32 dist/uPlot.iife.min.js:uplot.min.js dist/uPlot.min.css:uplot.min.css LICENSE:uplot.LICENSE
get axe-core 4.14.1 axe.min.js:axe.min.js LICENSE:axe.LICENSE
mkdir -p ../testdata && mv vendor/axe.* ../testdata/
