#!/bin/sh
# Fetches the chart libraries that package-lock.json names and puts them into one file. Where they can't be had, the
# file only says so, and pages have their tables without charts.
#
#   bundle.sh NPM SOURCE FOLDER FILE
set -u
npm=$1
source=$2
folder=$3
file=$4
mkdir -p "$folder"
cp "$source/package.json" "$source/package-lock.json" "$folder/"
if "$npm" ci --prefix "$folder" --ignore-scripts --no-audit --no-fund --loglevel=error &&
  cat "$folder"/node_modules/vega/build/vega.min.js "$folder"/node_modules/vega-lite/build/vega-lite.min.js \
    "$folder"/node_modules/vega-embed/build/vega-embed.min.js > "$file.new"; then
  mv "$file.new" "$file"
else
  echo "warning: the chart libraries could not be fetched from the npm registry; pages will have no charts" >&2
  echo '// The chart libraries could not be fetched when this was built.' > "$file"
fi
