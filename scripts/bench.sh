#!/usr/bin/env bash
# Measures the running program: time to the first page, and answers of a Library
# of 5 000 materials. Prints figures; compare those of one run only.
set -euo pipefail
bin=$(pwd)/bin/aldermoor
dir=$(mktemp -d)
trap 'kill "${pid:-0}" 2>/dev/null || true; rm -rf "$dir"' EXIT
now() { date +%s%N; }
ask() { curl -s -o /dev/null -w '%{time_starttransfer}\n' -H "Authorization: Bearer $token" "$url$1"; }
serve() {
  local start=$(now)
  "$bin" serve --data "$dir/data" --addr 127.0.0.1:0 >"$dir/log" 2>&1 &
  pid=$!
  until url=$(grep -om1 'http://[0-9.:]*' "$dir/log"); do sleep 0.01; done
  curl -s -o /dev/null --retry 50 --retry-connrefused --retry-delay 0 "$url/"
  echo "start to first page with ${1}: $((($(now) - start) / 1000000)) ms"
}
stop() { kill "$pid"; wait "$pid" 2>/dev/null || true; }

"$bin" station --out "$dir/scan" --sets 6 --size 256 >/dev/null
serve "an empty folder"
stop
echo "a long password" | "$bin" user add --data "$dir/data" --user librarian --role librarian >/dev/null
token=$("$bin" token create --data "$dir/data" --user librarian)
serve "one account"
(cd "$dir/scan" && tar cf ../scan.tar .)
curl -s -H "Authorization: Bearer $token" -F "file=@$dir/scan.tar" "$url/api/v1/deliveries" >/dev/null
until curl -s -H "Authorization: Bearer $token" "$url/api/v1/deliveries/1" | grep -q '"state":"sorted"'; do sleep 0.2; done
for id in 1 2 3 4 5 6; do curl -s -o /dev/null -H "Authorization: Bearer $token" -H 'Content-Type: application/json' -d '{"notes":"for measuring"}' "$url/api/v1/materials/$id/releases"; done
stop
"$bin" seed --data "$dir/data" --n 5000 >/dev/null
serve "5000 materials"
until curl -s "$url/metrics" | grep -q '^aldermoor_jobs_waiting 0$'; do sleep 0.2; done
for path in '/library' '/library?q=wor' '/library?q=worn+slate&category=Stone' '/api/v1/library?q=sl&sort=name' '/library?page=40&sort=name'; do
  for _ in $(seq 10); do ask "$path" >/dev/null; done
  for _ in $(seq 100); do ask "$path"; done | sort -n | awk -v p="$path" '{a[NR]=$1*1000} END {printf "%-42s median %5.1f ms   p95 %5.1f ms\n", p, a[50], a[95]}'
done
