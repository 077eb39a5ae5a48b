#!/usr/bin/env bash
# Examines a mixed delivery (4K maps: PNG of 8 and 16 bits, JPEG, TIFF, OpenEXR; over
# a gigabyte) and compares with vipsthumbnail making one thumbnail of each of the
# same files, turn about, in one run. Needs libvips-tools; the delivery is kept in
# BENCH_DIR for the next run.
set -euo pipefail
bin=$(pwd)/bin/aldermoor
dir=${BENCH_DIR:-$(mktemp -d)}
mkdir -p "$dir"
if [ ! -d "$dir/delivery" ]; then
  echo "making the delivery, which takes a few minutes…"
  "$bin" station --out "$dir/delivery.new" --sets 13 --size 4096 >/dev/null
  mv "$dir/delivery.new" "$dir/delivery"
fi
command -v vipsthumbnail >/dev/null || (apt-get install -y -qq libvips-tools >/dev/null 2>&1) || true
find "$dir/delivery" -type f ! -name '*.json' ! -name '*.txt' -print0 >"$dir/files"
echo "$(tr -cd '\0' <"$dir/files" | wc -c) pictures, $(du -sm "$dir/delivery" | cut -f1) MB"
mkdir -p "$dir/thumbs"
seconds() { local t0=$(date +%s.%N); "$@" >/dev/null 2>&1 || true; echo "$(date +%s.%N) - $t0" | bc; }
ours() { "$bin" inspect "$dir/delivery" --json; }
# As many processes as there are cores: one of them alone uses hardly more than one.
theirs() { xargs -0 -P "$(nproc)" -n $((($(tr -cd '\0' <"$dir/files" | wc -c) + $(nproc) - 1) / $(nproc))) vipsthumbnail -s 512 -o "$dir/thumbs/%s.jpg" <"$dir/files"; }
ours >/dev/null 2>&1 || true # warms the files up for both
if ! command -v vipsthumbnail >/dev/null; then
  echo "examined in $(seconds ours) s; vipsthumbnail is not here to compare with"
  exit
fi
for _ in 1 2 3; do
  a=$(seconds ours) b=$(seconds theirs)
  echo "examined in $a s, vipsthumbnail took $b s: ratio $(echo "scale=2; $a / $b" | bc)"
done
echo "peak memory: $( { /usr/bin/time -f '%M' "$bin" inspect "$dir/delivery" --json >/dev/null; } 2>&1 | tail -1) KB"
[ -n "${BENCH_DIR:-}" ] || rm -rf "$dir"
