#!/usr/bin/env bash
# Copies the front-end files that ship with Zax out of node_modules into the tree.
set -euo pipefail
cd "$(dirname "$0")/.."
npm ci --silent --no-progress
to=src/zax/web/shell/static/vendor
mkdir -p "$to" tests/vendor licenses
# Bulma lies in a layer under everything of ours: what we say about an element wins, however weakly we say it.
{ printf '@layer bulma{'; sed 's/@charset "UTF-8";//' node_modules/bulma/css/bulma.min.css; printf '}\n'; } > "$to/bulma.min.css"
cp node_modules/htmx.org/dist/htmx.min.js "$to/"
sed '/sourceMappingURL/d' node_modules/interactjs/dist/interact.min.js > "$to/interact.min.js"
font=node_modules/@fontsource-variable/atkinson-hyperlegible-next
for style in normal italic; do
  for part in latin latin-ext; do
    cp "$font/files/atkinson-hyperlegible-next-$part-wght-$style.woff2" "$to/"
  done
done
.venv/bin/python scripts/paper_fonts.py
cp node_modules/axe-core/axe.min.js tests/vendor/
cp node_modules/bulma/LICENSE licenses/bulma.txt
cp node_modules/htmx.org/LICENSE licenses/htmx.txt
cp node_modules/interactjs/LICENSE licenses/interact.txt
cp "$font/LICENSE" licenses/atkinson-hyperlegible-next.txt
cp node_modules/axe-core/LICENSE licenses/axe-core.txt
